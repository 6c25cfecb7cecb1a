"""Complexity by any measure among any values: each figure against a plain loop over scikit-learn's own models."""

from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest
from sklearn.metrics import cohen_kappa_score, matthews_corrcoef, roc_auc_score
from sklearn.neighbors import KNeighborsClassifier

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.chart import DialChart
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import Subject
from tests.made import subject_of_frame

PLAN = standard_plan(2, given_parts=False)


def subject(k: int = 5, threshold: float | None = 0.5) -> Subject:
    rng = np.random.default_rng(8)
    frame = pd.DataFrame({"x": rng.normal(size=400).round(4), "z": rng.normal(size=400).round(4)})
    frame["y"] = np.where(rng.random(400) < 1 / (1 + np.exp(-2 * frame["x"] + frame["z"])), "yes", "no")
    recipe = Recipe(family="nearest_neighbours", settings={"k": k}, threshold=threshold)
    return replace(subject_of_frame(frame, "y", recipe, "binary"), decide_at=None)


def curve(of: Subject, **settings: Any) -> Exhibit:
    changes = {"checks": ("complexity",), "settings": {"complexity": settings}}
    return retest(Bench(of, PLAN.model_copy(update=changes)))[0]


@pytest.mark.parametrize(
    ("by", "of_scores"),
    [
        ("kappa", lambda truth, scores: cohen_kappa_score(truth, scores >= 0.5)),
        ("mcc", lambda truth, scores: matthews_corrcoef(truth, scores >= 0.5)),
        ("auc", roc_auc_score),
    ],
)
def test_the_best_value_is_that_of_a_plain_loop(by: str, of_scores: Any) -> None:
    of, tried = subject(), [1, 3, 5, 9, 17, 33]
    found = curve(of, by=by, values=tried)
    bench = Bench(of, PLAN)
    design = np.column_stack([of.table.column(name).values for name in ("x", "z")])
    loop = {}
    for k in tried:
        scores = np.full(of.table.n_rows, np.nan)
        for fold in bench.split.folds:
            fitted = KNeighborsClassifier(k).fit(design[fold.train], of.target.hits[fold.train])
            scores[fold.test] = fitted.predict_proba(design[fold.test])[:, 1]
        rows = bench.split.cross_validated
        loop[k] = of_scores(of.target.hits[rows], scores[rows])
    (chart,) = [one for one in found.charts if isinstance(one, DialChart)]
    assert chart.criteria[0] == by
    assert [int(point) for point in chart.points] == sorted(tried, reverse=True)
    drawn = found.series["dial"][f"{by} unseen"]
    assert drawn == pytest.approx([loop[int(point)] for point in chart.points], abs=1e-6)
    assert int(chart.points[chart.best]) == max(loop, key=lambda k: loop[k])
    error = found.series["dial"][f"{by} high"][chart.best] or 0.0
    assert loop[int(chart.points[chart.simplest])] <= error


def test_a_simpler_value_that_does_better_is_outside_by_the_measure_that_was_chosen() -> None:
    found = curve(subject(k=1), by="auc", values=[1, 25])
    assert found.standing is Standing.OUTSIDE
    assert found.answer.startswith("At the submitted k of 1 the AUC is 1.000 on training rows")
    (judged,) = [one for one in found.estimates if one.leading]
    assert judged.measure == "auc_difference"
    assert judged.low is not None
    assert judged.low > 0


@pytest.mark.parametrize(("values", "said"), [([0.0, 5.0], "k can't be 0"), ([2.5], "k can't be 2.5")])
def test_values_that_the_setting_can_not_have_are_refused(values: list[float], said: str) -> None:
    found = curve(subject(), values=values)
    assert found.state == "not_applicable"
    assert said in found.answer
    assert "Change the values" in found.answer


def test_a_measure_of_decisions_without_a_threshold_can_not_choose() -> None:
    found = curve(subject(threshold=None), by="kappa")
    assert found.state == "not_applicable"
    assert "Kappa can't be computed along the dial" in found.answer


@pytest.mark.parametrize("by", ["rmse", "mean_score", "never_heard_of"])
def test_what_can_not_choose_leaves_the_usual_one(by: str) -> None:
    # Of another outcome; neither more nor less of it is better; no measure.
    found = curve(subject(), by=by)
    (chart,) = [one for one in found.charts if isinstance(one, DialChart)]
    assert chart.criteria == ("brier", "error_rate")
