"""Tuned challengers: settings are chosen inside the training rows alone, and what is chosen is what is fitted."""

from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest
from sklearn.model_selection import GridSearchCV, PredefinedSplit
from sklearn.neighbors import KNeighborsClassifier

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import FitJob, FitRequest, ScoreReading, TunedReading, Tuning
from brookfall.core.measure.figure import Figure
from brookfall.core.recipe.families import families
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.folds import k_folds
from brookfall.core.retest.run import ask, jobs_of, retest
from tests.core.test_unseen import frame, plan, subject
from tests.made import subject_of_frame

NEAREST = Recipe(family="nearest_neighbours", seed=4)
TRIED = tuple((("k", k),) for k in (101, 51, 15, 5, 1))


def tuned(bench: Bench, tuning: Tuning, recipe: Recipe = NEAREST) -> tuple[FitRequest, dict[str, np.ndarray]]:
    rows = bench.split.cross_validated
    fit = bench.fit(rows, recipe, tuning=tuning)
    result = execute(FitJob(fit, (ScoreReading(bench.split.parts["test"]), TunedReading(rows))), bench.subject)
    assert result.failure is None, result.failure
    return fit, result.readings


def test_the_choice_is_that_of_a_search_over_the_same_inner_folds() -> None:
    data = frame(500)[["x", "z", "y"]]
    bench = Bench(subject_of_frame(data, "y", Recipe(family="logistic"), positive="yes"), plan("challengers"))
    _, readings = tuned(bench, Tuning(TRIED, "auc"))
    found = readings["tuned"]
    rows = bench.split.cross_validated
    layout = bench.subject.layout(stratified=True).within(rows)
    folds = k_folds(layout, 3, 1, NEAREST.seed)
    held = np.full(len(rows), -1)
    for fold in folds:
        held[np.searchsorted(rows, fold.test)] = fold.number
    x = data[["x", "z"]].to_numpy()[rows]
    y = (data["y"] == "yes").to_numpy()[rows]
    search = GridSearchCV(
        KNeighborsClassifier(), {"n_neighbors": [101, 51, 15, 5, 1]}, scoring="roc_auc", cv=PredefinedSplit(held)
    ).fit(x, y)
    assert found[1:] == pytest.approx(search.cv_results_["mean_test_score"], abs=1e-9)
    assert int(found[0]) == search.best_index_
    # Fitted with the choice on all training rows: the same bits as that recipe fitted alone.
    chosen = Recipe(family="nearest_neighbours", seed=4, settings={"k": search.best_params_["n_neighbors"]})
    test = bench.split.parts["test"]
    alone = execute(FitJob(bench.fit(rows, chosen), (ScoreReading(test),)), bench.subject)
    assert (readings[ScoreReading(test).key] == alone.readings[ScoreReading(test).key]).all()


def test_no_held_out_row_has_a_say() -> None:
    bench = Bench(subject(), plan("challengers"))
    _, before = tuned(bench, Tuning(TRIED, "log_loss"))
    data = frame()
    test = bench.split.parts["test"]
    data.loc[test, "y"] = np.where(data.loc[test, "y"] == "yes", "no", "yes")
    other = Bench(subject(data=data), plan("challengers"))
    # The parts are stratified by the outcome; they are held fast to see what the held-out outcomes change.
    moved = replace(other)
    moved.split.__dict__.update(parts=bench.split.parts, cross_validated=bench.split.cross_validated)
    _, after = tuned(moved, Tuning(TRIED, "log_loss"))
    assert (before["tuned"] == after["tuned"]).all()


def test_of_equals_the_first_is_taken() -> None:
    bench = Bench(subject(), plan("challengers"))
    same = Tuning(((("k", 15),), (("k", 15),)), "auc")
    assert tuned(bench, same)[1]["tuned"][0] == 0


def test_what_is_tried_is_part_of_the_fits_name() -> None:
    bench = Bench(subject(), plan("challengers"))
    rows = np.arange(60)
    keys = {
        bench.fit(rows, NEAREST).key,
        bench.fit(rows, NEAREST, tuning=Tuning(TRIED, "auc")).key,
        bench.fit(rows, NEAREST, tuning=Tuning(TRIED[:2], "auc")).key,
        bench.fit(rows, NEAREST, tuning=Tuning(TRIED, "brier")).key,
    }
    assert len(keys) == 4


def test_groups_stay_whole_inside_too() -> None:
    rng = np.random.default_rng(1)
    house = np.repeat(np.arange(60), 5)
    # Rows of a house are near copies: inner folds that part them would choose the nearest neighbour alone.
    x = rng.normal(size=60)[house] + 1e-4 * rng.normal(size=300)
    y = np.where(rng.random(60) < 0.5, "yes", "no")[house]
    data = pd.DataFrame({"x": x, "y": y, "house": [f"h{one}" for one in house]})
    apart = subject_of_frame(data, "y", Recipe(family="logistic"), positive="yes", ignore=("house",))
    whole = subject_of_frame(data, "y", Recipe(family="logistic"), positive="yes", group="house")
    tuning = Tuning(((("k", 51),), (("k", 1),)), "accuracy")
    parted = tuned(Bench(apart, plan("challengers")), tuning)[1]["tuned"]
    kept = tuned(Bench(whole, plan("challengers")), tuning)[1]["tuned"]
    assert parted[0] == 1
    assert parted[2] > 0.95
    assert kept[2] < 0.75


@pytest.mark.parametrize(
    ("tuning", "said"),
    [
        (Tuning((), "auc"), "no settings to choose from"),
    ],
)
def test_what_can_not_be_tuned_is_a_failed_fit_with_its_reason(tuning: Tuning, said: str) -> None:
    bench = Bench(subject(), plan("challengers"))
    rows = np.arange(40)
    result = execute(FitJob(bench.fit(rows, NEAREST, tuning=tuning), (ScoreReading(rows),)), bench.subject)
    assert result.failure is not None
    assert said in result.failure


def test_settings_can_not_be_chosen_where_one_class_has_a_single_row() -> None:
    of = subject()
    rows = np.sort(np.concatenate([np.flatnonzero(~of.target.hits)[:40], np.flatnonzero(of.target.hits)[:1]]))
    fit = Bench(of, plan("challengers")).fit(rows, NEAREST, tuning=Tuning(TRIED, "auc"))
    result = execute(FitJob(fit, (ScoreReading(rows),)), of)
    assert result.failure is not None
    assert "settings can't be chosen inside these rows: No folds can be made" in result.failure


def exhibit(**changes: Any) -> Exhibit:
    few: dict[str, Any] = {"kind": "k_fold", "folds": 3}
    return retest(Bench(subject(data=frame(330)), plan("challengers", cross_validation=few, **changes)))[0]


def test_the_exhibit_says_what_was_chosen() -> None:
    found = exhibit(challengers="tuned")
    (table,) = found.tables
    assert table.columns[-1] == "chosen most often, in so many fits"
    said = {row[0].text: row[-1].text for row in table.rows}
    assert said["as submitted"] == "–"
    assert said["naive Bayes"] == "–"
    assert str(said["nearest neighbours"]).startswith("k ")
    assert str(said["nearest neighbours"]).endswith("of 3)")
    assert "tuned inside each fold's own rows" in table.title
    default = exhibit()
    assert "with their own defaults" in default.tables[0].title
    assert len(default.tables[0].columns) == 3


def test_tuned_challengers_ask_for_no_more_fits_than_default_ones() -> None:
    benches = [Bench(subject(), plan("challengers", challengers=how)) for how in ("default", "tuned")]
    counts = [len(jobs_of(ask(bench))) for bench in benches]
    assert counts[0] == counts[1]
    assert all(one.tuning is None for one in benches[0].challengers)
    # The submitted family, tuned, is a challenger too.
    ours = replace(benches[1].subject, recipe=Recipe(family="tree"))
    assert "tree" in [one.recipe.family for one in Bench(ours, benches[1].plan).challengers]


def test_beating_the_first_of_the_challengers_is_not_said_of_all(monkeypatch: pytest.MonkeyPatch) -> None:
    ranked = [e for e in exhibit().estimates if e.measure == "auc" and e.model != "recipe"]
    last = min(ranked, key=lambda e: e.value or 0)

    def gain(*given: object, **_: object) -> Figure:
        low = -0.1 if getattr(given[4], "name", "") == last.model else 0.01
        return Figure(0.1, 400, "made up", lambda _: (low, 0.2))

    monkeypatch.setattr("brookfall.core.check.simpler.challengers.gain_of", gain)
    found = exhibit()
    assert found.standing == "unsettled"
    assert found.answer.startswith("These rows can't tell whether a challenger is better: ")
    assert f"of {families()[last.model].words}, on" in found.answer
    assert found.answer.endswith("a gain of 0.100 [−0.100, 0.200].")


def test_a_challenger_that_is_told_apart_is_named_though_another_ranks_first(monkeypatch: pytest.MonkeyPatch) -> None:
    ranked = [e for e in exhibit().estimates if e.measure == "auc" and e.model != "recipe"]
    last = min(ranked, key=lambda e: e.value or 0)

    def gain(*given: object, **_: object) -> Figure:
        high = -0.05 if getattr(given[4], "name", "") == last.model else 0.2
        return Figure(-0.1, 400, "made up", lambda _: (-0.2, high))

    monkeypatch.setattr("brookfall.core.check.simpler.challengers.gain_of", gain)
    answer = exhibit().answer
    assert answer.startswith("A challenger does better by more than the limit: ")
    assert f"of {families()[last.model].words}, on" in answer
    assert "the best challenger" not in answer
