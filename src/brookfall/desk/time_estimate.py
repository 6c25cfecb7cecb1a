"""About how long a plan's fits will take, from small trial fits that a worker makes while the plan is written."""

from collections.abc import Iterable, Sequence
from typing import Protocol

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from brookfall.core.fit.request import AnyFit, FitJob
from brookfall.core.fit.trial_fits import Trial, trial_key, try_fit
from brookfall.core.foundation.errors import UserError
from brookfall.core.retest.order import order_of
from brookfall.core.retest.run import Asked, ask, jobs_of
from brookfall.desk import people
from brookfall.desk.bench import bench_at_hand, bench_of
from brookfall.desk.plan_counts import Counters, checks_to_run, counts_of, missing_fits
from brookfall.desk.views import EstimateView
from brookfall.records import ledger
from brookfall.records.cases import Case
from brookfall.records.contents import changed_checks
from brookfall.records.database import transaction
from brookfall.records.people import Person
from brookfall.records.runs import Trial as StoredTrial

_SECONDS_A_ROW = 1e-5
"""Of a fit whose kind nobody has tried, nor any other of its run: what counts then is the order alone."""


class Triers(Counters, Protocol):
    """Hands counts and trial fits to a worker; a lost message only means that the next request asks again."""

    def trial(self, case_id: int) -> None: ...


def estimate_view(session: Session, person: Person, case_id: int, triers: Triers) -> EstimateView:
    """Seconds of one worker for the fits that are not made yet; None while trials are made, or none can be."""
    case = people.case_for(session, person, case_id)
    try:
        bench = bench_at_hand(session, case)
        _ = bench.split.parts
        counts = counts_of(session, case, bench, triers)
    except UserError:
        return EstimateView(ready=True, fits=0, seconds=None)
    if counts is None:
        return EstimateView(ready=False, fits=0, seconds=None)
    fits = [counts.fits[key] for key in missing_fits(session, counts, checks_to_run(session, case, counts))]
    kinds = {fit.kind for fit in fits}
    known = _known(session, kinds)
    if kinds - set(known):
        triers.trial(case.id)
        return EstimateView(ready=False, fits=len(fits), seconds=None)
    seconds = sum(fit.times * known[fit.kind].seconds_for(fit.rows) for fit in fits)
    return EstimateView(ready=True, fits=len(fits), seconds=seconds)


def fits_in_order(session: Session, asked: Sequence[Asked]) -> dict[str, float]:
    """About how many seconds each fit takes that some checks still need, in the order in which a run makes them.

    Where no trial of its kind was made, as long a row as the others take on average.
    """
    jobs = _not_made(session, jobs_of(tuple(asked)))
    kinds = {job.fit.key: trial_key(job.fit) for job in jobs}
    known = _known(session, kinds.values())
    told = {key: known[kind] for key, kind in kinds.items() if kind in known}
    seconds = {job.fit.key: told[job.fit.key].seconds_for(len(job.fit.train)) for job in jobs if job.fit.key in told}
    rows = sum(len(job.fit.train) for job in jobs if job.fit.key in told)
    a_row = sum(seconds.values()) / rows if rows else _SECONDS_A_ROW
    all_of_them = {job.fit.key: job.fit.times * seconds.get(job.fit.key, a_row * len(job.fit.train)) for job in jobs}
    return {key: all_of_them[key] for key in order_of(asked, all_of_them)}


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
    return _not_made(session, jobs_of(changed_checks(session, case, ask(bench))))


def _not_made(session: Session, jobs: Sequence[FitJob]) -> list[FitJob]:
    keys = ledger.missing(session, jobs)
    return [job for job in jobs if job.fit.key in keys]


def _largest(kinds: dict[str, AnyFit], jobs: Iterable[FitJob]) -> dict[str, AnyFit]:
    """Of each kind the fit with the most rows."""
    for job in jobs:
        key = trial_key(job.fit)
        if len(job.fit.train) > len(kinds[key].train):
            kinds[key] = job.fit
    return kinds


def _known(session: Session, kinds: Iterable[str]) -> dict[str, Trial]:
    found = session.scalars(select(StoredTrial).where(StoredTrial.key.in_(set(kinds))))
    return {
        one.key: Trial((one.small_rows, one.large_rows), (one.small_seconds, one.large_seconds), one.failure)
        for one in found
    }
