"""A measured value that knows its own interval at any level."""

from collections.abc import Callable
from dataclasses import dataclass, replace

from scipy.special import ndtr

Bounds = Callable[[float], tuple[float, float]]
"""From a confidence level in (0, 1) to the low and high end of the two-sided interval."""

FEW_ROWS = 30
FEW_EVENTS = 5
FEW_CLUSTERS = 10
_FARTHEST = 7.5
"""The z beyond which p is not told apart from 0: a level nearer to 1 is hardly a number."""
_HALVINGS = 32
TOO_FEW = "too few to judge"
ONE_CLASS = "only one class among these rows"
NO_ROW = "no such row"
NOT_PROBABILITIES = "the scores leave 0 to 1, so they are not probabilities"
NO_SPREAD = "these rows all say the same, so there is no spread to take an interval from"


@dataclass(frozen=True)
class Figure:
    """A value, the n it rests on, and its interval.

    ``value`` is None when it can't be computed and ``bounds`` when it has no interval; ``note`` then says why.
    ``few`` marks a figure that is shown and never judged.

    >>> Figure(0.5, 10, "made up", lambda level: (0.5 - level / 2, 0.5 + level / 2)).interval(0.5)
    (0.25, 0.75)
    """

    value: float | None
    n: int
    method: str | None = None
    bounds: Bounds | None = None
    note: str | None = None
    few: bool = False

    def interval(self, level: float) -> tuple[float, float] | None:
        return None if self.value is None or self.bounds is None else self.bounds(level)

    def p_of(self, ideal: float) -> float | None:
        """The two-sided p value of ``ideal``: 1 minus the level at which the interval just reaches it.

        So p is under 0.05 exactly where the 95 % interval leaves ``ideal`` out. None without an interval.

        >>> figure = Figure(1.0, 10, "made up", lambda level: (1 - level * 2, 1 + level * 2))
        >>> round(figure.p_of(0.0), 4)
        0.5
        """
        value, bounds = self.value, self.bounds
        if value is None or bounds is None:
            return None

        def reaches(z: float) -> bool:
            low, high = bounds(float(2 * ndtr(z) - 1))
            return low <= ideal <= high

        if value == ideal:
            return 1.0
        low, high = 0.0, _FARTHEST
        if not reaches(high):
            return float(2 * ndtr(-high))
        for _ in range(_HALVINGS):
            middle = (low + high) / 2
            low, high = (low, middle) if reaches(middle) else (middle, high)
        return float(2 * ndtr(-high))

    def marked(self, *, few: bool) -> "Figure":
        """The same figure, marked too few to judge when it is."""
        return replace(self, few=True, note=self.note or TOO_FEW) if few else self

    def noted(self, remark: str | None) -> "Figure":
        """The same figure with one more remark."""
        if remark is None:
            return self
        return replace(self, note=f"{self.note}; {remark}" if self.note else remark)

    def mapped(self, rising: Callable[[float], float]) -> "Figure":
        """The figure of a rising function of the value; the interval's ends go with it."""
        value, bounds = self.value, self.bounds
        if value is None:
            return self

        def ends(level: float) -> tuple[float, float]:
            low, high = bounds(level) if bounds else (0.0, 0.0)
            return rising(low), rising(high)

        return replace(self, value=rising(value), bounds=ends if bounds else None)


def absent(n: int, why: str) -> Figure:
    """A figure that can't be computed, with the reason.

    >>> absent(0, "no such row").value is None
    True
    """
    return Figure(None, n, note=why)


def too_few(n: int, events: int, clusters: int | None = None) -> bool:
    """Under 30 rows, or under 5 events or 5 non-events, or under 10 groups of rows (common practice).

    >>> too_few(29, 12), too_few(400, 4), too_few(400, 5)
    (True, True, False)
    """
    return few_units(n, clusters) or min(events, n - events) < FEW_EVENTS


def few_units(n: int, clusters: int | None = None) -> bool:
    """Under 30 rows, or under 10 groups of rows where rows come in groups (common practice).

    >>> few_units(29), few_units(400, 9), few_units(400)
    (True, True, False)
    """
    return n < FEW_ROWS or (clusters is not None and clusters < FEW_CLUSTERS)
