"""What a worker does with a run: claim fits, make them, keep what was read; then write the exhibits."""

import logging
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from functools import lru_cache

from sqlalchemy import delete, func, or_, select, update
from sqlalchemy.exc import OperationalError, SQLAlchemyError
from sqlalchemy.orm import Session

from brookfall.core.check.bench import Bench
from brookfall.core.fit.execute import FitResult, execute
from brookfall.core.fit.request import FitJob
from brookfall.core.fit.time_and_memory_limits import FitLimitError, limited, unbroken
from brookfall.core.retest.run import Asked, ask, evaluate, faulted, jobs_of
from brookfall.core.submission.subject import Subject
from brookfall.desk.bench import bench_of, marks_of
from brookfall.desk.time_estimate import fits_in_order
from brookfall.engine.heartbeat import heartbeat
from brookfall.engine.leases import this_worker
from brookfall.records import audit_log, ledger
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.database import alone, transaction
from brookfall.records.exhibits import put_exhibit
from brookfall.records.runs import Fit, Run, RunCheck, RunFit

_BATCH = 4
_QUICK_SECONDS = 0.4
_IDLE_SECONDS = 0.3

_log = logging.getLogger(__name__)


_HAS_FITS = select(RunFit.run_id).join(Fit, Fit.key == RunFit.fit_key).where(Fit.state == "waiting")
_HAS_CHECKS = select(RunCheck.run_id).where(RunCheck.state == "waiting")
_HELD = select(RunCheck.run_id).where(RunCheck.state.in_(("waiting", "leased")))
_OPEN = select(Run).where(
    Run.state == "running", or_(Run.id.in_(_HAS_FITS), Run.id.in_(_HAS_CHECKS), Run.id.not_in(_HELD))
)
"""The running runs that have work nobody holds, or nothing left but their end."""


class Laid:
    """A run laid out in this process: its bench, what each check asked, and its jobs by key."""

    def __init__(self, bench: Bench, numbers: dict[str, int]) -> None:
        self.bench = bench
        self.asked: dict[int, Asked] = {one.number: one for one in ask(bench, numbers)}
        self.jobs: dict[str, FitJob] = {job.fit.key: job for job in jobs_of(tuple(self.asked.values()))}


@lru_cache(maxsize=4)
def lay_out(run_id: int) -> Laid:
    """The run as it is worked on in this process; kept, as the plan of a run does not change."""
    with transaction() as session:
        run = session.get_one(Run, run_id)
        checks = select(RunCheck.name, RunCheck.number).where(RunCheck.run_id == run_id)
        numbers = {name: number for name, number in session.execute(checks)}  # noqa: C416 - rows, not pairs
        bench = bench_of(session, session.get_one(Case, run.case_id))
        # A deviation that was opened since may have added checks, which are not of this run.
        asked = tuple(check for check in bench.plan.checks if check in numbers)
        plan = bench.plan.model_copy(update={"checks": asked})
        laid = Laid(replace(bench, plan=plan, marks=marks_of(run)), numbers)
        if run.laid_out is not None:
            _enrol_anew(session, run_id, laid)
        return laid


def _enter_fits(run_id: int) -> bool:
    """Whether the fits of a run are entered: by this worker, if no other has or is about to."""
    with transaction() as session:
        if session.get_one(Run, run_id).laid_out is not None:
            return True
    with alone(f"enter the fits of run {run_id}") as mine:
        if not mine:
            return False
        laid = lay_out(run_id)
        with transaction() as session:
            run = _locked_run(session, run_id)
            if run.laid_out is None and run.state == "running":
                _enrol(session, run, laid)
            return True


def _enrol(session: Session, run: Run, laid: Laid) -> None:
    """Enters what each check reads, and the fits that are to be made, in their order."""
    changed: list[Asked] = []
    for check in session.scalars(select(RunCheck).where(RunCheck.run_id == run.id).order_by(RunCheck.number)):
        asked = laid.asked[check.number]
        check.fits = sorted({need.fit.key for need in asked.needs})
        if check.state != "done":
            changed.append(asked)
    jobs = jobs_of(tuple(changed))
    ledger.enrol(session, run.id, jobs, fits_in_order(session, changed))
    run.laid_out = now()
    audit_log.append(
        session,
        None,
        "laid out a run",
        f"run {run.id}, {len(jobs)} fits",
        case_id=run.case_id,
        after={"fits": sorted(job.fit.key for job in jobs)},
    )


def _enrol_anew(session: Session, run_id: int, laid: Laid) -> None:
    """Where the program changed under a running run: enters what it asks for now in place of what it asked for then.

    Exhibits that are there stay, and are stale where what they rest on has changed.
    """
    held = session.scalars(select(RunCheck).where(RunCheck.run_id == run_id, RunCheck.state != "done"))
    keys = {one.number: sorted({need.fit.key for need in one.needs}) for one in laid.asked.values()}
    changed = [check for check in held if check.number in keys and list(check.fits) != keys[check.number]]
    if not changed:
        return
    _log.warning("run %s was begun by another program; %s checks are entered anew", run_id, len(changed))
    for check in changed:
        check.fits, check.state, check.lease_until = keys[check.number], "waiting", None
    asked = tuple(laid.asked[check.number] for check in changed)
    ledger.enrol(session, run_id, jobs_of(asked), fits_in_order(session, asked))
    session.flush()
    wanted = {key for fits in session.scalars(select(RunCheck.fits).where(RunCheck.run_id == run_id)) for key in fits}
    session.execute(delete(RunFit).where(RunFit.run_id == run_id, RunFit.fit_key.not_in(wanted)))


def open_runs() -> list[int]:
    """Sweeps up lost leases and names the running runs that have work nobody holds, or nothing left but their end."""
    try:
        with transaction() as session:
            ledger.sweep(session)
            return [run.id for run in session.scalars(_OPEN)]
    except OperationalError as problem:
        _log.warning("the database did not answer: %s", problem)
        return []


def next_run() -> int | None:
    """The run whose turn it is: of the person who has waited longest for one, the run that has. None where all that is
    to be done is held."""
    with transaction() as session:
        runs = session.scalars(_OPEN).all()
        if not runs:
            return None
        # One that had no turn yet comes first; when it was entered is told by another machine's clock.
        since = {run.id: run.served or datetime.min for run in runs}
        person = {by: max(since[run.id] for run in runs if run.by_id == by) for by in {run.by_id for run in runs}}
        chosen = min(runs, key=lambda run: (person[run.by_id], since[run.id], run.id))
        session.execute(update(Run).where(Run.id == chosen.id).values(served=func.utc_timestamp(6)))
        return chosen.id


def is_running(run_id: int) -> bool:
    with transaction() as session:
        return session.scalar(select(Run.state).where(Run.id == run_id)) == "running"


def work_on(run_id: int, seconds: float, when_done: Callable[[int], None] = lambda _: None) -> bool:
    """Makes fits and writes exhibits of a run for about so long; whether anything of it is left to be done.

    A turn, not the whole run: looks and drafts of others, who wait for them, come in between. ``when_done`` is called
    where this turn ended the run.
    """
    worker = this_worker()
    if not _enter_fits(run_id):
        time.sleep(_IDLE_SECONDS)
        return True
    end, fits = time.monotonic() + seconds, 1
    while (began := time.monotonic()) < end:
        # Exhibits first: what can be read already does not wait for the last fit of another check.
        if _write_exhibit(run_id):
            continue
        if _make_fits(run_id, worker, fits):
            # Small fits go by the handful; long ones one by one, so that a turn ends when it should.
            fits = _BATCH if time.monotonic() - began < _QUICK_SECONDS else 1
            continue
        if not _others_at_work(run_id):
            if _finish(run_id):
                when_done(run_id)
            return False
        # All that is left is held by others; the turn is another run's.
        time.sleep(_IDLE_SECONDS)
        break
    return True


def _make_fits(run_id: int, worker: str, count: int) -> bool:
    with transaction() as session:
        keys = ledger.claim(session, run_id, worker, count)
    if not keys:
        return False
    try:
        laid = lay_out(run_id)
    except Exception:
        # What keeps this machine from laying the run out, such as a full disk, is no fault of the fits.
        with transaction() as session:
            ledger.give_back(session, keys, worker)
        raise
    results: list[FitResult] = []
    with heartbeat(lambda: _renew(keys, worker)):
        for key in keys:
            results.append(make_fit(laid.jobs[key], laid.bench.subject, _keep_first))
            if results[-1].seconds > _QUICK_SECONDS:
                # What rests on a long one does not wait for those after it.
                _settle(results)
                results = []
    _settle(results)
    return True


def _keep_first(result: FitResult) -> None:
    """Keeps what other exhibits wait for while the rest is read; where that fails it is kept with the rest."""
    try:
        with unbroken(), transaction() as session:
            ledger.keep_first(session, result)
    except SQLAlchemyError as problem:
        _log.warning("what was read first of a fit was not kept: %s", problem)


def _settle(results: list[FitResult]) -> None:
    with transaction() as session:
        for result in sorted(results, key=lambda result: result.fit):
            ledger.settle(session, result)


def make_fit(job: FitJob, subject: Subject, keep: Callable[[FitResult], None] = lambda _: None) -> FitResult:
    """One fit within the limits of time and memory that this server has; it fails where it needs more. ``keep`` as
    :func:`brookfall.core.fit.execute.execute` has it."""
    started = time.monotonic()
    try:
        with limited(config().fit_seconds, config().fit_megabytes):
            return execute(job, subject, keep)
    except FitLimitError as problem:
        # The clock ran out just before or after the fit itself.
        return FitResult(job.fit.key, {}, time.monotonic() - started, failure=str(problem))


def _renew(keys: list[str], worker: str) -> None:
    with transaction() as session:
        ledger.renew(session, keys, worker)


def _write_exhibit(run_id: int) -> bool:
    """Claims a check whose fits are all there, and writes its exhibit."""
    laid = lay_out(run_id)
    with transaction() as session:
        check = _claim_check(session, run_id, laid)
    if check is None:
        return False
    asked = laid.asked[check.number]
    try:
        with heartbeat(lambda: _renew_check(check.id)):
            with transaction() as session:
                kept = ledger.load(session, asked.needs)
            exhibit = evaluate(asked, laid.bench, kept)
    except Exception:  # noqa: BLE001 - a fault of ours in one check must not end the others
        _log.exception("run %s, check %s", run_id, check.name)
        exhibit = faulted(asked, laid.bench)
    with transaction() as session:
        run = _locked_run(session, run_id)
        mine = session.get_one(RunCheck, check.id, with_for_update=True)
        if run.state == "running" and mine.state != "done":
            put_exhibit(session, run.case_id, run.id, exhibit)
            mine.state, mine.lease_until = "done", None
    return True


def _claim_check(session: Session, run_id: int, laid: Laid) -> RunCheck | None:
    if session.get_one(Run, run_id).state != "running":
        return None
    missing, held = ledger.unfinished(session, run_id), ledger.being_made(session, run_id)
    waiting = select(RunCheck).where(RunCheck.run_id == run_id, RunCheck.state == "waiting")
    for check in session.scalars(waiting.order_by(RunCheck.number).with_for_update(skip_locked=True)):
        lacking = missing.intersection(check.fits)
        if not lacking or (lacking <= held and _is_read(session, laid.asked[check.number], lacking)):
            check.state, check.lease_until = "leased", ledger.lease_end()
            check.attempts += 1
            return check
    return None


def _is_read(session: Session, asked: Asked, fits: set[str]) -> bool:
    """Whether all that a check reads of these fits is there, though they are still being made."""
    wanted: dict[str, set[str]] = {}
    for need in asked.needs:
        if need.fit.key in fits:
            wanted.setdefault(need.fit.key, set()).add(need.reading.key)
    return not ledger.missing_readings(session, wanted)


def _renew_check(check_id: int) -> None:
    mine = update(RunCheck).where(RunCheck.id == check_id, RunCheck.state == "leased")
    with transaction() as session:
        session.execute(mine.values(lease_until=ledger.lease_end()))


def _others_at_work(run_id: int) -> bool:
    """Whether something of the run is still held by another worker, so that more may come free."""
    with transaction() as session:
        run = session.get_one(Run, run_id)
        if run.state != "running":
            return False
        open_checks = session.scalars(
            select(RunCheck.id).where(RunCheck.run_id == run_id, RunCheck.state.in_(("waiting", "leased")))
        ).all()
        return bool(open_checks)


def _locked_run(session: Session, run_id: int) -> Run:
    """The run, locked after its case: everybody locks in that order, so nobody waits in a circle."""
    case_id = session.scalars(select(Run.case_id).where(Run.id == run_id)).one()
    session.get_one(Case, case_id, with_for_update=True)
    return session.get_one(Run, run_id, with_for_update=True)


def _finish(run_id: int) -> bool:
    """Whether this call ended the run."""
    with transaction() as session:
        run = _locked_run(session, run_id)
        if run.state != "running":
            return False
        run.state, run.finished = "done", now()
        counted = ledger.tally(session, run_id)
        audit_log.append(
            session,
            None,
            "finished a run",
            f"run {run_id}, {counted.done} fits",
            case_id=run.case_id,
            after={"fits": counted.needed},
        )
        return True
