"""Intervals for proportions, their differences and their ratios.

Levels are two-sided confidence levels in (0, 1); counts are whole numbers of rows.
"""

from collections.abc import Callable
from dataclasses import dataclass
from math import exp, inf, log, sqrt

import numpy as np
import scipy

from brookfall.core.measure.figure import NO_ROW, Figure, Interval, absent
from brookfall.core.measure.influence_function import effective_n, freedom, mean_of, variance
from brookfall.core.measure.scored import Outcomes, Sampled

_SMALL_CELL = 5
_WILSON = {"wilson", "wilson_effective"}


def z_of(level: float) -> float:
    """The standard normal quantile of a two-sided level: 1.96 for 0.95.

    Parameters
    ----------
    level : float
        A two-sided level, in (0, 1).

    Returns
    -------
    float
        The quantile, above 0.

    Examples
    --------
    >>> round(z_of(0.95), 4)
    1.96
    """
    return float(scipy.special.ndtri((1 + level) / 2))


def wilson(x: float, n: float, level: float) -> tuple[float, float]:
    """Wilson's score interval for x of n (Wilson 1927; Newcombe 1998, Stat. Med. 17:857, method 3). n > 0.

    Parameters
    ----------
    x : float
        How many hold; any number from 0 to n.
    n : float
        Of how many, above 0.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end, in [0, 1].

    References
    ----------
    Wilson, E. B. 1927, J. Am. Stat. Assoc. 22:209. Newcombe, R. G. 1998, Stat. Med. 17:857, method 3.

    Examples
    --------
    >>> [round(end, 4) for end in wilson(81, 263, 0.95)]
    [0.2553, 0.3662]
    """
    z = z_of(level)
    centre = (x + z * z / 2) / (n + z * z)
    half = z / (n + z * z) * sqrt(x * (n - x) / n + z * z / 4)
    return (0.0 if x <= 0 else max(0.0, centre - half)), (1.0 if x >= n else min(1.0, centre + half))


def proportion(x: int, n: int) -> Figure:
    """x of n with Wilson's interval; absent when n is 0.

    Parameters
    ----------
    x : int
        How many hold.
    n : int
        Of how many.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> proportion(15, 148).value is not None
    True
    """
    if n == 0:
        return absent(0, NO_ROW)
    return Figure(x / n, n, "wilson", Interval(wilson, x, n))


@dataclass(frozen=True)
class Share:
    """A share of n rows, and how many unrelated rows of equal weight say as much (``effective``).

    ``freedom`` is one less than the effective number of sampled units; None where rows count once and stand for
    themselves.
    """

    value: float
    n: int
    effective: float
    freedom: float | None = None

    def figure(self) -> Figure:
        """The share with Wilson's interval; absent when n is 0."""
        if self.n == 0:
            return absent(0, NO_ROW)
        if self.freedom is None:
            return proportion(round(self.value * self.n), self.n)
        return Figure(self.value, self.n, "wilson_effective", Interval(_wilson_effective, self))

    def counts(self) -> tuple[float, float]:
        """x and n for a method that takes counts: the effective ones in weights or clusters."""
        return (round(self.value * self.n), self.n) if self.freedom is None else self._effective_counts()

    def _effective_counts(self) -> tuple[float, float]:
        narrowed = self.narrowed(0.95)
        return self.value * narrowed, narrowed

    def narrowed(self, level: float) -> float:
        """The effective n, reduced for few units at that level."""
        if self.freedom is None or self.freedom < 1:
            return 1.0
        return self.effective * (z_of(level) / float(scipy.special.stdtrit(self.freedom, (1 + level) / 2))) ** 2


def _wilson_effective(share: Share, level: float) -> tuple[float, float]:
    narrowed = share.narrowed(level)
    return wilson(share.value * narrowed, narrowed, level)


def share_of(hits: Outcomes, rows: Sampled) -> Share:
    """The share of rows where ``hits`` holds; ``hits`` has the rows' shape (n,).

    The effective n is n over the design effect (Kish 1965), reduced for few units by the ratio of z to t as
    Korn & Graubard 1998 (Surv. Methodol. 24:193) do; Wilson's interval with it: Franco et al. 2019 (J. Surv. Stat.
    Methodol. 7:334; citations from memory). At 0 or 1, where there is no spread, it is Kish's n.

    Parameters
    ----------
    hits : Outcomes
        Where the share holds, shape (n,).
    rows : Sampled
        The n rows, with weights and groups where they have them.

    Returns
    -------
    Share
        The share with its effective n.

    References
    ----------
    Kish, L. 1965, Survey Sampling, Wiley. Korn, E. L. & Graubard, B. I. 1998, Surv. Methodol. 24:193. Franco, C. et al.
    2019, J. Surv. Stat. Methodol. 7:334 (citations from memory).

    Examples
    --------
    >>> from brookfall.core.measure.scored import ScoredNumbers
    >>> rows = ScoredNumbers(key="", outcomes=np.zeros(4), predictions=np.zeros(4))
    >>> share_of(np.array([True, False, False, False]), rows)
    Share(value=0.25, n=4, effective=4.0, freedom=None)
    """
    n = len(rows)
    if n == 0:
        return Share(0.0, 0, 0.0)
    if rows.plain:
        return Share(float(hits.mean()), n, float(n))
    share = mean_of(hits.astype(np.float64), rows.counted)
    spread = variance(share.influence, rows)
    edge = share.value <= 0 or share.value >= 1 or spread <= 0
    effective = effective_n(rows) if edge else share.value * (1 - share.value) / spread
    return Share(min(max(share.value, 0.0), 1.0), n, min(effective, float(n)), freedom(rows))


def independent_difference(a: Figure, b: Figure, method: str = "square_and_add") -> Figure:
    """a − b on independent rows, from the two figures' own intervals.

    With Wilson's intervals this is Newcombe's hybrid score (1998, Stat. Med. 17:873, method 10); for any
    other measure the method of variance estimates recovery (Zou & Donner 2008).

    Parameters
    ----------
    a, b : Figure
        Two figures of different rows.
    method : str
        The name that the interval's method gets.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Newcombe, R. G. 1998, Stat. Med. 17:873, method 10. Zou, G. Y. & Donner, A. 2008, Stat. Med. 27:1693.

    Examples
    --------
    >>> figure = independent_difference(proportion(56, 70), proportion(48, 80))
    >>> [round(end, 4) for end in figure.interval(0.95)]
    [0.0524, 0.3339]
    """
    n = min(a.n, b.n)
    if a.value is None or b.value is None:
        return absent(n, a.note if a.value is None and a.note else b.note or "one side can't be computed")
    difference = a.value - b.value
    few = a.few or b.few
    if a.bounds is None or b.bounds is None:
        return Figure(difference, n, note="one side has no interval").marked(few=few)
    return Figure(
        difference,
        n,
        "newcombe_hybrid" if {a.method, b.method} <= _WILSON else method,
        Interval(_square_and_add, a, b),
    ).marked(few=few)


def _square_and_add(a: Figure, b: Figure, level: float) -> tuple[float, float]:
    first, second = a.interval(level), b.interval(level)
    if first is None or second is None or a.value is None or b.value is None:
        raise ValueError("both figures need an interval")
    difference = a.value - b.value
    low = difference - sqrt((a.value - first[0]) ** 2 + (second[1] - b.value) ** 2)
    high = difference + sqrt((first[1] - a.value) ** 2 + (b.value - second[0]) ** 2)
    return low, high


def independent_ratio(a: Figure, b: Figure) -> Figure:
    """a / b on independent rows, from the two figures' own intervals, on the scale of logarithms.

    Parameters
    ----------
    a, b : Figure
        Two positive figures of different rows.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Zou, G. Y. & Donner, A. 2008, Stat. Med. 27:1693 (variance estimates recovery).

    Examples
    --------
    >>> figure = independent_ratio(proportion(56, 70), proportion(48, 80))
    >>> round(figure.value, 3), [round(end, 2) for end in figure.interval(0.95)]
    (1.333, [1.08, 1.66])
    """
    n = min(a.n, b.n)
    if a.value is None or b.value is None:
        return absent(n, a.note if a.value is None and a.note else b.note or "one side can't be computed")
    if a.value <= 0 or b.value <= 0:
        return absent(n, "one side is 0, so there is no ratio")
    few = a.few or b.few
    if a.bounds is None or b.bounds is None:
        return Figure(a.value / b.value, n, note="one side has no interval").marked(few=few)
    return Figure(a.value / b.value, n, "square_and_add_of_logs", Interval(_square_and_add_logs, a, b)).marked(few=few)


def _square_and_add_logs(a: Figure, b: Figure, level: float) -> tuple[float, float]:
    first, second = a.interval(level), b.interval(level)
    if first is None or second is None or a.value is None or b.value is None:
        raise ValueError("both figures need an interval")
    x, y = log(a.value), log(b.value)
    (x_low, x_high), (y_low, y_high) = (tuple(log(max(end, _LEAST)) for end in ends) for ends in (first, second))
    low = x - y - sqrt((x - x_low) ** 2 + (y_high - y) ** 2)
    high = x - y + sqrt((x_high - x) ** 2 + (y - y_low) ** 2)
    return exp(low), exp(high)


_LEAST = 1e-300


def newcombe_paired(both: int, first: int, second: int, neither: int, level: float) -> tuple[float, float]:
    """Interval for p1 − p2 on the same rows: rows where both, only the first, only the second, neither hold.

    Newcombe 1998 (Stat. Med. 17:2635, method 10).

    Parameters
    ----------
    both, first, second, neither : int
        Rows where both hold, only the first, only the second, neither.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end, in [-1, 1].

    References
    ----------
    Newcombe, R. G. 1998, Stat. Med. 17:2635, method 10.

    Examples
    --------
    >>> [round(end, 4) for end in newcombe_paired(36, 12, 2, 0, 0.95)]
    [0.0569, 0.3404]
    """
    n = both + first + second + neither
    p1, p2 = (both + first) / n, (both + second) / n
    l1, u1 = wilson(both + first, n, level)
    l2, u2 = wilson(both + second, n, level)
    margins = (both + first) * (second + neither) * (both + second) * (first + neither)
    phi = 0.0
    if margins > 0:
        cross = both * neither - first * second
        phi = (max(cross - n / 2, 0.0) if cross > 0 else cross) / sqrt(margins)
    difference = p1 - p2
    down = (p1 - l1) ** 2 - 2 * phi * (p1 - l1) * (u2 - p2) + (u2 - p2) ** 2
    up = (u1 - p1) ** 2 - 2 * phi * (u1 - p1) * (p2 - l2) + (p2 - l2) ** 2
    return difference - sqrt(max(down, 0.0)), difference + sqrt(max(up, 0.0))


def paired_difference(both: int, first: int, second: int, neither: int) -> Figure:
    """Difference of two proportions on the same rows, with Newcombe's paired score interval.

    Parameters
    ----------
    both, first, second, neither : int
        Rows where both hold, only the first, only the second, neither.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Newcombe, R. G. 1998, Stat. Med. 17:2635, method 10.

    Examples
    --------
    >>> paired_difference(36, 12, 2, 0).value
    0.2
    """
    n = both + first + second + neither
    if n == 0:
        return absent(0, "no such row")
    return Figure((first - second) / n, n, "newcombe_paired", Interval(newcombe_paired, both, first, second, neither))


def katz(x1: float, n1: float, x2: float, n2: float, level: float) -> tuple[float, float]:
    """Katz's log interval for (x1/n1)/(x2/n2); all cells above 0 (Katz et al. 1978).

    Parameters
    ----------
    x1, n1, x2, n2 : float
        How many hold of how many, of the one and of the other; above 0.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end, above 0.

    References
    ----------
    Katz, D. et al. 1978, Biometrics 34:469.

    Examples
    --------
    >>> [round(end, 4) for end in katz(30, 100, 20, 100, 0.95)]
    [0.916, 2.4564]
    """
    ratio = (x1 / n1) / (x2 / n2)
    error = z_of(level) * sqrt(1 / x1 - 1 / n1 + 1 / x2 - 1 / n2)
    return ratio * exp(-error), ratio * exp(error)


def koopman(x1: float, n1: float, x2: float, n2: float, level: float) -> tuple[float, float]:
    """Koopman's score interval for (x1/n1)/(x2/n2) (Koopman 1984). x2 = 0 gives an infinite upper end.

    Parameters
    ----------
    x1, n1, x2, n2 : float
        How many hold of how many, of the one and of the other; ``n1`` and ``n2`` above 0.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end; the upper one is infinite where ``x2`` is 0.

    References
    ----------
    Koopman, P. A. R. 1984, Biometrics 40:513.

    Examples
    --------
    >>> [round(end, 2) for end in koopman(36, 40, 16, 80, 0.95)]
    [2.94, 7.15]
    """
    if x1 == 0 and x2 == 0:
        return 0.0, inf
    target = z_of(level) ** 2
    point = inf if x2 == 0 else (x1 / n1) / (x2 / n2)

    def excess(log_ratio: float) -> float:
        return _score_chi2(x1, n1, x2, n2, exp(log_ratio)) - target

    start = log(point) if 0 < point < inf else log((x1 + 0.5) * (n2 + 0.5) / ((n1 + 0.5) * (x2 + 0.5)))
    # With an empty cell the interval reaches to 0, or without end; the first guess may lie beyond its other end.
    while excess(start) > 0 and not 0 < point < inf:
        start += -1.0 if x1 == 0 else 1.0
    low = 0.0 if x1 == 0 else exp(scipy.optimize.brentq(excess, _beyond(excess, start, -1), start))
    high = inf if x2 == 0 else exp(scipy.optimize.brentq(excess, start, _beyond(excess, start, 1)))
    return low, high


def _beyond(excess: Callable[[float], float], start: float, direction: int) -> float:
    """A log ratio past the end of the interval in that direction."""
    step = 1.0
    while excess(start + direction * step) < 0 and step < 1000:
        step *= 2
    return start + direction * step


def _score_chi2(x1: float, n1: float, x2: float, n2: float, ratio: float) -> float:
    a = (n1 + n2) * ratio
    b = -(n1 * ratio + x1 + n2 + x2 * ratio)
    # Where the roots all but meet, rounding puts this one a little beyond what is a share.
    p2 = min((-b - sqrt(max(b * b - 4 * a * (x1 + x2), 0.0))) / (2 * a), 1.0, 1 / ratio)
    p1 = ratio * p2
    total = 0.0
    for x, n, p in ((x1, n1, p1), (x2, n2, p2)):
        variance = n * p * (1 - p)
        gap = x - n * p
        total += gap * gap / variance if variance > 0 else (0.0 if abs(gap) < 1e-12 else inf)
    return total


def ratio_of_shares(a: Share, b: Share) -> Figure:
    """a / b on independent rows: Katz's interval, Koopman's where a cell is small or 0.

    Parameters
    ----------
    a, b : Share
        Two shares of different rows.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Katz, D. et al. 1978, Biometrics 34:469. Koopman, P. A. R. 1984, Biometrics 40:513.

    Examples
    --------
    >>> ratio_of_shares(Share(0.3, 40, 40.0), Share(0.6, 80, 80.0)).value
    0.5
    """
    n = min(a.n, b.n)
    if a.n == 0 or b.n == 0:
        return absent(n, "no such row on one side")
    if b.value == 0:
        return absent(n, "the reference rate is 0, so there is no ratio")
    value = a.value / b.value
    x1, n1 = a.counts()
    x2, n2 = b.counts()
    if min(x1, n1 - x1, x2, n2 - x2) < _SMALL_CELL:
        return Figure(value, n, "koopman", Interval(koopman, x1, n1, x2, n2))
    return Figure(value, n, "katz_log", Interval(katz, x1, n1, x2, n2))
