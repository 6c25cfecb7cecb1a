"""Whole plans on several classes, on numbers, with weights, groups and times: what each check says and judges."""

import json
import re
from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import standard_measure
from brookfall.core.plan.plan import Plan
from brookfall.core.recipe.families import check_recipe, families
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import ask, jobs_of, retest
from brookfall.core.submission.subject import Subject
from tests.conftest import OF_A_ROLE, small_plan
from tests.made import said, subject_of_frame

OUTCOMES = {"binary": "flag", "multiclass": "kind", "number": "size"}


def people(n: int = 420, seed: int = 3) -> pd.DataFrame:
    rng = np.random.default_rng(seed)
    x, z = rng.normal(size=n), rng.normal(size=n)
    size = 5 + 2 * x - z + rng.normal(size=n)
    kind = np.where(size > 6.5, "large", np.where(size > 4, "middle", "small"))
    return pd.DataFrame(
        {
            "x": x,
            "z": z,
            "colour": rng.choice(["red", "green", "blue"], n),
            "sex": rng.choice(["f", "m"], n),
            "age": rng.choice(["young", "old"], n, p=[0.7, 0.3]),
            "house": [f"h{i}" for i in rng.integers(0, 90, n)],
            "day": pd.date_range("2024-01-01", periods=n, freq="D").strftime("%Y-%m-%d")[rng.permutation(n)],
            "weight": rng.choice([0.0, 1.0, 2.5], n, p=[0.05, 0.6, 0.35]),
            "size": size,
            "kind": kind,
            "flag": np.where(size > 5, "yes", "no"),
        }
    )


USUAL = {"binary": "logistic", "multiclass": "logistic", "number": "linear"}
ROLES = {"protected": ("sex", "age"), "ignore": ("house", "day", "weight")}


def subject(outcome: str, recipe: dict[str, object] | None = None, **roles: Any) -> Subject:
    target = OUTCOMES[outcome]
    frame = people().drop(columns=[name for name in OUTCOMES.values() if name != target])
    given = {**ROLES, **roles}
    given["ignore"] = tuple(name for name in ROLES["ignore"] if name not in roles.values())
    made = Recipe.model_validate({"family": USUAL[outcome], **(recipe or {})})
    return subject_of_frame(frame, target, made, outcome, **given)  # type: ignore[arg-type]


def plan_for(outcome: str, **changes: Any) -> Plan:
    return small_plan(main_measure=standard_measure(outcome), **changes)


def exhibits(outcome: str, one: Subject | None = None, **changes: Any) -> dict[str, Exhibit]:
    found = retest(Bench(one or subject(outcome), plan_for(outcome, **changes)))
    for exhibit in found:
        json.dumps(exhibit.model_dump(mode="json"), allow_nan=False)
        assert exhibit.answer.endswith(".")
        assert not re.search(r"\bnan\b", exhibit.answer)
        for estimate in exhibit.estimates:
            whole = estimate.low is not None or estimate.high is not None
            assert estimate.note or (estimate.value is not None and whole and estimate.method), estimate
    return {exhibit.check: exhibit for exhibit in found}


_NO_THRESHOLD = {"threshold", "use", "group_thresholds"}
"""Checks that only a yes/no answers."""


@pytest.mark.parametrize("outcome", ["multiclass", "number"])
def test_every_check_answers_or_says_why_not(outcome: str) -> None:
    found = exhibits(outcome)
    assert {name for name, one in found.items() if one.state != "done"} <= {*_NO_THRESHOLD, *OF_A_ROLE, "claims"}
    assert "threshold on one score" in found["threshold"].answer
    assert found["holdout"].estimates
    assert found["gap"].standing is not None
    assert found["baseline"].standing == "within"
    assert found["cross_validation"].standing is not None


def test_classes_have_a_matrix_and_figures_of_their_own() -> None:
    found = exhibits("multiclass")
    (matrix,) = [chart for chart in found["holdout"].charts if chart.kind == "matrix"]
    assert matrix.classes == ("large", "middle", "small")
    assert sum(map(sum, matrix.cells)) == 84
    recalls = {e.class_: e.value for e in found["holdout"].estimates if e.measure == "recall" and e.class_}
    assert set(recalls) == {"large", "middle", "small"}
    macro = next(e for e in found["holdout"].estimates if e.measure == "balanced_accuracy" and e.part == "test")
    assert macro.value == pytest.approx(np.mean(list(recalls.values())))
    judged = [e for e in found["groups"].estimates if e.limit]
    assert {e.class_ for e in judged} == {"large", "middle", "small"}
    assert "classes, the smallest" in found["profile"].answer


def test_numbers_are_judged_by_their_r2_gap_and_by_the_mean_error_of_groups() -> None:
    found = exhibits("number")
    judged = [e for e in found["gap"].estimates if e.limit]
    assert {e.measure for e in judged} == {"r2_gap"}
    assert judged[0].limit is not None
    assert judged[0].limit.at_most == 0.10
    for check in ("groups", "combinations"):
        estimates = found[check].estimates
        measures = {e.quantity for e in estimates if e.comparison in (None, "difference")}
        assert measures - {"bias_between_groups"} == {"mean_score", "bias", "mae"}
        (limit,) = {e.limit for e in estimates if e.limit}
        # A tenth of the outcome's standard deviation, on the rows that decide.
        sd = float(np.std(subject("number").target.values[subject("number").rows], ddof=1))
        assert limit.at_most == pytest.approx(0.1 * sd, rel=0.1)
        assert limit.at_least == -limit.at_most
        assert {e.quantity for e in estimates if e.limit} <= {"bias", "bias_between_groups"}
        assert found[check].standing is not None
    assert "mean outcome" in found["profile"].answer
    memorised = exhibits("number", subject("number", {"family": "tree"}))["gap"]
    assert memorised.standing == "outside"
    assert "right on every row it was trained on" in memorised.answer


@pytest.mark.parametrize("outcome", OUTCOMES)
def test_weights_count_in_measures_and_fits_and_none_is_no_part(outcome: str) -> None:
    weighted, plain = subject(outcome, weight="weight"), subject(outcome)
    assert weighted.weights is not None
    assert weighted.dropped == int((people()["weight"] == 0).sum())
    found = exhibits(outcome, weighted)
    assert found["holdout"].state == "done"
    assert {e.method for e in found["holdout"].estimates if e.measure == "accuracy"} <= {"wilson_effective"}
    fits = {job.fit.key for job in jobs_of(ask(Bench(weighted, plan_for(outcome))))}
    assert not fits & {job.fit.key for job in jobs_of(ask(Bench(plain, plan_for(outcome))))}
    assert "of weight 0 were left out" in said(found["profile"])


@pytest.mark.parametrize("outcome", OUTCOMES)
def test_groups_are_kept_together_and_widen_intervals(outcome: str) -> None:
    one = subject(outcome, group="house")
    how = {"by": "groups", "stratified": outcome != "number"}
    plan = plan_for(
        outcome,
        parts={"kind": "shares", "training": 60, "validation": 20, "test": 20, **how},
        cross_validation={"folds": 4, "repeats": 1, **how},
    )
    bench = Bench(one, plan)
    houses = people()["house"].to_numpy()
    held = [set(houses[rows]) for rows in bench.split.parts.values()]
    assert not held[0] & held[1]
    assert not (held[0] | held[1]) & held[2]
    for fold in bench.split.folds:
        assert not set(houses[fold.train]) & set(houses[fold.test])
    found = {e.check: e for e in retest(bench)}
    methods = {e.method for e in found["holdout"].estimates}
    assert methods & {"obuchowski_logit", "hall_linear_clusters"}


@pytest.mark.parametrize("outcome", OUTCOMES)
def test_by_time_the_latest_rows_are_unseen(outcome: str) -> None:
    how = {"by": "time", "stratified": False}
    plan = plan_for(
        outcome,
        parts={"kind": "shares", "training": 60, "validation": 20, "test": 20, **how},
        cross_validation={"folds": 4, "repeats": 1, **how},
    )
    bench = Bench(subject(outcome, time="day"), plan)
    days = people()["day"].to_numpy()
    assert days[bench.split.parts["training"]].max() < days[bench.split.parts["test"]].min()
    found = {e.check: e for e in retest(bench)}
    assert {e.state for name, e in found.items() if name not in {*_NO_THRESHOLD, "claims", "not_observed"}} == {"done"}
    # The first block trains the first fold and is never held out.
    assert len(bench.submitted.out_of_fold_needs) == 4
    assert (bench.split.first_held < 0).sum() == pytest.approx(len(bench.split.cross_validated) / 5, abs=2)


@pytest.mark.parametrize("kind", ["leave_one_out", "random_splits", "bootstrap"])
@pytest.mark.parametrize("outcome", OUTCOMES)
def test_other_kinds_of_cross_validation(outcome: str, kind: str) -> None:
    family = {"number": "ridge"}.get(outcome, "nearest_neighbours")
    one = subject(outcome, {"family": family})
    found = exhibits(
        outcome, one, cross_validation={"kind": kind, "folds": 12}, checks=["cross_validation", "gap", "groups"]
    )
    answer = found["cross_validation"].answer
    assert {e.state for e in found.values()} == {"done"}
    words = {
        "leave_one_out": "without refitting",
        "random_splits": "12 random holdouts",
        "bootstrap": "12 bootstrap resamples",
    }
    assert words[kind] in answer
    if kind == "bootstrap":
        methods = {e.method for e in found["cross_validation"].estimates}
        assert {"bootstrap_632", "bootstrap_632_plus"} <= methods


def test_leave_one_out_without_the_algebra_asks_for_a_fit_a_row() -> None:
    frame = people(40)[["x", "z", "flag"]]
    one = subject_of_frame(frame, "flag", Recipe(family="logistic"), "binary")
    plan = plan_for("binary", cross_validation={"kind": "leave_one_out"}, checks=["cross_validation"])
    bench = Bench(one, plan)
    assert len(jobs_of(ask(bench))) == len(bench.split.cross_validated) == 32
    (exhibit,) = retest(bench)
    assert "by 32 fits" in exhibit.answer
    swept = replace(one, recipe=Recipe(family="nearest_neighbours"))
    assert len(jobs_of(ask(Bench(swept, plan)))) == 1


@pytest.mark.parametrize(
    ("family", "outcome"),
    # A choice has rows of its own kind: see test_choice.
    [(name, outcome) for name, family in families().items() for outcome in sorted(family.outcomes - {"choice"})],
)
def test_every_family_is_tested_on_every_outcome_it_has(family: str, outcome: str) -> None:
    settings: dict[str, float] = {"neural_network": {"epochs": 200, "learning_rate": 0.01}}.get(family, {})
    one = subject(outcome, {"family": family, "settings": settings, "preprocess": {"scale": "standard"}})
    if family == "gamma":
        frame = people().drop(columns=["kind", "flag"]).assign(size=np.exp(people()["size"] / 4))
        one = subject_of_frame(frame, "size", one.recipe, "number", **ROLES)
    if family == "poisson":
        frame = people().drop(columns=["kind", "flag"]).assign(size=people()["size"].clip(0).round())
        one = subject_of_frame(frame, "size", one.recipe, "number", **ROLES)
    found = exhibits(outcome, one, checks=["holdout", "gap"])
    assert found["holdout"].state == "done", found["holdout"].answer
    assert found["gap"].state == "done"
    main = standard_measure(outcome)
    value = next(e.value for e in found["holdout"].estimates if e.measure == main and e.part == "test")
    assert value is not None
    assert value > {"number": 0.2, "binary": 0.7, "multiclass": 0.5}[outcome]


def test_a_family_of_another_outcome_is_refused_with_those_that_fit() -> None:
    with pytest.raises(UserError, match="can't be fitted to a binary outcome") as caught:
        check_recipe(Recipe(family="lasso"), "binary", "submission.yaml")
    assert "logistic" in caught.value.todo
    with pytest.raises(UserError, match="not a family"):
        check_recipe(Recipe(family="oracle"), "number", "submission.yaml")
    with pytest.raises(UserError, match=r"recipe\.settings\.layers") as caught:
        check_recipe(Recipe(family="neural_network", settings={"layers": []}), "number", "submission.yaml")
    assert "epochs" in caught.value.todo


def test_a_plan_that_judges_by_a_measure_of_another_outcome_says_so() -> None:
    (exhibit,) = retest(Bench(subject("number"), small_plan(checks=["gap"])))
    assert exhibit.state == "not_applicable"
    assert "judges by auc" in exhibit.answer
    assert "rmse" in exhibit.answer


def test_standard_plans_follow_tier_outcome_and_groups() -> None:
    plan = standard_plan(1, outcome="multiclass", given_parts=False, grouped=True)
    assert (plan.main_measure, plan.cross_validation.by, plan.cross_validation.repeats) == (
        "balanced_accuracy",
        "groups",
        3,
    )
    with pytest.raises(ValueError, match="can't be repeated"):
        small_plan(cross_validation={"folds": 5, "repeats": 2, "by": "time"})
    with pytest.raises(ValueError, match="at most 50 folds"):
        small_plan(cross_validation={"folds": 60})
