"""What a worker does with a replay: lays the run out, fits everything again, compares, and keeps what came of it."""

import logging

from sqlalchemy import func, select

from brookfall.core.retest.replay import replay
from brookfall.engine import leases
from brookfall.engine.runs import lay_out
from brookfall.records import audit_log
from brookfall.records.database import transaction
from brookfall.records.exhibits import get_exhibits
from brookfall.records.people import Person
from brookfall.records.runs import Fit, Replay, RunCheck

_log = logging.getLogger(__name__)


_SHORT_SECONDS = 5.0


def is_short(replay_id: int) -> bool:
    """Whether a replay takes no longer than somebody waits for it, as its fits took when they were made."""
    with transaction() as session:
        asked = session.get(Replay, replay_id)
        if asked is None:
            return True
        of_check = select(RunCheck.fits).where(RunCheck.run_id == asked.run_id, RunCheck.number == asked.number)
        fits = session.scalars(of_check).first() or []
        seconds = session.scalar(select(func.sum(Fit.seconds)).where(Fit.key.in_(fits)))
        return (seconds or 0.0) <= _SHORT_SECONDS


def carry_out(replay_id: int) -> None:
    """Replays an exhibit, as :func:`brookfall.engine.leases.carry_out` does; that it failed is entered too."""
    leases.carry_out(
        Replay,
        replay_id,
        lambda worker: _replay(replay_id, worker),
        lambda worker, said: _end(replay_id, worker, state="failed", said=said),
    )


def _replay(replay_id: int, worker: str) -> None:
    with transaction() as session:
        asked = session.get_one(Replay, replay_id)
        run_id, number = asked.run_id, asked.number
        (before,) = get_exhibits(session, run_id, number)
    laid = lay_out(run_id)

    def tell(done: int, needed: int) -> None:
        leases.renew(Replay, replay_id, worker, done=done, needed=needed)

    found = replay(laid.bench, laid.asked[number], before, tell)
    lines = [str(difference) for difference in found.differences]
    _end(replay_id, worker, state="done", outcome=found.outcome, said=found.words, differences=lines)


def _end(replay_id: int, worker: str, **told: object) -> None:
    with transaction() as session:
        asked = leases.end(session, Replay, replay_id, worker, **told)
        person = session.get_one(Person, asked.by_id)
        subject = f"exhibit {asked.number} of run {asked.run_id}: {asked.said}"
        audit_log.append(session, person, "replayed an exhibit", subject, case_id=asked.case_id)
