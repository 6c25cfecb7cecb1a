"""What a plan comes to, counted once: which fits each of its checks reads, and which checks can't be carried out.

Laying a plan out makes the rows of every fit and the hash of each, by the hundred; what is kept of it here is small,
and holds until the case or its plan changes.
"""

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from sqlalchemy.orm import Session

from brookfall.core.check.bench import Bench
from brookfall.core.fit.trial_fits import trial_key
from brookfall.core.foundation import digest
from brookfall.core.retest.run import ask, jobs_of
from brookfall.records import ledger
from brookfall.records.cases import Case
from brookfall.records.contents import contents_of, kept_exhibits, layout_key
from brookfall.records.recent import last_few


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


def counts_of(case: Case, bench: Bench) -> PlanCounts:
    """The counts of a case's plan as both are now; ``bench`` is the case's."""
    return _count(digest.of_json([layout_key(case), case.changes, case.added, case.label_marks]), bench)


def checks_to_run(session: Session, case: Case, counts: PlanCounts) -> list[str]:
    """The checks of the plan that no exhibit of the case answers as plan and case are now."""
    kept = kept_exhibits(session, case, contents_of(case))
    return [check for check in counts.reads if check not in kept]


def missing_fits(session: Session, counts: PlanCounts, checks: Iterable[str]) -> set[str]:
    """The keys of those fits of some checks that have still to be made."""
    return ledger.missing_readings(session, counts.readings_of(checks))


@last_few(16)
def _count(_key: str, bench: Bench) -> PlanCounts:
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
