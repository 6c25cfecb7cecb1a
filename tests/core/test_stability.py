"""Stability: refits on resampled rows against a plain loop, decisions that turn, other seeds, ranks over folds."""

import numpy as np
import pandas as pd
import pytest
from sklearn.linear_model import LogisticRegression

from brookfall.core.check.shared.resamples import resamples
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.marks import MarksChart, Points
from brookfall.core.measure.instability import movement, rank_agreement
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.subject import Subject
from tests.made import bench_with, class_rows, exhibit_of, number_rows, said, scored, subject_of_frame

LOGISTIC = Recipe.model_validate({"family": "logistic", "threshold": 0.5, "settings": {"penalty": "none"}})


def homes(n: int, recipe: Recipe = LOGISTIC, strength: float = 1.5, seed: int = 1, features: int = 3) -> Subject:
    rng = np.random.default_rng(seed)
    x = rng.normal(size=(n, features))
    y = rng.random(n) < 1 / (1 + np.exp(-strength * x[:, 0]))
    frame = pd.DataFrame({f"x{place}": x[:, place].round(5) for place in range(features)})
    return subject_of_frame(frame.assign(y=np.where(y, "yes", "no")), "y", recipe)


def values(found: Exhibit, quantity: str) -> dict[str, float]:
    return {one.model: one.value or 0.0 for one in found.estimates if one.quantity == quantity}


def test_it_is_what_a_plain_loop_over_resamples_gives() -> None:
    one = homes(500)
    bench = bench_with(one, "stability", shuffles=25)
    features = np.column_stack([one.table.column(f"x{place}").values for place in range(3)])
    outcomes, test = one.target.hits, bench.split.parts["test"]

    def scores(rows: np.ndarray) -> np.ndarray:
        fitted = LogisticRegression(C=np.inf, max_iter=5000, tol=1e-10).fit(features[rows], outcomes[rows])
        return np.asarray(fitted.predict_proba(features[test])[:, 1])

    first = scores(bench.split.cross_validated)
    again = np.stack([scores(drawn) for drawn in resamples(bench)])
    found = exhibit_of(one, "stability", shuffles=25)
    assert values(found, "score_movement")["resampled"] == pytest.approx(np.abs(again - first).mean(), abs=1e-4)
    turned = ((again >= 0.5) != (first >= 0.5)).mean()
    assert values(found, "decisions_turned")["resampled"] == pytest.approx(turned, abs=0.003)
    assert "Other seeds give the very same scores." in said(found)
    assert found.standing is None


def test_a_score_that_flips_on_refitting_is_told_first() -> None:
    """An unpruned tree among columns that say next to nothing: found in each of 12 draws."""
    tree = Recipe.model_validate({"family": "tree", "threshold": 0.5})
    for seed in range(12):
        found = exhibit_of(homes(600, tree, strength=0.2, seed=seed, features=6), "stability", shuffles=20)
        assert found.answer.startswith("More than one decision in ten turns")


def test_a_sound_model_is_not_said_to_flip() -> None:
    for seed in range(12):
        found = exhibit_of(homes(1500, seed=seed), "stability", shuffles=20)
        assert found.answer.startswith("When rows are drawn again and the recipe refitted, ")


def test_other_seeds_move_what_has_chance_of_its_own() -> None:
    forest = Recipe.model_validate({"family": "forest", "threshold": 0.5, "settings": {"trees": 10}})
    found = exhibit_of(homes(400, forest), "stability", shuffles=20)
    moved = values(found, "score_movement")
    assert 0 < moved["seeds"] < moved["resampled"]
    assert "From seed to seed it moves by" in said(found)
    chart = next(chart for chart in found.charts if isinstance(chart, MarksChart))
    points = next(mark for mark in chart.marks if isinstance(mark, Points))
    columns = found.series[points.series]
    assert all(low <= high for low, high in zip(columns["low"], columns["high"], strict=True))


def test_folds_agree_on_the_one_feature_that_matters() -> None:
    found = exhibit_of(homes(600), "stability", shuffles=20)
    assert "'x0' comes first in all" in said(found)
    (agreement,) = (one for one in found.estimates if one.quantity == "rank_agreement")
    assert 0.3 < agreement.value <= 1
    assert agreement.low is None
    assert "it has no interval of its own" in agreement.note


def test_kendalls_w_is_that_of_its_formula() -> None:
    """12 S/(m²(n³ − n)) without ties (Kendall & Babington Smith 1939)."""
    rng = np.random.default_rng(4)
    held = rng.normal(size=(5, 7))
    ranks = (-held).argsort(axis=1).argsort(axis=1) + 1
    sums = ranks.sum(axis=0)
    by_hand = 12 * ((sums - sums.mean()) ** 2).sum() / (25 * (7**3 - 7))
    assert rank_agreement(held).w.value == pytest.approx(by_hand)
    assert rank_agreement(held[:, :2]).w.value is None


def test_classes_and_numbers_move_in_their_own_way() -> None:
    classes = class_rows(3)
    rng = np.random.default_rng(1)
    again = rng.dirichlet(np.ones(4), (6, len(classes)))
    moved = movement(classes, again)
    assert moved.scores.value == pytest.approx(np.abs(again - classes.scores).sum(axis=2).mean() / 2)
    assert moved.decisions.value == pytest.approx((again.argmax(axis=2) != classes.decisions).mean())
    numbers = number_rows(3)
    moved = movement(numbers, numbers.predictions + np.array([[1.0], [-3.0]]))
    assert (moved.scores.value, moved.decisions.value) == (pytest.approx(2.0), None)
    undecided = scored([True, False] * 20, np.linspace(0, 1, 40), threshold=0.5).at(None)
    assert movement(undecided, undecided.scores[None]).decisions.note == "nothing is decided"


@pytest.mark.parametrize("outcome", ["multiclass", "number"])
def test_every_outcome_is_followed(outcome: str) -> None:
    rng = np.random.default_rng(2)
    x = rng.normal(size=(400, 3))
    y = 2 * x[:, 0] + rng.normal(size=400)
    frame = pd.DataFrame({f"x{place}": x[:, place].round(4) for place in range(3)}).assign(y=y.round(4))
    if outcome == "multiclass":
        frame["y"] = np.where(y < -1, "low", np.where(y < 1, "middle", "high"))
    recipe = Recipe(family="logistic" if outcome == "multiclass" else "linear")
    found = exhibit_of(subject_of_frame(frame, "y", recipe, outcome), "stability", shuffles=20)  # type: ignore[arg-type]
    assert found.state == "done"
    assert "on average" in found.answer


def test_no_turn_at_all_is_a_bound_and_no_certainty() -> None:
    rows = scored([True, False] * 50, np.repeat([0.9, 0.1], 50))
    moved = movement(rows, np.stack([rows.scores, rows.scores + 0.01]))
    assert moved.decisions.value == 0
    assert moved.decisions.interval(0.95) == pytest.approx((0, 0.037), abs=0.001)
    few = scored([True, False] * 5, np.repeat([0.9, 0.1], 5))
    assert movement(few, few.scores[None]).decisions.few
