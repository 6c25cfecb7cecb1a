"""Running a plan: lock, hand out, follow, cancel. The database is the truth; the queue only wakes workers."""

from collections.abc import Mapping, Sequence, Set
from typing import Protocol

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session

from brookfall.core.check.registry import title_of
from brookfall.core.check.standard_plan import known_checks
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.desk import people
from brookfall.desk.docket import latest_run, mark_of
from brookfall.desk.plan import lock
from brookfall.desk.views import CheckProgress, ExhibitLine, ExhibitView, RunView
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.contents import contents_of, exhibits_now, kept_exhibits, stale_checks
from brookfall.records.database import transaction
from brookfall.records.exhibits import copy_exhibit, heads_of
from brookfall.records.people import Person
from brookfall.records.runs import Fit, Run, RunCheck, RunFit


class Queue(Protocol):
    """Wakes the workers; a lost message costs seconds, never a fit."""

    def wake(self, run_id: int) -> None: ...


def lock_and_run(person_id: int, case_id: int, queue: Queue) -> int:
    """Locks the plan, enters the run, wakes the workers, the first of which enters its fits; gives the run's id."""
    with transaction() as session:
        person = people.person_of(session, person_id)
        run = _enter(session, person, case_id)
        run_id = run.id
    queue.wake(run_id)
    return run_id


def _enter(session: Session, person: Person, case_id: int) -> Run:
    case = people.reviewed_case(session, person, case_id)
    old = latest_run(session, case_id)
    if old is not None and old.state == "running":
        raise UserError("A run is going on.", todo="Wait for it or cancel it.")
    checks = known_checks(lock(session, person, case).plan).checks
    numbers = _numbers(session, case_id, checks)
    contents = contents_of(case)
    kept = kept_exhibits(session, case, contents)
    run = Run(case_id=case.id, state="running", by_id=person.id, started=now(), label_marks=case.label_marks)
    session.add(run)
    session.flush()
    for name in checks:
        session.add(
            RunCheck(
                run_id=run.id,
                number=numbers[name],
                name=name,
                content=contents[name],
                fits=[],
                state="done" if name in kept else "waiting",
                attempts=0,
            )
        )
        if name in kept:
            copy_exhibit(session, kept[name], run.id, numbers[name])
    changed = [name for name in checks if name not in kept]
    again = f" of {len(checks)}; the others are of this plan already" if kept else ""
    audit_log.append(
        session,
        person,
        "started a run",
        f"run {run.id}, {len(changed)} checks{again}",
        case_id=case.id,
        after={"checks": changed},
    )
    return run


def _numbers(session: Session, case_id: int, checks: Sequence[str]) -> dict[str, int]:
    """The number of each check's exhibit: the one it has had in this case, so that what was cited keeps its name."""
    query = select(RunCheck.name, RunCheck.number).join(Run, Run.id == RunCheck.run_id).where(Run.case_id == case_id)
    had = {name: number for name, number in session.execute(query.order_by(RunCheck.run_id))}  # noqa: C416 - rows
    next_number = max(had.values(), default=0) + 1
    new = [name for name in checks if name not in had]
    return had | {name: next_number + place for place, name in enumerate(new)}


def cancel(session: Session, person: Person, case_id: int) -> RunView:
    """Ends the run; exhibits and fits that are there are kept."""
    case = people.reviewed_case(session, person, case_id)
    if not stop(session, person, case):
        raise UserError("No run is going on.", todo="There is nothing to cancel.")
    return run_view(session, person, case_id)


def stop(session: Session, person: Person, case: Case) -> bool:
    """Ends the run of a case that is going on, if one is; whether there was one."""
    run = latest_run(session, case.id)
    if run is None or run.state != "running":
        return False
    run.state, run.finished = "cancelled", now()
    session.execute(
        update(RunCheck).where(RunCheck.run_id == run.id, RunCheck.state != "done").values(state="cancelled")
    )
    audit_log.append(session, person, "cancelled a run", f"run {run.id}", case_id=case.id)
    session.flush()
    return True


def run_view(session: Session, person: Person, case_id: int) -> RunView:
    """How far the latest run is, per check, and the exhibits that are there."""
    case = people.case_for(session, person, case_id)
    run = latest_run(session, case_id)
    if run is None:
        return RunView(
            id=None,
            plan_name=case.plan_name,
            state=None,
            started=None,
            laid_out=None,
            finished=None,
            done=0,
            needed=0,
            failed=0,
            seconds_left=None,
            beside=0,
            checks=[],
            exhibits=[],
        )
    joined = select(Fit.key, Fit.state, Fit.worker, RunFit.seconds).join(RunFit, RunFit.fit_key == Fit.key)
    fits = session.execute(joined.where(RunFit.run_id == run.id)).all()
    states = {key: state for key, state, _, _ in fits}
    finished = {key for key, state in states.items() if state in ("done", "failed")}
    checks = session.scalars(select(RunCheck).where(RunCheck.run_id == run.id).order_by(RunCheck.number))
    stale = stale_checks(session, case, run)
    return RunView(
        id=run.id,
        plan_name=case.plan_name,
        state=run.state,
        started=run.started,
        laid_out=run.laid_out,
        finished=run.finished,
        done=len(finished),
        needed=len(states),
        failed=sum(state == "failed" for state in states.values()),
        seconds_left=_seconds_left(
            run,
            {key: seconds for key, _, _, seconds in fits},
            finished,
            len({worker for _, state, worker, _ in fits if state == "leased"}),
        ),
        beside=_beside(session, run),
        checks=[
            CheckProgress(
                number=check.number,
                name=check.name,
                title=title_of(check.name)[0],
                question=title_of(check.name)[1],
                state=check.state,
                done=sum(key in finished for key in check.fits),
                needed=len(check.fits),
            )
            for check in checks
        ],
        exhibits=[
            ExhibitLine(
                number=head.number,
                name=head.name,
                title=head.title,
                question=head.question,
                state="stale" if head.name in stale and head.state == "done" else head.state,
                standing=None if head.standing is None else mark_of([(head.standing, head.open)]),
            )
            for head in heads_of(session, run.id)
        ],
    )


def _seconds_left(run: Run, seconds: Mapping[str, float], finished: Set[str], workers: int) -> float | None:
    """As its fits were thought to take, by the workers that are at it; the more is done, the more as that part took.

    None where nobody knows what a fit takes.
    """
    whole = sum(seconds.values())
    if run.state != "running" or whole == 0:
        return None
    at_it = max(workers, 1)
    made = sum(seconds[key] for key in finished)
    left = (whole - made) / at_it
    if made == 0:
        return left
    slower = (now() - run.started).total_seconds() / (made / at_it)
    return left * (1 + made / whole * (slower - 1))


def _beside(session: Session, run: Run) -> int:
    """How many other runs share the workers with one that goes on."""
    if run.state != "running":
        return 0
    return session.scalar(select(func.count(Run.id)).where(Run.state == "running", Run.id != run.id)) or 0


def exhibit_view(session: Session, person: Person, case_id: int, number: int) -> ExhibitView:
    """One exhibit of the latest run, whole; MissingError while it is not there."""
    case = people.case_for(session, person, case_id)
    run = latest_run(session, case_id)
    found = exhibits_now(session, case, run, number)
    if run is None or not found:
        raise MissingError(f"Exhibit {number} is not there yet.", todo="Wait for its check, or run the plan.")
    return ExhibitView(run_id=run.id, exhibit=found[0])
