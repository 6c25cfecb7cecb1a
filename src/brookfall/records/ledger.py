"""The fit ledger in the database: what is waiting, who has it on lease, what was read."""

import io
from collections.abc import Iterable, Mapping, Set
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sqlalchemy import ColumnElement, DateTime, and_, case, func, select, text, update
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from brookfall.core.fit.execute import FitResult
from brookfall.core.fit.ledger import FitFailedError
from brookfall.core.fit.request import FitJob, Need
from brookfall.records.config import config
from brookfall.records.drafts import Draft
from brookfall.records.renditions import Rendition
from brookfall.records.retests import Retest
from brookfall.records.runs import Fit, Reading, Replay, Run, RunCheck, RunFit
from brookfall.records.scorings import Scoring

MOST_ATTEMPTS = 3
_AT_ONCE = 200
_KILLED = f"it ended its worker {MOST_ATTEMPTS} times (out of memory, or killed)"


def lease_end() -> ColumnElement[datetime]:
    """Until when a lease that begins now, or is renewed now, holds: by the database's clock, the one that all share."""
    microseconds = round(1e6 * config().lease_seconds)
    return func.timestampadd(text("MICROSECOND"), microseconds, func.utc_timestamp(), type_=DateTime)


def is_lost(
    table: type[Fit] | type[RunCheck] | type[Replay] | type[Retest] | type[Rendition] | type[Draft] | type[Scoring],
) -> ColumnElement[bool]:
    """Whether a row was leased to a worker that was not heard of since."""
    return and_(table.state == "leased", table.lease_until < func.utc_timestamp())


@dataclass
class StoredLedger:
    """The readings of some needs, taken from the database at once."""

    readings: dict[tuple[str, str], NDArray[np.float64]] = field(default_factory=dict)
    failures: dict[str, str] = field(default_factory=dict)
    durations: dict[str, float] = field(default_factory=dict)
    remarks: dict[str, tuple[str, ...]] = field(default_factory=dict)

    def scores(self, need: Need) -> NDArray[np.float64]:
        place = need.fit.key, need.reading.key
        if place not in self.readings and need.fit.key in self.failures:
            raise FitFailedError(self.failures[need.fit.key])
        return self.readings[place]

    def seconds(self, fit: str) -> float:
        return self.durations[fit]

    def warnings(self, fit: str) -> tuple[str, ...]:
        return self.remarks[fit]


def load(session: Session, needs: Iterable[Need]) -> StoredLedger:
    """A ledger of everything these needs ask for; what is not there yet is left out."""
    wanted = {(need.fit.key, need.reading.key) for need in needs}
    keys = {fit for fit, _ in wanted}
    ledger = StoredLedger()
    for fit in session.scalars(select(Fit).where(Fit.key.in_(keys))):
        ledger.durations[fit.key] = fit.seconds
        ledger.remarks[fit.key] = tuple(fit.warnings)
        if fit.state == "failed":
            ledger.failures[fit.key] = fit.failure or "no reason was kept"
    for reading in session.scalars(select(Reading).where(Reading.fit_key.in_(keys))):
        if (reading.fit_key, reading.key) in wanted:
            ledger.readings[reading.fit_key, reading.key] = unpacked(reading.data)
    return ledger


def packed(values: NDArray[np.float64]) -> bytes:
    """An array of any shape in NumPy's own open format."""
    held = io.BytesIO()
    np.save(held, np.ascontiguousarray(values, "<f8"), allow_pickle=False)
    return held.getvalue()


def unpacked(data: bytes) -> NDArray[np.float64]:
    """The array that was packed; never anything but numbers."""
    return np.asarray(np.load(io.BytesIO(data), allow_pickle=False), dtype=np.float64)


def enrol(session: Session, run_id: int, jobs: Iterable[FitJob], seconds: Mapping[str, float]) -> None:
    """Enters a run's fits. One already made is not made again, unless something new is to be read from it.

    ``seconds`` is about how long each that is to be made will take, in the order in which they are to be made.
    """
    # In the order of their keys: two runs that enter the same fits at once then wait for each other in one direction.
    jobs = sorted(jobs, key=lambda job: job.fit.key)
    keys, place = [job.fit.key for job in jobs], {key: number for number, key in enumerate(seconds)}
    held: dict[str, set[str]] = {key: set() for key in keys}
    for fit_key, key in session.execute(select(Reading.fit_key, Reading.key).where(Reading.fit_key.in_(keys))):
        held[fit_key].add(key)
    new = {"state": "waiting", "attempts": 0, "seconds": 0.0, "warnings": []}
    _insert(session, Fit, [{"key": job.fit.key, "content": job.fit.content, **new} for job in jobs])
    more = [job.fit.key for job in jobs if any(reading.key not in held[job.fit.key] for reading in job.readings)]
    session.execute(
        update(Fit)
        .where(Fit.key.in_(more), Fit.state.in_(("done", "failed")))
        .values(state="waiting", attempts=0, failure=None)
    )
    of_run = [{"fit_key": key, "place": place.get(key, 0), "seconds": seconds.get(key, 0.0)} for key in keys]
    _insert(session, RunFit, [{"run_id": run_id, **one} for one in of_run])


def _insert(session: Session, table: type[Fit] | type[RunFit], rows: list[dict[str, Any]]) -> None:
    """Enters rows that are not there yet, many in a statement: the connector takes two milliseconds for each."""
    for start in range(0, len(rows), _AT_ONCE):
        session.execute(insert(table).values(rows[start : start + _AT_ONCE]).prefix_with("IGNORE"))


def missing(session: Session, jobs: Iterable[FitJob]) -> set[str]:
    """The keys of those fits that have still to be made, or made again for something new to be read from them."""
    return missing_readings(session, {job.fit.key: {reading.key for reading in job.readings} for job in jobs})


def missing_readings(session: Session, wanted: Mapping[str, Set[str]]) -> set[str]:
    """The keys of those fits of which not everything that is wanted has been read, by what is wanted of each."""
    keys = {key: set(readings) for key, readings in wanted.items()}
    query = select(Reading.fit_key, Reading.key).where(Reading.fit_key.in_(keys))
    for fit_key, key in session.execute(query):
        keys[fit_key].discard(key)
    return {key for key, left in keys.items() if left}


def claim(session: Session, run_id: int, worker: str, most: int) -> list[str]:
    """Leases up to ``most`` waiting fits of a running run to a worker, the first in its order; the caller commits."""
    # Looked for first and locked after: a lock taken through the join would hold the run too.
    waiting = (
        select(Fit.key)
        .join(RunFit, RunFit.fit_key == Fit.key)
        .join(Run, Run.id == RunFit.run_id)
        .where(RunFit.run_id == run_id, Run.state == "running", Fit.state == "waiting")
        .order_by(RunFit.place)
    )
    keys, fits = session.scalars(waiting).all(), list[Fit]()
    for start in range(0, len(keys), most):
        # No more at a time than are wanted: out of more the database would choose, and not by their order.
        first = Fit.key.in_(keys[start : start + most])
        query = select(Fit).where(first, Fit.state == "waiting").with_for_update(skip_locked=True)
        fits = list(session.scalars(query))
        if fits:
            break
    for fit in fits:
        fit.state, fit.worker, fit.lease_until = "leased", worker, lease_end()
        fit.attempts += 1
    return sorted((fit.key for fit in fits), key=keys.index)


def give_back(session: Session, keys: Iterable[str], worker: str) -> None:
    """These fits were leased to this worker, which could not begin them; the attempt does not count."""
    session.execute(
        update(Fit)
        .where(Fit.key.in_(list(keys)), Fit.worker == worker, Fit.state == "leased")
        .values(state="waiting", worker=None, lease_until=None, attempts=Fit.attempts - 1)
    )


def renew(session: Session, keys: Iterable[str], worker: str) -> None:
    """The heartbeat: these fits are still being made by this worker."""
    session.execute(
        update(Fit)
        .where(Fit.key.in_(list(keys)), Fit.worker == worker, Fit.state == "leased")
        .values(lease_until=lease_end())
    )


def keep_first(session: Session, result: FitResult) -> None:
    """Keeps what was read of a fit that is still being made."""
    _keep(session, result)
    session.execute(
        update(Fit)
        .where(Fit.key == result.fit, Fit.state == "leased")
        .values(seconds=result.seconds, warnings=list(result.warnings))
    )


def _keep(session: Session, result: FitResult) -> None:
    for key, values in result.readings.items():
        row = {"fit_key": result.fit, "key": key, "data": packed(values)}
        session.execute(insert(Reading).values(row).prefix_with("IGNORE"))


def settle(session: Session, result: FitResult) -> None:
    """Keeps the readings of a fit. A double is harmless: equal keys hold equal bits."""
    _keep(session, result)
    session.execute(
        update(Fit)
        .where(Fit.key == result.fit)
        .values(
            state="failed" if result.failure else "done",
            failure=result.failure,
            seconds=result.seconds,
            warnings=list(result.warnings),
            lease_until=None,
            worker=None,
        )
    )


def sweep(session: Session) -> None:
    """Puts back what lost its lease; a fit that ended its worker three times is told as failed."""
    lost = is_lost(Fit)
    session.execute(update(Fit).where(lost, Fit.attempts >= MOST_ATTEMPTS).values(state="failed", failure=_KILLED))
    session.execute(update(Fit).where(lost).values(state="waiting", worker=None, lease_until=None))
    session.execute(update(RunCheck).where(is_lost(RunCheck)).values(state="waiting", lease_until=None))


def unfinished(session: Session, run_id: int) -> set[str]:
    """The run's fits that are neither done nor failed."""
    query = (
        select(Fit.key)
        .join(RunFit, RunFit.fit_key == Fit.key)
        .where(RunFit.run_id == run_id, Fit.state.in_(("waiting", "leased")))
    )
    return set(session.scalars(query))


def being_made(session: Session, run_id: int) -> set[str]:
    """The run's fits that a worker holds."""
    query = select(Fit.key).join(RunFit, RunFit.fit_key == Fit.key)
    return set(session.scalars(query.where(RunFit.run_id == run_id, Fit.state == "leased")))


@dataclass(frozen=True)
class Tally:
    """Fits done (failed ones included) and needed, and the seconds they took."""

    done: int
    needed: int
    seconds: float


def tally(session: Session, run_id: int) -> Tally:
    query = (
        select(func.count(), func.sum(case((Fit.state.in_(("done", "failed")), 1), else_=0)), func.sum(Fit.seconds))
        .select_from(Fit)
        .join(RunFit, RunFit.fit_key == Fit.key)
        .where(RunFit.run_id == run_id)
    )
    needed, done, seconds = session.execute(query).one()
    return Tally(int(done or 0), int(needed), float(seconds or 0))
