"""What a plan comes to, counted once: which fits each of its checks reads, and which checks can't be carried out.

Laying a plan out makes the rows of every fit and the hash of each, by the hundred. A worker does it where there are
many rows; what is kept of it is small, and holds until the case, its plan or the program changes.
"""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Protocol

from pydantic import TypeAdapter
from sqlalchemy import delete
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from brookfall.core.check.bench import Bench
from brookfall.core.fit.trial_fits import trial_key
from brookfall.core.foundation import digest
from brookfall.core.foundation.environment import environment
from brookfall.core.foundation.errors import UserError
from brookfall.core.retest.run import ask, jobs_of
from brookfall.desk.bench import bench_of
from brookfall.records import ledger
from brookfall.records.cases import Case, KeptCounts
from brookfall.records.contents import contents_of, kept_exhibits, layout_key
from brookfall.records.database import transaction
from brookfall.records.recent import last_few

AT_ONCE = 2_000
"""Rows of a table whose plan is counted while somebody waits: in 0.3 s where the plan is that of tier 1."""


@dataclass(frozen=True)
class CountedFit:
    """A distinct fit: the rows that it learns from, how many fits of that size it stands for, its kind of trial."""

    rows: int
    times: int
    kind: str


@dataclass(frozen=True)
class PlanCounts:
    """``reads`` are the readings of each check, by check and fit; ``excluded`` says why a check can't be done."""

    fits: Mapping[str, CountedFit]
    reads: Mapping[str, Mapping[str, frozenset[str]]]
    excluded: Mapping[str, str]

    @property
    def shared(self) -> int:
        """How many distinct fits more than one check reads."""
        readers = Counter(key for of_check in self.reads.values() for key in of_check)
        return sum(count > 1 for count in readers.values())

    def readings_of(self, checks: Iterable[str]) -> dict[str, set[str]]:
        """What some checks read together, by fit."""
        wanted: dict[str, set[str]] = {}
        for check in checks:
            for key, readings in self.reads[check].items():
                wanted.setdefault(key, set()).update(readings)
        return wanted


class Counters(Protocol):
    """Hands counting to a worker; a lost message only means that the next request asks again."""

    def count(self, case_id: int) -> None: ...


_COUNTS: TypeAdapter[PlanCounts] = TypeAdapter(PlanCounts)


class _UncountedError(Exception):
    """A worker has still to count it."""


def counts_of(session: Session, case: Case, bench: Bench, counters: Counters) -> PlanCounts | None:
    """The counts of a case's plan as both are now, ``bench`` being the case's; None while a worker counts."""
    try:
        return _counts(_key(case), session, case, bench)
    except _UncountedError:
        counters.count(case.id)
        return None


def count_and_keep(case_id: int) -> None:
    """Counts what a case's plan comes to, in a worker, unless that was done; in place of what was kept before."""
    with transaction() as session:
        case = session.get_one(Case, case_id)
        key = _key(case)
        if session.get(KeptCounts, (case_id, key)) is not None:
            return
        try:
            counts = _count(bench_of(session, case))
        except UserError:
            return  # the plan's page says what is wrong by itself
    row = {"case_id": case_id, "key": key, "content": _COUNTS.dump_python(counts, mode="json")}
    with transaction() as session:
        session.execute(delete(KeptCounts).where(KeptCounts.case_id == case_id))
        session.execute(insert(KeptCounts).values(row))


def _key(case: Case) -> str:
    """Names what the counts are of: equal keys, equal counts."""
    program = environment()["program"]
    return digest.of_json([layout_key(case), case.changes, case.added, case.label_marks, program])


def checks_to_run(session: Session, case: Case, counts: PlanCounts) -> list[str]:
    """The checks of the plan that no exhibit of the case answers as plan and case are now."""
    kept = kept_exhibits(session, case, contents_of(case))
    return [check for check in counts.reads if check not in kept]


def missing_fits(session: Session, counts: PlanCounts, checks: Iterable[str]) -> set[str]:
    """The keys of those fits of some checks that have still to be made."""
    return ledger.missing_readings(session, counts.readings_of(checks))


@last_few(16)
def _counts(key: str, session: Session, case: Case, bench: Bench) -> PlanCounts:
    kept = session.get(KeptCounts, (case.id, key))
    if kept is not None:
        return _COUNTS.validate_python(kept.content)
    if case.n_rows > AT_ONCE:
        raise _UncountedError
    return _count(bench)


def _count(bench: Bench) -> PlanCounts:
    asked = ask(bench)
    reads: dict[str, Mapping[str, frozenset[str]]] = {}
    for one in asked:
        of_check: dict[str, set[str]] = {}
        for need in one.needs:
            of_check.setdefault(need.fit.key, set()).add(need.reading.key)
        reads[one.check.name] = {key: frozenset(readings) for key, readings in of_check.items()}
    fits = {
        job.fit.key: CountedFit(rows=len(job.fit.train), times=job.fit.times, kind=trial_key(job.fit))
        for job in jobs_of(asked)
    }
    return PlanCounts(fits, reads, {one.check.name: one.reason for one in asked if one.reason})
