"""Dates as people write them, checked against the calendar and written in ISO order."""

import re
from datetime import date, datetime

_ISO = re.compile(r"\d{4}-\d{2}-\d{2}([T ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:?\d{2})?)?")
_WRITTEN = re.compile(r"(\d{1,2})([./-])(\d{1,2})\2(\d{4})(?:[ T](\d{2}:\d{2}(?::\d{2})?))?")


def dates_of(levels: list[str], *, day_first: bool = False) -> list[str] | None:
    """The levels as ISO dates, as they are where they are ISO already; None unless all are dates that exist.

    ``3.12.2024`` has the day first. With ``/`` or ``-`` the order is what fits all levels; where both orders fit it is
    taken for no date unless ``day_first`` says so, as a guess would move days silently.

    >>> dates_of(["31/1/2024", "1/2/2024"]), dates_of(["1/2/2024"]), dates_of(["2023-02-30"])
    (['2024-01-31', '2024-02-01'], None, None)
    """
    if not levels[0][:1].isdigit():
        return None
    if all(_ISO.fullmatch(level) for level in levels):
        return levels if all(_exists(level) for level in levels) else None
    if not all(_WRITTEN.fullmatch(level) for level in levels):
        return None
    by_day, by_month = _ordered(levels, day=1, month=3), _ordered(levels, day=3, month=1)
    if by_day is not None and (by_month is None or by_day == by_month or day_first):
        return by_day
    dotted = all("." in level for level in levels)
    return by_day if dotted else by_month if by_day is None else None


def _exists(iso: str) -> bool:
    try:
        datetime.fromisoformat(iso)
    except ValueError:
        return False
    return True


def _ordered(levels: list[str], *, day: int, month: int) -> list[str] | None:
    found = []
    for level in levels:
        match = _WRITTEN.fullmatch(level)
        assert match is not None
        try:
            read = date(int(match[4]), int(match[month]), int(match[day])).isoformat()
        except ValueError:
            return None
        found.append(f"{read}T{match[5]}" if match[5] else read)
    return found


def nearly_dates(levels: tuple[str, ...]) -> list[str]:
    """Levels that are written as dates beside others that are, and are none: the 30th of February.

    >>> nearly_dates(("2023-02-28", "2023-02-30"))
    ['2023-02-30']
    """
    if not levels or not all(_ISO.fullmatch(level) or _WRITTEN.fullmatch(level) for level in levels):
        return []
    return [level for level in levels if dates_of([level], day_first=True) is None]
