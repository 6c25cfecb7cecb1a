"""Work that somebody asked for, held by one worker at a time: claimed with a lease, renewed while it goes on.

May be asked for twice at once, or again after a worker died; what killed its worker too often is told as failed.
"""

import logging
import os
import socket
from collections.abc import Callable
from contextlib import suppress
from functools import partial
from typing import TypeVar

from sqlalchemy import and_, or_, select, update
from sqlalchemy.exc import OperationalError
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import UserError
from brookfall.engine.heartbeat import heartbeat
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.drafts import Draft
from brookfall.records.ledger import MOST_ATTEMPTS, is_lost, lease_end
from brookfall.records.renditions import Rendition
from brookfall.records.retests import Retest
from brookfall.records.runs import Replay
from brookfall.records.scorings import Scoring

FAULT = "A fault in Brookfall stopped it; it was logged."
_KILLED = f"It ended its worker {MOST_ATTEMPTS} times, most likely for want of memory."

Asked = TypeVar("Asked", Replay, Retest, Rendition, Scoring)

_log = logging.getLogger(__name__)


class LostError(Exception):
    """The work is no longer this worker's: it was cancelled, or another took it up."""


def this_worker() -> str:
    """How this process is known to the others."""
    return f"{socket.gethostname()}:{os.getpid()}"


def waiting(table: type[Replay] | type[Retest] | type[Rendition] | type[Draft] | type[Scoring]) -> list[int]:
    """What was asked for and no worker holds."""
    try:
        with transaction() as session:
            return list(session.scalars(select(table.id).where(or_(table.state == "waiting", is_lost(table)))))
    except OperationalError as problem:
        _log.warning("the database did not answer: %s", problem)
        return []


def claim(table: type[Asked], key: int, worker: str) -> bool:
    """Whether the work is this worker's from now on."""
    with transaction() as session:
        asked = session.get(table, key, with_for_update=True)
        if asked is None or asked.state not in ("waiting", "leased"):
            return False
        if asked.state == "leased" and not session.scalar(select(is_lost(table)).where(table.id == key)):
            return False
        if asked.attempts >= MOST_ATTEMPTS:
            asked.state, asked.said, asked.finished = "failed", _KILLED, now()
            return False
        asked.state, asked.worker, asked.lease_until = "leased", worker, lease_end()
        asked.attempts += 1
        asked.done = 0
        return True


def renew(table: type[Asked], key: int, worker: str, **told: object) -> None:
    """Makes the lease longer and keeps how far the work is. LostError where it is no longer this worker's."""
    mine = and_(table.id == key, table.state == "leased", table.worker == worker)
    with transaction() as session:
        if session.scalar(select(table.id).where(mine).with_for_update()) is None:
            raise LostError
        session.execute(update(table).where(mine).values(lease_until=lease_end(), **told))


def end(session: Session, table: type[Asked], key: int, worker: str, **told: object) -> Asked:
    """The work with what came of it, finished. LostError where it is no longer this worker's."""
    asked = session.get_one(table, key, with_for_update=True)
    if asked.state != "leased" or asked.worker != worker:
        raise LostError
    for name, value in told.items():
        setattr(asked, name, value)
    asked.finished, asked.lease_until = now(), None
    return asked


def carry_out(
    table: type[Asked],
    key: int,
    work: Callable[[str], None],
    fail: Callable[[str, str], None] | None = None,
) -> None:
    """Does the work as this worker, which it is told, under a lease that is renewed. What ends it short is told as
    failed, by ``fail`` where that is given. May be asked for twice at once, or again after a worker died."""
    ends = fail or partial(_fail, table, key)
    worker = this_worker()
    if not claim(table, key, worker):
        return
    try:
        with heartbeat(lambda: renew(table, key, worker)):
            work(worker)
    except LostError:
        return
    except UserError as problem:
        with suppress(LostError):
            ends(worker, str(problem))
    except Exception:  # noqa: BLE001 - a fault of ours must not hold it for ever
        _log.exception("%s %s", table.__tablename__, key)
        with suppress(LostError):
            ends(worker, FAULT)


def _fail(table: type[Asked], key: int, worker: str, said: str) -> None:
    with transaction() as session:
        end(session, table, key, worker, state="failed", said=said)
