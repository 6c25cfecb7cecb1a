"""Question 4: shuffled outcomes, complexity, learning, preparation, optimism, trees; each against a slower, plainer way."""

import itertools
from dataclasses import replace

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sklearn.linear_model import LinearRegression, LogisticRegression, Ridge
from sklearn.metrics import accuracy_score, brier_score_loss, roc_auc_score
from sklearn.tree import DecisionTreeClassifier

from brookfall.core.check.bench import Bench
from brookfall.core.check.memory.trees import Trees, _gained
from brookfall.core.check.registry import checks_of
from brookfall.core.check.shared import dial_fits
from brookfall.core.check.shared.dial_fits import tree_need
from brookfall.core.check.shared.resamples import resamples
from brookfall.core.check.shared.tree_chart import path_of
from brookfall.core.evidence.chart import DialChart, TreeChart
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Limit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.request import FigureReading, FitJob, FitRequest, Need, Shuffles, Wanted
from brookfall.core.fit.trial_fits import trial_key, try_fit
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.capacity import capacity, chance
from brookfall.core.recipe.dials import Facts, dialled
from brookfall.core.recipe.families import family_of, resolved_settings
from brookfall.core.recipe.family.family import Made
from brookfall.core.recipe.family.many_outcomes import many_logistic, many_squares
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.permutation import constant_within, exchange
from brookfall.core.retest.run import ask, jobs_of, retest
from brookfall.core.submission.subject import Subject
from tests.conftest import small_plan
from tests.made import bench_with, estimate, examples, exhibit_of, said, subject_of_frame

N = 420


def frame(n: int = N) -> pd.DataFrame:
    rng = np.random.default_rng(8)
    x, z = rng.normal(size=n), rng.normal(size=n)
    size = 2 * x + z + rng.normal(size=n)
    kind = np.where(size < -1, "low", np.where(size > 1.2, "high", "mid"))
    return pd.DataFrame(
        {
            "x": x.round(6),
            "z": z.round(6),
            "colour": rng.choice(["red", "green", "blue"], n),
            "sex": rng.choice(["f", "m"], n),
            "flag": np.where(size + rng.normal(size=n) > 0, "yes", "no"),
            "size": size.round(6),
            "kind": kind,
            "house": [f"h{i // 2}" for i in range(n)],
        }
    )


TARGETS = {"binary": "flag", "multiclass": "kind", "number": "size"}


def subject(
    outcome: str = "binary", family: str = "logistic", rows: pd.DataFrame | None = None, **recipe: object
) -> Subject:
    target = TARGETS[outcome]
    whole = frame() if rows is None else rows
    kept = whole.drop(columns=[name for name in TARGETS.values() if name != target])
    made = Recipe.model_validate({"family": family, "seed": 4, **recipe})
    return subject_of_frame(kept, target, made, outcome, ignore=("house",), protected=("sex",))  # type: ignore[arg-type]


# Shuffled outcomes.


def test_a_full_tree_memorises_anything() -> None:
    found = exhibit_of(subject(family="tree"), "shuffled")
    assert found.standing is None
    assert estimate(found, "capacity").value == pytest.approx(1.0)
    assert "It memorises 100 % of the way from chance to perfect." in found.answer
    assert "With shuffled outcomes AUC is 1.000 on its own rows, where chance is 0.500." in found.lines


def test_capacity_is_judged_where_a_limit_is_set_and_p_from_99_shuffles_on() -> None:
    limits = {**small_plan().policy.model_dump(), "capacity": Limit(at_most=0.5, ideal=0).model_dump()}
    memorised = exhibit_of(subject(family="tree"), "shuffled", policy=limits)
    assert memorised.standing == "outside"
    assert "perfect, beyond the limit of 50 %." in memorised.answer
    few = exhibit_of(subject(), "shuffled", shuffles=98)
    assert (few.standing, few.lines[-1]) == (None, "Outcomes changed places 98 times; p is judged from 99 times on.")
    enough = exhibit_of(subject(), "shuffled", shuffles=99)
    assert (enough.standing, enough.lines[-1]) == ("within", "Outcomes changed places 99 times.")
    assert estimate(enough, "shuffled_p").value == pytest.approx(1 / 100)


@pytest.mark.parametrize("outcome", TARGETS)
def test_a_plain_regression_memorises_little_and_learns_something(outcome: str) -> None:
    found = exhibit_of(subject(outcome, "linear" if outcome == "number" else "logistic"), "shuffled")
    assert found.standing is None
    assert 0 <= (estimate(found, "capacity").value or 0) < 0.2
    p = estimate(found, "shuffled_p")
    assert p.value == pytest.approx(1 / 21)
    assert p.n == 20
    unseen = next(e for e in found.estimates if e.model == "shuffled" and e.part == "out_of_fold")
    guess = {"binary": 0.5, "multiclass": 1 / 3, "number": 0.0}[outcome]
    assert unseen.low is not None
    assert unseen.high is not None
    assert unseen.low - 0.05 < guess < unseen.high + 0.05


def test_where_nothing_can_be_learned_p_says_so() -> None:
    rows = frame()
    rows["flag"] = np.random.default_rng(3).permutation(rows["flag"].to_numpy())
    found = exhibit_of(subject(rows=rows), "shuffled")
    assert (estimate(found, "shuffled_p").value or 0) > 0.05
    assert "Nothing shows that it learned anything" in found.answer


def test_a_forest_is_judged_out_of_bag_and_its_plain_score_shown() -> None:
    found = exhibit_of(subject(family="forest", settings={"trees": 12}), "shuffled")
    assert (estimate(found, "capacity").value or 0) < 0.2
    plain = estimate(found, "auc", model="shuffled, as fitted")
    assert (plain.value or 0) > 0.9
    assert "by construction" in said(found)


@pytest.mark.parametrize("family", ["logistic", "tree"])
def test_a_shuffled_figure_is_that_of_a_fit_to_the_exchanged_outcomes(family: str) -> None:
    of = subject(family=family, settings={"depth": 3} if family == "tree" else {}, preprocess={"encode": "ordinal"})
    at = bench_with(of)
    fold = at.split.short_folds[0]
    shuffles = Shuffles(at.split.cross_validated, 11, 3, 2)
    fit = replace(at.fit(fold.train), shuffles=shuffles)
    reading = FigureReading(fold.test, (Wanted("auc"), Wanted("accuracy")))
    read = execute(FitJob(fit, (reading,)), of).readings[reading.key]
    raw = np.column_stack([of.table.column(name).values.astype(float) for name in of.features])
    for row, number in enumerate((3, 4)):
        hits = of.target.hits.copy()
        hits[at.split.cross_validated] = hits[
            at.split.cross_validated[exchange(len(at.split.cross_validated), None, 11, number)]
        ]
        plain = (
            DecisionTreeClassifier(max_depth=3, random_state=4)
            if family == "tree"
            else LogisticRegression(C=np.inf, tol=1e-10, max_iter=5000)
        )
        scores = plain.fit(raw[fold.train], hits[fold.train]).predict_proba(raw[fold.test])[:, 1]
        assert read[row, 0] == pytest.approx(roc_auc_score(hits[fold.test], scores), abs=1e-9)
        assert read[row, 1] == pytest.approx(accuracy_score(hits[fold.test], scores >= 0.5), abs=1e-9)


@given(seed=st.integers(0, 10**6), weighted=st.booleans(), strength=st.sampled_from([0.0, 0.5, 20.0]))
@examples(12)
def test_many_logistic_fits_are_those_of_one_by_one(seed: int, weighted: bool, strength: float) -> None:
    rng = np.random.default_rng(seed)
    design = np.column_stack([rng.normal(size=(90, 2)), np.eye(3)[rng.integers(0, 3, 90)]])
    outcomes = (rng.random((90, 4)) < 0.4).astype(float)
    weights = rng.uniform(0.5, 2, 90) if weighted else None
    settings_ = {"penalty": "l2", "strength": strength} if strength else {}
    recipe = Recipe(family="logistic", settings=settings_)
    found = many_logistic(Made(resolved_settings(recipe), "binary", 0), design, outcomes, weights)
    for place, sums in enumerate(found):
        assert sums is not None
        plain = LogisticRegression(C=1 / strength if strength else np.inf, tol=1e-10, max_iter=5000)
        plain.fit(design, outcomes[:, place], sample_weight=weights)
        assert sums.answers(sums.sums(design)) == pytest.approx(plain.predict_proba(design), abs=1e-5)


def test_what_does_not_settle_is_left_to_the_fit_itself() -> None:
    made = Made(resolved_settings(Recipe(family="logistic")), "binary", 0)
    design = np.linspace(-1, 1, 40)[:, None]
    apart = (design[:, 0] > 0).astype(float)[:, None]
    assert many_logistic(made, design, apart, None) == [None]
    balanced = Made(resolved_settings(Recipe(family="logistic", settings={"class_weight": "balanced"})), "binary", 0)
    assert many_logistic(balanced, design, apart, None) == [None]


@given(seed=st.integers(0, 10**6), weighted=st.booleans(), strength=st.sampled_from([0.0, 3.0]))
@examples(20)
def test_many_squares_are_those_of_one_by_one(seed: int, weighted: bool, strength: float) -> None:
    rng = np.random.default_rng(seed)
    design, outcomes = rng.normal(size=(50, 3)), rng.normal(size=(50, 3))
    weights = rng.uniform(0.5, 2, 50) if weighted else None
    family = "ridge" if strength else "linear"
    recipe = Recipe(family=family, settings={"strength": strength} if strength else {})
    plain = Ridge(alpha=strength) if strength else LinearRegression()
    for place, sums in enumerate(many_squares(Made(resolved_settings(recipe), "number", 0), design, outcomes, weights)):
        assert sums is not None
        expected = plain.fit(design, outcomes[:, place], sample_weight=weights).predict(design)
        assert sums.answers(sums.sums(design)) == pytest.approx(expected, abs=1e-8)


def test_whole_groups_change_places_where_outcomes_are_constant_in_them() -> None:
    rows = frame()
    rows["flag"] = rows["flag"].to_numpy()[np.arange(N) // 2 * 2]
    of = subject_of_frame(
        rows.drop(columns=["kind", "size"]),
        "flag",
        Recipe(family="logistic"),
        "binary",
        group="house",
        protected=("sex",),
    )
    found = exhibit_of(of, "shuffled", cross_validation={"folds": 5, "by": "groups"})
    assert "Whole groups of outcomes changed places 20 times" in said(found)
    blocks = np.array([4, 4, 9, 9, 2])
    places = exchange(5, blocks, 1, 0)
    assert places[0] == places[1]
    assert places[2] == places[3]
    assert not constant_within(np.array([1, 2]), np.array([0, 0]))


def test_capacity_runs_from_chance_to_perfect() -> None:
    assert chance("balanced_accuracy", "multiclass", np.array([0.2, 0.3, 0.5])) == pytest.approx(1 / 3)
    assert capacity(np.array([0.2, 0.6, 1.0]), 0.6).tolist() == [0.0, 0.0, 1.0]


# Complexity.


def test_every_pruning_comes_from_one_grown_tree_and_is_a_tree_grown_with_it() -> None:
    of = subject(family="tree", preprocess={"encode": "ordinal"})
    at = bench_with(of, "complexity")
    (found,) = retest(at)
    dial = next(chart for chart in found.charts if isinstance(chart, DialChart))
    raw = np.column_stack([of.table.column(name).values.astype(float) for name in of.features])
    target = of.target
    shares = np.bincount(target.codes[at.split.parts["training"]]) / len(at.split.parts["training"])
    turned = dialled(at.recipe, Facts(len(at.split.parts["training"]), float(1 - (shares**2).sum())))
    assert turned is not None
    for place in range(0, len(dial.points), 7):
        losses, weights = [], []
        for fold in at.split.long_folds:
            grown = DecisionTreeClassifier(random_state=4, ccp_alpha=turned.values[place].value or 0.0)
            scores = grown.fit(raw[fold.train], target.hits[fold.train]).predict_proba(raw[fold.test])[:, 1]
            losses.append(brier_score_loss(target.hits[fold.test], scores))
            weights.append(len(fold.test))
        assert found.series["dial"]["brier unseen"][place] == pytest.approx(
            np.average(losses, weights=weights), abs=1e-9
        )
    assert found.standing == "outside"
    assert "is better on unseen rows" in found.answer
    # One fit a fold and one of the training part, whatever the number of values.
    assert len(jobs_of(ask(at))) == len(at.split.long_folds) + 1
    assert dial.tree is not None
    assert len(dial.strengths) == len(dial.points)


def test_the_simplest_is_the_first_within_one_standard_error_of_the_best() -> None:
    found = exhibit_of(subject("number", "nearest_neighbours", frame(2 * N), settings={"k": 1}), "complexity")
    dial = next(chart for chart in found.charts if isinstance(chart, DialChart))
    unseen = np.array(found.series["dial"]["mse unseen"], dtype=float)
    assert dial.best == int(unseen.argmin())
    assert dial.simplest <= dial.best < dial.submitted
    assert dial.points[dial.submitted] == "1"
    assert found.standing == "outside"


def test_a_recipe_that_is_simple_enough_is_within() -> None:
    found = exhibit_of(subject(family="gradient_boosting", settings={"trees": 10, "depth": 2}), "complexity")
    assert found.standing == "within"
    assert "A simpler model is better" not in found.answer


def test_the_simpler_value_that_is_better_is_named_as_well_as_the_simplest_as_good() -> None:
    found = exhibit_of(subject("number", "nearest_neighbours", frame(2 * N), settings={"k": 1}), "complexity")
    dial = next(chart for chart in found.charts if isinstance(chart, DialChart))
    unseen = np.array(found.series["dial"]["mse unseen"], dtype=float)
    better = dial.points[int(unseen[: dial.submitted].argmin())]
    assert f"A simpler model, k {better}, is better on unseen rows" in found.answer
    excess = estimate(found, "mse_difference")
    assert excess.versus is not None
    assert excess.versus.model == f"k {better}"


def test_every_measure_with_a_direction_has_its_gap_or_says_why_it_has_no_interval() -> None:
    found = exhibit_of(subject(), "gap")
    gaps = [e for e in found.estimates if e.measure.endswith("_gap")]
    measures = {e.measure.removesuffix("_gap") for e in gaps}
    assert measures >= {"auc", "accuracy", "brier", "log_loss", "ks", "average_precision", "lift_at_20", "recall"}
    assert not measures & {"base_rate", "bias", "calibration_slope"}
    for one in gaps:
        assert one.versus is not None
        assert one.value is not None
        assert one.low is not None or one.note, one
    ks = [e for e in gaps if e.measure == "ks_gap"]
    assert {e.versus.part: e.method for e in ks if e.versus} == {
        "out_of_fold": "corrected_t",
        "validation": "square_and_add",
        "test": "square_and_add",
    }


@pytest.mark.parametrize(
    ("family", "given"),
    [
        ("logistic", {}),
        ("forest", {"trees": 5}),
        ("neural_network", {"epochs": 20}),
        ("discriminant", {}),
        ("adaboost", {"trees": 5}),
    ],
)
def test_every_family_with_a_dial_has_its_submitted_value_on_it(family: str, given: dict[str, object]) -> None:
    recipe = Recipe(family=family, settings=given)
    found = dialled(recipe, Facts(200, 0.5))
    assert found is not None
    submitted = found.values[found.submitted]
    assert resolved_settings(submitted.recipe) == resolved_settings(recipe)
    assert len({turn.words for turn in found.values}) == len(found.values)


def test_a_family_without_a_dial_says_so() -> None:
    found = exhibit_of(subject(family="naive_bayes"), "complexity")
    assert found.state == "not_applicable"
    assert "no dial" in found.answer


# Learning, preparation, optimism.


def test_the_learning_curve_ends_where_five_folds_are() -> None:
    of = subject()
    found = exhibit_of(of, "learning", cross_validation={"folds": 5})
    curve = found.series["learning:unseen"]
    assert curve["x"] == sorted(curve["x"])
    at = bench_with(of)
    ledger = MemoryLedger()
    for need in (five := bench_with(of, cross_validation={"folds": 5})).submitted.fold_needs:
        ledger.keep(execute(FitJob(need.fit, (need.reading,)), of))
    areas = [roc_auc_score(rows.outcomes, rows.scores) for rows in five.submitted.fold_scored(ledger)]
    assert curve["y"][-1] == pytest.approx(np.mean(areas), abs=1e-9)
    assert len(at.split.cross_validated) * 0.8 == pytest.approx(curve["x"][-1], abs=1)
    assert "The last quarter of them added" in found.answer


def test_outcomes_that_leak_through_the_preparation_are_measured() -> None:
    rows = frame()
    rng = np.random.default_rng(5)
    rows["street"] = [f"s{i}" for i in rng.integers(0, 160, N)]
    found = exhibit_of(subject(rows=rows, preprocess={"encode": "target", "rare": 0}), "preparation")
    gain = estimate(found, "auc_difference", model="prepared on all rows")
    assert gain.low is not None
    assert gain.low > 0
    assert "a figure so made flatters the model" in found.answer


def test_a_recipe_that_learns_nothing_before_it_fits_has_nothing_to_leak() -> None:
    of = subject_of_frame(frame()[["x", "z", "flag"]], "flag", Recipe(family="logistic"))
    assert "learns nothing from the rows before it fits" in exhibit_of(of, "preparation").answer


def test_optimism_is_the_mean_over_resamples_of_own_less_whole() -> None:
    of = subject(preprocess={"encode": "ordinal"})
    at = bench_with(of)
    found = exhibit_of(of, "optimism")
    raw = np.column_stack([of.table.column(name).values.astype(float) for name in of.features])
    hits, rows = of.target.hits, at.split.cross_validated
    gains = []
    for drawn in resamples(at):
        plain = LogisticRegression(C=np.inf, tol=1e-10, max_iter=5000).fit(raw[drawn], hits[drawn])
        own, whole = (roc_auc_score(hits[some], plain.predict_proba(raw[some])[:, 1]) for some in (drawn, rows))
        gains.append(own - whole)
    assert estimate(found, "auc_optimism").value == pytest.approx(np.mean(gains), abs=1e-6)
    apparent, fair = estimate(found, "auc", model="recipe"), estimate(found, "auc", model="corrected")
    assert fair.value == pytest.approx((apparent.value or 0) - np.mean(gains), abs=1e-6)
    assert "too small here" not in found.answer


def test_the_correction_of_a_recipe_that_memorises_is_said_to_be_too_small() -> None:
    found = exhibit_of(subject(family="tree"), "optimism")
    fair, apart = estimate(found, "auc", model="corrected"), estimate(found, "auc", model="resampled")
    assert fair.value is not None
    assert apart.value is not None
    assert fair.value > apart.value + 0.05
    assert "too small here" in found.answer


# Trees.


def drawn(of: Subject) -> tuple[Bench, MemoryLedger, Exhibit, TreeChart]:
    at = bench_with(of, "trees")
    (asked,) = ask(at)
    ledger = MemoryLedger()
    for job in jobs_of((asked,)):
        ledger.keep(execute(job, of))
    (found,) = retest(at)
    return at, ledger, found, next(chart for chart in found.charts if isinstance(chart, TreeChart))


@pytest.mark.parametrize("outcome", TARGETS)
def test_nodes_hold_the_rows_that_a_plain_walk_puts_there(outcome: str) -> None:
    of = subject(outcome, "tree", settings={"depth": 4})
    at, _, found, chart = drawn(of)
    tree = found.series["tree:1"]
    left, training = np.array(tree["left"]), np.array(tree["training"])
    assert training[0] == len(at.split.parts["training"])
    assert tree["unseen"][0] == len(at.split.all_parts) - len(at.split.parts["training"])
    for node in np.flatnonzero(left >= 0):
        children = [int(left[node]), int(np.array(tree["right"])[node])]
        assert training[children].sum() == training[node]
        assert tree["gain"][node] is not None
        assert tree["gain"][node] > 0
    values = of.target.numbers if outcome == "number" else of.target.codes
    root = values[at.split.parts["training"]]
    expected = root.mean() if outcome != "multiclass" else np.bincount(root).max() / len(root)
    assert tree["share"][0] == pytest.approx(expected, rel=1e-5)
    assert estimate(found, "leaves").value == (left < 0).sum()
    assert chart.one_of == 1


@pytest.mark.parametrize("scale", ["none", "standard"])
def test_a_row_is_followed_to_the_leaf_that_scores_it(scale: str) -> None:
    of = subject(family="tree", settings={"depth": 5}, preprocess={"scale": scale})
    at, ledger, found, chart = drawn(of)
    tree, need = found.series["tree:1"], Trees().requests(at)[0]
    for row in (0, 17, 311):
        path = path_of(at, ledger, need, 0, row)
        assert path[0] == 0
        assert tree["left"][path[-1]] == -1
        # Thresholds are told in the data's own unit, whatever scale the model saw.
        for node, after in itertools.pairwise(path):
            column = chart.columns[int(tree["column"][node] or 0)]
            if column.kind == "number":
                value = float(of.table.column(column.feature).values[row])
                assert (value <= (tree["threshold"][node] or 0) + 1e-5) == (after == tree["left"][node])
    with pytest.raises(UserError, match="no such tree or row"):
        path_of(at, ledger, need, 0, N)
    with pytest.raises(UserError, match="no such tree or row"):
        path_of(at, ledger, need, 1, 0)


@pytest.mark.parametrize(
    ("family", "given", "trees"),
    [
        ("forest", {"trees": 4, "depth": 3}, 4),
        ("gradient_boosting", {"trees": 5, "depth": 2}, 5),
        ("lightgbm", {"trees": 5, "depth": 2}, 5),
        ("adaboost", {"trees": 3, "depth": 1}, 3),
    ],
)
def test_any_one_tree_of_an_ensemble_is_drawn_and_splits_are_counted(
    family: str, given: dict[str, object], trees: int
) -> None:
    _, _, found, chart = drawn(subject(family=family, settings=given))
    assert chart.one_of == trees
    assert len(chart.trees) == trees
    inner = sum((np.array(found.series[name]["left"]) >= 0).sum() for name in chart.trees)
    assert sum(e.value or 0 for e in found.estimates if e.measure == "splits") == inner


def test_splits_on_what_is_protected_or_stands_in_for_it_are_marked() -> None:
    rows = frame()
    rng = np.random.default_rng(2)
    rows["area"] = np.where(rng.random(N) < 0.95, rows["sex"].map({"f": "north", "m": "south"}), "east")
    rows["flag"] = np.where(rng.random(N) < 0.75, np.where(rows["sex"] == "f", "yes", "no"), rows["flag"])
    made = Recipe(family="tree", settings={"depth": 4})
    kept = rows.drop(columns=["kind", "size"])
    of = subject_of_frame(kept, "flag", made, ignore=("house",), protected=("sex",), also_features=("sex",))
    _, _, found, chart = drawn(of)
    marks = {column.feature: column.mark for column in chart.columns}
    assert marks["sex"] == "protected"
    assert (marks["area"] or "").startswith("stands in for sex")
    assert marks["x"] is None
    assert "of its splits are on" in said(found)


def test_the_tree_at_the_handle_is_that_of_the_dial() -> None:
    of = subject(family="tree", settings={"pruning": 0.01})
    at = bench_with(of, "complexity")
    assert tree_need(at).fit.recipe.settings["pruning"] == 0.0
    (found,) = retest(at)
    dial = next(chart for chart in found.charts if isinstance(chart, DialChart))
    assert dial.tree is not None
    assert dial.strengths[dial.submitted] == pytest.approx(0.01)


def test_a_family_without_trees_says_so() -> None:
    assert "has no trees" in exhibit_of(subject(), "trees").answer
    assert family_of(Recipe(family="logistic")).trees is None


def test_shuffles_read_nothing_but_figures() -> None:
    of = subject()
    at = bench_with(of)
    need: Need = at.submitted.holdout
    fit = replace(at.submitted.holdout_fit, shuffles=Shuffles(at.split.cross_validated, 1, 0, 1))
    with pytest.raises(TypeError, match="only figures"):
        execute(FitJob(fit, (need.reading,)), of)
    assert fit.plain.key == need.fit.key
    assert (fit.times, replace(fit, screened=4).times) == (1, 5)


def test_keys_of_readings_fit_the_ledger() -> None:
    at = bench_with(subject(family="tree"), *(check for check in checks_of("binary") if check != "in_use"))
    keys = {need.reading.key for one in ask(at) for need in one.needs}
    assert len({key.partition(":")[0] for key in keys}) >= 7
    assert max(len(key) for key in keys) <= 80


# Many rows, and how long it all takes.


def test_of_many_unseen_rows_a_sample_is_drawn_by_the_plan_s_seed() -> None:
    at = bench_with(subject())
    assert np.array_equal(at.split.some_unseen(10_000), at.split.unseen)
    assert np.array_equal(at.split.unseen, np.setdiff1d(at.split.all_parts, at.split.parts["training"]))
    few = at.split.some_unseen(50)
    assert len(few) == len(np.unique(few)) == 50
    assert np.isin(few, at.split.unseen).all()
    assert np.array_equal(few, bench_with(subject()).split.some_unseen(50))
    assert not np.array_equal(few, bench_with(subject(), seed=12).split.some_unseen(50))


def test_a_curve_over_too_many_rows_reads_some_of_each_fold(monkeypatch: pytest.MonkeyPatch) -> None:
    of = subject("number", "nearest_neighbours", settings={"k": 5})
    whole = exhibit_of(of, "complexity")
    monkeypatch.setattr(dial_fits, "_MOST_CELLS", 600)
    some = exhibit_of(of, "complexity")
    counts = {e.n for e in some.estimates if e.measure == "mse" and e.part == "out_of_fold"}
    assert counts != {e.n for e in whole.estimates if e.measure == "mse" and e.part == "out_of_fold"}
    dial = next(chart for chart in some.charts if isinstance(chart, DialChart))
    assert counts == {4 * (600 // len(dial.points))}
    assert exhibit_of(of, "complexity").estimates == some.estimates


def test_a_shuffled_fit_is_tried_as_a_plain_one_and_counts_as_many() -> None:
    at = bench_with(subject(), "shuffled", "labels", "preparation")
    fits = [job.fit for job in jobs_of(ask(at)) if isinstance(job.fit, FitRequest)]
    assert {trial_key(fit) for fit in fits} == {trial_key(at.submitted.holdout.fit)}
    assert sum(fit.times for fit in fits if fit.shuffles is not None) == 5 * 20
    assert {fit.times for fit in fits if fit.screened} == {6}
    shuffled = next(fit for fit in fits if fit.shuffles is not None)
    assert try_fit(shuffled, at.subject).failure is None


@pytest.mark.parametrize("family", ["logistic", "tree"])
def test_pieces_of_the_shuffles_are_of_a_size_that_suits_the_family(family: str) -> None:
    at = bench_with(subject(family=family), "shuffled", shuffles=60)
    pieces = [job.fit.shuffles.count for job in jobs_of(ask(at)) if job.fit.shuffles]
    assert sum(pieces) == 5 * 60
    assert max(pieces) == (25 if family == "logistic" else 5)


@pytest.mark.parametrize("check", ["shuffled", "complexity", "learning", "preparation", "optimism", "trees"])
def test_same_seed_same_bits_and_another_seed_others(check: str) -> None:
    of = subject(family="tree", settings={"depth": 4}, preprocess={"encode": "target"})
    first, again, other = exhibit_of(of, check), exhibit_of(of, check), exhibit_of(of, check, seed=12)
    assert first.estimates == again.estimates
    assert first.series == again.series
    assert first.answer == again.answer
    assert other.estimates != first.estimates


@pytest.mark.parametrize("check", ["shuffled", "complexity", "learning", "preparation", "optimism", "trees", "labels"])
@pytest.mark.parametrize("outcome", TARGETS)
def test_every_estimate_has_an_interval_or_says_why_not(outcome: str, check: str) -> None:
    family = {"binary": "forest", "multiclass": "tree", "number": "nearest_neighbours"}[outcome]
    given_ = {"forest": {"trees": 5}, "tree": {"depth": 4}, "nearest_neighbours": {"k": 5, "weights": "distance"}}[
        family
    ]
    found = exhibit_of(subject(outcome, family, settings=given_, preprocess={"scale": "standard"}), check)
    assert found.state == ("not_applicable" if (outcome, check) == ("number", "trees") else "done"), found.answer
    assert found.answer.endswith(".")
    assert "nan" not in found.answer
    for one in found.estimates:
        if one.value is None or (one.low is None and one.high is None):
            assert one.note, one
        else:
            assert one.method, one
            assert one.low is None or one.low <= one.value + 1e-9, one
            assert one.high is None or one.high >= one.value - 1e-9, one
    named = {row.estimate for chart in found.charts if chart.kind == "strip" for g in chart.groups for row in g.rows}
    assert named <= set(range(len(found.estimates)))


@pytest.mark.parametrize(
    ("gains", "said"),
    [
        ([None], "It does not split."),
        ([0.1, None, None], "Its one split gains on unseen rows too."),
        ([0.0, None, None], "Its one split gains nothing on unseen rows."),
        ([0.1, 0.2, None], "Each of its 2 splits gains on unseen rows too."),
        ([0.1, -0.2, None], "Of its 2 splits 1 gains nothing on unseen rows."),
        ([0.0, -0.2, 0.3], "Of its 3 splits 2 gain nothing on unseen rows."),
    ],
)
def test_what_splits_gain_is_said_of_one_and_of_many(gains: list[float | None], said: str) -> None:
    assert _gained({"unseen_gain": gains}) == said
