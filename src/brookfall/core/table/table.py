"""The table that everything else works on: typed columns of equal length, nothing else."""

import hashlib
from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation.errors import UserError

Kind = Literal["number", "category", "yes_no", "date", "text"]


def kept_dtype(kind: str) -> str:
    """How the values of a column of this kind are written down, whatever machine wrote them.

    >>> kept_dtype("number"), kept_dtype("category")
    ('<f8', '<i4')
    """
    return "<f8" if kind == "number" else "<i4"


@dataclass(frozen=True)
class Column:
    """One column of n rows.

    A number column holds ``values`` as float64, NaN where missing, and no levels.
    Every other kind holds ``values`` as int32 positions in ``levels`` (sorted text), -1 where missing.
    """

    name: str
    kind: Kind
    values: NDArray[np.float64] | NDArray[np.int32]
    levels: tuple[str, ...] = ()

    @cached_property
    def missing(self) -> NDArray[np.bool_]:
        """True where the row has no value; shape (n,)."""
        return np.isnan(self.values) if self.kind == "number" else self.values < 0

    def texts(self) -> list[str | None]:
        """The values as they are shown, None where missing."""
        if self.kind == "number":
            return [None if np.isnan(v) else f"{v:.15g}" for v in self.values]
        return [self.levels[int(v)] if v >= 0 else None for v in self.values]

    def take(self, rows: NDArray[np.int64]) -> "Column":
        return Column(self.name, self.kind, self.values[rows], self.levels)

    def value_bytes(self) -> bytes:
        """The values as they are written down: one after the other, of ``kept_dtype``."""
        return np.ascontiguousarray(self.values, kept_dtype(self.kind)).tobytes()

    def digest(self) -> bytes:
        state = hashlib.sha256(f"{self.name}\0{self.kind}\0".encode())
        state.update("\0".join(self.levels).encode())
        state.update(b"\0\0")
        state.update(self.value_bytes())
        return state.digest()


def free_name(name: str, taken: set[str]) -> str:
    """The name, with as many underscores behind it as it needs to be none of those taken; it is taken then.

    >>> free_name("score", {"score"})
    'score_'
    """
    while name in taken:
        name += "_"
    taken.add(name)
    return name


@dataclass(frozen=True)
class Table:
    """Columns of equal length under distinct names."""

    columns: tuple[Column, ...]

    @cached_property
    def _by_name(self) -> dict[str, Column]:
        return {column.name: column for column in self.columns}

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(column.name for column in self.columns)

    @property
    def n_rows(self) -> int:
        return len(self.columns[0].values) if self.columns else 0

    def __contains__(self, name: str) -> bool:
        return name in self._by_name

    def column(self, name: str, file: str | None = None) -> Column:
        """The column of that name; UserError naming the columns there are, and the file, when it is absent."""
        try:
            return self._by_name[name]
        except KeyError:
            raise UserError(
                f"There is no column '{name}'.", todo=f"Columns are: {', '.join(self.names)}.", file=file, column=name
            ) from None

    def select(self, names: Sequence[str]) -> "Table":
        return Table(tuple(self.column(name) for name in names))

    def take(self, rows: NDArray[np.int64]) -> "Table":
        return Table(tuple(column.take(rows) for column in self.columns))

    @cached_property
    def fingerprint(self) -> str:
        """SHA-256 over the names, kinds, levels and values of all columns, in order."""
        state = hashlib.sha256()
        for column in self.columns:
            state.update(column.digest())
        return state.hexdigest()
