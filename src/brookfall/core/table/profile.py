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
            f"{_plain(self.quantiles[0])} to {_plain(self.quantiles[-1])}"
            if self.quantiles
            else f"{self.distinct} level{'' if self.distinct == 1 else 's'}"
        )
        share = 100 * self.missing / self.n if self.n else 0
        gaps = "none missing" if not self.missing else f"{share:.1f} % missing" if share >= 0.1 else "< 0.1 % missing"
        return f"{named}, {span}, {gaps}"


def profile_column(column: Column) -> ColumnProfile:
    """Counts, quantiles (type 7) and a histogram of at most 20 bins or the 12 most frequent levels.

    >>> from brookfall.core.table.infer import column_from_text
    >>> profile_column(column_from_text("size", ["1", "2.5", ""])).words
    'number, 1 to 2.5, 33.3 % missing'
    """
    present = column.values[~column.missing]
    n, missing = len(column.values), int(column.missing.sum())
    if column.kind == "number":
        ordered = np.sort(present).astype(np.float64, copy=False)
        distinct = int((ordered[1:] != ordered[:-1]).sum()) + min(len(ordered), 1)
        quantiles = tuple(_quantile(ordered, share) for share in (0, 0.25, 0.5, 0.75, 1)) if len(ordered) else ()
        bars = _histogram(ordered, distinct) if len(ordered) else ()
        return ColumnProfile(column.name, column.kind, n, missing, distinct, quantiles, bars)
    counts = np.bincount(present.astype(np.int64), minlength=len(column.levels))
    order = np.argsort(-counts, kind="stable")[:_TOP]
    bars = tuple(Bar(column.levels[i], int(counts[i])) for i in order if counts[i])
    return ColumnProfile(column.name, column.kind, n, missing, int((counts > 0).sum()), (), bars)


_LEVELS_SHOWN = 30


@dataclass(frozen=True)
class Bins:
    """Bins by which groups of rows can be compared: ``edges`` of a number's, or positions of the levels shown."""

    labels: tuple[str, ...]
    edges: tuple[float, ...] = ()
    levels: tuple[int, ...] = ()


def bins_of(column: Column) -> Bins:
    """At most 20 bins of equal width over a number, or the 30 most frequent levels in their own order.

    >>> from brookfall.core.table.infer import column_from_text
    >>> bins_of(column_from_text("c", ["b", "a", "b"])).labels
    ('a', 'b')
    """
    present = column.values[~column.missing]
    if column.kind != "number":
        counts = np.bincount(present.astype(np.int64), minlength=len(column.levels))
        shown = np.sort(np.argsort(-counts, kind="stable")[:_LEVELS_SHOWN])
        return Bins(tuple(column.levels[place] for place in shown), levels=tuple(shown.tolist()))
    if not len(present):
        return Bins(())
    edges = np.linspace(present.min(), present.max(), min(_BINS, len(np.unique(present))) + 1)
    labels = tuple(f"{_plain(edges[i])} to {_plain(edges[i + 1])}" for i in range(len(edges) - 1))
    return Bins(labels, edges=tuple(edges.tolist()))


def count_in(column: Column, bins: Bins) -> list[int]:
    """How many rows of a column, the same or a group's, lie in each bin; gaps lie in none.

    >>> from brookfall.core.table.infer import column_from_text
    >>> column = column_from_text("x", ["1", "2", "4", ""])
    >>> count_in(column, bins_of(column))
    [1, 1, 1]
    """
    present = column.values[~column.missing]
    if column.kind != "number":
        counts = np.bincount(present.astype(np.int64), minlength=len(column.levels))
        return [int(counts[place]) for place in bins.levels]
    if not bins.edges:
        return []
    found, _ = np.histogram(present, bins=np.array(bins.edges))
    return [int(count) for count in found]


def _plain(value: float) -> str:
    """Four figures at least, written out up to a thousand million."""
    if 1e4 <= abs(value) < 1e9:
        return f"{value:.0f}"
    return f"{value:.4g}"


def _quantile(ordered: NDArray[np.float64], share: float) -> float:
    """Hyndman & Fan's type 7."""
    place = share * (len(ordered) - 1)
    below = int(place)
    above = min(below + 1, len(ordered) - 1)
    return float(ordered[below] + (place - below) * (ordered[above] - ordered[below]))


def _histogram(ordered: NDArray[np.float64], distinct: int) -> tuple[Bar, ...]:
    span = ordered[-1] - ordered[0]
    if distinct == 1 or span < _BINS * np.spacing(np.abs(ordered).max()):
        # Too close together for bins of their own.
        return (Bar(_plain(ordered[0]), len(ordered)),)
    bins = min(_BINS, distinct)
    edges = np.linspace(ordered[0], ordered[-1], bins + 1)
    inner = np.searchsorted(ordered, edges[1:-1], side="left")
    counts = np.diff(np.concatenate([[0], inner, [len(ordered)]]))
    return tuple(Bar(f"{_plain(edges[i])} to {_plain(edges[i + 1])}", int(count)) for i, count in enumerate(counts))
