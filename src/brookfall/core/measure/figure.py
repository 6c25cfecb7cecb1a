"""A measured value that knows its own interval at any level."""

from collections.abc import Callable
from dataclasses import dataclass, replace

Bounds = Callable[[float], tuple[float, float]]
"""From a confidence level in (0, 1) to the low and high end of the two-sided interval."""

FEW_ROWS = 30
FEW_EVENTS = 5
TOO_FEW = "too few to judge"


@dataclass(frozen=True)
class Figure:
    """A value, the n it rests on, and its interval.

    ``value`` is None when it can't be computed and ``bounds`` when it has no interval; ``note`` then says why.
    ``few`` marks a figure that is shown and never judged.
    """

    value: float | None
    n: int
    method: str | None = None
    bounds: Bounds | None = None
    note: str | None = None
    few: bool = False

    def interval(self, level: float) -> tuple[float, float] | None:
        return None if self.value is None or self.bounds is None else self.bounds(level)

    def marked(self, *, few: bool) -> "Figure":
        """The same figure, marked too few to judge when it is."""
        return replace(self, few=True, note=self.note or TOO_FEW) if few else self


def absent(n: int, why: str) -> Figure:
    """A figure that can't be computed, with the reason."""
    return Figure(None, n, note=why)


def too_few(n: int, events: int) -> bool:
    """Under 30 rows, or under 5 events or 5 non-events (common practice)."""
    return n < FEW_ROWS or min(events, n - events) < FEW_EVENTS
