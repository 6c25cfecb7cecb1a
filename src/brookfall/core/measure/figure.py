"""A measured value that knows its own interval at any level."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from math import erf, sqrt

import numpy as np
import scipy
from numpy.typing import NDArray

Bounds = Callable[[float], tuple[float, float]]
"""From a confidence level in (0, 1) to the low and high end of the two-sided interval."""


class Interval:
    """An interval as plain data: a rule at the top of a module, and the values it is given before the level.

    Two are equal when rule and values are; it can be printed and pickled, which a closure can't.

    Examples
    --------
    >>> Interval(normal_ends, 0.5, 0.1)
    Interval(normal_ends, 0.5, 0.1)
    >>> [round(end, 3) for end in Interval(normal_ends, 0.5, 0.1)(0.95)]
    [0.304, 0.696]
    """

    __slots__ = ("given", "rule")

    def __init__(self, rule: Callable[..., tuple[float, float]], *given: object) -> None:
        self.rule, self.given = rule, given

    def __call__(self, level: float) -> tuple[float, float]:
        return self.rule(*self.given, level)

    def __eq__(self, other: object) -> bool:
        return (
            isinstance(other, Interval)
            and self.rule is other.rule
            and len(self.given) == len(other.given)
            and all(map(_same, self.given, other.given))
        )

    def __hash__(self) -> int:
        return hash((self.rule, len(self.given)))

    def __repr__(self) -> str:
        return f"Interval({', '.join([self.rule.__name__, *map(_shown, self.given)])})"


def _same(one: object, other: object) -> bool:
    if isinstance(one, np.ndarray) and isinstance(other, np.ndarray):
        return np.array_equal(one, other, equal_nan=True)
    return bool(one == other)


def _shown(value: object) -> str:
    if isinstance(value, np.ndarray):
        return f"<{len(value)} values>"
    return value.__name__ if callable(value) and hasattr(value, "__name__") else repr(value)


def normal_ends(value: float, error: float, level: float) -> tuple[float, float]:
    """The value, less and plus the normal quantile times its standard error.

    Parameters
    ----------
    value : float
        The estimate.
    error : float
        Its standard error.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end.

    Examples
    --------
    >>> [round(end, 2) for end in normal_ends(2.0, 1.0, 0.95)]
    [0.04, 3.96]
    """
    half = float(scipy.special.ndtri((1 + level) / 2)) * error
    return value - half, value + half


def quantile_ends(draws: NDArray[np.float64], level: float) -> tuple[float, float]:
    """The two quantiles of draws (draws,) between which that share of them lies (Efron & Tibshirani 1993).

    Parameters
    ----------
    draws : NDArray[np.float64]
        Values of the draws, shape (draws,).
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end.

    References
    ----------
    Efron, B. & Tibshirani, R. J. 1993, An Introduction to the Bootstrap, Chapman & Hall, ch. 13.

    Examples
    --------
    >>> [round(end, 6) for end in quantile_ends(np.arange(101.0), 0.9)]
    [5.0, 95.0]
    """
    low, high = np.quantile(draws, [(1 - level) / 2, (1 + level) / 2])
    return float(low), float(high)


def turned_ends(bounds: Bounds, level: float) -> tuple[float, float]:
    """The ends of the same figure with its sign turned.

    Parameters
    ----------
    bounds : Bounds
        The ends of a figure at any level.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end of the figure less than 0 by as much.

    Examples
    --------
    >>> from functools import partial
    >>> turned_ends(partial(normal_ends, 1.0, 0.0), 0.95)
    (-1.0, -1.0)
    """
    low, high = bounds(level)
    return -high, -low


def _mapped_ends(rising: Callable[[float], float], bounds: Bounds, level: float) -> tuple[float, float]:
    low, high = bounds(level)
    return rising(low), rising(high)


def widened_ends(
    bounds: Bounds, value: float, error: float, range_: tuple[float, float], level: float
) -> tuple[float, float]:
    """Ends with the variance of one more, independent source of error added to each arm (Zou & Donner 2008).

    Parameters
    ----------
    bounds : Bounds
        The ends by the first source alone, at any level.
    value : float
        The estimate.
    error : float
        Standard error of the other source.
    range_ : tuple[float, float]
        What the value can be at all; no end leaves it.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end.

    References
    ----------
    Zou, G. Y. & Donner, A. 2008, Statistics in Medicine 27:1693 (square-and-add).

    Examples
    --------
    >>> from functools import partial
    >>> ends = widened_ends(partial(normal_ends, 0.0, 3.0), 0.0, 4.0, (-np.inf, np.inf), 0.95)
    >>> [round(end / 1.959964, 4) for end in ends]
    [-5.0, 5.0]
    """
    (low, high), (_, more) = bounds(level), normal_ends(0.0, error, level)
    wide = value - float(np.hypot(value - low, more)), value + float(np.hypot(high - value, more))
    return max(wide[0], range_[0]), min(wide[1], range_[1])


def widened_ratio_ends(
    bounds: Bounds, value: float, error: float, range_: tuple[float, float], level: float
) -> tuple[float, float]:
    """``widened_ends`` of a ratio, ``error`` being that of its logarithm; an end at 0 or without end stays there.

    Parameters
    ----------
    bounds : Bounds
        The ends of the ratio by the first source alone, at any level.
    value : float
        The ratio, over 0.
    error : float
        Standard error of its logarithm by the other source.
    range_ : tuple[float, float]
        What the ratio can be at all; no end leaves it.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end, the lower not under 0.

    Examples
    --------
    >>> from functools import partial
    >>> widened_ratio_ends(partial(normal_ends, 1.0, 0.0), 1.0, 0.0, (0.0, np.inf), 0.95)
    (1.0, 1.0)
    """
    (low, high), (_, more) = bounds(level), normal_ends(0.0, error, level)
    lower = value * float(np.exp(-np.hypot(np.log(value / low), more))) if low > 0 else low
    upper = value * float(np.exp(np.hypot(np.log(high / value), more))) if np.isfinite(high) else high
    return max(lower, range_[0]), min(upper, range_[1])


FEW_ROWS = 30
FEW_EVENTS = 5
FEW_CLUSTERS = 10
_FARTHEST = 7.5
"""The z beyond which p is not told apart from 0: a level nearer to 1 is hardly a number."""
_HALVINGS = 32
_ROOT_OF_TWO = sqrt(2)
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
            low, high = bounds(erf(z / _ROOT_OF_TWO))
            return low <= ideal <= high

        if value == ideal:
            return 1.0
        low, high = 0.0, _FARTHEST
        if not reaches(high):
            return float(2 * scipy.special.ndtr(-high))
        for _ in range(_HALVINGS):
            middle = (low + high) / 2
            low, high = (low, middle) if reaches(middle) else (middle, high)
        return float(2 * scipy.special.ndtr(-high))

    def marked(self, *, few: bool) -> "Figure":
        """The same figure, marked too few to judge when it is."""
        return replace(self, few=True, note=self.note or TOO_FEW) if few else self

    def noted(self, remark: str | None) -> "Figure":
        """The same figure with one more remark."""
        if remark is None:
            return self
        return replace(self, note=f"{self.note}; {remark}" if self.note else remark)

    def over_repeats(self, again: Sequence[float | None], *, ratio: bool, range_: tuple[float, float]) -> "Figure":
        """The same value with the variance over repeats added to its interval; of a ratio on the logarithm.

        ``again`` are the values of the repeats beside this one; nothing is added where fewer than one of them has a
        value, or this one is a ratio of 0. ``range_`` is what the value can be.

        >>> figure = Figure(0.2, 10, "made up", Interval(normal_ends, 0.2, 0.03))
        >>> wide = figure.over_repeats([0.24, 0.16], ratio=False, range_=(-1.0, 1.0)).interval(0.95)
        >>> [round(end, 3) for end in wide]
        [0.102, 0.298]
        """
        known = [one for one in again if one is not None and (one > 0 or not ratio)]
        value, bounds = self.value, self.bounds
        if value is None or bounds is None or not known or (ratio and value <= 0):
            return self
        values = np.array([value, *known])
        error = float(np.std(np.log(values) if ratio else values, ddof=1))
        if error == 0:
            return self
        wide = Interval(widened_ratio_ends if ratio else widened_ends, bounds, value, error, range_)
        return replace(self, bounds=wide, method=f"{self.method}_and_repeats")

    def mapped(self, rising: Callable[[float], float]) -> "Figure":
        """The figure of a rising function of the value, one that has a name; the interval's ends go with it."""
        if self.value is None:
            return self
        bounds = None if self.bounds is None else Interval(_mapped_ends, rising, self.bounds)
        return replace(self, value=rising(self.value), bounds=bounds)


def absent(n: int, why: str) -> Figure:
    """A figure that can't be computed, with the reason.

    Parameters
    ----------
    n : int
        How many rows there were.
    why : str
        Why there is no value.

    Returns
    -------
    Figure
        A figure without value and interval, with that note.

    Examples
    --------
    >>> absent(0, "no such row").value is None
    True
    """
    return Figure(None, n, note=why)


def too_few(n: int, events: int, clusters: int | None = None) -> bool:
    """Under 30 rows, or under 5 events or 5 non-events, or under 10 groups of rows (common practice).

    Parameters
    ----------
    n : int
        Rows.
    events : int
        Rows of the rarer kind are looked for on both sides of this.
    clusters : int | None
        Groups of rows, where rows come in groups.

    Returns
    -------
    bool
        Whether there are too few to judge.

    Examples
    --------
    >>> too_few(29, 12), too_few(400, 4), too_few(400, 5)
    (True, True, False)
    """
    return few_units(n, clusters) or min(events, n - events) < FEW_EVENTS


def few_units(n: int, clusters: int | None = None) -> bool:
    """Under 30 rows, or under 10 groups of rows where rows come in groups (common practice).

    Parameters
    ----------
    n : int
        Rows.
    clusters : int | None
        Groups of rows, where rows come in groups.

    Returns
    -------
    bool
        Whether there are too few to judge.

    Examples
    --------
    >>> few_units(29), few_units(400, 9), few_units(400)
    (True, True, False)
    """
    return n < FEW_ROWS or (clusters is not None and clusters < FEW_CLUSTERS)
