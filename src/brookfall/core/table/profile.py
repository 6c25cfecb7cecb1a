"""What a column holds, for the Data screen and the profile check."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.table.table import Column

_BINS = 20
_TOP = 12


@dataclass(frozen=True)
class Bar:
    """One bar of a small histogram: a range of numbers or one level, and its rows."""

    label: str
    count: int


@dataclass(frozen=True)
class ColumnProfile:
    """Counts are rows; quantiles are in the column's own unit (min, quartiles, max), empty unless a number."""

    name: str
    kind: str
    n: int
    missing: int
    distinct: int
    quantiles: tuple[float, ...]
    bars: tuple[Bar, ...]

    @property
    def words(self) -> str:
        """The column in words, such as ``number, 12 to 94, 3 % missing``."""
        named = {"yes_no": "yes/no"}.get(self.kind, self.kind)
        span = (
            f"{self.quantiles[0]:g} to {self.quantiles[-1]:g}"
            if self.quantiles
            else f"{self.distinct} level{'' if self.distinct == 1 else 's'}"
        )
        share = 100 * self.missing / self.n if self.n else 0
        gaps = "none missing" if not self.missing else f"{share:.1f} % missing" if share >= 0.1 else "< 0.1 % missing"
        return f"{named}, {span}, {gaps}"


def profile_column(column: Column) -> ColumnProfile:
    """Counts, quantiles (type 7) and a histogram of at most 20 bins or the 12 most frequent levels.

    >>> import pandas as pd
    >>> from brookfall.core.table.infer import column_from_text
    >>> profile_column(column_from_text("size", pd.Series(["1", "2.5", ""]))).words
    'number, 1 to 2.5, 33.3 % missing'
    """
    present = column.values[~column.missing]
    n, missing = len(column.values), int(column.missing.sum())
    if column.kind == "number":
        distinct = len(np.unique(present))
        quantiles = tuple(float(q) for q in np.quantile(present, [0, 0.25, 0.5, 0.75, 1])) if len(present) else ()
        bars = _histogram(present, distinct) if len(present) else ()
        return ColumnProfile(column.name, column.kind, n, missing, distinct, quantiles, bars)
    counts = np.bincount(present.astype(np.int64), minlength=len(column.levels))
    order = np.argsort(-counts, kind="stable")[:_TOP]
    bars = tuple(Bar(column.levels[i], int(counts[i])) for i in order if counts[i])
    return ColumnProfile(column.name, column.kind, n, missing, int((counts > 0).sum()), (), bars)


def _histogram(present: NDArray[np.float64] | NDArray[np.int32], distinct: int) -> tuple[Bar, ...]:
    if distinct == 1 or np.ptp(present) < _BINS * np.spacing(np.abs(present).max()):
        # Too close together for bins of their own.
        return (Bar(f"{present[0]:.4g}", len(present)),)
    counts, edges = np.histogram(present, bins=min(_BINS, distinct))
    return tuple(Bar(f"{edges[i]:.4g} to {edges[i + 1]:.4g}", int(count)) for i, count in enumerate(counts))
