"""Intervals for the noncentrality behind a test statistic, from which strengths of association get theirs.

A statistic that has a central distribution when nothing is there has a noncentral one when something is; the limits
are the noncentralities under which the observed statistic would lie at either end (Steiger 2004, Psychol. Methods
9:164; Smithson 2003, Confidence Intervals).
"""

from collections.abc import Callable
from math import inf, sqrt

import scipy

from brookfall.core.measure.interval import z_of

_LARGE = 2e4
"""From here on the noncentral distributions are as good as normal, and slow to sum."""


def chi2_limits(statistic: float, freedom: float, level: float) -> tuple[float, float]:
    """The noncentralities of a chi-square; both at least 0.

    Parameters
    ----------
    statistic : float
        The statistic, at least 0.
    freedom : float
        Its degrees of freedom, above 0.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper noncentrality.

    Examples
    --------
    >>> [round(end, 3) for end in chi2_limits(8.0, 2, 0.95)]
    [0.175, 21.623]
    """
    if statistic > _LARGE:
        return _normal_limits(statistic, freedom, level)
    return _limits(lambda noncentral: float(scipy.special.chndtr(statistic, freedom, noncentral)), level, statistic)


def f_limits(statistic: float, between: int, within: int, level: float) -> tuple[float, float]:
    """The noncentralities of an F with so many degrees of freedom between and within; both at least 0.

    Parameters
    ----------
    statistic : float
        The statistic, at least 0.
    between, within : int
        Degrees of freedom between and within groups, above 0.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper noncentrality.

    Examples
    --------
    >>> [round(end, 3) for end in f_limits(4.0, 2, 57, 0.95)]
    [0.032, 22.176]
    """
    if statistic * between > _LARGE or within > _LARGE:
        return chi2_limits(statistic * between, between, level)
    return _limits(
        lambda noncentral: float(scipy.special.ncfdtr(between, within, noncentral, statistic)),
        level,
        statistic * between,
    )


def _limits(below: Callable[[float], float], level: float, start: float) -> tuple[float, float]:
    tail = (1 - level) / 2
    return _where(below, 1 - tail, start), _where(below, tail, start)


def _where(below: Callable[[float], float], share: float, start: float) -> float:
    """The noncentrality under which so large a share lies below the statistic; it falls as that grows."""
    if below(0.0) <= share:
        return 0.0
    high = max(start, 1.0)
    while below(high) > share:
        high *= 2
        if high > 1e9:
            return inf
    return float(scipy.optimize.brentq(lambda noncentral: below(noncentral) - share, 0.0, high, xtol=1e-9))


def _normal_limits(statistic: float, freedom: float, level: float) -> tuple[float, float]:
    """Where statistic = freedom + λ ± z·√(2·(freedom + 2λ)), solved for λ."""
    z = z_of(level)
    excess = statistic - freedom
    half = sqrt(4 * z**4 + 4 * z * z * excess + 2 * z * z * freedom)
    return max(0.0, excess + 2 * z * z - half), excess + 2 * z * z + half
