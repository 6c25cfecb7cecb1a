"""Conformal sets and intervals against a library, and against the definitions of their sources."""

import numpy as np
import pytest
from mapie.regression import CrossConformalRegressor
from sklearn.datasets import load_diabetes, load_iris
from sklearn.linear_model import LinearRegression, LogisticRegression
from sklearn.model_selection import KFold, cross_val_predict

from brookfall.core.measure.conformal import class_p_values, class_sets, fold_ends


@pytest.mark.parametrize("coverage", [0.8, 0.9, 0.95])
def test_intervals_are_those_of_the_library(coverage: float) -> None:
    # MAPIE 1.6, method "plus" (Barber et al. 2021, CV+), on scikit-learn's diabetes data.
    rows, outcomes = load_diabetes(return_X_y=True)
    known, new = rows[:300], rows[300:]
    folds = KFold(10, shuffle=True, random_state=3)
    theirs = CrossConformalRegressor(LinearRegression(), confidence_level=coverage, method="plus", cv=folds)
    _, ends = theirs.fit_conformalize(known, outcomes[:300]).predict_interval(new)
    predictions, residuals = [], []
    for train, held in folds.split(known):
        fitted = LinearRegression().fit(known[train], outcomes[train])
        predictions.append(fitted.predict(new))
        residuals.append(np.abs(outcomes[held] - fitted.predict(known[held])))
    low, high = fold_ends(np.array(predictions), residuals, coverage)
    # The library's own lower quantile is taken the same way from below.
    np.testing.assert_allclose(high, ends[:, 1, 0], atol=1e-4)
    np.testing.assert_allclose(low, ends[:, 0, 0], atol=1e-4)


def test_ends_are_those_of_the_definition() -> None:
    # Barber et al. 2021, section 3: the ceil((1 - alpha)(n + 1))-th smallest, and the floor(alpha(n + 1))-th.
    rng = np.random.default_rng(5)
    predictions, residuals = rng.normal(size=(4, 30)), [np.abs(rng.normal(size=n)) for n in (6, 5, 5, 3)]
    low, high = fold_ends(predictions, residuals, 0.8)
    for row in range(30):
        above = np.sort(np.concatenate([fold[row] + off for fold, off in zip(predictions, residuals, strict=True)]))
        below = np.sort(np.concatenate([fold[row] - off for fold, off in zip(predictions, residuals, strict=True)]))
        assert high[row] == pytest.approx(above[16 - 1], abs=1e-5)
        assert low[row] == pytest.approx(below[4 - 1], abs=1e-5)


def test_p_values_are_those_of_the_definition() -> None:
    # Vovk, Gammerman & Shafer 2005, 2.2 and 4.5, on Fisher's iris: by counting, a class at a time.
    rows, classes = load_iris(return_X_y=True)
    rng = np.random.default_rng(1)
    order = rng.permutation(len(rows))
    known, new = order[:110], order[110:]
    model = LogisticRegression(max_iter=2000)
    unseen = cross_val_predict(model, rows[known], classes[known], cv=5, method="predict_proba")
    scores = model.fit(rows[known], classes[known]).predict_proba(rows[new])
    ties = rng.random(len(new))
    found = class_p_values(scores, unseen, classes[known], ties)
    for row in range(len(new)):
        for place in range(3):
            mine = [1 - score[place] for score, class_ in zip(unseen, classes[known], strict=True) if class_ == place]
            strange = 1 - scores[row, place]
            more = sum(one > strange for one in mine)
            equal = sum(one == strange for one in mine)
            expected = (more + (1 - ties[row]) * (equal + 1)) / (len(mine) + 1)
            assert found[row, place] == pytest.approx(expected, abs=1e-12)


def test_each_class_is_covered_even_where_it_is_rare() -> None:
    # At 4 % positives; Vovk et al. 2005, 4.5: coverage holds class by class. The bounds are 4 standard errors.
    rng = np.random.default_rng(11)
    hits: list[list[bool]] = [[], []]
    wide = []
    for _ in range(60):
        outcomes = (rng.random(4_000) < 0.04).astype(int)
        score = 1 / (1 + np.exp(-rng.normal(outcomes * 1.5 - 3, 1)))
        both = np.column_stack([1 - score, score])
        known, new = slice(0, 3_000), slice(3_000, None)
        p = class_p_values(both[new], both[known], outcomes[known], rng.random(1_000))
        held = p > 0.1
        for place in (0, 1):
            hits[place] += held[outcomes[new] == place, place].tolist()
        wide += class_sets(p, both[new], 0.9)[np.arange(1_000), outcomes[new]].tolist()
    for of_class in hits:
        # The rows of one draw share what they are held against, so that their number overstates what is known.
        assert abs(np.mean(of_class) - 0.9) < 0.025
    assert np.mean(wide) >= 0.895


def test_too_few_rows_give_no_end() -> None:
    low, high = fold_ends(np.zeros((2, 1)), [np.ones(4), np.ones(4)], 0.9)
    assert low[0] == -np.inf
    assert high[0] == np.inf
    low, high = fold_ends(np.zeros((2, 1)), [np.ones(5), np.ones(4)], 0.9)
    assert (low[0], high[0]) == (-1, 1)
