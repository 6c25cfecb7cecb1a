"""How a figure stands against its limit, what would settle it, and the worst of many."""

from collections.abc import Iterable
from math import ceil, inf, log
from typing import Literal

import scipy

from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure

_FROM_BEST = tuple(Standing)
Interval = Literal["plain", "simultaneous"]
"""Which of an estimate's two intervals a standing was read from."""


def stand(figure: Figure, limit: Limit, level: float, wide_level: float | None = None) -> Standing | None:
    """How a figure stands; None when it can't be judged.

    That one of m is bad is a union of tests and pays for their number; that all are well is an intersection, and each
    test at its own level controls the whole.

    Parameters
    ----------
    figure : Figure
        What was measured.
    limit : Limit
        What it must keep.
    level : float
        The level of the plain interval.
    wide_level : float, optional
        The level of the simultaneous interval over all that is judged with it; the plain level where it is alone.

    Returns
    -------
    Standing or None
        Outside: all of the simultaneous interval breaks the limit. Within: all of the plain interval keeps it. Near:
        neither, and the simultaneous interval leaves out the ideal. Unsettled: none of these. With the burden on the
        model, all that is not within is outside. Without an interval: near within a tenth of the limit. None without
        a value, and of too few rows.

    References
    ----------
    Berger 1982; Berger & Hsu 1996 (intersection-union tests).

    Examples
    --------
    >>> figure = Figure(0.08, 400, "made up", lambda level: (0.06, 0.10))
    >>> stand(figure, Limit(at_most=0.05, ideal=0), 0.95)
    <Standing.OUTSIDE: 'outside'>
    >>> stand(figure, Limit(at_most=0.07, ideal=0), 0.95)
    <Standing.NEAR: 'near'>
    >>> figure = Figure(0.02, 400, "made up", lambda level: (0.01, 0.03) if level < 0.99 else (-0.01, 0.06))
    >>> stand(figure, Limit(at_most=0.05, ideal=0), 0.95, 0.998)
    <Standing.WITHIN: 'within'>
    """
    if figure.value is None or figure.few:
        return None
    plain, wide = figure.interval(level), figure.interval(level if wide_level is None else wide_level)
    if plain is None or wide is None:
        return _by_value(figure.value, limit)
    if limit.low <= plain[0] and plain[1] <= limit.high:
        return Standing.WITHIN
    if limit.burden == "model" or wide[1] < limit.low or wide[0] > limit.high:
        return Standing.OUTSIDE
    if limit.ideal is None or not wide[0] <= limit.ideal <= wide[1]:
        return Standing.NEAR
    return Standing.UNSETTLED


def read_from(standing: Standing | None) -> Interval | None:
    """The interval that a standing was read from, which is the one to print beside it.

    >>> read_from(Standing.WITHIN), read_from(Standing.NEAR), read_from(None)
    ('plain', 'simultaneous', None)
    """
    if standing is None:
        return None
    return "plain" if standing in (Standing.WITHIN, Standing.UNSETTLED) else "simultaneous"


def _by_value(value: float, limit: Limit) -> Standing:
    ends = [end for end in (limit.at_least, limit.at_most) if end is not None]
    if any(abs(value - end) <= abs(end) / 10 for end in ends):
        return Standing.NEAR
    return Standing.WITHIN if limit.keeps(value) else Standing.OUTSIDE


_POWER = 0.8
_OUT_OF_REACH = 100
"""Times the rows at hand beyond which no number of rows that could be had would do."""


def rows_to_tell(figure: Figure, limit: Limit, level: float) -> float | None:
    """About how many rows tell the limit from the ideal in four of five samples, by the error that the figure has now.

    That is the power for a difference that has a name; it does not hang on the value that these rows happen to give.

    Parameters
    ----------
    figure : Figure
        What was measured; its error falls with the root of its n.
    limit : Limit
        With the ideal from which its nearer end is to be told.
    level : float
        Of the interval that the standing is read from.

    Returns
    -------
    float or None
        Infinite beyond a hundred times the rows at hand; None without an interval or an ideal.

    References
    ----------
    Cohen 1988 (power 0.8 is common practice).

    Examples
    --------
    >>> figure = Figure(0.02, 400, "made up", lambda level: (-0.04, 0.08))
    >>> rows_to_tell(figure, Limit(at_most=0.05, ideal=0), 0.95)
    1177.0
    >>> rows_to_tell(figure, Limit(at_most=0.001, ideal=0), 0.95)
    inf
    """
    interval, apart = figure.interval(level), _apart(limit)
    if interval is None or apart is None or not interval[1] - interval[0] < inf:
        return None
    z = _quantile(level)
    error = (interval[1] - interval[0]) / 2 / z
    times = ((z + float(scipy.special.ndtri(_POWER))) * error / apart) ** 2
    return float(ceil(figure.n * times)) if times <= _OUT_OF_REACH else inf


def what_would_settle(
    figure: Figure, limit: Limit, level: float, what: str, rows: str = "rows", ideal: str = "none"
) -> str:
    """What it would take to tell the limit from the ideal, in a sentence; empty where nothing can be said.

    >>> figure = Figure(0.02, 400, "made up", lambda level: (-0.04, 0.08))
    >>> what_would_settle(figure, Limit(at_most=0.05, ideal=0), 0.95, "a gap of 0.05", "test rows")
    'To tell a gap of 0.05 from none: about 1\u202f200 test rows.'
    >>> what_would_settle(figure, Limit(at_most=0.001, ideal=0), 0.95, "a gap of 0.001")
    'To tell a gap of 0.001 from none: no number of rows that could be had.'
    """
    needed = rows_to_tell(figure, limit, level)
    if needed is None:
        return ""
    if needed == inf:
        return f"To tell {what} from {ideal}: no number of {rows} that could be had."
    return f"To tell {what} from {ideal}: about {wording.count(in_round_numbers(needed))} {rows}."


def in_round_numbers(count: float) -> int:
    """Two digits of it, as more would pretend.

    >>> in_round_numbers(1177), in_round_numbers(94), in_round_numbers(7)
    (1200, 94, 7)
    """
    return int(float(f"{count:.2g}"))


def folds_to_tell(limit: Limit, level: float) -> int | None:
    """How many folds in all tell a spread at the limit from the ideal one in four of five: rows do nothing for it.

    The logarithm of a standard deviation over k folds has the standard error 1/√(2(k − 1)).

    >>> folds_to_tell(Limit(at_most=2, ideal=1), 0.95)
    10
    """
    if limit.ideal is None or limit.at_most is None or not 0 < limit.ideal < limit.at_most:
        return None
    z = _quantile(level) + float(scipy.special.ndtri(_POWER))
    return 1 + ceil((z / log(limit.at_most / limit.ideal)) ** 2 / 2)


def _apart(limit: Limit) -> float | None:
    if limit.ideal is None:
        return None
    apart = min(abs(end - limit.ideal) for end in (limit.low, limit.high))
    return apart if 0 < apart < inf else None


def _quantile(level: float) -> float:
    return float(scipy.special.ndtri((1 + level) / 2))


Shown = Literal["within", "within_open", "near", "outside", "unsettled", "none"]
"""How an exhibit or a question is marked."""

_SHOWN: dict[Standing, Shown] = {
    Standing.WITHIN: "within",
    Standing.UNSETTLED: "unsettled",
    Standing.NEAR: "near",
    Standing.OUTSIDE: "outside",
}


def with_open(standing: Standing | None, still_open: int) -> Shown:
    """How an exhibit is marked: by its standing, and where it is within although some of it is open, by both.

    >>> with_open(Standing.WITHIN, 2), with_open(Standing.NEAR, 2), with_open(None, 0)
    ('within_open', 'near', 'none')
    """
    if standing is None:
        return "none"
    return "within_open" if standing is Standing.WITHIN and still_open else _SHOWN[standing]


def worst_mark(marked: Iterable[tuple[Standing | None, int]]) -> Shown:
    """How many exhibits are marked together, each with its standing and what of it is open: as the worst of them.

    >>> worst_mark([(Standing.WITHIN, 0), (Standing.WITHIN, 2), (None, 0)])
    'within_open'
    """
    judged = [(standing, still_open) for standing, still_open in marked if standing is not None]
    return with_open(worst(standing for standing, _ in judged), sum(still_open for _, still_open in judged))


def worst(standings: Iterable[Standing]) -> Standing | None:
    """The worst of them, so that nothing is well by ignorance; None when nothing was judged.

    >>> worst([Standing.WITHIN, Standing.NEAR, Standing.UNSETTLED])
    <Standing.NEAR: 'near'>
    >>> worst([Standing.WITHIN, Standing.UNSETTLED])
    <Standing.UNSETTLED: 'unsettled'>
    """
    return max(standings, key=_FROM_BEST.index, default=None)
