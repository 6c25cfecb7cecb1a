"""Training, validation and test: by shares asked for directly, or as the data's own column says."""

from collections.abc import Mapping
from typing import Literal

import numpy as np

from brookfall.core.foundation.digest import seed_from
from brookfall.core.foundation.errors import UserError
from brookfall.core.resample.largest_remainder import allocate, largest_remainder
from brookfall.core.resample.part_names import part_name
from brookfall.core.resample.strata import Codes, Layout, Rows, deal_groups, in_time
from brookfall.core.table.infer import as_category
from brookfall.core.table.table import Table

By = Literal["rows", "groups", "time"]


def given_parts(table: Table, column: str) -> dict[str, Rows]:
    """Part name to sorted row positions, from a column that names each row's part. Rows without a part are in none.

    Parameters
    ----------
    table : Table
        A table of n rows.
    column : str
        The column that names each row's part.

    Returns
    -------
    dict[str, Rows]
        Positions that rise, by part.

    Examples
    --------
    >>> from brookfall.core.table.infer import column_from_text
    >>> column = column_from_text("part", ["train", "test", "train"])
    >>> {name: rows.tolist() for name, rows in given_parts(Table((column,)), "part").items()}
    {'test': [1], 'training': [0, 2]}
    """
    named = as_category(table.column(column))
    found: dict[str, list[Rows]] = {}
    for code, level in enumerate(named.levels):
        rows = np.flatnonzero(named.values == code)
        if len(rows):
            found.setdefault(part_name(level), []).append(rows)
    return {name: np.sort(np.concatenate(rows)) for name, rows in found.items()}


def split_parts(layout: Layout, shares: Mapping[str, float], seed: int, by: By = "rows") -> dict[str, Rows]:
    """Part name to sorted row positions, with shares of any positive unit.

    By rows: sizes by largest remainder, inside each class too where the layout has strata. By groups: whole groups,
    as near to those sizes as they allow. By time: the earliest rows first, rows of one moment never parted.

    Parameters
    ----------
    layout : Layout
        The rows with their strata, groups and moments.
    shares : Mapping[str, float]
        Share of each part in any positive unit.
    seed : int
        What the rows are dealt by.
    by : By
        Whether single rows, whole groups or time decides.

    Returns
    -------
    dict[str, Rows]
        Positions that rise, by part.

    Raises
    ------
    UserError
        A part would hold no row, or no row of one class; with what could be done instead.

    Examples
    --------
    >>> layout = Layout(np.arange(10), strata=np.repeat([0, 1], 5))
    >>> {part: len(rows) for part, rows in split_parts(layout, {"training": 60, "test": 40}, seed=1).items()}
    {'training': 6, 'test': 4}
    """
    parts = {"rows": _by_rows, "groups": _by_groups, "time": _by_time}[by](layout, list(shares.values()), seed)
    made = {name: layout.rows[parts == place] for place, name in enumerate(shares)}
    _refuse_empty(layout, parts, list(shares))
    return made


def _by_rows(layout: Layout, shares: list[float], seed: int) -> Codes:
    classes = layout.classes
    sizes = allocate(np.bincount(classes), shares)
    rng = np.random.default_rng(seed_from("parts", seed))
    parts = np.empty(len(layout), dtype=np.int64)
    for stratum in range(sizes.shape[1]):
        shuffled = rng.permutation(np.flatnonzero(classes == stratum))
        parts[shuffled] = np.repeat(np.arange(len(shares)), sizes[:, stratum])
    return parts


def _by_groups(layout: Layout, shares: list[float], seed: int) -> Codes:
    if layout.groups is None:
        raise UserError(
            "The plan splits by groups, and no column has the role group.",
            todo="Give a column that role, or split by rows.",
        )
    weights = np.array(shares, dtype=np.float64)
    quotas = np.outer(weights / weights.sum(), np.bincount(layout.classes))
    return deal_groups(layout, quotas, np.random.default_rng(seed_from("parts", seed, "groups")))


def _by_time(layout: Layout, shares: list[float], seed: int) -> Codes:  # noqa: ARG001 - time leaves nothing to chance
    order = in_time(layout)
    ends = np.cumsum(largest_remainder(len(layout), shares))
    parts = np.empty(len(layout), dtype=np.int64)
    parts[order] = np.searchsorted(ends, np.arange(len(layout)), side="right")
    return _moments_together(layout, order, parts)


def _moments_together(layout: Layout, order: Rows, parts: Codes) -> Codes:
    """Rows of one moment all go where its first row went, so that nothing is tested on its own moment."""
    if layout.times is None:
        return parts
    ordered = layout.times[order]
    starts = np.concatenate(([True], ordered[1:] != ordered[:-1]))
    first = np.maximum.accumulate(np.where(starts, np.arange(len(order)), 0))
    together = parts.copy()
    together[order] = parts[order][first]
    return together


def _refuse_empty(layout: Layout, parts: Codes, names: list[str]) -> None:
    classes = layout.classes
    k = int(classes.max()) + 1 if len(classes) else 1
    counts = np.bincount(parts * k + classes, minlength=len(names) * k).reshape(len(names), k)
    for name, row in zip(names, counts, strict=True):
        if (row == 0).any():
            what = "no row of one class" if row.any() else "no row"
            fewest = int(np.bincount(classes, minlength=k).min())
            raise UserError(
                f"The {name} part would hold {what}: {len(layout)} rows, {fewest} of them in the smallest class.",
                todo="Give it a larger share, split into fewer parts, or don't stratify.",
            )
