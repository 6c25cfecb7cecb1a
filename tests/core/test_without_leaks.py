"""Leak suspects refitted without: which they are, what the score becomes, and that nothing else changes."""

from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import roc_auc_score

from brookfall.core.check.bench import Bench
from brookfall.core.check.data.without_leaks import suspects
from brookfall.core.check.shared.leak_suspects import alone
from brookfall.core.evidence.limit import Limit
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import ask, jobs_of
from brookfall.core.submission.subject import Subject
from tests.made import MAIN, bench_with, estimate, exhibit_of, subject_of_frame

N = 500


def frame(**more: Any) -> pd.DataFrame:
    rng = np.random.default_rng(31)
    x, z = rng.normal(size=N), rng.normal(size=N)
    size = x - z + rng.normal(size=N)
    flag = size > 0.8
    found = pd.DataFrame({"x": x.round(6), "z": z.round(6), "flag": np.where(flag, "yes", "no")})
    slip = rng.random(N) < 0.01
    found["closed"] = np.where(flag ^ slip, "F", "E")
    for name, values in more.items():
        found[name] = values
    return found


def subject(rows: pd.DataFrame | None = None, **roles: Any) -> Subject:
    whole = frame() if rows is None else rows
    return subject_of_frame(whole, "flag", Recipe(family="logistic", seed=3), "binary", **roles)


def test_the_score_without_is_that_of_a_plain_fit_from_the_other_columns() -> None:
    of = subject()
    at = bench_with(of, "without_leaks")
    assert suspects(at) == ("closed",)
    found = exhibit_of(of, "without_leaks")
    raw = np.column_stack([of.table.column(name).values.astype(float) for name in ("x", "z")])
    areas = []
    for fold in at.split.long_folds:
        plain = LogisticRegression(C=np.inf, tol=1e-10, max_iter=5000).fit(raw[fold.train], of.target.hits[fold.train])
        areas.append(roc_auc_score(of.target.hits[fold.test], plain.predict_proba(raw[fold.test])[:, 1]))
    seen = at.split.cross_validated
    after = estimate(found, "auc", model="without closed")
    assert after.value == pytest.approx(np.mean(areas), abs=1e-6)
    assert after.n == len(seen)
    before = estimate(found, "auc", model="recipe")
    lost = estimate(found, "auc_difference")
    assert lost.value == pytest.approx((before.value or 0) - (after.value or 0))
    assert lost.low is not None
    assert lost.low > 0
    assert found.standing is None


def test_the_answer_sets_accuracy_beside_the_most_frequent_answer() -> None:
    found = exhibit_of(subject(), "without_leaks")
    assert found.answer.startswith("Without closed, AUC goes from 1.000 [0.")
    assert "the score rests on it." in found.answer
    baseline = estimate(found, "accuracy", model="baseline")
    accuracy = estimate(found, "accuracy", model="without closed")
    assert f"{baseline.value:.3f}" in found.answer
    assert f"{accuracy.value:.3f}" in found.answer
    drawn = {row.label for chart in found.charts if chart.kind == "strip" for g in chart.groups for row in g.rows}
    assert drawn == {"as submitted", "without closed", "baseline"}


def test_gaps_that_decide_and_identifiers_are_suspects_too() -> None:
    rows = frame()
    rows["seen_at"] = np.where(rows["flag"] == "yes", "", "10")
    rows["ticket"] = [f"T{i:05d}" for i in range(N)]
    # The recipe sees gaps, so that they alone can give the outcome away.
    of = subject(rows)
    recipe = Recipe.model_validate({"family": "logistic", "preprocess": {"missing": "indicator"}})
    of = replace(of, recipe=recipe)
    at = bench_with(of, "without_leaks")
    assert set(suspects(at)) == {"closed", "seen_at", "ticket"}
    found = exhibit_of(of, "without_leaks")
    models = {e.model for e in found.estimates if e.measure == "auc"}
    assert models == {
        "recipe",
        "baseline",
        "without closed",
        "without seen_at",
        "without ticket",
        "without all suspects",
    }
    # Any two of three still give it away; only without all of them is it gone.
    assert (estimate(found, "auc", model="without closed").value or 0) > 0.95
    assert (estimate(found, "auc", model="without all suspects").value or 1) < 0.95


def test_an_identifier_with_its_role_is_no_feature_and_no_suspect() -> None:
    rows = frame(ticket=[f"T{i:05d}" for i in range(N)])
    assert suspects(bench_with(subject(rows, identifier=("ticket",)), "without_leaks")) == ("closed",)


def test_where_nothing_leaks_there_is_nothing_to_refit() -> None:
    of = subject(frame().drop(columns="closed"))
    found = exhibit_of(of, "without_leaks")
    assert (found.state, found.answer) == (
        "not_applicable",
        "No feature is a leak suspect. There is nothing to refit without.",
    )
    assert jobs_of(ask(bench_with(of, "without_leaks"))) == ()


def test_where_everything_leaks_nothing_is_left() -> None:
    found = exhibit_of(subject(frame()[["closed", "flag"]]), "without_leaks")
    assert found.state == "not_applicable"
    assert "Nothing is left to refit from" in found.answer


def test_the_limit_of_the_plan_says_what_a_suspect_is() -> None:
    of = subject(frame().drop(columns="closed"))
    at = bench_with(of, "without_leaks")
    strict = at.plan.model_copy(update={"policy": at.plan.policy.model_copy(update={"alone": Limit(at_most=0.6)})})
    assert set(suspects(Bench(of, strict))) == {"x", "z"}
    assert suspects(at) == ()


def test_fits_with_all_features_are_those_of_the_other_checks() -> None:
    of = subject()
    at = bench_with(of, "without_leaks", "preparation", "labels", cross_validation={"folds": 5})
    jobs = {job.fit.key for job in jobs_of(ask(at))}
    alone_ = {job.fit.key for job in jobs_of(ask(bench_with(of, "labels", cross_validation={"folds": 5})))}
    own = {job.fit.key for job in jobs_of(ask(bench_with(of, "without_leaks", cross_validation={"folds": 5})))}
    assert len(own) == 2 * len(at.split.long_folds)
    assert len(own & alone_) == len(at.split.long_folds)
    assert own <= jobs


def test_of_many_rows_a_sample_tells_which_are_suspects() -> None:
    big = pd.concat([frame()] * 50, ignore_index=True)
    of = subject(big)
    assert of.table.n_rows == 25_000
    at = bench_with(of, "without_leaks")
    assert suspects(at) == ("closed",)
    few = np.sort(np.random.default_rng(0).choice(of.rows, 400, replace=False))
    by_few = {one.words: one.figure.n for one in alone(of, 1, few)}
    assert set(by_few.values()) == {400}


@pytest.mark.parametrize("outcome", ["multiclass", "number"])
def test_every_outcome_can_be_refitted_without(outcome: str) -> None:
    rng = np.random.default_rng(2)
    x = rng.normal(size=N)
    size = x + rng.normal(size=N)
    rows = pd.DataFrame({"x": x.round(6), "z": rng.normal(size=N).round(6)})
    if outcome == "number":
        rows["target"] = size.round(6)
        rows["copy"] = (2 * size + rng.normal(0, 0.01, N)).round(6)
    else:
        rows["target"] = np.where(size < -1, "low", np.where(size > 1, "high", "mid"))
        rows["copy"] = rows["target"].map({"low": "a", "mid": "b", "high": "c"})
    family = "linear" if outcome == "number" else "logistic"
    of = subject_of_frame(rows, "target", Recipe(family=family), outcome)  # type: ignore[arg-type]
    found = exhibit_of(of, "without_leaks")
    assert found.state == "done"
    main = MAIN[outcome]
    before, after = estimate(found, main, model="recipe"), estimate(found, main, model="without copy")
    assert (before.value or 0) > (after.value or 0) + 0.2
    assert ("Accuracy is then" in found.answer) == (outcome == "multiclass")


def test_without_a_recipe_nothing_is_refitted() -> None:
    found = exhibit_of(replace(subject(), recipe=None), "without_leaks")
    assert found.state == "not_applicable"
