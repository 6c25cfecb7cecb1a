"""What a plan comes to is counted once, and a run's fits are entered by a worker: no request lays out fits."""

import json
from collections.abc import Callable

import pytest
from sqlalchemy import func, select

from brookfall.core.check.bench import Bench
from brookfall.core.plan.plan import Plan
from brookfall.core.retest.run import ask, jobs_of
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import subject_of
from brookfall.desk import plan_counts
from brookfall.launch.house import House
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case, KeptCounts
from brookfall.records.database import alone, transaction
from brookfall.records.runs import RunFit
from tests.api.conftest import Visitor
from tests.api.test_case import counted, excluded_in, finished, plan_of, taken
from tests.conftest import files_of, rows_csv, until

SignIn = Callable[[str], Visitor]
MANY = plan_counts.AT_ONCE + 300
CHECKS = ["profile", "holdout", "cross_validation", "coefficients"]


@pytest.fixture
def no_layout(monkeypatch: pytest.MonkeyPatch) -> None:
    """Whoever answers requests here may not lay out fits; the workers are processes of their own."""

    def never(*_: object) -> None:
        raise AssertionError("a request laid out fits")

    monkeypatch.setattr(plan_counts, "ask", never)
    monkeypatch.setattr("brookfall.core.retest.run.ask", never)


def large(visitor: SignIn, version: str, seed: int) -> tuple[Visitor, str, dict[str, bytes]]:
    files = files_of(csv=rows_csv(MANY, seed), claims=[], recipe={"family": "logistic", "settings": {}, "seed": seed})
    iris, base = taken(visitor, version, files)
    return iris, base, files


def kept_of(base: str) -> int:
    with transaction() as session:
        query = select(func.count()).select_from(KeptCounts).where(KeptCounts.case_id == int(base.rsplit("/", 1)[1]))
        return session.scalar(query) or 0


def test_a_worker_counts_and_what_it_counted_is_the_cores(visitor: SignIn, workers: House, no_layout: None) -> None:
    iris, base, files = large(visitor, "counted by a worker", 411)
    plan = plan_of(iris, base, checks=CHECKS)
    saved = iris.ask("PUT", f"{base}/plan", plan)
    assert saved.status_code == 200
    # What the fits do not tell is there at once.
    assert (saved.json["counted"], saved.json["fits"], saved.json["pending"]) == (False, None, None)
    assert sum(saved.json["sizes"].values()) == MANY
    view = counted(iris, base)
    bench = Bench(subject_of(package_from_files(files)), Plan.model_validate(view["plan"]))
    assert view["fits"] == view["pending"] == len(jobs_of(ask(bench)))
    assert view["to_run"] == len(CHECKS)
    # The next change is counted anew, in place of what was kept.
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["profile", "holdout"])).status_code == 200
    assert counted(iris, base)["fits"] < view["fits"]
    assert kept_of(base) == 1


def test_while_somebody_counts_nobody_else_does(visitor: SignIn, workers: House) -> None:
    from brookfall.engine.app import count

    iris, base, _ = large(visitor, "counted once", 412)
    case_id = int(base.rsplit("/", 1)[1])
    with alone(f"count {case_id}"):
        assert iris.get(f"{base}/plan")["counted"] is False
        count(case_id)
        assert kept_of(base) == 0
    assert counted(iris, base)["fits"] > 0
    # Excluded are the checks that the kept counts tell, not those of a fresh layout.
    with transaction() as session:
        told = set(session.scalars(select(KeptCounts.content["excluded"]).where(KeptCounts.case_id == case_id)).one())
    assert set(excluded_in(iris.get(f"{base}/plan"))) == told


def test_an_estimate_waits_for_the_count(visitor: SignIn, workers: House) -> None:
    iris, base, _ = large(visitor, "estimated after a count", 413)
    with alone(f"count {base.rsplit('/', 1)[1]}"):
        assert iris.get(f"{base}/plan/estimate") == {"ready": False, "fits": 0, "seconds": None}
    assert until(lambda: bool(iris.get(f"{base}/plan/estimate")["ready"]), 60)


def test_a_plan_that_cant_be_carried_out_is_not_counted(visitor: SignIn, workers: House) -> None:
    iris, base, _ = large(visitor, "can't be carried out", 414)
    plan = plan_of(iris, base)
    plan["plan"]["parts"] = {"kind": "given"}
    answer = iris.ask("PUT", f"{base}/plan", plan)
    assert answer.status_code == 200, answer.text
    assert answer.json["problem"]
    assert answer.json["counted"] is True
    before = kept_of(base)
    plan_counts.count_and_keep(int(base.rsplit("/", 1)[1]))
    # What is kept is of the plan as it was before, if that was counted.
    assert kept_of(base) == before
    assert iris.get(f"{base}/plan")["fits"] is None


def test_a_run_is_entered_without_its_fits_and_a_worker_lays_it_out(
    visitor: SignIn, workers: House, no_layout: None
) -> None:
    iris, base, _ = large(visitor, "laid out by a worker", 415)
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=CHECKS)).status_code == 200
    # Nobody works meanwhile: a check without fits is done before the answer is read.
    workers.keeper.stop("worker-runs", patience=0)
    try:
        begun = iris.ask("POST", f"{base}/run")
    finally:
        workers.start_workers(2, apart=False)
    assert begun.status_code == 200
    run_id = begun.json["id"]
    assert [one["state"] for one in begun.json["checks"]] == ["waiting"] * len(CHECKS)
    assert begun.json["laid_out"] is None
    run = finished(iris, base)
    assert run["laid_out"] is not None
    assert run["done"] == run["needed"] > 0
    with transaction() as session:
        entries = session.scalars(select(RecordEntry).where(RecordEntry.case_id == int(base.rsplit("/", 1)[1])))
        said = {one.act: one for one in entries}
        fits = session.scalars(select(RunFit.fit_key).where(RunFit.run_id == run_id)).all()
    assert json.loads(said["started a run"].after) == {"checks": CHECKS}
    assert said["laid out a run"].person_id is None
    assert json.loads(said["laid out a run"].after) == {"fits": sorted(fits)}


def test_a_run_that_another_worker_lays_out_is_left_to_it(visitor: SignIn, workers: House) -> None:
    from brookfall.engine.runs import work_on

    iris, base, _ = large(visitor, "laid out by another", 416)
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["profile", "holdout"])).status_code == 200
    workers.keeper.stop("worker-runs", patience=0)
    try:
        run_id = iris.ask("POST", f"{base}/run").json["id"]
        with alone(f"enter the fits of run {run_id}"):
            assert work_on(run_id, 5) is True
            waiting = iris.get(f"{base}/run")
            assert (waiting["laid_out"], waiting["needed"], waiting["state"]) == (None, 0, "running")
        assert iris.ask("DELETE", f"{base}/run").status_code == 200
        # Cancelled before its fits were entered: nobody enters them any more.
        work_on(run_id, 0)
        assert iris.get(f"{base}/run")["laid_out"] is None
    finally:
        workers.start_workers(2, apart=False)
    with transaction() as session:
        assert session.get_one(Case, int(base.rsplit("/", 1)[1])).is_locked
