"""Figures of what was drawn again and again: shuffles, resamples, splits."""

from math import sqrt

import numpy as np
import scipy

from brookfall.core.measure.figure import Figure, Interval, absent, quantile_ends
from brookfall.core.measure.scored import Numbers


def mean_of_draws(values: Numbers, n: int, low: float = -np.inf, high: float = np.inf) -> Figure:
    """The mean over draws (draws,) from n rows, with the t interval that more draws would make narrower.

    Parameters
    ----------
    values : Numbers
        Values of the draws, shape (draws,).
    n : int
        Rows that they were drawn from.
    low, high : float
        The range of the measure.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> mean_of_draws(np.array([0.1, 0.2, 0.3]), 50).value
    0.2
    """
    known = values[np.isfinite(values)]
    if len(known) < 2:
        return absent(n, "too few of the draws have a value")
    mean, error = round(float(known.mean()), 15), sqrt(float(known.var(ddof=1)) / len(known))
    if error == 0:
        return Figure(mean, n, note="every draw gives the same, so there is no spread to take an interval from")
    return Figure(mean, n, "t_over_draws", Interval(_bounded_t_ends, mean, error, len(known) - 1, low, high))


def _bounded_t_ends(
    mean: float, error: float, degrees: float, low: float, high: float, level: float
) -> tuple[float, float]:
    half = float(scipy.special.stdtrit(degrees, (1 + level) / 2)) * error
    return max(low, mean - half), min(high, mean + half)


def range_of_draws(values: Numbers, n: int) -> Figure:
    """The mean over draws and the range that 95 % (or any level) of them lie in.

    Parameters
    ----------
    values : Numbers
        Values of the draws, shape (draws,).
    n : int
        Rows that they were drawn from.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> range_of_draws(np.arange(101.0), 50).interval(0.9)
    (5.0, 95.0)
    """
    known = values[np.isfinite(values)]
    if not len(known):
        return absent(n, "none of the draws has a value")
    return Figure(float(known.mean()), n, "range_of_draws", Interval(_rounded_quantiles, known))


def _rounded_quantiles(draws: Numbers, level: float) -> tuple[float, float]:
    low, high = quantile_ends(draws, level)
    return round(low, 12), round(high, 12)
