"""Shapley values against a library, and against the definition over all sets of features."""

from itertools import combinations
from math import factorial

import numpy as np
import pytest
import shap
from lightgbm import LGBMRegressor
from sklearn.datasets import load_breast_cancer, load_diabetes
from sklearn.ensemble import HistGradientBoostingClassifier, RandomForestClassifier
from sklearn.linear_model import LinearRegression
from sklearn.neighbors import KNeighborsRegressor

from brookfall.core.measure.shapley import TreeWithValues, by_permutations, of_sums, of_trees, sums_of_trees
from brookfall.core.recipe.family.family import Made, TreeSum
from brookfall.core.recipe.family.fitted_trees import sum_of_binned, sum_of_leafwise, sum_of_means

Numbers = np.ndarray
NUMBER, BINARY = Made(None, "number", 0), Made(None, "binary", 0)


def trees_of(told: TreeSum) -> list[TreeWithValues]:
    return [
        TreeWithValues(grown.left, grown.right, grown.column, grown.threshold, grown.gaps_left, values)
        for grown, values in told.trees
    ]


def single(rows: Numbers) -> Numbers:
    """As scikit-learn's trees compare them."""
    return np.asarray(rows.astype(np.float32).astype(np.float64))


def by_definition(score: object, row: Numbers, background: Numbers) -> Numbers:
    """Shapley 1953, over all sets of features: each is worth the mean score with the others taken from the background."""
    p = len(row)

    def worth(players: tuple[int, ...]) -> float:
        mixed = background.copy()
        mixed[:, list(players)] = row[list(players)]
        return float(score(mixed).mean())

    found = np.zeros(p)
    for feature in range(p):
        others = [one for one in range(p) if one != feature]
        for size in range(p):
            weight = factorial(size) * factorial(p - size - 1) / factorial(p)
            for players in combinations(others, size):
                found[feature] += weight * (worth((*players, feature)) - worth(players))
    return found


def test_trees_are_those_of_the_library() -> None:
    # shap 0.51, TreeExplainer, interventional, on scikit-learn's breast cancer data; the library adds in single precision.
    rows, classes = load_breast_cancer(return_X_y=True)
    rows = single(rows)
    forest = RandomForestClassifier(20, max_depth=4, random_state=0).fit(rows, classes)
    background = rows[:50]
    theirs = shap.TreeExplainer(forest, background, feature_perturbation="interventional", model_output="probability")
    expected = theirs.shap_values(rows[100:130], check_additivity=False)[..., 1]
    told = sum_of_means(BINARY, forest)
    found = of_trees(trees_of(told), rows[100:130], background, np.arange(rows.shape[1]))
    np.testing.assert_allclose(found[..., 0], expected, atol=1e-6)
    base = forest.predict_proba(background)[:, 1].mean()
    np.testing.assert_allclose(found.sum(axis=(1, 2)) + base, forest.predict_proba(rows[100:130])[:, 1], atol=1e-12)


def test_lightgbm_is_as_the_library_has_it() -> None:
    # shap 0.51 on scikit-learn's diabetes data.
    rows, outcomes = load_diabetes(return_X_y=True)
    boosting = LGBMRegressor(n_estimators=30, num_leaves=7, verbose=-1, n_jobs=1).fit(rows, outcomes)
    theirs = shap.TreeExplainer(boosting, rows[:60], feature_perturbation="interventional")
    expected = theirs.shap_values(rows[200:230], check_additivity=False)
    told = sum_of_leafwise(NUMBER, boosting)
    found = of_trees(trees_of(told), rows[200:230], rows[:60], np.arange(rows.shape[1]))
    np.testing.assert_allclose(found[..., 0], expected, atol=1e-4)
    np.testing.assert_allclose(sums_of_trees(trees_of(told), rows)[:, 0], np.asarray(boosting.predict(rows)), atol=1e-9)


def test_trees_are_those_of_the_definition_where_a_column_is_one_of_a_features() -> None:
    rng = np.random.default_rng(2)
    rows = rng.normal(size=(300, 6))
    rows[rng.random(rows.shape) < 0.05] = np.nan
    classes = (np.nan_to_num(rows[:, 0] * rows[:, 1]) + np.nan_to_num(rows[:, 4]) > 0).astype(int)
    boosting = HistGradientBoostingClassifier(max_iter=15, early_stopping=False, random_state=0).fit(rows, classes)
    told = sum_of_binned(BINARY, boosting)
    # Columns 1 and 2 are of one feature, and 4 and 5 of another: both change together.
    players = np.array([0, 1, 1, 2, 3, 3])

    def margin(merged: Numbers) -> Numbers:
        """Rows by features, a feature as the place of the row that its columns are taken from."""
        whole = np.stack([pool[merged[:, player].astype(int), column] for column, player in enumerate(players)], axis=1)
        return boosting.decision_function(whole)

    background = rows[:20]
    found = of_trees(trees_of(told), rows[40:44], background, players)[..., 0]
    for at in range(4):
        pool = np.vstack([background, rows[40 + at]])
        mine, theirs = np.full(4, 20.0), np.repeat(np.arange(20.0)[:, None], 4, axis=1)
        np.testing.assert_allclose(found[at], by_definition(margin, mine, theirs), atol=1e-9)


def test_sums_are_those_of_the_definition() -> None:
    # Lundberg & Lee 2017, corollary 1: of a linear model each coefficient times the distance from the mean.
    rows, outcomes = load_diabetes(return_X_y=True)
    rows = rows[:, :5]
    linear = LinearRegression().fit(rows, outcomes)
    found = of_sums(linear.coef_[:, None], rows[:3], rows[10:40], np.arange(5))[..., 0]
    for place in range(3):
        np.testing.assert_allclose(found[place], by_definition(linear.predict, rows[place], rows[10:40]), atol=1e-9)


@pytest.mark.parametrize("pairs", [200])
def test_drawn_orders_come_near_the_definition_and_add_up_to_the_score(pairs: int) -> None:
    rows, outcomes = load_diabetes(return_X_y=True)
    rows = rows[:, :5]
    neighbours = KNeighborsRegressor(7).fit(rows, outcomes)
    background = rows[10:40]
    found, base = by_permutations(neighbours.predict, rows[:3], background, pairs, np.random.default_rng(4))
    np.testing.assert_allclose(found[..., 0].sum(axis=1) + base[0], neighbours.predict(rows[:3]), atol=1e-9)
    for place in range(3):
        expected = by_definition(neighbours.predict, rows[place], background)
        # The standard error of a mean over 200 pairs of differences that spread by some 50 each.
        np.testing.assert_allclose(found[place, :, 0], expected, atol=16)
