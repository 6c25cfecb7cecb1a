"""What a comparison of two shares can show: the smallest difference that these rows would tell, the rows one takes.
import scipy


By the arcsine of the root, which makes the variance of a share the same everywhere (Cohen 1988, ch. 6).
"""

from math import asin, ceil, sin, sqrt

import scipy

POWER = 0.8
"""Samples in which a difference that is there should show: four of five (common practice)."""


def effect(one: float, other: float) -> float:
    """Cohen's h of two shares in [0, 1]: the difference of their arcsines, positive where ``one`` is larger.

    Parameters
    ----------
    one, other : float
        Two shares in [0, 1].

    Returns
    -------
    float
        The difference of their arcsines, in [-π, π].

    References
    ----------
    Cohen, J. 1988, Statistical Power Analysis for the Behavioral Sciences, 2nd ed., ch. 6.

    Examples
    --------
    >>> round(effect(0.5, 0.45), 4)
    0.1002
    """
    return 2 * asin(sqrt(one)) - 2 * asin(sqrt(other))


def smallest_shown(rate: float, n: float, n_other: float, level: float = 0.95) -> float | None:
    """The smallest difference from ``rate`` that shows in four of five samples of n and n_other rows.

    Downward; upward where no lower share is low enough. None where no share at all is far enough away.

    Parameters
    ----------
    rate : float
        The share of the one group, in [0, 1].
    n, n_other : float
        Rows of the two groups.
    level : float
        Level of the test, in (0, 1).

    Returns
    -------
    float | None
        The difference, at least 0; None where there is none.

    Examples
    --------
    >>> round(smallest_shown(0.5, 400, 400), 4)
    0.0984
    """
    needed = (float(scipy.special.ndtri((1 + level) / 2)) + float(scipy.special.ndtri(POWER))) * sqrt(
        1 / n + 1 / n_other
    )
    middle = 2 * asin(sqrt(rate))
    if middle - needed >= 0:
        return rate - sin((middle - needed) / 2) ** 2
    if middle + needed <= 2 * asin(1.0):
        return sin((middle + needed) / 2) ** 2 - rate
    return None


def rows_to_show(rate: float, difference: float, level: float = 0.95) -> int | None:
    """Rows of each of two equal groups with which a difference from ``rate`` shows in four of five samples.

    Downward, where the lower share is none upward; None where neither is a share.

    Parameters
    ----------
    rate : float
        The share of the one group, in [0, 1].
    difference : float
        How far away the other is, above 0.
    level : float
        Level of the test, in (0, 1).

    Returns
    -------
    int | None
        Rows of each group; None where no such share exists.

    Examples
    --------
    >>> rows_to_show(0.5, 0.05)
    1565
    """
    other = rate - difference if rate - difference > 0 else rate + difference
    if not 0 < other < 1:
        return None
    needed = float(scipy.special.ndtri((1 + level) / 2)) + float(scipy.special.ndtri(POWER))
    return ceil(2 * (needed / effect(rate, other)) ** 2)
