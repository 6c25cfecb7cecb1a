"""Intervals for proportions, their differences and their ratios.

Levels are two-sided confidence levels in (0, 1); counts are whole numbers of rows.
"""

from collections.abc import Callable
from math import exp, inf, log, sqrt

from scipy.optimize import brentq
from scipy.special import ndtri

from brookfall.core.measure.figure import Figure, absent

_SMALL_CELL = 5


def z_of(level: float) -> float:
    """The standard normal quantile of a two-sided level: 1.96 for 0.95."""
    return float(ndtri((1 + level) / 2))


def wilson(x: int, n: int, level: float) -> tuple[float, float]:
    """Wilson's score interval for x of n (Wilson 1927; Newcombe 1998, Stat. Med. 17:857, method 3). n > 0."""
    z = z_of(level)
    centre = (x + z * z / 2) / (n + z * z)
    half = z / (n + z * z) * sqrt(x * (n - x) / n + z * z / 4)
    return (0.0 if x == 0 else max(0.0, centre - half)), (1.0 if x == n else min(1.0, centre + half))


def proportion(x: int, n: int) -> Figure:
    """x of n with Wilson's interval; absent when n is 0."""
    if n == 0:
        return absent(0, "no such row")
    return Figure(x / n, n, "wilson", lambda level: wilson(x, n, level))


def independent_difference(a: Figure, b: Figure, method: str = "square_and_add") -> Figure:
    """a − b on independent rows, from the two figures' own intervals.

    With Wilson's intervals this is Newcombe's hybrid score (1998, Stat. Med. 17:873, method 10); for any
    other measure the method of variance estimates recovery (Zou & Donner 2008).
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
        "newcombe_hybrid" if a.method == b.method == "wilson" else method,
        lambda level: _square_and_add(a, b, level),
    ).marked(few=few)


def _square_and_add(a: Figure, b: Figure, level: float) -> tuple[float, float]:
    first, second = a.interval(level), b.interval(level)
    if first is None or second is None or a.value is None or b.value is None:
        raise ValueError("both figures need an interval")
    difference = a.value - b.value
    low = difference - sqrt((a.value - first[0]) ** 2 + (second[1] - b.value) ** 2)
    high = difference + sqrt((first[1] - a.value) ** 2 + (b.value - second[0]) ** 2)
    return low, high


def newcombe_paired(both: int, first: int, second: int, neither: int, level: float) -> tuple[float, float]:
    """Interval for p1 − p2 on the same rows: rows where both, only the first, only the second, neither hold.

    Newcombe 1998 (Stat. Med. 17:2635, method 10).
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
    """Difference of two proportions on the same rows, with Newcombe's paired score interval."""
    n = both + first + second + neither
    if n == 0:
        return absent(0, "no such row")
    return Figure(
        (first - second) / n, n, "newcombe_paired", lambda level: newcombe_paired(both, first, second, neither, level)
    )


def katz(x1: int, n1: int, x2: int, n2: int, level: float) -> tuple[float, float]:
    """Katz's log interval for (x1/n1)/(x2/n2); all cells above 0 (Katz et al. 1978)."""
    ratio = (x1 / n1) / (x2 / n2)
    error = z_of(level) * sqrt(1 / x1 - 1 / n1 + 1 / x2 - 1 / n2)
    return ratio * exp(-error), ratio * exp(error)


def koopman(x1: int, n1: int, x2: int, n2: int, level: float) -> tuple[float, float]:
    """Koopman's score interval for (x1/n1)/(x2/n2) (Koopman 1984). x2 = 0 gives an infinite upper end."""
    if x1 == 0 and x2 == 0:
        return 0.0, inf
    target = z_of(level) ** 2
    point = inf if x2 == 0 else (x1 / n1) / (x2 / n2)

    def excess(log_ratio: float) -> float:
        return _score_chi2(x1, n1, x2, n2, exp(log_ratio)) - target

    start = log(point) if 0 < point < inf else log((x1 + 0.5) * (n2 + 0.5) / ((n1 + 0.5) * (x2 + 0.5)))
    low = 0.0 if x1 == 0 else exp(brentq(excess, _beyond(excess, start, -1), start))
    high = inf if x2 == 0 else exp(brentq(excess, start, _beyond(excess, start, 1)))
    return low, high


def _beyond(excess: Callable[[float], float], start: float, direction: int) -> float:
    """A log ratio past the end of the interval in that direction."""
    step = 1.0
    while excess(start + direction * step) < 0 and step < 1000:
        step *= 2
    return start + direction * step


def _score_chi2(x1: int, n1: int, x2: int, n2: int, ratio: float) -> float:
    a = (n1 + n2) * ratio
    b = -(n1 * ratio + x1 + n2 + x2 * ratio)
    p2 = (-b - sqrt(max(b * b - 4 * a * (x1 + x2), 0.0))) / (2 * a)
    p1 = ratio * p2
    total = 0.0
    for x, n, p in ((x1, n1, p1), (x2, n2, p2)):
        variance = n * p * (1 - p)
        gap = x - n * p
        total += gap * gap / variance if variance > 0 else (0.0 if abs(gap) < 1e-12 else inf)
    return total


def ratio_of_proportions(x1: int, n1: int, x2: int, n2: int) -> Figure:
    """(x1/n1)/(x2/n2) on independent rows: Katz's interval, Koopman's where a cell is small or 0."""
    n = min(n1, n2)
    if n1 == 0 or n2 == 0:
        return absent(n, "no such row on one side")
    if x2 == 0:
        return absent(n, "the reference rate is 0, so there is no ratio")
    value = (x1 / n1) / (x2 / n2)
    if min(x1, n1 - x1, x2, n2 - x2) < _SMALL_CELL:
        return Figure(value, n, "koopman", lambda level: koopman(x1, n1, x2, n2, level))
    return Figure(value, n, "katz_log", lambda level: katz(x1, n1, x2, n2, level))
