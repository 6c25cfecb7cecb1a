"""Models of every kind of outcome, and supplied scores, through the server: plan, run, exhibits, the same bits."""

from collections.abc import Callable

import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.plan.plan import Plan
from brookfall.core.retest.differences import differences
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import subject_of
from brookfall.demo import packages
from brookfall.launch.house import House
from tests.api.conftest import Visitor
from tests.api.test_case import counted, excluded_in, finished, plan_of, taken

SignIn = Callable[[str], Visitor]
FEW_FOLDS = {"folds": 3, "repeats": 1}
CHECKS = ["claims", "holdout", "luck", "segments", "gap"]


def run(iris: Visitor, base: str) -> list[Exhibit]:
    assert iris.ask("POST", f"{base}/run").status_code == 200
    done = finished(iris, base)
    assert done["state"] == "done"
    lines: list[dict[str, int]] = done["exhibits"]
    return [Exhibit.model_validate(iris.get(f"{base}/exhibits/{line['number']}")["exhibit"]) for line in lines]


@pytest.mark.parametrize(
    ("make", "measure"),
    [(packages.turnout_time, "r2"), (packages.cause_triage, "balanced_accuracy"), (packages.pump_failure, "auc")],
)
def test_the_server_gives_what_the_core_gives(
    visitor: SignIn, workers: House, make: Callable[[], dict[str, bytes]], measure: str
) -> None:
    files = make()
    iris, base = taken(visitor, f"{measure} 1", files)
    view = iris.get(f"{base}/plan")
    assert next(iter(view["main_measures"])) == measure
    by = view["plan"]["cross_validation"]["by"]
    wanted = plan_of(iris, base, cross_validation={**FEW_FOLDS, "by": by}, checks=CHECKS, splits=10)
    assert iris.ask("PUT", f"{base}/plan", wanted).status_code == 200
    found = run(iris, base)
    plan = Plan.model_validate(iris.get(f"{base}/plan")["plan"])
    expected = retest(Bench(subject_of(package_from_files(files)), plan))
    assert differences(expected, tuple(found)) == []
    assert any(estimate.measure == measure for estimate in found[1].estimates)


def test_the_plan_says_what_will_not_run_and_why(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "why 1", packages.pump_failure())
    view = counted(iris, base)
    excluded = excluded_in(view)
    assert "needs a recipe to refit" in excluded["cross_validation"]
    assert "No column is marked as protected" in excluded["groups"]
    remarks: list[str] = view["remarks"]
    assert any("supplied scores (1000 training · 490 test · 10 new pumps)" in remark for remark in remarks)
    iris, base = taken(visitor, "why 2", packages.turnout_time())
    view = counted(iris, base)
    assert "threshold on one score" in excluded_in(view)["threshold"]
    assert (view["grouped"], view["timed"], view["outcome"]) == (False, True, "number")


def test_the_plan_asks_where_to_decide_and_never_says(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "decide 1", packages.pump_failure())
    view = iris.get(f"{base}/plan")
    assert view["plan"]["threshold"] is None
    assert view["undecided"] == "The owner declared no threshold but in claims, at 0.5"
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=CHECKS)).status_code == 200
    silent = {e.measure: e.value for e in run(iris, base)[1].estimates if e.part == "test"}
    assert (silent["accuracy"], silent["auc"]) == (None, pytest.approx(silent["auc"]))
    iris, base = taken(visitor, "decide 2", packages.pump_failure())
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=CHECKS, threshold=0.5)).status_code == 200
    decided = {e.measure: e.value for e in run(iris, base)[1].estimates if e.part == "test"}
    assert decided["accuracy"] is not None
    assert decided["auc"] == silent["auc"]


def test_the_plan_does_not_decide_over_the_owner(visitor: SignIn) -> None:
    iris, base = taken(visitor, "decide 3", packages.smoke_alarm())
    assert iris.get(f"{base}/plan")["undecided"] is None
    saved = iris.ask("PUT", f"{base}/plan", plan_of(iris, base, threshold=0.3))
    told = saved.json if saved.status_code != 200 else iris.get(f"{base}/plan")
    assert "The owner declared a threshold of 0.5" in str(told)


def test_groups_are_kept_together_from_the_start_and_said(visitor: SignIn) -> None:
    iris, base = taken(visitor, "groups 1", packages.cause_triage())
    view = iris.get(f"{base}/plan")
    assert view["plan"]["parts"]["by"] == "groups"
    assert any("rows of one station together" in remark for remark in view["remarks"])
    parts = {**view["plan"]["parts"], "by": "rows"}
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, parts=parts)).status_code == 200
    remarks: list[str] = iris.get(f"{base}/plan")["remarks"]
    assert any("flatters the model" in remark for remark in remarks)


def test_a_plan_that_cannot_be_is_refused_with_what_is_wrong(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "plans 1", packages.turnout_time())
    for changes, said in (
        ({"cross_validation": {"folds": 5, "repeats": 2, "by": "time"}}, "can't be repeated"),
        ({"cross_validation": {"kind": "k_fold", "folds": 99}}, "At most 50 folds"),
        ({"main_measure": "beauty"}, "main_measure"),
    ):
        answer = iris.ask("PUT", f"{base}/plan", plan_of(iris, base, **changes))
        assert answer.status_code == 422, answer.text
        assert said in answer.text
    judged = iris.ask("PUT", f"{base}/plan", plan_of(iris, base, main_measure="auc"))
    assert judged.status_code == 200
    assert "judges by auc" in excluded_in(counted(iris, base))["holdout"]
