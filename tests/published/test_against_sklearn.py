"""Holdout, cross-validation, baseline and challengers on scikit-learn's own data sets, against scikit-learn itself.

The data: Fisher's iris (1936), UCI wine, Wisconsin breast cancer (diagnostic), diabetes (Efron et al. 2004), UCI digits, as
scikit-learn ships them. The rows of every part and fold are Brookfall's; the fit and the figures are scikit-learn's own.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
import pandas as pd
import pytest
from numpy.typing import NDArray
from sklearn import datasets
from sklearn.dummy import DummyClassifier, DummyRegressor
from sklearn.linear_model import LinearRegression, LogisticRegression
from sklearn.metrics import (
    accuracy_score,
    average_precision_score,
    balanced_accuracy_score,
    brier_score_loss,
    cohen_kappa_score,
    confusion_matrix,
    f1_score,
    log_loss,
    matthews_corrcoef,
    mean_absolute_error,
    precision_score,
    r2_score,
    recall_score,
    roc_auc_score,
    root_mean_squared_error,
)
from sklearn.naive_bayes import GaussianNB
from sklearn.neighbors import KNeighborsClassifier
from sklearn.pipeline import make_pipeline
from sklearn.preprocessing import StandardScaler
from sklearn.tree import DecisionTreeClassifier

from brookfall.core.check.bench import OUT_OF_FOLD, Bench
from brookfall.core.evidence.chart import MatrixChart
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.plan.plan import Plan
from brookfall.core.recipe.recipe import Preprocess, Recipe
from brookfall.core.retest.run import retest
from tests.core.test_unseen import plan
from tests.made import subject_of_frame

Numbers = NDArray[Any]


@dataclass(frozen=True)
class Setting:
    """A data set, the recipe as Brookfall declares it, and the estimator that scikit-learn would fit."""

    load: Callable[[], Any]
    outcome: str
    recipe: Recipe
    estimator: Callable[[], Any]


SCALED = Preprocess(scale="standard")
SETTINGS = {
    "iris": Setting(
        datasets.load_iris,
        "multiclass",
        Recipe(family="nearest_neighbours", settings={"k": 7}),
        lambda: KNeighborsClassifier(7),
    ),
    "wine": Setting(datasets.load_wine, "multiclass", Recipe(family="naive_bayes"), GaussianNB),
    "breast cancer": Setting(
        datasets.load_breast_cancer,
        "binary",
        Recipe(family="logistic", settings={"penalty": "l2", "strength": 1.0}, preprocess=SCALED),
        lambda: make_pipeline(StandardScaler(), LogisticRegression(C=1.0, max_iter=10_000, tol=1e-10)),
    ),
    "digits": Setting(
        datasets.load_digits,
        "multiclass",
        Recipe(family="tree", settings={"depth": 6}, seed=5),
        lambda: DecisionTreeClassifier(max_depth=6, random_state=5),
    ),
    "diabetes": Setting(datasets.load_diabetes, "number", Recipe(family="linear"), LinearRegression),
}


def laid(name: str) -> tuple[Bench, Numbers, Numbers]:
    """The bench, and the design and outcomes as scikit-learn gives them."""
    setting = SETTINGS[name]
    data = setting.load()
    x, y = np.asarray(data.data), np.asarray(data.target)
    frame = pd.DataFrame(x, columns=[f"c{i:02}" for i in range(x.shape[1])])
    positive = {"positive": "1"} if setting.outcome == "binary" else {}
    outcomes = (
        y
        if setting.outcome == "number"
        else [str(value) if setting.outcome == "binary" else f"k{value}" for value in y]
    )
    subject = subject_of_frame(frame.assign(y=outcomes), "y", setting.recipe, setting.outcome, **positive)  # type: ignore[arg-type]
    folds = {"kind": "k_fold", "folds": 5}
    main = {"binary": "auc", "multiclass": "accuracy", "number": "r2"}[setting.outcome]
    asked: Plan = plan(
        "holdout", "cross_validation", "baseline", outcome=setting.outcome, cross_validation=folds, main_measure=main
    )
    return Bench(subject, asked), x, y


def figures(exhibit: Exhibit, part: str, model: str = "recipe") -> dict[str, float | None]:
    return {
        e.measure: e.value
        for e in exhibit.estimates
        if e.part == part and e.model == model and e.class_ is None and e.versus is None and e.repeat is None
    }


def theirs(outcome: str, fitted: Any, x: Numbers, y: Numbers) -> dict[str, float]:
    """scikit-learn's own figures of a fitted estimator on some rows."""
    if outcome == "number":
        said = fitted.predict(x)
        return {
            "r2": r2_score(y, said),
            "rmse": root_mean_squared_error(y, said),
            "mae": mean_absolute_error(y, said),
        }
    said, probable = fitted.predict(x), fitted.predict_proba(x)
    common = {
        "accuracy": accuracy_score(y, said),
        "balanced_accuracy": balanced_accuracy_score(y, said),
        "kappa": cohen_kappa_score(y, said),
        "mcc": matthews_corrcoef(y, said),
        "log_loss": log_loss(y, np.clip(probable, 1e-15, 1 - 1e-15)),
    }
    if outcome == "binary":
        return common | {
            "auc": roc_auc_score(y, probable[:, 1]),
            "average_precision": average_precision_score(y, probable[:, 1]),
            "brier": brier_score_loss(y, probable[:, 1]),
            "recall": recall_score(y, said),
            "precision": precision_score(y, said),
            "f1": f1_score(y, said),
        }
    return common | {
        "auc": roc_auc_score(y, probable, multi_class="ovo", average="macro"),
        "auc_ovr": roc_auc_score(y, probable, multi_class="ovr", average="macro"),
        "f1": f1_score(y, said, average="macro"),
        "precision": precision_score(y, said, average="macro", zero_division=0),
    }


@pytest.mark.parametrize("name", SETTINGS)
def test_holdout_cross_validation_and_baseline_are_scikit_learns(name: str) -> None:
    bench, x, y = laid(name)
    setting = SETTINGS[name]
    holdout, folded, baseline = retest(bench)
    close = 2e-4 if name == "breast cancer" else 1e-9

    # The same rows, fitted by scikit-learn.
    train = bench.split.parts["training"]
    fitted = setting.estimator().fit(x[train], y[train])
    for part in ("training", "test"):
        rows = bench.split.parts[part]
        ours = figures(holdout, part)
        expected = theirs(setting.outcome, fitted, x[rows], y[rows])
        assert {measure: ours[measure] for measure in expected} == pytest.approx(expected, rel=close, abs=close), part

    # Every fold.
    main = bench.plan.main_measure
    for fold in bench.split.folds:
        again = setting.estimator().fit(x[fold.train], y[fold.train])
        one = theirs(setting.outcome, again, x[fold.test], y[fold.test])[main]
        found = next(e.value for e in folded.estimates if e.part == f"fold:{fold.number}" and e.measure == main)
        assert found == pytest.approx(one, rel=close, abs=close)
    mean = next(e for e in folded.estimates if e.part == OUT_OF_FOLD and e.measure == main)
    every = [e.value for e in folded.estimates if e.part != OUT_OF_FOLD and e.measure == main]
    assert mean.value == pytest.approx(np.mean(np.array(every, dtype=float)))

    # The confusion matrix of the test part.
    if setting.outcome != "number":
        (matrix,) = (chart for chart in holdout.charts if isinstance(chart, MatrixChart))
        rows = bench.split.parts["test"]
        assert np.array(matrix.cells).tolist() == confusion_matrix(y[rows], fitted.predict(x[rows])).tolist()

    # The most frequent class, or the mean.
    rows = bench.split.parts["test"]
    dummy = DummyRegressor() if setting.outcome == "number" else DummyClassifier(strategy="most_frequent")
    simple = dummy.fit(x[train], y[train]).predict(x[rows])
    simpler = figures(baseline, "test", "baseline")
    if setting.outcome == "number":
        assert simpler["r2"] == pytest.approx(r2_score(y[rows], simple))
    else:
        assert simpler["accuracy"] == pytest.approx(accuracy_score(y[rows], simple))
