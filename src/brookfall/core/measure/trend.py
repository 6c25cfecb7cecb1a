"""Whether a figure moves over periods: a line through the figures, each counted by how sure it is."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import exp, inf, log, sqrt

import numpy as np
import scipy

from brookfall.core.measure.figure import Figure, Interval, absent
from brookfall.core.measure.interval import z_of
from brookfall.core.measure.scored import Numbers

_LEVEL = 0.95
"""Of the intervals that the error of a figure is read from."""
FEWEST_PERIODS = 3
TOO_FEW_PERIODS = f"a trend takes {FEWEST_PERIODS} periods with rows enough"
METHOD = "weighted_line_over_periods"


@dataclass(frozen=True)
class Trend:
    """A line through figures over time.

    Attributes
    ----------
    change : Figure
        What the figure gains along the line between the first time and the last; of a ratio, by how much it is
        multiplied.
    start, end : float or None
        The line at the first time and at the last.
    first, last : float
        The times between which the line goes.
    dispersion : float
        How many times the figures scatter about the line as their own errors say, in variance; at least 1.
    """

    change: Figure
    start: float | None = None
    end: float | None = None
    first: float = 0.0
    last: float = 0.0
    dispersion: float = 1.0


def trend(times: Sequence[float], figures: Sequence[Figure], *, ratio: bool = False) -> Trend:
    """The line through figures over time by least squares, weighted by their variances.

    The variance of the slope is as the figures' own errors say, or as they scatter about the line where that is more;
    its interval is Student's with two degrees of freedom less than figures. Figures without an interval, or of too few
    rows, are left out. Ratios are taken as logarithms.

    Parameters
    ----------
    times : Sequence[float]
        When each figure was, of the length of ``figures``.
    figures : Sequence[Figure]
        The figures, of independent rows.
    ratio : bool
        Whether they are ratios, all above 0.

    Returns
    -------
    Trend
        Absent where fewer than three figures are left, or all are of one time.

    References
    ----------
    Thompson, S. G. & Sharp, S. J. 1999, Statistics in Medicine 18:2693 (multiplicative dispersion, from memory).

    Examples
    --------
    >>> from brookfall.core.measure.figure import normal_ends
    >>> figures = [Figure(value, 100, "made up", Interval(normal_ends, value, 0.01)) for value in (0.1, 0.2, 0.3, 0.4)]
    >>> round(trend([2021, 2022, 2023, 2024], figures).change.value, 6)
    0.3
    """
    n = sum(figure.n for figure in figures)
    kept = [
        (time, figure.value, error)
        for time, figure in zip(times, figures, strict=True)
        if not figure.few and figure.value is not None and (error := _error(figure, ratio=ratio))
    ]
    if len(kept) < FEWEST_PERIODS:
        return Trend(absent(n, TOO_FEW_PERIODS))
    when, values, errors = (np.array(column, dtype=np.float64) for column in zip(*kept, strict=True))
    if when.min() == when.max():
        return Trend(absent(n, "all rows are of one time"))
    if ratio:
        values = np.log(values)
    place = (when - when.min()) / (when.max() - when.min())
    level, slope, error, dispersion = _line(place, values, 1 / errors**2)
    degrees = float(len(kept) - 2)
    back = exp if ratio else float
    rule = _ratio_ends if ratio else _ends
    figure = Figure(back(slope), n, METHOD, Interval(rule, slope, error, degrees))
    return Trend(figure, back(level), back(level + slope), float(when.min()), float(when.max()), dispersion)


def _error(figure: Figure, *, ratio: bool) -> float | None:
    """The standard error, read from the interval; None where there is none."""
    ends = figure.interval(_LEVEL)
    if ends is None or (ratio and ends[0] <= 0):
        return None
    low, high = (log(end) if ratio else end for end in ends)
    error = (high - low) / 2 / z_of(_LEVEL)
    return error if 0 < error < inf else None


def _line(place: Numbers, values: Numbers, weights: Numbers) -> tuple[float, float, float, float]:
    """Level at place 0, slope, its standard error, and the dispersion about the line."""
    centre = float(np.average(place, weights=weights))
    spread = float((weights * (place - centre) ** 2).sum())
    slope = float((weights * (place - centre) * values).sum()) / spread
    level = float(np.average(values, weights=weights)) - slope * centre
    left = float((weights * (values - level - slope * place) ** 2).sum())
    dispersion = max(1.0, left / (len(values) - 2))
    return level, slope, sqrt(dispersion / spread), dispersion


def _ends(slope: float, error: float, degrees: float, level: float) -> tuple[float, float]:
    half = float(scipy.special.stdtrit(degrees, (1 + level) / 2)) * error
    return slope - half, slope + half


def _ratio_ends(slope: float, error: float, degrees: float, level: float) -> tuple[float, float]:
    low, high = _ends(slope, error, degrees, level)
    return exp(max(low, -700.0)), exp(min(high, 700.0))
