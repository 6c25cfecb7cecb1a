"""How far the groups of a ground lie apart in all, with sampling noise taken off.

Each group against everyone else can't show a split down the middle: five groups at 0.35 and five at 0.50 give 0.81 at
worst. The spread of the rates over the groups can. Their chi-square is about its degrees of freedom where all are
alike; what it has above them is the spread of the true rates, and its noncentral distribution gives an interval for
that. It is said as two typical groups, one standard deviation below the common rate and one above: of a split in two
equal halves these are the halves.
"""

from dataclasses import dataclass
from math import sqrt

import numpy as np
import scipy

from brookfall.core.measure.figure import Figure, Interval, absent
from brookfall.core.measure.noncentral import chi2_limits
from brookfall.core.measure.scored import Numbers

_TOO_FEW_GROUPS = "under two groups are large enough"
METHOD = "noncentral_chi_square"


@dataclass(frozen=True)
class Spread:
    """What is known of the spread of true values over the groups.

    ``common`` is the value of all groups together, ``chi2`` the weighted sum of squares about it with ``freedom``
    degrees of freedom, and ``unit`` the variance that a noncentrality of 1 stands for.
    """

    n: int
    common: float
    chi2: float
    freedom: int
    unit: float

    @property
    def p(self) -> float:
        """The p value of equal groups: chi-square, one-sided."""
        return float(scipy.special.chdtrc(self.freedom, self.chi2))

    @property
    def sd(self) -> float:
        """The standard deviation of the true values over the rows' groups: 0 where chance alone spreads as much."""
        return sqrt(max(0.0, self.chi2 - self.freedom) * self.unit)

    def sd_limits(self, level: float) -> tuple[float, float]:
        """The interval of the standard deviation.

        Values that happen to lie closer than chance makes them say no more than ones as close as chance makes them: the
        upper end never rests on luck.
        """
        low, _ = chi2_limits(self.chi2, self.freedom, level)
        _, high = chi2_limits(max(self.chi2, float(self.freedom)), self.freedom, level)
        return sqrt(low * self.unit), sqrt(high * self.unit)

    def ratio(self) -> Figure:
        """A typical low group's value over a typical high one's; 1 where all are alike."""
        return Figure(_ratio(self.common, self.sd), self.n, METHOD, Interval(_ratio_ends, self))

    def difference(self) -> Figure:
        """A typical high group's value less a typical low one's; 0 where all are alike."""
        return Figure(2 * self.sd, self.n, METHOD, Interval(_difference_ends, self))


def _ratio(common: float, sd: float) -> float:
    return max(0.0, common - sd) / (common + sd)


def _ratio_ends(spread: Spread, level: float) -> tuple[float, float]:
    low, high = spread.sd_limits(level)
    return _ratio(spread.common, high), _ratio(spread.common, low)


def _difference_ends(spread: Spread, level: float) -> tuple[float, float]:
    low, high = spread.sd_limits(level)
    return 2 * low, 2 * high


def spread_of_shares(hits: Numbers, n: Numbers) -> Spread | None:
    """The spread of the true shares of groups that hold other rows each.

    Parameters
    ----------
    hits, n : Numbers
        Rows that count and all rows of every group, shape (groups,); effective ones where rows are weighted or belong
        together.

    Returns
    -------
    Spread or None
        None of under two groups that have a row, and where all count or none does.

    References
    ----------
    Pearson's chi-square; Steiger 2004, Psychol. Methods 9:164 (interval of the noncentrality).

    Examples
    --------
    >>> spread = spread_of_shares(np.array([350.0, 500.0]), np.array([1000.0, 1000.0]))
    >>> round(spread.chi2, 2), round(spread.ratio().value, 3), round(spread.difference().value, 3)
    (46.04, 0.703, 0.148)
    """
    kept = n > 0
    hits, n = hits[kept], n[kept]
    total = float(n.sum())
    common = float(hits.sum()) / total if total else 0.0
    if len(n) < 2 or not 0 < common < 1:
        return None
    return _spread(hits / n, n, common, common * (1 - common))


def spread_of_means(means: Numbers, n: Numbers, variance: float) -> Spread | None:
    """The spread of the true means of groups that hold other rows each, with the variance of a row in its group.

    Parameters
    ----------
    means, n : Numbers
        Mean and number of rows of every group, shape (groups,).
    variance : float
        Of a single row about the mean of its group.

    Returns
    -------
    Spread or None
        None of under two groups that have a row, and without variance.

    References
    ----------
    Cochran 1954, Biometrics 10:101 (the weighted sum of squares).

    Examples
    --------
    >>> spread = spread_of_means(np.array([1.0, 3.0]), np.array([50.0, 50.0]), 4.0)
    >>> spread.chi2, round(spread.difference().value, 3)
    (25.0, 1.96)
    """
    kept = n > 0
    means, n = means[kept], n[kept]
    if len(n) < 2 or variance <= 0:
        return None
    return _spread(means, n, float(np.average(means, weights=n)), variance)


def _spread(values: Numbers, n: Numbers, common: float, variance: float) -> Spread:
    total = float(n.sum())
    chi2 = float((n * (values - common) ** 2).sum() / variance)
    return Spread(round(total), common, chi2, len(n) - 1, variance / total)


def ratio_between(spread: Spread | None, n: int) -> Figure:
    """The ratio of a typical low group to a typical high one; absent where there is no spread to speak of.

    Parameters
    ----------
    spread : Spread or None
        Of the groups' values.
    n : int
        Rows of all groups.

    Returns
    -------
    Figure
        1 where all groups are alike.

    Examples
    --------
    >>> ratio_between(None, 12).note
    'under two groups are large enough'
    """
    return absent(n, _TOO_FEW_GROUPS) if spread is None else spread.ratio()


def difference_between(spread: Spread | None, n: int) -> Figure:
    """The difference of a typical high group to a typical low one; absent where there is no spread to speak of.

    Parameters
    ----------
    spread : Spread or None
        Of the groups' values.
    n : int
        Rows of all groups.

    Returns
    -------
    Figure
        0 where all groups are alike, in the unit of the values.

    Examples
    --------
    >>> difference_between(None, 12).value is None
    True
    """
    return absent(n, _TOO_FEW_GROUPS) if spread is None else spread.difference()
