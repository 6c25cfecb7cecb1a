"""A fitted model that came with the submission: asked in the sandbox, tested like any other, held against the rest."""

import io
import re
from copy import deepcopy
from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest
from onnx import TensorProto
from sklearn.ensemble import RandomForestClassifier
from sklearn.linear_model import LinearRegression, LogisticRegression
from sklearn.metrics import roc_auc_score
from sklearn.pipeline import Pipeline

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import FitJob
from brookfall.core.foundation.errors import UserError
from brookfall.core.new_rows.learned import models_asked
from brookfall.core.new_rows.match import match_rows
from brookfall.core.new_rows.score import score_new_rows
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import Package
from brookfall.core.submission.subject import Subject, subject_of
from brookfall.core.table.roles import Roles
from brookfall.sandbox import sandbox
from tests.conftest import files_of, rows_csv, small_plan
from tests.onnx_models import by_column, of_one_input, of_tensor, pipeline, weighted_sum

PATH = "model/fitted.onnx"
NUMBERS, TEXTS = ("x", "z"), ("kind",)
ROLES = {"target": "y", "positive": "yes", "identifier": ["id"], "protected": ["sex", "age"], "part": "part"}
ALL_FEATURES = ["x", "z", "kind", "sex", "age"]


def table(n: int = 600) -> pd.DataFrame:
    """The small table, with a column that says which rows the model learned from."""
    rows = pd.read_csv(io.StringIO(rows_csv(n)))
    rows["part"] = np.where(np.random.default_rng(1).random(n) < 0.6, "train", "test")
    return rows


def files_with(
    onnx: bytes, rows: pd.DataFrame, roles: dict[str, Any] | None = None, **changes: Any
) -> dict[str, bytes]:
    """The files of a package with a fitted model."""
    data = [{"name": "rows", "path": "data/rows.csv", "roles": ROLES if roles is None else roles}]
    changes = {"claims": [], "data": data, **changes}
    return {**files_of(csv=rows.to_csv(index=False), artifact={"path": PATH}, **changes), PATH: onnx}


def came(onnx: bytes, rows: pd.DataFrame, roles: dict[str, Any] | None = None, **changes: Any) -> Package:
    """The package of a fitted model, read as a submission is."""
    return sandbox.read_package(files_with(onnx, rows, roles, **changes), 100_000_000)


def fitted(rows: pd.DataFrame, *texts: str, model: Any = None) -> Pipeline:
    train = rows[rows.part == "train"]
    made = pipeline(model or LogisticRegression(C=1e6, max_iter=2_000), NUMBERS, texts)
    return made.fit(train[[*NUMBERS, *texts]], train.y)


def bench_of(package: Package, *checks: str, **changes: Any) -> Bench:
    return Bench(subject_of(package), small_plan(parts={"kind": "given"}, checks=checks, **changes))


def exhibits(bench: Bench) -> dict[str, Exhibit]:
    return {one.check: one for one in retest(bench)}


def scores_of(bench: Bench) -> np.ndarray[Any, np.dtype[np.float64]]:
    """Its scores of all rows in use."""
    need = bench.artifact.need
    result = execute(FitJob(need.fit, (need.reading,)), bench.subject)
    assert result.failure is None, result.failure
    return result.readings[need.reading.key]


def as_read(rows: pd.DataFrame) -> pd.DataFrame:
    """Numbers as float32, as the graph reads them."""
    return rows.assign(**{name: rows[name].astype(np.float32) for name in NUMBERS})


# What it says of rows.


@pytest.mark.parametrize("zipmap", [True, False])
def test_scores_are_those_of_the_library_that_fitted_it(zipmap: bool) -> None:
    rows = table()
    model = fitted(rows, *TEXTS)
    options = {} if zipmap else {"zipmap": False}
    bench = bench_of(came(by_column(model, rows, [*NUMBERS, *TEXTS], **options), rows), "holdout")
    expected = model.predict_proba(as_read(rows)[[*NUMBERS, *TEXTS]])[:, 1]
    assert np.abs(scores_of(bench) - expected).max() < 1e-6


@pytest.mark.parametrize("named", ["text", "numbers"])
def test_classes_are_told_apart_by_their_names_or_their_places(named: str) -> None:
    rows = table()
    rows["y"] = np.where(rows.z < -0.5, "calm", np.where(rows.z < 0.5, "alert", "fire"))
    outcome = {"name": "Sample", "version": "1", "tier": 3, "outcome": "multiclass", "purpose": "p", "owner": "o"}
    labels = rows.y if named == "text" else rows.y.map({"alert": 0, "calm": 1, "fire": 2})
    x = rows[["x", "z"]].fillna(0)
    rows["x"] = x.x
    model = RandomForestClassifier(20, max_depth=5, random_state=0).fit(x.to_numpy(np.float32), labels)
    roles = {"target": "y", "identifier": ["id"], "part": "part", "ignore": ["kind", "sex", "age"]}
    package = came(of_tensor(model, 2, zipmap=False), rows, roles, model=outcome, recipe=None)
    bench = bench_of(package, "holdout")
    classes = bench.subject.target.classes
    expected = model.predict_proba(x.to_numpy(np.float32))
    order = [sorted(classes).index(name) for name in classes]
    assert np.abs(scores_of(bench) - expected[:, order]).max() < 1e-6


def test_a_number_is_one_output() -> None:
    rows = table()
    rows["x"] = rows.x.fillna(0)
    rows["y"] = 3 * rows.x - rows.z
    model = LinearRegression().fit(rows[["x", "z"]].to_numpy(np.float32), rows.y)
    outcome = {"name": "Sample", "version": "1", "tier": 3, "outcome": "number", "purpose": "p", "owner": "o"}
    roles = {"target": "y", "identifier": ["id"], "part": "part", "ignore": ["kind", "sex", "age"]}
    bench = bench_of(came(of_tensor(model, 2), rows, roles, model=outcome, recipe=None), "holdout", main_measure="rmse")
    assert np.abs(scores_of(bench) - rows.y).max() < 1e-5
    assert exhibits(bench)["holdout"].state == "done"


def test_inputs_may_be_whole_numbers_flat_or_of_one_row_at_a_time() -> None:
    rows = table(200)
    rows["z"] = np.round(rows.z)
    rows["x"] = np.arange(200) % 5
    flat = bench_of(came(weighted_sum({"z": 1.0, "x": -0.5}, kind=TensorProto.INT64, shape=(None,)), rows), "holdout")
    single = bench_of(came(weighted_sum({"z": 1.0, "x": -0.5}, shape=(1, 1)), rows), "holdout")
    expected = 1 / (1 + np.exp(-(rows.z - 0.5 * rows.x)))
    assert np.abs(scores_of(flat) - expected).max() < 1e-6
    assert np.abs(scores_of(single) - expected).max() < 1e-6


def test_it_is_asked_twice_with_the_same_bits() -> None:
    rows = table()
    model = by_column(fitted(rows, *TEXTS), rows, [*NUMBERS, *TEXTS])
    once, again = (exhibits(bench_of(came(model, rows), "influence", "shape", "sensitivity")) for _ in range(2))
    for name, one in once.items():
        assert one.estimates == again[name].estimates
        assert one.series == again[name].series


# What is concluded of it.


def test_it_is_tested_like_any_other_model() -> None:
    rows = table()
    model = fitted(rows, *TEXTS)
    claim = float(np.round(_auc(model, rows), 3))
    package = came(
        by_column(model, rows, [*NUMBERS, *TEXTS]),
        rows,
        claims=[{"measure": "auc", "part": "test", "value": f"{claim:.3f}"}],
    )
    checks = ("claims", "holdout", "threshold", "use", "calibration", "gap", "baseline", "groups", "segments")
    found = exhibits(bench_of(package, *checks))
    for name in checks:
        assert found[name].state == "done", found[name].answer
        if name != "segments":
            assert any(one.model == "artifact" for one in found[name].estimates), name
    (verdict,) = [one for one in found["claims"].estimates if one.model == "artifact" and one.verdict]
    assert verdict.verdict == "reproduced"
    (auc,) = [
        one
        for one in found["holdout"].estimates
        if (one.model, one.part, one.quantity) == ("artifact", "test", "auc") and one.class_ is None
    ]
    assert auc.value == pytest.approx(_auc(model, rows), abs=1e-6)
    assert auc.n == int((rows.part == "test").sum())


def _auc(model: Pipeline, rows: pd.DataFrame) -> float:
    test = as_read(rows)[rows.part == "test"]
    return float(roc_auc_score(test.y == "yes", model.predict_proba(test[[*NUMBERS, *TEXTS]])[:, 1]))


def test_without_a_recipe_it_is_what_is_asked() -> None:
    rows = table()
    package = came(by_column(fitted(rows, *TEXTS), rows, [*NUMBERS, *TEXTS]), rows, recipe=None)
    checks = ("holdout", "influence", "shape", "sensitivity", "challengers", "stability", "surrogate")
    found = exhibits(bench_of(package, *checks, threshold=0.5))
    assert found["stability"].state == "not_applicable", "nothing can be refitted"
    assert found["surrogate"].state == "not_applicable", "nothing stands for what can be asked"
    gains = [one for one in found["challengers"].estimates if one.comparison == "difference"]
    assert {(one.model, one.part) for one in gains} == {("artifact", "test")}
    for name in ("holdout", "influence", "shape", "sensitivity"):
        assert found[name].state == "done", found[name].answer
        assert {one.model for one in found[name].estimates} == {"artifact"}
    assert "The fitted model as submitted was asked" in " ".join(found["influence"].lines)


def test_what_it_reads_beyond_the_features_is_found_and_told() -> None:
    rows = table()
    model = fitted(rows, "kind", "sex", "age")
    found = exhibits(bench_of(came(by_column(model, rows, ALL_FEATURES), rows), "direct_use", "influence"))
    assert "The fitted model reads sex and age, which are protected" in found["direct_use"].answer
    assert any(
        "reads 'sex' and 'age', which the case's roles count as no feature" in one for one in found["influence"].lines
    )
    assert {one.feature for one in found["influence"].estimates if one.quantity == "influence"} == set(ALL_FEATURES)


def test_where_it_differs_from_its_recipe_is_found() -> None:
    rows = table(900)
    rows["x"] = rows.x.fillna(0)
    recipe = {"family": "logistic", "preprocess": {"scale": "none"}, "threshold": 0.5, "seed": 3}
    same = fitted(rows, *TEXTS)
    honest = came(by_column(same, rows, [*NUMBERS, *TEXTS]), rows, recipe=recipe)
    lines = " ".join(_all_lines(exhibits(bench_of(honest, "claims"))["claims"]))
    assert "lie apart" not in lines

    moved = other_for_green(same)
    found = exhibits(bench_of(came(by_column(moved, rows, [*NUMBERS, *TEXTS]), rows, recipe=recipe), "claims"))[
        "claims"
    ]
    lines = " ".join(_all_lines(found))
    green = int((rows.kind == "green").sum())
    told = re.search(
        rf"They lie apart, by more than \S+, where kind = green: (\d+) of {green} rows there, none of the other", lines
    )
    assert told is not None, lines
    assert int(told[1]) > 0.95 * green
    furthest = next(one for one in found.tables if "furthest apart" in one.title)
    numbers = [int(str(row[0].text).replace("\u202f", "")) for row in furthest.rows]
    assert set(rows.kind.iloc[[number - 1 for number in numbers]]) == {"green"}
    flipped = [one for one in found.estimates if one.quantity == "flipped" and one.part == "test"]
    assert flipped[0].model == "recipe"
    assert flipped[0].versus is not None
    assert flipped[0].versus.model == "artifact"
    assert flipped[0].value > 0.02


def other_for_green(model: Pipeline) -> Pipeline:
    """The same pipeline, but for one level, which it scores otherwise."""
    other = deepcopy(model)
    levels = list(other[0].named_transformers_["onehotencoder"].categories_[0])
    other[-1].coef_[0, len(NUMBERS) + levels.index("green")] += 2.5
    return other


def _all_lines(exhibit: Exhibit) -> list[str]:
    return [exhibit.answer, *exhibit.lines]


def test_rows_that_it_may_have_learned_from_judge_nothing() -> None:
    rows = table().drop(columns="part")
    roles = {name: value for name, value in ROLES.items() if name != "part"}
    model = by_column(fitted(table(), *TEXTS), rows, [*NUMBERS, *TEXTS])
    package = came(model, rows, roles, recipe=None)
    bench = Bench(subject_of(package), small_plan(checks=("holdout", "influence"), threshold=0.5))
    found = exhibits(bench)
    assert found["holdout"].state == "not_applicable"
    assert "Nothing says which rows the fitted model learned from" in found["holdout"].answer
    assert {one.part for one in found["influence"].estimates if one.feature} == {"all"}
    assert all(one.standing is None for one in found["influence"].estimates)
    assert "rows in use" in found["influence"].answer


def test_one_that_fails_leaves_the_recipe_to_be_tested() -> None:
    rows = table()
    rows["z"] = rows.z - 5
    # A logarithm of what is below 0 is no number.
    claims = [{"measure": "auc", "part": "test", "value": "0.70"}]
    package = came(of_one_input("Log", "z"), rows, claims=claims)
    found = exhibits(bench_of(package, "claims", "holdout", "calibration", "gap", "groups", "influence"))
    for name in ("claims", "holdout", "calibration", "gap", "groups"):
        assert found[name].state == "done", found[name].answer
        assert {one.model for one in found[name].estimates} == {"recipe"}
    assert "Fitted model" not in " ".join(found["calibration"].lines), "nothing is said of scores that are not there"
    assert found["influence"].state == "failed"
    assert "gave no number for 600 of 600 rows" in found["influence"].answer
    assert any("The fitted model could not be run" in one for one in found["holdout"].provenance.remarks)


def test_one_that_nothing_can_run_leaves_all_as_without_it() -> None:
    rows = table()
    package = came(by_column(fitted(rows, *TEXTS), rows, [*NUMBERS, *TEXTS]), rows)
    closed = replace(package, opened=None)
    found = exhibits(bench_of(closed, "claims", "holdout", "influence"))
    assert bench_of(closed, "holdout").models == ("recipe",)
    assert {one.model for exhibit in found.values() for one in exhibit.estimates} == {"recipe"}
    with pytest.raises(UserError, match="The model came without a fitted model"):
        new_rows_scored(closed, rows.head(5), "artifact")


def test_roles_that_leave_its_features_out_are_told() -> None:
    rows = table(200)
    rows["x"] = rows.x.fillna(0)
    model = LogisticRegression().fit(rows[["x", "z"]].to_numpy(np.float32), rows.y)
    roles = {**ROLES, "ignore": ["kind"]}
    package = came(of_tensor(model, 2), rows, roles)
    other = Roles.model_validate({**roles, "ignore": ["kind", "z"]})
    bench = Bench(subject_of(package, other), small_plan(parts={"kind": "given"}, checks=("influence",)))
    assert "has the shape" in exhibits(bench)["influence"].answer


# New rows.


def new_rows_scored(package: Package, rows: pd.DataFrame, *models: str) -> Any:
    of: Subject = subject_of(package)
    new = match_rows(of, of.table.take(np.arange(len(rows))), "new.csv")
    return score_new_rows(new, models_asked(of, models))


def test_new_rows_are_scored_by_it_beside_the_recipe() -> None:
    rows = table()
    model = fitted(rows, *TEXTS)
    package = came(by_column(model, rows, [*NUMBERS, *TEXTS]), rows)
    found = new_rows_scored(package, rows.head(40), "artifact", "recipe", "forest")
    first = found.by_name["artifact"]
    expected = model.predict_proba(as_read(rows.head(40))[[*NUMBERS, *TEXTS]])[:, 1]
    assert np.abs(first.scores - expected).max() < 1e-6
    assert (first.decisions == (expected >= 0.5)).all()
    assert first.sets is not None
    assert first.sets.any(axis=1).all(), "a set is never empty"
    assert first.by_itself is None, "how it scales is not known"
    assert first.reasons is not None
    assert not first.reasons.exact
    sums = first.reasons.base + first.reasons.values.sum(axis=1)
    assert np.abs(sums - expected).max() < 1e-6


def test_its_sets_cover_as_many_rows_as_were_asked_for() -> None:
    rows = table(2_000)
    package = came(by_column(fitted(rows, *TEXTS), rows, [*NUMBERS, *TEXTS]), rows)
    # Rows like those it was held against: half of these fall in the test part, where a set is exact.
    of = subject_of(package)
    new = match_rows(of, of.table.take(np.flatnonzero(rows.part.to_numpy() == "test")), "new.csv")
    found = score_new_rows(new, models_asked(of, ["artifact"]), explain=False).by_name["artifact"]
    codes = (rows.y[rows.part == "test"] == "yes").to_numpy().astype(int)
    assert found.sets is not None
    covered = found.sets[np.arange(len(codes)), codes]
    for place in (0, 1):
        assert 0.88 < covered[codes == place].mean() < 0.95


def test_of_a_number_its_intervals_come_from_the_test_part() -> None:
    rows = table()
    rows["x"] = rows.x.fillna(0)
    rows["y"] = 3 * rows.x - rows.z + np.random.default_rng(3).normal(size=len(rows))
    train = rows[rows.part == "train"]
    model = LinearRegression().fit(train[["x", "z"]].to_numpy(np.float32), train.y)
    outcome = {"name": "Sample", "version": "1", "tier": 3, "outcome": "number", "purpose": "p", "owner": "o"}
    roles = {"target": "y", "identifier": ["id"], "part": "part", "ignore": ["kind", "sex", "age"]}
    package = came(of_tensor(model, 2), rows, roles, model=outcome, recipe=None)
    found = new_rows_scored(package, rows.head(30), "artifact").by_name["artifact"]
    test = rows[rows.part == "test"]
    off = np.sort(np.abs(test.y - model.predict(test[["x", "z"]].to_numpy(np.float32))))
    half = off[int(np.ceil(0.9 * (len(off) + 1))) - 1]
    assert found.low is not None
    assert np.abs((found.high - found.low) / 2 - half).max() < 1e-5


def test_without_a_test_part_there_is_no_set() -> None:
    rows = table().drop(columns="part")
    roles = {name: value for name, value in ROLES.items() if name != "part"}
    package = came(by_column(fitted(table(), *TEXTS), rows, [*NUMBERS, *TEXTS]), rows, roles)
    found = new_rows_scored(package, rows.head(10), "artifact").by_name["artifact"]
    assert found.sets is None
    assert found.without == "nothing says which rows it did not learn from"


def test_new_rows_need_what_it_reads_among_the_features() -> None:
    rows = table(200)
    package = came(by_column(fitted(rows, "kind", "sex", "age"), rows, ALL_FEATURES), rows)
    with pytest.raises(
        UserError, match="The fitted model reads sex and age, which the case's roles count as no feature"
    ):
        new_rows_scored(package, rows.head(10), "artifact")


# In processes of their own.


def test_several_processes_give_the_same_bits() -> None:
    rows = table()
    bench = bench_of(
        came(by_column(fitted(rows, *TEXTS), rows, [*NUMBERS, *TEXTS]), rows), "holdout", "influence", "claims"
    )
    for one, other in zip(retest(bench), retest(bench, workers=2), strict=True):
        assert one.estimates == other.estimates


def test_it_is_set_against_supplied_scores_of_some_rows() -> None:
    rows = table()
    model = fitted(rows, *TEXTS)
    p = model.predict_proba(as_read(rows)[[*NUMBERS, *TEXTS]])[:, 1]
    test = rows.assign(p=p)[rows.part == "test"].head(100)
    test.loc[test.index[0], "p"] = 1 - test.p.iloc[0]
    told = [{"path": "scores.csv", "key": "id", "score": "p", "part": "test"}]
    files = files_with(by_column(model, rows, [*NUMBERS, *TEXTS]), rows, predictions=told)
    package = sandbox.read_package({**files, "scores.csv": test[["id", "p"]].to_csv(index=False).encode()}, 100_000_000)
    found = exhibits(bench_of(package, "claims"))["claims"]
    pairs = {(one.model, one.versus.model) for one in found.estimates if one.versus is not None}
    assert pairs == {("recipe", "artifact"), ("recipe", "scores"), ("artifact", "scores")}
    (largest,) = [
        one for one in found.estimates if one.model == "artifact" and one.quantity == "largest_score_difference"
    ]
    assert largest.value == pytest.approx(abs(1 - 2 * p[test.index[0]]), abs=1e-6)
    assert largest.n == 100
    furthest = next(one for one in found.tables if "the fitted model and the supplied scores" in one.title)
    assert furthest.rows[0][0].text == str(test.index[0] + 1)
