"""Reasons of new rows: of every family they add up to what the model says, and name what moved it."""

import numpy as np
import pytest

from brookfall.core.fit.ask import fit_request
from brookfall.core.fit.execute import fit_model
from brookfall.core.new_rows import told
from brookfall.core.new_rows.columns import scored_columns
from brookfall.core.new_rows.learned import families_for, models_asked
from brookfall.core.new_rows.reasons import MOST_DRAWN, reasons_of
from brookfall.core.recipe.preprocess import raw_matrix
from brookfall.core.submission.subject import Subject
from tests.conftest import rows_csv
from tests.core.test_new_rows import MODEL, NEW, scored, subject

FAMILIES = (
    "logistic", "discriminant", "tree", "forest", "gradient_boosting", "lightgbm", "adaboost", "nearest_neighbours",
    "naive_bayes", "support_vectors", "neural_network",
)  # fmt: skip
OF_NUMBERS = ("linear", "ridge", "lasso", "elastic_net", "poisson", "gamma", "tree", "forest", "lightgbm", "adaboost")


def of_numbers() -> Subject:
    rng = np.random.default_rng(1)
    x, kind = rng.normal(size=200), rng.choice(["a", "b", "c"], 200)
    y = 100 * np.exp(0.3 * x + 0.5 * (kind == "a"))
    text = ["x,kind,y", *(f"{a:.5f},{b},{c:.5f}" for a, b, c in zip(x, kind, y, strict=True))]
    data = [{"name": "rows", "path": "data/rows.csv", "roles": {"target": "y"}}]
    model = {**MODEL, "outcome": "number"}
    return subject("\n".join(text) + "\n", data=data, model=model, recipe={"family": "linear"}, claims=[])


def reasons_and_scores(of: Subject, family: str) -> tuple[np.ndarray, np.ndarray, str, np.ndarray]:
    (asked,) = models_asked(of, [family])
    assert asked.recipe is not None
    fitted = fit_model(fit_request(of, asked.recipe, of.rows), of)
    raw = raw_matrix(of.table.select(of.features), of.rows[:12])
    found = reasons_of(fitted, raw, None, 0)
    return found.values, found.base, found.scale, fitted.scores(raw)


@pytest.mark.parametrize("family", FAMILIES)
def test_of_a_yes_no_they_add_up_to_the_score_or_its_log_odds(family: str) -> None:
    values, base, scale, scores = reasons_and_scores(subject(), family)
    told_of = scores if scale == "score" else np.log(scores / (1 - scores))
    np.testing.assert_allclose(values.sum(axis=1) + base, told_of, atol=1e-9)


@pytest.mark.parametrize("family", OF_NUMBERS)
def test_of_a_number_they_add_up_to_it_or_its_logarithm(family: str) -> None:
    values, base, scale, scores = reasons_and_scores(of_numbers(), family)
    np.testing.assert_allclose(values.sum(axis=1) + base, scores if scale == "score" else np.log(scores), atol=1e-9)
    assert np.abs(values).sum() > 0


def test_every_family_is_explained() -> None:
    assert set(FAMILIES) == set(families_for("binary"))
    assert set(OF_NUMBERS) <= set(families_for("number"))


def test_a_category_is_one_reason_whatever_columns_are_made_of_it() -> None:
    found = scored(subject(), NEW)
    reasons = found.models[0].reasons
    assert reasons is not None
    assert reasons.values.shape == (60, 3)
    first = scored_columns(found).column("recipe.reasons").texts()[0]
    assert first is not None
    names = [one.rsplit(" ", 1)[0] for one in first.split("|")]
    largest = np.argsort(-np.abs(reasons.values[0]))
    assert names == [found.subject.features[place] for place in largest]
    assert first.split("|")[0].rsplit(" ", 1)[1][0] in "+-"


def test_of_many_rows_the_first_are_explained_where_orders_are_drawn_and_that_is_said() -> None:
    found = scored(subject(), rows_csv(MOST_DRAWN + 20, seed=9), "nearest_neighbours")
    column = scored_columns(found).column("nearest_neighbours.reasons").texts()
    assert all(column[:MOST_DRAWN])
    assert column[MOST_DRAWN:] == [None] * 20
    said = " ".join(told.method(found))
    assert f"drawn from orders of the features, of the first {MOST_DRAWN} rows alone" in said
