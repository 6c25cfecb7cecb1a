"""Rows that say the same: found by sorting hashes, never row by row."""

import hashlib
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from brookfall.core.table.table import Column, Table

Rows = NDArray[np.int64]
Keys = NDArray[np.uint64]

_MIX = np.uint64(0x9E3779B97F4A7C15)


def row_keys(table: Table) -> Keys:
    """Two 64-bit hashes of each row, shape (n, 2), the same for the same cells under the same names in any table.

    A row's hashes are the sums of its cells', so those of any columns are had from the columns'. That two different
    rows among a million agree in both has a chance of about 10⁻²⁷.
    """
    keys = np.zeros((table.n_rows, 2), dtype=np.uint64)
    for column in table.columns:
        keys += _column_keys(column)
    return keys


def group_of_each(table: Table) -> Rows:
    """A number for each row, shape (n,): equal where rows say the same, gaps included.

    >>> from brookfall.core.table.infer import column_from_text
    >>> groups = group_of_each(Table((column_from_text("c", ["b", "a", "b"]),)))
    >>> bool(groups[0] == groups[2]), bool(groups[0] == groups[1])
    (True, False)
    """
    return _numbered(row_keys(table))


def groups_by(table: Table, *selections: Sequence[str]) -> tuple[Rows, ...]:
    """``group_of_each`` of several selections of columns, each column hashed once.

    >>> from brookfall.core.table.infer import column_from_text
    >>> table = Table((column_from_text("c", ["b", "b"]), column_from_text("d", ["x", "y"])))
    >>> [len(set(groups.tolist())) for groups in groups_by(table, ["c"], ["c", "d"])]
    [1, 2]
    """
    keys = [np.zeros((table.n_rows, 2), dtype=np.uint64) for _ in selections]
    for column in table.columns:
        among = [place for place, names in enumerate(selections) if column.name in names]
        if among:
            hashes = _column_keys(column)
            for place in among:
                keys[place] += hashes
    return tuple(_numbered(one) for one in keys)


def _numbered(keys: Keys) -> Rows:
    """A number for each pair of hashes, in their order; one sort by the first of the two, as they hardly ever differ
    in the second alone."""
    first, second = keys.T
    order = np.argsort(first)
    if (_changes(second, order) & ~_changes(first, order)).any():
        order = np.lexsort((second, first))
    groups = np.zeros(len(keys), dtype=np.int64)
    groups[order[1:]] = np.cumsum(_changes(first, order) | _changes(second, order))
    return groups


def _changes(values: Keys, order: Rows) -> NDArray[np.bool_]:
    """Where the next value is another one; shape (n - 1,)."""
    ordered = values[order]
    return ordered[1:] != ordered[:-1]


def _column_keys(column: Column) -> Keys:
    """Two hashes a cell, shape (n, 2), of what it says and of the column's name."""
    name = np.frombuffer(hashlib.blake2b(column.name.encode(), digest_size=16).digest(), dtype="<u8").astype(np.uint64)
    with np.errstate(over="ignore"):
        cells = _cell_hashes(column) * _MIX
        return np.stack([_mixed(cells + name[0]), _mixed(cells ^ name[1])], axis=1)


def first_of_each(table: Table) -> Rows:
    """Sorted positions of the rows that repeat no earlier one.

    >>> from brookfall.core.table.infer import column_from_text
    >>> first_of_each(Table((column_from_text("c", ["b", "a", "b"]),))).tolist()
    [0, 1]
    """
    _, first = np.unique(group_of_each(table), return_index=True)
    return np.sort(first).astype(np.int64)


def in_other(table: Table, other: Table) -> NDArray[np.bool_]:
    """True for each row of the table that says what some row of the other says; the columns are the same, by name."""
    pair = [("a", np.uint64), ("b", np.uint64)]
    here, there = (row_keys(one.select(table.names)).view(pair).ravel() for one in (table, other))
    found: NDArray[np.bool_] = np.isin(here, there)
    return found


def _cell_hashes(column: Column) -> Keys:
    """One hash a cell: of the bits of a number, of the text of a level, so that tables can be compared."""
    if column.kind == "number":
        values = column.values.astype(np.float64) + 0.0  # −0 is 0
        values[np.isnan(values)] = np.nan
        return _mixed(values.view(np.uint64))
    levels = [hashlib.blake2b(level.encode(), digest_size=8).digest() for level in column.levels]
    hashes = np.frombuffer(b"".join([*levels, bytes(8)]), dtype="<u8").astype(np.uint64)
    return hashes[column.values]


def _mixed(bits: Keys) -> Keys:
    """The finaliser of SplitMix64 (Steele, Lea & Flood 2014, OOPSLA): every bit in changes half of those out."""
    bits = (bits ^ (bits >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    bits = (bits ^ (bits >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return bits ^ (bits >> np.uint64(31))
