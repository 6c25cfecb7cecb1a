"""What a worker does with a retest: lays both versions out, makes what fits are missing, compares, keeps the result."""

from collections.abc import Callable, Sequence
from dataclasses import replace

from brookfall.core.check.bench import Bench
from brookfall.core.fit.request import FitJob, gather
from brookfall.core.retest.before_and_after import RetestResult, Side, before_and_after
from brookfall.core.retest.evidence_file import Evidence, evidence_of
from brookfall.core.retest.run import Asked, ask, evaluate
from brookfall.desk.bench import added_to, bench_of, marks_of
from brookfall.desk.retests import other_version_on_bench, settle
from brookfall.engine import leases
from brookfall.engine.runs import make_fit
from brookfall.records import ledger
from brookfall.records.cases import Case
from brookfall.records.database import transaction
from brookfall.records.exhibits import get_exhibits
from brookfall.records.retests import Retest
from brookfall.records.runs import Run

Tell = Callable[[int, int], None]


def carry_out(retest_id: int) -> None:
    """Carries a retest out, as :func:`brookfall.engine.leases.carry_out` does."""
    leases.carry_out(Retest, retest_id, lambda worker: _carry_out(retest_id, worker))


def _carry_out(retest_id: int, worker: str) -> None:
    def tell(done: int, needed: int) -> None:
        leases.renew(Retest, retest_id, worker, done=done, needed=needed)

    with transaction() as session:
        asked = session.get_one(Retest, retest_id)
        numbers = {str(name): int(number) for number, name in asked.checks.items()}
        case, on = asked.case, asked.on_case
        old = _bench_as_run(bench_of(session, case), session.get_one(Run, asked.run_id), tuple(numbers))
        other = other_version_on_bench(session, case, on, tuple(numbers))
        cited = tuple(one for one in get_exhibits(session, asked.run_id) if one.check in numbers)
        versions, package = (case.version, on.version), on.package_sha256
        added = added_to(case) if other.added else ()
    before, after = _Laid(old, numbers), _Laid(other.bench, numbers)
    _make_missing((before, after), tell)
    exhibits = tuple(evaluate(one, other.bench, after.ledger) for one in after.asked)
    result = before_and_after(
        Side(versions[0], old, before.ledger, cited), Side(versions[1], other.bench, after.ledger, exhibits)
    )
    evidence = evidence_of(package, other.bench.plan, other.bench.subject.roles, exhibits, other.changes, tuple(added))
    _end(retest_id, worker, result, evidence)


class _Laid:
    """A side laid out: what its checks asked for, and all of it that is kept already."""

    def __init__(self, bench: Bench, numbers: dict[str, int]) -> None:
        self.bench = bench
        self.asked: tuple[Asked, ...] = ask(bench, numbers)
        needs = [need for one in self.asked for need in one.needs]
        with transaction() as session:
            self.ledger = ledger.load(session, needs)
        kept, failed = self.ledger.readings, self.ledger.failures
        self.missing: tuple[FitJob, ...] = gather(
            [need for need in needs if need.fit.key not in failed and (need.fit.key, need.reading.key) not in kept]
        )


def _bench_as_run(bench: Bench, run: Run, checks: Sequence[str]) -> Bench:
    """The bench of the case as its run had it, with the cited checks alone."""
    plan = bench.plan.model_copy(update={"checks": tuple(checks)})
    return replace(bench, plan=plan, marks=marks_of(run))


def _make_missing(sides: Sequence[_Laid], tell: Tell) -> None:
    """Makes the fits that are not kept; they are kept nowhere else, as no run asked for them."""
    needed = sum(len(side.missing) for side in sides)
    done = 0
    tell(done, needed)
    for side in sides:
        for job in side.missing:
            result = make_fit(job, side.bench.subject)
            if result.failure:
                side.ledger.failures[result.fit] = result.failure
            for key, values in result.readings.items():
                side.ledger.readings[result.fit, key] = values
            side.ledger.durations[result.fit] = result.seconds
            side.ledger.remarks[result.fit] = tuple(result.warnings)
            done += 1
            tell(done, needed)


def _end(retest_id: int, worker: str, result: RetestResult, evidence: Evidence) -> None:
    with transaction() as session:
        # The case first, as whoever acts on a finding locks it.
        case_id = session.get_one(Retest, retest_id).case_id
        session.get_one(Case, case_id, with_for_update=True)
        asked = leases.end(session, Retest, retest_id, worker, state="done")
        settle(session, asked, result, evidence.to_json().encode())
