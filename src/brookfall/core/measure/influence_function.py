"""Intervals from influence values: one way for every smooth measure, weighted, in clusters, or neither.

The influence of a row is what the estimate would change by if the row's weight grew, so influences add up to 0 and
the sum of their squares, over rows or over clusters, estimates the variance (the infinitesimal jackknife; Efron &
Tibshirani 1993, ch. 21; Huber & Ronchetti 2009). Hall's transformation (1992, J. R. Stat. Soc. B 54:221) takes
their skewness out of the t interval, which is what a bootstrap would otherwise be needed for.
"""

from dataclasses import dataclass
from math import sqrt

import numpy as np
import scipy

from brookfall.core.measure.figure import NO_SPREAD, Figure, Interval
from brookfall.core.measure.scored import Numbers, Sampled

_HARDLY_SKEWED = 1e-6


@dataclass(frozen=True)
class Linear:
    """An estimate and the influence of each row on it; ``influence`` has shape (n,) and adds up to 0."""

    value: float
    influence: Numbers

    def minus(self, other: "Linear") -> "Linear":
        """The difference on the same rows in the same order."""
        return Linear(self.value - other.value, self.influence - other.influence)


def mean_of(values: Numbers, weights: Numbers) -> Linear:
    """The weighted mean of n values; both of shape (n,), the weights add up to more than 0.

    Parameters
    ----------
    values : Numbers
        A value a row, shape (n,).
    weights : Numbers
        A weight a row, shape (n,); they add up to more than 0.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Examples
    --------
    >>> mean_of(np.array([1.0, 3.0]), np.array([1.0, 3.0])).value
    2.5
    """
    share = weights / weights.sum()
    mean = float(share @ values)
    return Linear(mean, share * (values - mean))


def ratio_of(top: Linear, bottom: Linear) -> Linear:
    """The quotient of two estimates on the same rows; ``bottom`` is not 0.

    Parameters
    ----------
    top, bottom : Linear
        Two estimates on the same n rows; the second is not 0.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Examples
    --------
    >>> weights = np.ones(2)
    >>> ratio_of(mean_of(np.array([1.0, 3.0]), weights), mean_of(np.array([4.0, 4.0]), weights)).value
    0.5
    """
    value = top.value / bottom.value
    return Linear(value, (top.influence - value * bottom.influence) / bottom.value)


def units(influence: Numbers, rows: Sampled) -> Numbers:
    """The influences of the sampled units: of rows, or added up over each cluster.

    Parameters
    ----------
    influence : Numbers
        The influence of each row, shape (n,).
    rows : Sampled
        The rows, which say what was sampled.

    Returns
    -------
    Numbers
        One a sampled unit, shape (units,).

    Examples
    --------
    >>> from brookfall.core.measure.scored import ScoredNumbers
    >>> rows = ScoredNumbers(key="", outcomes=np.zeros(3), predictions=np.zeros(3), clusters=np.array([7, 7, 9]))
    >>> units(np.array([1.0, 2.0, -3.0]), rows).tolist()
    [3.0, -3.0]
    """
    if rows.clusters is None:
        return influence
    _, inverse = np.unique(rows.clusters, return_inverse=True)
    return np.bincount(inverse, weights=influence).astype(np.float64)


def variance(influence: Numbers, rows: Sampled) -> float:
    """The variance of the estimate; 0 for a single unit, which has none.

    Parameters
    ----------
    influence : Numbers
        The influence of each row, shape (n,).
    rows : Sampled
        The rows, which say what was sampled.

    Returns
    -------
    float
        At least 0.

    Examples
    --------
    >>> from brookfall.core.measure.scored import ScoredNumbers
    >>> rows = ScoredNumbers(key="", outcomes=np.zeros(4), predictions=np.zeros(4))
    >>> values = np.array([1.0, 2.0, 3.0, 6.0])
    >>> bool(variance(mean_of(values, rows.counted).influence, rows) == values.var(ddof=1) / 4)
    True
    """
    of_units = units(influence, rows)
    count = len(of_units)
    return float(of_units @ of_units) * count / (count - 1) if count > 1 else 0.0


def figure_of(linear: Linear, rows: Sampled, low: float = -np.inf, high: float = np.inf) -> Figure:
    """The estimate with Hall's interval, kept inside the range of the measure.

    Parameters
    ----------
    linear : Linear
        An estimate with the influence of each row, shape (n,).
    rows : Sampled
        The rows, which say what was sampled.
    low, high : float
        The range of the measure.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Hall, P. 1992, J. R. Stat. Soc. B 54:221.

    Examples
    --------
    >>> from brookfall.core.measure.scored import ScoredNumbers
    >>> rows = ScoredNumbers(key="", outcomes=np.zeros(4), predictions=np.zeros(4))
    >>> figure = figure_of(mean_of(np.array([1.0, 2.0, 3.0, 6.0]), rows.counted), rows)
    >>> figure.value, [round(end, 2) for end in figure.interval(0.95)]
    (3.0, [0.4, 16.99])
    """
    of_units = units(linear.influence, rows)
    count = len(of_units)
    squares = float(of_units @ of_units)
    # Rounding leaves a trace of spread where there is none.
    if count < 2 or squares <= 1e-28 * max(1.0, linear.value**2):
        return Figure(linear.value, len(rows), note="one row has no spread" if count < 2 else NO_SPREAD)
    error = sqrt(squares * count / (count - 1))
    skew = float((of_units**3).sum()) / squares**1.5
    ends = Interval(hall_ends, linear.value, error, skew, freedom(rows), low, high)
    return Figure(linear.value, len(rows), _METHOD[rows.clusters is not None], ends)


def hall_ends(
    value: float, error: float, skew: float, degrees: float, low: float, high: float, level: float
) -> tuple[float, float]:
    """Hall's ends of a t interval for a skewed estimate, kept inside the range of the measure (Hall 1992).

    Parameters
    ----------
    value : float
        The estimate.
    error : float
        Its standard error, at least 0.
    skew : float
        The skewness of the estimate.
    degrees : float
        Degrees of freedom of the standard error, above 0.
    low, high : float
        The range of the measure.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end.

    References
    ----------
    Hall, P. 1992, J. R. Stat. Soc. B 54:221.

    Examples
    --------
    >>> [round(end, 2) for end in hall_ends(3.0, 1.08, 0.0, 3.0, -np.inf, np.inf, 0.95)]
    [-0.44, 6.44]
    """
    quantile = float(scipy.special.stdtrit(degrees, (1 + level) / 2))
    ends = value - error * unskewed(quantile, skew), value - error * unskewed(-quantile, skew)
    return max(low, ends[0]), min(high, ends[1])


_METHOD = {False: "hall_linear", True: "hall_linear_clusters"}


def unskewed(quantile: float, skew: float) -> float:
    """The studentised value whose unskewed transform is ``quantile``; ``skew`` is the skewness of the estimate.

    Parameters
    ----------
    quantile : float
        A quantile of the transformed value.
    skew : float
        The skewness of the estimate.

    Returns
    -------
    float
        The studentised value.

    Examples
    --------
    >>> unskewed(1.96, 0.0), round(unskewed(1.96, 0.2), 4)
    (1.96, 1.7215)
    """
    if abs(skew) < _HARDLY_SKEWED:
        return quantile
    return float(3 / skew * (np.cbrt(1 + skew * (quantile - skew / 6)) - 1))


def freedom(rows: Sampled) -> float:
    """Degrees of freedom of a variance over these rows: one less than the (effective) number of sampled units.

    Parameters
    ----------
    rows : Sampled
        The rows, which say what was sampled.

    Returns
    -------
    float
        Degrees of freedom, above 0 where there are two units.

    Examples
    --------
    >>> from brookfall.core.measure.scored import ScoredNumbers
    >>> freedom(ScoredNumbers(key="", outcomes=np.zeros(10), predictions=np.zeros(10)))
    9.0
    """
    return max((float(len(rows)) if rows.plain else effective_n(rows)) - 1, 1.0)


def effective_n(rows: Sampled) -> float:
    """How many equally weighted, unrelated rows say as much: Kish's n of the weights of rows or of clusters.

    Kish 1965. Of clusters it is the careful answer: as if rows of a cluster said all the same.

    Parameters
    ----------
    rows : Sampled
        The rows, with weights and groups where they have them.

    Returns
    -------
    float
        Between 1 and n.

    References
    ----------
    Kish, L. 1965, Survey Sampling, Wiley.

    Examples
    --------
    >>> from brookfall.core.measure.scored import ScoredNumbers
    >>> weights = np.array([1.0, 1.0, 2.0])
    >>> rows = ScoredNumbers(key="", outcomes=np.zeros(3), predictions=np.zeros(3), weights=weights)
    >>> round(effective_n(rows), 4)
    2.6667
    """
    of_units = units(rows.counted, rows)
    return float(of_units.sum() ** 2 / (of_units @ of_units))
