"""Scores that came alone: challengers on the same rows, and surrogates that stand for the model as far as they do."""

import io
from typing import Any

import numpy as np
import pandas as pd
import pytest
from sklearn.metrics import r2_score

from brookfall.core.check.bench import Bench
from brookfall.core.check.shared.surrogates import ADDITIVE, TREE, Surrogates
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import FitJob
from brookfall.core.retest.run import retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.schema import Submission
from brookfall.core.submission.subject import Subject, subject_of
from tests.conftest import declaration, files_of, rows_csv, small_plan

ROLES = {"target": "y", "positive": "yes", "identifier": ["id"], "protected": ["sex", "age"], "part": "part"}
CHECKS = ("challengers", "surrogate_gap", "surrogate")


def scored_rows(n: int = 900) -> pd.DataFrame:
    rows = pd.read_csv(io.StringIO(rows_csv(n)))
    rows["x"] = rows.x.fillna(0)
    rows["part"] = np.where(np.arange(n) % 3 == 2, "test", "train")
    return rows


def additive(rows: pd.DataFrame) -> pd.Series:
    """A score that is a sum of one column's steps and another's line."""
    return pd.Series(1 / (1 + np.exp(-(1.5 * (rows.x > 0) - 0.8 * rows.z))))


def subject(rows: pd.DataFrame, p: pd.Series, roles: dict[str, Any] | None = None, **changes: Any) -> Subject:
    data = [{"name": "rows", "path": "data/rows.csv", "roles": ROLES if roles is None else roles}]
    told = [{"path": "scores.csv", "key": "id", "score": "p"}]
    files = files_of(csv=rows.to_csv(index=False), data=data, recipe=None, predictions=told, claims=[], **changes)
    scores = pd.DataFrame({"id": rows.id, "p": p}).dropna().to_csv(index=False).encode()
    return subject_of(package_from_files({**files, "scores.csv": scores}))


def bench_of(of: Subject, *checks: str, **changes: Any) -> Bench:
    return Bench(of, small_plan(parts={"kind": "given"}, threshold=0.5, checks=checks or CHECKS, **changes))


def exhibits(bench: Bench) -> dict[str, Exhibit]:
    return {one.check: one for one in retest(bench)}


def of_model(exhibit: Exhibit, model: str, quantity: str) -> Any:
    (found,) = [one for one in exhibit.estimates if (one.model, one.quantity) == (model, quantity) and not one.feature]
    return found


def test_an_additive_score_is_followed_and_what_it_rests_on_is_found() -> None:
    rows = scored_rows()
    bench = bench_of(subject(rows, additive(rows)))
    found = exhibits(bench)["surrogate"]
    assert found.state == "done", found.answer
    r2 = of_model(found, ADDITIVE, "r2")
    asked = Surrogates(bench)
    need = asked.scores_of(ADDITIVE)
    said = execute(FitJob(need.fit, (need.reading,)), bench.subject).readings[need.reading.key]
    assert r2.value == pytest.approx(r2_score(additive(rows)[asked.rows.held], said))
    assert r2.value > 0.95
    assert r2.n == int((rows.part == "test").sum())
    assert r2.low is not None
    assert of_model(found, TREE, "r2").value > 0.9
    influence = {one.feature: one for one in found.estimates if one.quantity == "influence"}
    assert set(influence) == {"x", "z", "kind", "sex", "age"}, "protected columns are asked about too"
    assert min(influence["x"].low, influence["z"].low) > 0
    assert (influence["sex"].low or 0) <= 0
    assert "It is not shown to lean on 'age' and 'sex'" in " ".join(found.lines)
    assert "they stand for the model, and are not it" in " ".join(found.lines)
    assert any(chart.kind == "tree" for chart in found.charts)


def test_a_score_that_leans_on_a_protected_column_is_found_though_it_is_no_feature() -> None:
    rows = scored_rows()
    p = 1 / (1 + np.exp(-(1.5 * (rows.x > 0) - 0.8 * rows.z - 1.2 * (rows.sex == "f"))))
    found = exhibits(bench_of(subject(rows, p), "surrogate"))["surrogate"]
    assert "It leans on 'sex', which is protected and no feature" in " ".join(found.lines)


def test_a_score_of_other_things_is_followed_by_none_and_that_is_said() -> None:
    rows = scored_rows()
    p = pd.Series(np.random.default_rng(4).random(len(rows)))
    found = exhibits(bench_of(subject(rows, p), "surrogate"))["surrogate"]
    assert "Neither follows it closely, so what they lean on says little of the model." in found.answer
    assert "what is left rests on columns that are not here" in " ".join(found.lines)


def test_scores_that_know_their_training_rows_are_found_and_others_are_not() -> None:
    rows = scored_rows(1_500)
    honest = additive(rows)
    knows = (rows.part == "train") * 0.3 * ((rows.y == "yes") - 0.5)
    told = exhibits(bench_of(subject(rows, (honest + knows).clip(0, 1)), "surrogate_gap"))["surrogate_gap"]
    assert told.answer.startswith("The scores know more of the outcomes of their training rows than of others")
    (gap,) = [one for one in told.estimates if one.comparison == "difference"]
    assert gap.low > 0
    plain = exhibits(bench_of(subject(rows, honest), "surrogate_gap"))["surrogate_gap"]
    assert plain.answer.startswith("Whether the scores know their training rows is open")


def test_challengers_learn_from_the_owner_s_training_rows_and_are_held_against_the_scores() -> None:
    rows = scored_rows()
    found = exhibits(bench_of(subject(rows, pd.Series(np.random.default_rng(4).random(len(rows)))), "challengers"))
    exhibit = found["challengers"]
    assert exhibit.state == "done", exhibit.answer
    assert exhibit.answer.startswith("A challenger does better by more than the limit")
    ours = next(one for one in exhibit.estimates if one.model == "scores" and one.comparison is None)
    assert ours.part == "test"
    assert ours.n == 300
    gains = [one for one in exhibit.estimates if one.comparison == "difference"]
    assert {one.model for one in gains} == {"scores"}
    assert all(one.n == 300 for one in gains)


def test_challengers_need_the_plan_s_parts_to_be_the_owner_s() -> None:
    rows = scored_rows()
    of = subject(rows, additive(rows))
    other = Bench(of, small_plan(checks=("challengers",), threshold=0.5))
    assert "Take the parts from the column that names them" in exhibits(other)["challengers"].answer


def test_a_number_has_surrogates_and_its_challengers() -> None:
    rows = scored_rows()
    rows["y"] = 3 * rows.x - rows.z
    outcome = {"name": "Sample", "version": "1", "tier": 2, "outcome": "number", "purpose": "p", "owner": "o"}
    roles = {"target": "y", "identifier": ["id"], "part": "part", "protected": ["sex"]}
    told = [{"path": "scores.csv", "key": "id", "value": "p"}]
    data = [{"name": "rows", "path": "data/rows.csv", "roles": roles}]
    files = files_of(csv=rows.to_csv(index=False), data=data, recipe=None, predictions=told, claims=[], model=outcome)
    scores = pd.DataFrame({"id": rows.id, "p": rows.y + 0.1}).to_csv(index=False).encode()
    of = subject_of(package_from_files({**files, "scores.csv": scores}))
    plan = small_plan(parts={"kind": "given"}, checks=CHECKS, main_measure="rmse")
    found = exhibits(Bench(of, plan))
    assert {one.state for one in found.values()} == {"done"}
    assert of_model(found["surrogate"], ADDITIVE, "r2").value > 0.9
    assert not [one for one in found["surrogate"].estimates if one.quantity == "flipped"]


def test_halves_are_dealt_where_scores_are_of_one_part_and_a_few_rows_are_refused() -> None:
    rows = scored_rows()
    of = subject(rows, additive(rows).where(rows.part == "test"))
    found = exhibits(bench_of(of, "surrogate", "surrogate_gap"))
    assert found["surrogate"].state == "done"
    assert of_model(found["surrogate"], ADDITIVE, "r2").n == 150
    assert "so how they do on rows they were learned from can't be told" in found["surrogate_gap"].answer
    few = subject(rows, additive(rows).where((rows.part == "test") & (rows.id < 90)))
    assert "too few for a surrogate" in exhibits(bench_of(few, "surrogate"))["surrogate"].answer


def test_a_model_that_can_be_asked_has_no_surrogate(subject_with_recipe: Subject) -> None:
    bench = Bench(subject_with_recipe, small_plan(checks=("surrogate", "surrogate_gap")))
    for one in retest(bench):
        assert one.state == "not_applicable"
        assert "The model itself is asked here" in one.answer


@pytest.fixture
def subject_with_recipe() -> Subject:
    return subject_of(package_from_files(files_of()))


def test_they_stand_in_the_plan_of_scores_alone_and_no_other() -> None:
    alone, others = standard_plan(2, given_parts=True, scores_alone=True), standard_plan(2, given_parts=True)
    assert {"surrogate", "surrogate_gap"} <= set(alone.checks)
    assert not {"surrogate", "surrogate_gap"} & set(others.checks)
    told = [{"path": "scores.csv", "score": "p"}]
    assert Submission.model_validate(declaration(recipe=None, predictions=told)).scores_alone
    assert not Submission.model_validate(declaration(predictions=told)).scores_alone
