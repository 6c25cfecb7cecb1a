"""Replay: a reviewer has an exhibit fitted and computed again; whoever may see it sees whether it is the same."""

from typing import Protocol

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import ForbiddenError, MissingError, UserError
from brookfall.desk import people
from brookfall.desk.docket import latest_run
from brookfall.desk.views import ReplayView
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.contents import exhibits_now
from brookfall.records.database import transaction
from brookfall.records.erasures import refuse_without_rows
from brookfall.records.people import Person
from brookfall.records.runs import Replay, RunCheck

_MOST_LINES = 50


class Replayers(Protocol):
    """Hands a replay to a worker; a lost message costs seconds."""

    def replay(self, replay_id: int) -> None: ...


def ask_replay(person_id: int, case_id: int, number: int, queue: Replayers) -> int:
    """Enters the replay of an exhibit of the latest run and wakes a worker; one that goes on already is given back."""
    with transaction() as session:
        person = people.person_of(session, person_id)
        case = _replayed_case(session, person, case_id)
        run = latest_run(session, case_id)
        found = exhibits_now(session, case, run, number)
        if run is None or not found:
            raise MissingError(f"Exhibit {number} is not there.", todo="Run the plan first.")
        if found[0].state != "done":
            raise UserError(
                f"Exhibit {number} is {found[0].state.replace('_', ' ')}, so there is nothing to compare with.",
                todo="Run what changed first." if found[0].state == "stale" else "Replay another exhibit.",
            )
        same = select(Replay).where(Replay.run_id == run.id, Replay.number == number)
        open_one = session.scalars(same.where(Replay.state.in_(("waiting", "leased")))).first()
        if open_one is None:
            fits = session.scalars(
                select(RunCheck.fits).where(RunCheck.run_id == run.id, RunCheck.number == number)
            ).one()
            open_one = Replay(
                case_id=case.id,
                run_id=run.id,
                number=number,
                by_id=person.id,
                asked=now(),
                state="waiting",
                attempts=0,
                done=0,
                needed=len(fits),
                said="",
                differences=[],
            )
            session.add(open_one)
            audit_log.append(
                session, person, "asked for a replay", f"exhibit {number} of run {run.id}", case_id=case.id
            )
        session.flush()
        replay_id = open_one.id
    queue.replay(replay_id)
    return replay_id


def replay_view(session: Session, person: Person, case_id: int, number: int) -> ReplayView:
    """The newest replay of an exhibit of the latest run; an empty one where nobody asked."""
    people.case_for(session, person, case_id)
    run = latest_run(session, case_id)
    newest = None
    if run is not None:
        same = select(func.max(Replay.id)).where(Replay.run_id == run.id, Replay.number == number)
        replay_id = session.scalar(same)
        newest = None if replay_id is None else session.get_one(Replay, replay_id)
    if newest is None:
        return ReplayView(
            state=None,
            before=0,
            done=0,
            needed=0,
            outcome=None,
            said="",
            differences=[],
            by=None,
            asked=None,
            finished=None,
        )
    return ReplayView.model_validate(
        {
            "state": newest.state,
            "before": _before(session, newest),
            "done": newest.done,
            "needed": newest.needed,
            "outcome": newest.outcome,
            "said": newest.said,
            "differences": newest.differences[:_MOST_LINES],
            "by": people.person_of(session, newest.by_id).name,
            "asked": newest.asked,
            "finished": newest.finished,
        }
    )


def _before(session: Session, replay: Replay) -> int:
    if replay.state != "waiting":
        return 0
    earlier = select(func.count(Replay.id)).where(Replay.state.in_(("waiting", "leased")), Replay.id < replay.id)
    return session.scalar(earlier) or 0


def cancel_replay(session: Session, person: Person, case_id: int, number: int) -> ReplayView:
    """Ends a replay that goes on; UserError where none does."""
    _replayed_case(session, person, case_id)
    run = latest_run(session, case_id)
    going = select(Replay).where(
        Replay.run_id == (run.id if run else None), Replay.number == number, Replay.state.in_(("waiting", "leased"))
    )
    found = session.scalars(going.with_for_update()).all()
    if not found:
        raise UserError("No replay of this exhibit is going on.", todo="There is nothing to cancel.")
    for one in found:
        one.state, one.finished, one.lease_until = "cancelled", now(), None
    session.flush()
    return replay_view(session, person, case_id, number)


def _replayed_case(session: Session, person: Person, case_id: int) -> Case:
    case = people.case_for(session, person, case_id)
    refuse_without_rows(case)
    if not people.may_replay(person, case):
        raise ForbiddenError(
            "Only reviewers start and end replays here.", todo="Replay the evidence file by the command line."
        )
    return case
