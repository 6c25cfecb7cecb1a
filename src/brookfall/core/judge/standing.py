"""How a figure stands against its limit, what would settle it, and the worst of many."""

from math import ceil, inf

from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.measure.figure import Figure

_BADNESS = {Standing.WITHIN: 0, Standing.NEAR: 1, Standing.OUTSIDE: 2}


def stand(figure: Figure, limit: Limit, level: float) -> Standing | None:
    """How a figure stands, by its interval at that level; None when it can't be judged.

    within: all of the interval keeps the limit. outside: all of it breaks it. near: it crosses the limit and
    leaves out the ideal. unsettled: it holds both. Without an interval: near within a tenth of the limit.

    >>> figure = Figure(0.08, 400, "made up", lambda level: (0.06, 0.10))
    >>> stand(figure, Limit(at_most=0.05, ideal=0), 0.95)
    <Standing.OUTSIDE: 'outside'>
    >>> stand(figure, Limit(at_most=0.07, ideal=0), 0.95)
    <Standing.NEAR: 'near'>
    """
    if figure.value is None or figure.few:
        return None
    interval = figure.interval(level)
    if interval is None:
        return _by_value(figure.value, limit)
    low, high = interval
    if limit.low <= low and high <= limit.high:
        return Standing.WITHIN
    if high < limit.low or low > limit.high:
        return Standing.OUTSIDE
    if limit.ideal is not None and low <= limit.ideal <= high:
        return Standing.UNSETTLED
    return Standing.NEAR


def _by_value(value: float, limit: Limit) -> Standing:
    ends = [end for end in (limit.at_least, limit.at_most) if end is not None]
    if any(abs(value - end) <= abs(end) / 10 for end in ends):
        return Standing.NEAR
    return Standing.WITHIN if limit.keeps(value) else Standing.OUTSIDE


def rows_to_settle(figure: Figure, limit: Limit, level: float) -> int | None:
    """About how many rows would bring the interval clear of the limit if the value stays what it is.

    Each end of the interval that lies beyond a limit draws nearer to the value with the root of n. None where it has no
    interval, or the value is at the limit itself.

    >>> figure = Figure(0.02, 400, "made up", lambda level: (-0.04, 0.08))
    >>> rows_to_settle(figure, Limit(at_most=0.05, ideal=0), 0.95)
    1600
    """
    interval = figure.interval(level)
    if figure.value is None or interval is None:
        return None
    value, (low, high) = figure.value, interval
    times = []
    for at in (limit.low, limit.high):
        if low < at < high:
            distance, reach = abs(value - at), (value - low if at < value else high - value)
            if distance <= 0 or not reach < inf:
                return None
            times.append(reach / distance)
    return ceil(figure.n * max(times) ** 2) if times else figure.n


def worst(standings: list[Standing]) -> Standing | None:
    """The worst of what is settled; unsettled only when nothing was; None when nothing was judged.

    >>> worst([Standing.WITHIN, Standing.NEAR, Standing.UNSETTLED])
    <Standing.NEAR: 'near'>
    >>> worst([Standing.UNSETTLED])
    <Standing.UNSETTLED: 'unsettled'>
    """
    settled = [standing for standing in standings if standing is not Standing.UNSETTLED]
    if settled:
        return max(settled, key=lambda standing: _BADNESS[standing])
    return Standing.UNSETTLED if standings else None
