"""The clock: the present moment as the database keeps it, and another that tests live by."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import UTC, datetime

_clock: ContextVar[datetime | None] = ContextVar("clock", default=None)


def now() -> datetime:
    """The present moment in UTC, without zone, to the second: what the database keeps."""
    return (_clock.get() or datetime.now(UTC)).replace(tzinfo=None, microsecond=0)


@contextmanager
def clock_at(moment: datetime) -> Iterator[None]:
    """For whoever makes a past, and for tests: within it is ``moment``, in UTC, in this thread."""
    token = _clock.set(moment)
    try:
        yield
    finally:
        _clock.reset(token)
