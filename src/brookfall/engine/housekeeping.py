"""What a worker's clock does once an hour: takes away what nobody asks for any more, opens what a date opens,
and tells of dates that come near."""

import time

from brookfall.desk.approvals import tell_what_is_due
from brookfall.desk.finding_life import reopen_what_is_due
from brookfall.records import idempotency, people
from brookfall.records.database import alone, transaction

_EVERY_SECONDS = 3600.0
_last = -_EVERY_SECONDS


def keep_house() -> None:
    """Keeps the house, where the last time is an hour ago; one worker at a time."""
    global _last  # noqa: PLW0603 - of this process alone, which has one clock
    if time.monotonic() - _last < _EVERY_SECONDS:
        return
    with alone("housekeeping") as mine:
        if mine:
            with transaction() as session:
                idempotency.forget_old(session)
                people.forget_old_sessions(session)
            reopen_what_is_due()
            tell_what_is_due()
    _last = time.monotonic()
