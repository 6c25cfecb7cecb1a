"""How numbers stand in sentences."""

from collections.abc import Sequence
from typing import Protocol


class Measured(Protocol):
    """What is said with its interval."""

    @property
    def value(self) -> float | None: ...

    @property
    def note(self) -> str | None: ...

    @property
    def n(self) -> int: ...

    def interval(self, level: float) -> tuple[float, float] | None: ...


def number(value: float | None, decimals: int = 3) -> str:
    """A number with a true minus sign; an en dash for none.

    >>> number(-0.12345), number(-0.00012)
    ('−0.123', '0.000')
    """
    if value is None:
        return "–"
    if abs(value) >= 1e300:
        return "∞"
    written = f"{value:.{decimals}f}"
    # What rounds to nothing has no sign.
    return (written.removeprefix("-") if float(written) == 0 else written).replace("-", "−")


def count(n: int) -> str:
    """A whole number with thin spaces between thousands.

    >>> count(950)
    '950'
    """
    return f"{n:,}".replace(",", "\u202f")


def percent(share: float | None, decimals: int = 1) -> str:
    """A share of 1 in percent, with the space the language wants.

    >>> percent(0.123)
    '12.3\xa0%'
    """
    return "–" if share is None else f"{100 * share:.{decimals}f}\u00a0%"


def level_in_percent(level: float) -> str:
    """The level of an interval, with no more decimals than it has.

    >>> level_in_percent(0.95), level_in_percent(0.995)
    ('95\xa0%', '99.5\xa0%')
    """
    return f"{100 * level:g}\u00a0%"


def p_value(p: float) -> str:
    """A p value as it is read: three decimals, or less than the least of them.

    >>> p_value(0.0312), p_value(0.0000004)
    ('p 0.031', 'p < 0.001')
    """
    return "p < 0.001" if p < 0.001 else f"p {p:.3f}"


def rows(n: int) -> str:
    """A number of rows in words.

    >>> rows(1), rows(12)
    ('1 row', '12 rows')
    """
    return f"{count(n)} row{'' if n == 1 else 's'}"


_MOST_DECIMALS = 4
MANY_ROWS = 1000
"""From here on a share is told to a tenth of a per cent; under it that would pretend."""


def share(value: float | None, n: int) -> str:
    """A share in per cent, whole where n is under 1 000.

    >>> share(0.3841, 834), share(0.3841, 8340)
    ('38\xa0%', '38.4\xa0%')
    """
    return percent(value, 1 if n >= MANY_ROWS else 0)


def share_with_ends(measured: Measured, level: float) -> str:
    """A share in per cent with its interval, whole where n is under 1 000.

    >>> from brookfall.core.measure.figure import Figure
    >>> share_with_ends(Figure(0.459, 834, "made up", lambda level: (0.42, 0.501)), 0.95)
    '46\xa0% [42 to 50]'
    """
    if measured.value is None:
        return f"not computed ({measured.note})"
    interval, decimals = measured.interval(level), 1 if measured.n >= MANY_ROWS else 0
    if interval is None:
        return percent(measured.value, decimals)
    # Rounded to the same number, two ends would say that nothing is open.
    while decimals < _MOST_DECIMALS and round(100 * interval[0], decimals) == round(100 * interval[1], decimals):
        decimals += 1
    low, high = (number(100 * end, decimals) for end in interval)
    return f"{percent(measured.value, decimals)} [{low} to {high}]"


def points(measured: Measured, level: float) -> str:
    """A difference of shares in points, with its direction and interval.

    >>> from brookfall.core.measure.figure import Figure
    >>> points(Figure(-0.395, 834, "made up", lambda level: (-0.53, -0.24)), 0.95)
    '40 points lower [24 to 53]'
    >>> points(Figure(0.004, 834, "made up", lambda level: (-0.03, 0.04)), 0.95)
    'no points higher [−3 to 4]'
    """
    if measured.value is None:
        return f"not computed ({measured.note})"
    decimals = 1 if measured.n >= MANY_ROWS else 0
    value, interval = 100 * measured.value, measured.interval(level)
    lower = value < 0
    size = number(abs(value), decimals)
    told = "no points" if float(size) == 0 else "1 point" if size == "1" else f"{size} points"
    ends = () if interval is None else tuple(100 * (-end if lower else end) for end in interval)
    between = f" [{number(min(ends), decimals)} to {number(max(ends), decimals)}]" if ends else ""
    return f"{told} {'lower' if lower else 'higher'}{between}"


def times(measured: Measured, level: float) -> str:
    """A ratio with its interval.

    >>> from brookfall.core.measure.figure import Figure
    >>> times(Figure(0.5, 834, "made up", lambda level: (0.4, 0.62)), 0.95)
    '0.50 times as many [0.40 to 0.62]'
    """
    if measured.value is None:
        return f"not computed ({measured.note})"
    interval = measured.interval(level)
    between = "" if interval is None else f" [{number(interval[0], 2)} to {number(interval[1], 2)}]"
    return f"{number(measured.value, 2)} times as many{between}"


def amount(measured: Measured, level: float, decimals: int = 3) -> str:
    """A difference in the outcome's own unit, with its direction and interval.

    >>> from brookfall.core.measure.figure import Figure
    >>> amount(Figure(-1.25, 834, "made up", lambda level: (-2.0, -0.5)), 0.95, 2)
    'lower by 1.25 [0.50 to 2.00]'
    """
    if measured.value is None:
        return f"not computed ({measured.note})"
    lower, interval = measured.value < 0, measured.interval(level)
    ends = () if interval is None else tuple(-end if lower else end for end in interval)
    between = f" [{number(min(ends), decimals)} to {number(max(ends), decimals)}]" if ends else ""
    return f"{'lower' if lower else 'higher'} by {number(abs(measured.value), decimals)}{between}"


MOST_OF_ANSWER = 240
"""Characters of an answer, which holds two sentences at most."""
MOST_OF_LINE = 160
"""Characters of a line below an answer."""


def led_by(said: Sequence[str]) -> tuple[str, tuple[str, ...]]:
    """The answer and the lines below it: the first sentence, with the second where an answer holds both.

    >>> led_by(["It is stable.", "", "Two folds are small.", "Three are not."])
    ('It is stable. Two folds are small.', ('Three are not.',))
    """
    first, *rest = [one for one in said if one]
    if rest and len(first) + 1 + len(rest[0]) <= MOST_OF_ANSWER:
        return f"{first} {rest[0]}", tuple(rest[1:])
    return first, tuple(rest)


def counted(n: int, noun: str) -> str:
    """So many of a thing whose plural takes an s.

    >>> counted(1, "feature"), counted(2, "feature")
    ('1 feature', '2 features')
    """
    return f"{count(n)} {noun}{'' if n == 1 else 's'}"


def times_over(n: int) -> str:
    """How many times something was done.

    >>> times_over(1), times_over(20)
    ('once', '20 times')
    """
    return "once" if n == 1 else f"{count(n)} times"


def line_of(head: str, items: Sequence[str], most: int = MOST_OF_LINE) -> str:
    """``head: a; b; and 3 more.`` in one line, as many items as it holds; empty without items.

    >>> line_of("Open", ["sex x by TPR", "age 65+ by FPR", "group Birch by TPR"], 40)
    'Open: sex x by TPR; and 2 more.'
    """
    for kept in range(len(items), 0, -1):
        left = len(items) - kept
        line = f"{head}: {'; '.join(items[:kept])}{f'; and {left} more' if left else ''}."
        if len(line) <= most:
            return line
    return f"{head}: {len(items)}." if items else ""


def figure(measured: Measured, level: float = 0.95, decimals: int = 3) -> str:
    """``0.712 [0.695, 0.729]``; without an interval, the value and why.

    >>> from brookfall.core.measure.figure import Figure
    >>> figure(Figure(0.7, 10, "made up", lambda level: (0.6, 0.8)))
    '0.700 [0.600, 0.800]'
    """
    if measured.value is None:
        return f"not computed ({measured.note})"
    interval = measured.interval(level)
    if interval is None:
        return f"{number(measured.value, decimals)} (no interval: {measured.note or 'a single value'})"
    low, high = interval
    return f"{number(measured.value, decimals)} [{number(low, decimals)}, {number(high, decimals)}]"


def figure_to(measured: Measured, level: float = 0.95, decimals: int = 3) -> str:
    """A figure with its interval as it is read aloud.

    >>> from brookfall.core.measure.figure import Figure
    >>> figure_to(Figure(0.7, 10, "made up", lambda level: (0.6, 0.8)), 0.95, 2)
    '0.70 [0.60 to 0.80]'
    """
    interval = measured.interval(level)
    if measured.value is None or interval is None:
        return figure(measured, level, decimals)
    low, high = (number(end, decimals) for end in interval)
    return f"{number(measured.value, decimals)} [{low} to {high}]"


def listed(words: Sequence[str]) -> str:
    """``a, b and c``.

    >>> listed(["a", "b", "c"])
    'a, b and c'
    """
    if len(words) < 2:
        return "".join(words)
    return f"{', '.join(words[:-1])} and {words[-1]}"


def capital(sentence: str) -> str:
    """The sentence with its first letter large.

    >>> capital("kappa is low")
    'Kappa is low'
    """
    return sentence[:1].upper() + sentence[1:]


def ended(sentence: str) -> str:
    """The sentence with a full stop, where it ends in none.

    >>> ended("It holds"), ended("Does it hold?"), ended("")
    ('It holds.', 'Does it hold?', '')
    """
    text = sentence.rstrip()
    return f"{text}." if text and text[-1] not in ".!?…" else text
