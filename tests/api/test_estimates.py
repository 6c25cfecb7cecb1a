"""How long a plan will take, by trial fits of a worker; and a fit over its limit, told and not in the way of others."""

import time
from collections.abc import Callable
from typing import Any

import pytest
from sqlalchemy import func, select, text

from brookfall.core.check.bench import Bench
from brookfall.core.fit.request import FitJob, ScoreReading
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import subject_of
from brookfall.desk.time_estimate import try_and_keep
from brookfall.engine import runs
from brookfall.launch.house import House
from brookfall.records.config import config
from brookfall.records.database import alone, engine, transaction
from brookfall.records.runs import Trial
from tests.api.conftest import Visitor
from tests.api.test_case import finished, plan_of, taken
from tests.conftest import files_of, rows_csv, small_plan

SignIn = Callable[[str], Visitor]


def estimated(visitor: Visitor, base: str) -> dict[str, Any]:
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        found = visitor.get(f"{base}/plan/estimate")
        if found["ready"]:
            return found
        time.sleep(0.3)
    raise AssertionError("no estimate was made")


def test_an_estimate_comes_from_trial_fits_and_falls_to_none_when_all_is_made(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "estimated", files_of(csv=rows_csv(350, seed=21)))
    plan = plan_of(iris, base, checks=["holdout", "cross_validation"])
    assert iris.ask("PUT", f"{base}/plan", plan).status_code == 200
    first = iris.get(f"{base}/plan/estimate")
    assert (first["ready"], first["fits"], first["seconds"]) == (False, 6, None)
    found = estimated(iris, base)
    assert found["fits"] == 6
    assert float(str(found["seconds"])) > 0
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    after = iris.get(f"{base}/plan/estimate")
    assert (after["ready"], after["fits"], after["seconds"]) == (True, 0, 0)


def test_trials_are_kept_once_and_shared_by_kind(visitor: SignIn) -> None:
    _, base = taken(visitor, "trials", files_of(csv=rows_csv(330, seed=22)))

    def kept() -> int:
        with transaction() as session:
            return session.scalar(select(func.count()).select_from(Trial)) or 0

    before, case_id = kept(), int(base.rsplit("/", 1)[1])
    try_and_keep(case_id)
    once = kept()
    assert once > before
    try_and_keep(case_id)
    assert kept() == once


def test_a_plan_that_can_not_be_run_has_no_estimate(visitor: SignIn) -> None:
    iris, base = taken(visitor, "no estimate")
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, parts={"kind": "given"})).status_code == 200
    assert iris.get(f"{base}/plan/estimate") == {"ready": True, "fits": 0, "seconds": None}


def test_a_name_is_held_by_one_alone(stores: House) -> None:
    with alone("a name") as first, alone("a name") as second, alone("another") as third:
        assert (first, second, third) == (True, False, True)
    with alone("a name") as again:
        assert again
    with engine().connect() as connection:
        assert connection.scalar(text("SELECT IS_FREE_LOCK('a name')")) == 1


def test_a_fit_over_its_limit_fails_and_the_next_is_made(stores: House, monkeypatch: pytest.MonkeyPatch) -> None:
    short = config().model_copy(update={"fit_seconds": 2.0})
    monkeypatch.setattr(runs, "config", lambda: short)
    slow = Recipe(family="adaboost", settings={"trees": 3000, "depth": 6})
    bench = Bench(subject_of(package_from_files(files_of())), small_plan(checks=["holdout"]))
    rows, test = bench.split.parts["training"], bench.split.parts["test"]
    jobs = [FitJob(bench.fit(rows, recipe), (ScoreReading(test),)) for recipe in (slow, bench.recipe)]
    first, second = (runs.make_fit(job, bench.subject) for job in jobs)
    assert first.failure is not None
    assert "longer than its limit of 2 seconds" in first.failure
    assert second.failure is None
