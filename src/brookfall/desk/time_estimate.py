"""About how long a plan's fits will take, from small trial fits that a worker makes while the plan is written."""

from collections.abc import Iterable
from typing import Protocol

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from brookfall.core.fit.request import FitJob, FitRequest
from brookfall.core.fit.trial_fits import Trial, trial_key, try_fit
from brookfall.core.foundation.errors import UserError
from brookfall.core.retest.run import ask, jobs_of
from brookfall.desk import people
from brookfall.desk.bench import bench_of
from brookfall.desk.views import EstimateView
from brookfall.records import ledger
from brookfall.records.cases import Case
from brookfall.records.contents import changed_checks
from brookfall.records.database import transaction
from brookfall.records.people import Person
from brookfall.records.runs import Trial as StoredTrial


class Triers(Protocol):
    """Hands trial fits to a worker; a lost message only means that the next request asks again."""

    def trial(self, case_id: int) -> None: ...


def estimate_view(session: Session, person: Person, case_id: int, triers: Triers) -> EstimateView:
    """Seconds of one worker for the fits that are not made yet; None while trials are made, or none can be."""
    case = people.case_for(session, person, case_id)
    try:
        jobs = _missing_jobs(session, case)
    except UserError:
        return EstimateView(ready=True, fits=0, seconds=None)
    kinds = {trial_key(job.fit) for job in jobs}
    known = _known(session, kinds)
    if kinds - set(known):
        triers.trial(case.id)
        return EstimateView(ready=False, fits=len(jobs), seconds=None)
    return EstimateView(ready=True, fits=len(jobs), seconds=_seconds(jobs, known))


def try_and_keep(case_id: int) -> None:
    """Makes the trial fits that a case's plan has none of yet, in a worker; each is kept as soon as it is made."""
    with transaction() as session:
        case = session.get_one(Case, case_id)
        jobs = _missing_jobs(session, case)
        subject = bench_of(session, case).subject
        wanted = _largest({trial_key(job.fit): job.fit for job in jobs}, jobs)
        known = set(_known(session, wanted))
    for key, fit in wanted.items():
        if key in known:
            continue
        made = try_fit(fit, subject)
        row = {
            "key": key,
            "small_rows": made.rows[0],
            "small_seconds": made.seconds[0],
            "large_rows": made.rows[1],
            "large_seconds": made.seconds[1],
            "failure": made.failure,
        }
        with transaction() as session:
            session.execute(insert(StoredTrial).values(row).prefix_with("IGNORE"))


def _missing_jobs(session: Session, case: Case) -> list[FitJob]:
    """The fits that are not made yet, of the checks that are to be run."""
    bench = bench_of(session, case)
    _ = bench.split.parts
    jobs = jobs_of(changed_checks(session, case, ask(bench)))
    keys = ledger.missing(session, jobs)
    return [job for job in jobs if job.fit.key in keys]


def _largest(kinds: dict[str, FitRequest], jobs: Iterable[FitJob]) -> dict[str, FitRequest]:
    """Of each kind the fit with the most rows."""
    for job in jobs:
        key = trial_key(job.fit)
        if len(job.fit.train) > len(kinds[key].train):
            kinds[key] = job.fit
    return kinds


def _known(session: Session, kinds: Iterable[str]) -> dict[str, Trial]:
    found = session.scalars(select(StoredTrial).where(StoredTrial.key.in_(list(kinds))))
    return {
        one.key: Trial((one.small_rows, one.large_rows), (one.small_seconds, one.large_seconds), one.failure)
        for one in found
    }


def _seconds(jobs: Iterable[FitJob], known: dict[str, Trial]) -> float:
    return sum(job.fit.times * known[trial_key(job.fit)].seconds_for(len(job.fit.train)) for job in jobs)
