"""How numbers stand in sentences."""

from collections.abc import Sequence
from typing import Protocol


class Measured(Protocol):
    """What is said with its interval."""

    @property
    def value(self) -> float | None: ...

    @property
    def note(self) -> str | None: ...

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
