"""What a worker does with a replay: lays the run out, fits everything again, compares, and keeps what came of it."""

import logging
import os
import socket

from sqlalchemy import and_, or_, select, update
from sqlalchemy.exc import OperationalError

from brookfall.core.retest.replay import replay
from brookfall.engine.heartbeat import heartbeat
from brookfall.engine.runs import lay_out
from brookfall.records import audit_log
from brookfall.records.base import now
from brookfall.records.database import transaction
from brookfall.records.exhibits import get_exhibits
from brookfall.records.ledger import MOST_ATTEMPTS, lease_end
from brookfall.records.people import Person
from brookfall.records.runs import Replay

_log = logging.getLogger(__name__)

_KILLED = f"It ended its worker {MOST_ATTEMPTS} times, most likely for want of memory."
_FAULT = "A fault in Brookfall stopped it; it was logged."


class _CancelledError(Exception):
    """The replay is no longer this worker's."""


def waiting_replays() -> list[int]:
    """Replays that were asked for and that no worker holds."""
    lost = and_(Replay.state == "leased", Replay.lease_until < now())
    try:
        with transaction() as session:
            return list(session.scalars(select(Replay.id).where(or_(Replay.state == "waiting", lost))))
    except OperationalError as problem:
        _log.warning("the database did not answer: %s", problem)
        return []


def carry_out(replay_id: int) -> None:
    """Replays an exhibit. May be asked for twice at once, or again after a worker died."""
    worker = f"{socket.gethostname()}:{os.getpid()}"
    if not _claim(replay_id, worker):
        return
    try:
        with heartbeat(lambda: _renew(replay_id, worker)):
            _replay(replay_id, worker)
    except _CancelledError:
        return
    except Exception:  # noqa: BLE001 - a fault of ours must not hold it for ever
        _log.exception("replay %s", replay_id)
        _end(replay_id, worker, state="failed", said=_FAULT)


def _claim(replay_id: int, worker: str) -> bool:
    with transaction() as session:
        asked = session.get(Replay, replay_id, with_for_update=True)
        if asked is None or asked.state not in ("waiting", "leased"):
            return False
        if asked.state == "leased" and asked.lease_until is not None and asked.lease_until >= now():
            return False
        if asked.attempts >= MOST_ATTEMPTS:
            asked.state, asked.said, asked.finished = "failed", _KILLED, now()
            return False
        asked.state, asked.worker, asked.lease_until = "leased", worker, lease_end()
        asked.attempts += 1
        asked.done = 0
        return True


def _replay(replay_id: int, worker: str) -> None:
    with transaction() as session:
        asked = session.get_one(Replay, replay_id)
        run_id, number = asked.run_id, asked.number
        (before,) = get_exhibits(session, run_id, number)
    laid = lay_out(run_id)

    def tell(done: int, needed: int) -> None:
        if not _renew(replay_id, worker, done=done, needed=needed):
            raise _CancelledError

    found = replay(laid.bench, laid.asked[number], before, tell)
    lines = [str(difference) for difference in found.differences]
    _end(replay_id, worker, state="done", outcome=found.outcome, said=found.words, differences=lines)


def _renew(replay_id: int, worker: str, **told: object) -> bool:
    """Whether the replay is still this worker's; then its lease is longer, and how far it is is known."""
    mine = and_(Replay.id == replay_id, Replay.state == "leased", Replay.worker == worker)
    with transaction() as session:
        if session.scalar(select(Replay.id).where(mine).with_for_update()) is None:
            return False
        session.execute(update(Replay).where(mine).values(lease_until=lease_end(), **told))
        return True


def _end(replay_id: int, worker: str, **told: object) -> None:
    with transaction() as session:
        asked = session.get_one(Replay, replay_id, with_for_update=True)
        if asked.state != "leased" or asked.worker != worker:
            return
        for name, value in told.items():
            setattr(asked, name, value)
        asked.finished, asked.lease_until = now(), None
        person = session.get_one(Person, asked.by_id)
        subject = f"exhibit {asked.number} of run {asked.run_id}: {asked.said}"
        audit_log.append(session, person, "replayed an exhibit", subject, case_id=asked.case_id)
