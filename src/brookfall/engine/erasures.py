"""What a worker does where two people agreed that rows go: takes their bytes away, one after the other, and enters it.

May be begun again at any point, after a crash or beside another worker: what is gone is gone.
"""

import logging

from sqlalchemy import select
from sqlalchemy.exc import OperationalError

from brookfall.records import audit_log, erasures
from brookfall.records.clock import now
from brookfall.records.database import alone, transaction
from brookfall.records.erasures import Erasure

TOOK = "took rows away"

_log = logging.getLogger(__name__)
_seen_to = 0
"""How many blobs erasures had seen to when this process last cleared its machine's cache."""


def agreed() -> list[int]:
    """The erasures that were agreed to and are not carried out."""
    try:
        with transaction() as session:
            return list(session.scalars(select(Erasure.id).where(Erasure.state == "agreed")))
    except OperationalError as problem:
        _log.warning("the database did not answer: %s", problem)
        return []


def take_rows_away(erasure_id: int) -> None:
    """Carries out an erasure; nothing where another worker is at it, or it is done."""
    with alone(f"erasure {erasure_id}") as mine:
        if mine:
            _take_rows_away(erasure_id)


def _take_rows_away(erasure_id: int) -> None:
    with transaction() as session:
        asked = session.get_one(Erasure, erasure_id)
        if asked.state != "agreed":
            return
        case_id, names, first = asked.case_id, asked.names, asked.done
    for place, name in enumerate(names[first:], first + 1):
        with transaction() as session:
            freed = erasures.erase(session, name)
            asked = session.get_one(Erasure, erasure_id)
            asked.done = place
            asked.freed += freed or 0
            asked.shared += freed is None
    with transaction() as session:
        of_fits = list(erasures.readings_to_erase(session, case_id))
    for some in of_fits:
        with transaction() as session:
            erasures.erase_readings(session, some)
    with transaction() as session:
        erasures.erase_looks(session, case_id)
        asked = session.get_one(Erasure, erasure_id, with_for_update=True)
        asked.state, asked.finished = "done", now()
        after = {"erasure": asked.id, "seen_to": len(names), "shared": asked.shared, "bytes": asked.freed}
        audit_log.append(session, None, TOOK, f"{asked.case.model} {asked.case.version}", case_id=case_id, after=after)


def clear_cache() -> None:
    """Drops this machine's own copies of what was erased since this process last looked."""
    global _seen_to  # noqa: PLW0603 - of this process alone, which has one clock
    with transaction() as session:
        seen_to = erasures.seen_to(session)
        if seen_to != _seen_to:
            erasures.drop_from_cache(session)
            _seen_to = seen_to
