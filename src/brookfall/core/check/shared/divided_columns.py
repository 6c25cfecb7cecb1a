"""What a column divides rows into: levels of a category, bins of a number, and gaps."""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from brookfall.core.fit.request import Rows
from brookfall.core.table.infer import as_category
from brookfall.core.table.table import Column

_BINS = 4
_MOST_LEVELS = 12


@dataclass(frozen=True)
class Segment:
    """Rows that have something in common: which column, what it says there, and their places among the judged rows."""

    column: str
    label: str
    places: Rows

    @property
    def words(self) -> str:
        return f"{self.column} {self.label}"


def divided(column: Column) -> Iterator[Segment]:
    """The segments that a column divides rows into, as in ``segments_of``."""
    gaps = np.flatnonzero(column.missing)
    if column.kind == "number" and len(np.unique(column.values[~column.missing])) > _BINS:
        present = column.values[~column.missing]
        edges = np.unique(np.quantile(present, np.linspace(0, 1, _BINS + 1)))
        for low, high in pairwise(edges):
            inside = (column.values > low) & (column.values <= high)
            if low == edges[0]:
                inside |= column.values == low
            yield Segment(column.name, f"{low:.4g} to {high:.4g}".replace("-", "−"), np.flatnonzero(inside))
    else:
        coded = as_category(column)
        counts = np.bincount(coded.values[coded.values >= 0].astype(np.int64), minlength=len(coded.levels))
        for code in np.argsort(-counts, kind="stable")[:_MOST_LEVELS]:
            if counts[code]:
                yield Segment(column.name, f"= {coded.levels[code]}", np.flatnonzero(coded.values == code))
    if len(gaps):
        yield Segment(column.name, "missing", gaps)
