"""Question 7: coefficients, influence, shape and sensitivity, each against a plainer way or another library."""

import warnings
from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st
from sklearn.inspection import partial_dependence
from sklearn.linear_model import LogisticRegression
from sklearn.metrics import roc_auc_score
from sklearn.tree import DecisionTreeClassifier
from statsmodels.stats.multitest import multipletests
from statsmodels.stats.outliers_influence import variance_inflation_factor

from brookfall.core.check.sense.coefficients import CoefficientCheck
from brookfall.core.fit.execute import execute
from brookfall.core.fit.probe.feature_grid import grid_of
from brookfall.core.fit.probe.permutation_importance import _order
from brookfall.core.fit.probe.prepared_columns import sources
from brookfall.core.fit.request import CoefficientReading, FitJob, InfluenceReading, SensitivityReading, ShapeReading
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.schema import Expectation
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_from_text
from tests.made import bench_with, estimate, examples, exhibit_of, subject_of_frame

N = 360


def frame(gaps: bool = False) -> pd.DataFrame:
    rng = np.random.default_rng(21)
    x, z = rng.normal(size=N), rng.normal(size=N)
    size = 1.5 * x - z + rng.normal(size=N)
    found = pd.DataFrame(
        {
            "x": x.round(6),
            "z": z.round(6),
            "idle": rng.normal(size=N).round(6),
            "colour": rng.choice(["red", "green", "blue"], N),
            "flag": np.where(size > 0, "yes", "no"),
            "size": size.round(6),
            "kind": np.where(size < -1, "low", np.where(size > 1, "high", "mid")),
        }
    )
    if gaps:
        found["z"] = found["z"].astype(str)
        found.loc[::9, "z"] = ""
    return found


TARGETS = {"binary": "flag", "multiclass": "kind", "number": "size"}


def subject(
    outcome: str = "binary",
    family: str = "logistic",
    signs: dict[str, str] | None = None,
    gaps: bool = False,
    **recipe: object,
) -> Subject:
    target = TARGETS[outcome]
    kept = frame(gaps).drop(columns=[name for name in TARGETS.values() if name != target])
    made = Recipe.model_validate({"family": family, "seed": 4, **recipe})
    found = subject_of_frame(kept, target, made, outcome)  # type: ignore[arg-type]
    expected = tuple(
        Expectation.model_validate({"feature": name, "sign": sign}) for name, sign in (signs or {}).items()
    )
    return replace(found, expectations=expected)


# Coefficients.


def test_raw_p_and_holm_s_stand_side_by_side_and_the_constant_is_no_question() -> None:
    found = exhibit_of(subject(), "coefficients")
    raw = {e.feature: e.value for e in found.estimates if e.measure == "coefficient_p_value"}
    together = {e.feature: e.value for e in found.estimates if e.measure == "coefficient_p_value_holm"}
    assert set(raw) - set(together) == {"constant"}
    names = list(together)
    expected = multipletests([raw[name] for name in names], method="holm")[1]
    assert [together[name] for name in names] == pytest.approx(list(expected))
    columns = found.tables[0].columns
    assert columns[columns.index("p") + 1] == "p (Holm)"


def test_signs_are_held_against_what_is_expected() -> None:
    found = exhibit_of(subject(signs={"x": "positive", "z": "negative"}), "coefficients")
    assert found.standing == "within"
    assert found.answer.startswith("Both expected signs hold.")
    contrary = exhibit_of(subject(signs={"x": "negative"}), "coefficients")
    assert contrary.standing == "outside"
    assert "The sign of 'x' is the opposite" in contrary.answer
    open_ = exhibit_of(subject(signs={"idle": "positive"}), "coefficients")
    assert open_.standing in ("near", "unsettled")
    assert "leave the sign of 'idle' open" in open_.answer


def test_estimates_are_of_maximum_likelihood_with_their_ratios() -> None:
    of = subject(preprocess={"encode": "ordinal"})
    at = bench_with(of)
    found = exhibit_of(of, "coefficients")
    rows = at.split.parts["training"]
    raw = np.column_stack([of.table.column(name).values.astype(float) for name in of.features])[rows]
    plain = LogisticRegression(C=np.inf, tol=1e-12, max_iter=10_000).fit(raw, of.target.hits[rows])
    for name, expected in zip(of.features, plain.coef_[0], strict=True):
        one = estimate(found, "coefficient", feature=name)
        assert one.value == pytest.approx(expected, abs=1e-4)
        assert estimate(found, "odds_ratio", feature=name).value == pytest.approx(np.exp(expected), rel=1e-3)
        error = estimate(found, "standard_error", feature=name).value or 0
        assert ((one.high or 0) - (one.low or 0)) / 2 == pytest.approx(1.959964 * error, rel=1e-6)


def test_inflation_is_that_of_statsmodels() -> None:
    of = subject("number", "linear", preprocess={"encode": "ordinal"})
    at = bench_with(of)
    found = exhibit_of(of, "coefficients")
    rows = at.split.parts["training"]
    raw = np.column_stack([np.ones(len(rows)), *(of.table.column(n).values.astype(float)[rows] for n in of.features)])
    for place, name in enumerate(of.features, start=1):
        expected = variance_inflation_factor(raw, place)
        assert estimate(found, "variance_inflation", feature=name).value == pytest.approx(expected, rel=1e-6)


def test_a_penalised_fit_has_intervals_by_resamples_and_neither_error_nor_p() -> None:
    of = subject(family="logistic", settings={"penalty": "l2", "strength": 5.0})
    found = exhibit_of(of, "coefficients")
    measures = {e.measure for e in found.estimates}
    assert measures == {"coefficient"}
    x = estimate(found, "coefficient", feature="x")
    assert x.method == "bootstrap"
    assert x.low is not None
    assert x.high is not None
    assert 0 < x.low < (x.value or 0) < x.high
    assert "there are no standard errors and no p" in " ".join(" ".join(t.title.split()) for t in found.tables)


def test_a_level_or_a_class_that_a_resample_lacks_breaks_nothing() -> None:
    rows = frame()
    rows.loc[3, "colour"] = "violet"
    rows.loc[[7, 11, 19, 23, 29, 31, 37, 41], "kind"] = "odd"
    ridged = {"family": "logistic", "settings": {"penalty": "l2", "strength": 2}, "preprocess": {"rare": 0}}
    for target, outcome in (("flag", "binary"), ("kind", "multiclass")):
        kept = rows.drop(columns=[name for name in TARGETS.values() if name != target])
        of = subject_of_frame(kept, target, Recipe.model_validate(ridged), outcome)  # type: ignore[arg-type]
        found = exhibit_of(of, "coefficients")
        assert found.state == "done", found.answer
        violet = [e for e in found.estimates if e.feature == "colour = violet"]
        assert len(violet) == (1 if outcome == "binary" else len(of.target.classes))
        assert all(e.low is not None or e.note for e in violet)


def test_a_class_that_is_in_no_training_row_has_no_coefficient() -> None:
    of = subject("multiclass", settings={"penalty": "l2", "strength": 1})
    at = bench_with(of)
    rows = at.split.parts["training"]
    some = rows[of.target.codes[rows] != of.target.classes.index("mid")]
    fit = at.fit(some)
    found = execute(FitJob(fit, (CoefficientReading(some),)), of).readings["coefficients"]
    assert np.isnan(found[0]).all()
    whole = execute(FitJob(at.fit(rows), (CoefficientReading(rows),)), of).readings["coefficients"]
    assert np.isfinite(whole[0]).all()


def test_several_classes_have_a_coefficient_each() -> None:
    found = exhibit_of(subject("multiclass"), "coefficients")
    of_x = [e for e in found.estimates if e.feature == "x"]
    assert {e.class_ for e in of_x} == {"high", "low", "mid"}


def test_columns_that_tell_the_outcomes_apart_have_no_end() -> None:
    rows = frame()
    rows["given"] = np.where(rows["flag"] == "yes", "1", "0")
    of = subject_of_frame(rows.drop(columns=["kind", "size"]), "flag", Recipe(family="logistic"))
    found = exhibit_of(of, "coefficients")
    assert found.state == "done"
    assert found.lines[0].startswith("'given' tells outcomes apart without exception")


def test_weights_and_groups_take_the_sandwich() -> None:
    rows = frame()
    rows["house"] = [f"h{i // 2}" for i in range(N)]
    plain = rows.drop(columns=["kind", "size"])
    grouped = subject_of_frame(plain, "flag", Recipe(family="logistic"), group="house")
    alone = subject_of_frame(plain, "flag", Recipe(family="logistic"), ignore=("house",))
    found = [
        exhibit_of(of, "coefficients", parts={"kind": "shares", "training": 60, "test": 40}) for of in (grouped, alone)
    ]
    values = [estimate(one, "coefficient", feature="x") for one in found]
    assert values[0].value == pytest.approx(values[1].value, abs=1e-6)
    assert values[0].low != values[1].low


def test_a_family_without_coefficients_says_so() -> None:
    assert "has no coefficients" in exhibit_of(subject(family="tree"), "coefficients").answer
    assert CoefficientCheck.question == 7


# Influence.


def read(of: Subject, reading: InfluenceReading | ShapeReading | SensitivityReading) -> np.ndarray:
    at = bench_with(of)
    result = execute(FitJob(at.fit(at.split.parts["training"]), (reading,)), of)
    assert result.failure is None, result.failure
    return result.readings[reading.key]


def plain_model(of: Subject, family: str) -> Any:
    at = bench_with(of)
    raw = np.column_stack([of.table.column(name).values.astype(float) for name in of.features])
    made = {
        "logistic": LogisticRegression(C=np.inf, tol=1e-12, max_iter=10_000),
        "tree": DecisionTreeClassifier(max_depth=4, random_state=4),
    }[family]
    train = at.split.parts["training"]
    return raw, made.fit(raw[train], of.target.hits[train])


@pytest.mark.parametrize("family", ["logistic", "tree"])
def test_influence_is_what_a_loop_over_shuffled_columns_finds(family: str) -> None:
    given_ = {"depth": 4} if family == "tree" else {}
    of = subject(family=family, settings=given_, preprocess={"encode": "ordinal"})
    rows = bench_with(of).split.parts["test"]
    reading = InfluenceReading(rows, "auc", 5, 77)
    found = read(of, reading)
    raw, model = plain_model(of, family)
    whole = roc_auc_score(of.target.hits[rows], model.predict_proba(raw[rows])[:, 1])
    for feature in range(len(of.features)):
        losses = []
        for repeat in range(5):
            shuffled = raw[rows].copy()
            shuffled[:, feature] = shuffled[_order(reading, feature, repeat), feature]
            losses.append(whole - roc_auc_score(of.target.hits[rows], model.predict_proba(shuffled)[:, 1]))
        assert found[feature, 0] == pytest.approx(np.mean(losses), abs=1e-6)
        assert found[feature, 2] == pytest.approx(np.var(losses, ddof=1) / 5, abs=1e-6)


@pytest.mark.parametrize("outcome", TARGETS)
def test_what_drives_the_outcome_comes_first_and_the_idle_is_told_from_none_rarely(outcome: str) -> None:
    of = subject(
        outcome,
        "gradient_boosting" if outcome != "number" else "linear",
        settings={"trees": 20} if outcome != "number" else {},
    )
    found = exhibit_of(of, "influence")
    losses = {e.feature: e for e in found.estimates if e.measure == "influence"}
    assert max(losses, key=lambda name: losses[name].value or 0) == "x"
    assert losses["x"].low is not None
    assert losses["x"].low > 0
    idle = losses["idle"]
    assert (idle.value or 0) < 0.3 * (losses["x"].value or 0)
    assert "'x' has the largest permutation importance" in found.answer


def test_a_column_that_no_tree_splits_on_loses_exactly_nothing() -> None:
    of = subject(family="tree", settings={"leaves": 2})
    found = exhibit_of(of, "influence")
    unused = [e for e in found.estimates if e.measure == "influence" and e.value == 0]
    assert len(unused) == 3
    assert {e.note for e in unused} == {"the fitted model does not look at it"}


# Shape.


def test_the_shape_is_the_partial_dependence_of_scikit_learn() -> None:
    of = subject(family="tree", settings={"depth": 4}, preprocess={"encode": "ordinal"})
    rows = bench_with(of).split.parts["test"]
    found = read(of, ShapeReading(rows, 3))
    raw, model = plain_model(of, "tree")
    for feature, name in enumerate(of.features):
        grid = grid_of(of.table.column(name), rows)
        expected = partial_dependence(
            model, raw[rows], [feature], kind="both", method="brute", custom_values={feature: grid}
        )
        assert found[feature, : len(grid), 0, 0] == pytest.approx(expected["average"][0])
        assert found[feature, : len(grid), 0, 2:5] == pytest.approx(expected["individual"][0][:3].T)
        assert np.isnan(found[feature, len(grid) :]).all()


@pytest.mark.parametrize(("sign", "standing"), [("positive", "within"), ("negative", "outside")])
def test_the_direction_is_held_against_what_is_expected(sign: str, standing: str) -> None:
    found = exhibit_of(subject("number", "linear", signs={"x": sign}), "shape")
    assert found.standing == standing
    rise = estimate(found, "shape_rise", feature="x")
    grid = np.array(found.series["shape:0"]["x"])
    assert rise.value == pytest.approx(1.5 * (grid[-1] - grid[0]), rel=0.1)


def test_levels_are_named_on_the_axis() -> None:
    found = exhibit_of(subject(family="gradient_boosting", settings={"trees": 10}), "shape")
    chart = next(c for c in found.charts if c.kind == "lines" and c.x == "colour")
    assert chart.ticks == ("blue", "green", "red")


@given(values=st.lists(st.floats(-1e6, 1e6) | st.none(), min_size=1, max_size=90))
@examples(80)
def test_a_grid_is_sorted_within_the_values_and_short(values: list[float | None]) -> None:
    column = column_from_text("c", ["" if value is None else f"{value:.4f}" for value in values])
    if column.kind != "number":
        return
    grid = grid_of(column, np.arange(len(values)))
    known = column.values[~np.isnan(column.values)]
    assert len(grid) <= 20
    assert (np.diff(grid) > 0).all()
    assert np.isin(grid, known).all()
    if len(known):
        assert (grid[0], grid[-1]) == (known.min(), known.max())


# Sensitivity.


def test_a_disturbed_column_changes_the_decisions_that_a_plain_loop_counts() -> None:
    of = subject(gaps=True, preprocess={"encode": "ordinal", "missing": "median"})
    at = bench_with(of)
    rows = at.split.parts["test"]
    found = read(of, SensitivityReading(rows, 5, 0.5))
    train = at.split.parts["training"]
    raw = np.column_stack([of.table.column(name).values.astype(float) for name in of.features])
    middle = np.nanmedian(raw[train, 1])
    filled = np.where(np.isnan(raw), middle, raw)
    model = LogisticRegression(C=np.inf, tol=1e-12, max_iter=10_000).fit(filled[train], of.target.hits[train])
    before = model.predict_proba(filled[rows])[:, 1] >= 0.5
    missing = filled[rows].copy()
    missing[:, 1] = middle
    flipped = (model.predict_proba(missing)[:, 1] >= 0.5) != before
    assert found[1, 1].tolist() == [flipped.sum(), len(rows)]
    low, high = filled[train, 0].min(), filled[train, 0].max()
    changed = np.zeros(len(rows), dtype=bool)
    for end in (2 * low - high, 2 * high - low):
        moved = filled[rows].copy()
        moved[:, 0] = end
        changed |= (model.predict_proba(moved)[:, 1] >= 0.5) != before
    assert found[0, 2].tolist() == [changed.sum(), len(rows)]
    assert np.isnan(found[3, 0]).all()


@pytest.mark.parametrize("outcome", TARGETS)
def test_every_outcome_has_its_own_kind_of_change(outcome: str) -> None:
    of = subject(outcome, "linear" if outcome == "number" else "logistic")
    found = exhibit_of(of, "sensitivity")
    name = "mean_change_extreme" if outcome == "number" else "changed_decisions_extreme"
    x, idle = estimate(found, name, feature="x"), estimate(found, name, feature="idle")
    assert (x.value or 0) > (idle.value or 0)
    assert ("the predicted 'size' moves" in found.answer) == (outcome == "number")
    colour = estimate(found, name, feature="colour")
    assert colour.value is None
    assert colour.note == "it is no number"


def test_prepared_columns_know_their_features() -> None:
    of = subject(preprocess={"encode": "onehot", "missing": "indicator"}, gaps=True)
    at = bench_with(of)
    from brookfall.core.check.shared.design_matrix import prepared_of

    prepared, design = prepared_of(at, at.fit(at.split.parts["training"]))
    names = prepared.names(of.table.select(of.features))
    found = sources(prepared, of.features)
    assert len(found) == len(names) == design.shape[1]
    for name, source in zip(names, found, strict=True):
        assert name.startswith(of.features[source])


def test_no_check_warns_of_its_own_arithmetic() -> None:
    of = subject(family="gradient_boosting", settings={"trees": 5})
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        for found in retest(bench_with(of, "influence", "shape", "sensitivity", "trees")):
            assert found.state == "done"
