"""Dates as scripts write them."""

from datetime import date

from brookfall.core.foundation.errors import UserError


def date_of(written: str) -> date | None:
    """The day of an ISO date, None of an empty text; UserError otherwise.

    >>> date_of("2027-01-31")
    datetime.date(2027, 1, 31)
    """
    try:
        return date.fromisoformat(written) if written else None
    except ValueError:
        raise UserError(f"'{written}' is not a date.", todo="Write it as 2027-01-31.") from None
