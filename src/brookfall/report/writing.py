"""How a report writes numbers, days and moments: as the house's pages do, or as another language has them."""

from dataclasses import dataclass
from datetime import date, datetime

from babel import Locale
from babel.dates import format_date, format_datetime
from babel.numbers import format_decimal
from matplotlib.figure import Figure
from matplotlib.ticker import ScalarFormatter

from brookfall.core.foundation import wording
from brookfall.core.judge.report_form import Language

_BEYOND = 1e300
"""What is larger stands for a limit that was not reached."""


@dataclass(frozen=True)
class Writing:
    """The way a language writes numbers and dates; in English as the pages do: a point, thin spaces, ISO dates.

    Sentences that were computed or written are no concern of it: they stand as they were signed.
    """

    language: Language = "en"

    def number(self, value: float | None, decimals: int = 3) -> str:
        """A number with so many decimals; an en dash for none.

        >>> Writing().number(-1234.5678), Writing("de").number(-1234.5678)
        ('−1234.568', '−1.234,568')
        """
        plain = wording.number(value, decimals)
        if self.language == "en" or value is None or abs(value) >= _BEYOND:
            return plain
        # What rounds to nothing has no sign, and every minus is a true one, whatever the language's own sign is.
        pattern = f"#,##0.{'0' * decimals}" if decimals else "#,##0"
        written = str(format_decimal(abs(value), format=pattern, locale=self.language))
        return f"−{written}" if plain.startswith("−") else written

    def count(self, n: int) -> str:
        """A whole number with what the language puts between thousands.

        >>> Writing().count(12345), Writing("de").count(12345)
        ('12\\u202f345', '12.345')
        """
        return wording.count(n) if self.language == "en" else str(format_decimal(n, locale=self.language))

    def figure(self, value: float, digits: int = 10) -> str:
        """A number with no more digits than it has, at most so many.

        >>> Writing().figure(0.25), Writing("fr").figure(1234.5)
        ('0.25', '1234,5')
        """
        return self.plain(f"{value:.{digits}g}")

    def plain(self, written: str) -> str:
        """A number that was written with a decimal point, with the sign that the language has for one.

        >>> Writing("sv").plain("0.50")
        '0,50'
        """
        if self.language == "en":
            return written
        return written.replace(".", self._decimal)

    @property
    def between(self) -> str:
        """What stands between the ends of an interval: where a comma opens the decimals, a semicolon.

        >>> Writing().between, Writing("de").between
        (',', ';')
        """
        return ";" if self._decimal == "," else ","

    @property
    def _decimal(self) -> str:
        return str(Locale.parse(self.language).number_symbols["latn"]["decimal"])

    def day(self, day: date) -> str:
        """A day; in English year first.

        >>> Writing().day(date(2026, 3, 1)), Writing("de").day(date(2026, 3, 1))
        ('2026-03-01', '1. März 2026')
        """
        return day.isoformat() if self.language == "en" else str(format_date(day, "long", locale=self.language))

    def moment(self, moment: datetime) -> str:
        """A moment in UTC, to the second.

        >>> Writing().moment(datetime(2026, 3, 1, 9, 30)), Writing("de").moment(datetime(2026, 3, 1, 9, 30))
        ('2026-03-01 09:30:00 UTC', '01.03.2026, 09:30:00 UTC')
        """
        if self.language == "en":
            return f"{moment:%Y-%m-%d %H:%M:%S} UTC"
        return f"{format_datetime(moment, 'medium', locale=self.language)} UTC"

    def mark_axes(self, figure: Figure) -> None:
        """Has the ticks of every axis of numbers written so."""
        if self.language == "en":
            return
        for axes in figure.axes:
            for axis in (axes.xaxis, axes.yaxis):
                if type(axis.get_major_formatter()) is ScalarFormatter:
                    axis.set_major_formatter(_Ticks(self))


class _Ticks(ScalarFormatter):
    def __init__(self, writing: Writing) -> None:
        super().__init__(useOffset=False)
        self._writing = writing

    def __call__(self, x: float, pos: int | None = None) -> str:
        return self._writing.plain(super().__call__(x, pos))


PLAIN = Writing()
"""As the pages write."""
