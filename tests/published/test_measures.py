"""Measures against scikit-learn, fairlearn and published figures."""

import fairlearn.metrics as fair
import numpy as np
import pytest
import sklearn.metrics as reference
from hypothesis import given, settings
from hypothesis import strategies as st

from brookfall.core.measure.binary import Confusion, Scored, confusion, measure
from brookfall.core.measure.ranking import auc, auc_difference, newcombe_auc
from brookfall.core.measure.resampled import corrected_mean

seeds = st.integers(0, 10_000)


def generated(seed: int, n: int = 120, *, ties: bool = False) -> Scored:
    rng = np.random.default_rng(seed)
    outcomes = rng.random(n) < 0.4
    outcomes[:2] = [True, False]
    scores = np.clip(rng.normal(0.4 + 0.2 * outcomes, 0.25), 0.001, 0.999)
    return Scored(outcomes, np.round(scores, 1) if ties else scores, 0.5, f"seed {seed}")


@given(seeds, st.booleans())
@settings(max_examples=40, deadline=None)
def test_measures_agree_with_scikit_learn(seed: int, ties: bool) -> None:
    rows = generated(seed, ties=ties)
    y, s, d = rows.outcomes, rows.scores, rows.decisions
    expected = {
        "accuracy": reference.accuracy_score(y, d),
        "balanced_accuracy": reference.balanced_accuracy_score(y, d),
        "precision": reference.precision_score(y, d, zero_division=np.nan),
        "recall": reference.recall_score(y, d),
        "f1": reference.f1_score(y, d),
        "mcc": reference.matthews_corrcoef(y, d),
        "kappa": reference.cohen_kappa_score(y, d),
        "auc": reference.roc_auc_score(y, s),
        "average_precision": reference.average_precision_score(y, s),
        "log_loss": reference.log_loss(y, np.clip(s, 1e-15, 1 - 1e-15)),
        "brier": reference.brier_score_loss(y, s),
    }
    for name, value in expected.items():
        figure = measure(name, rows)
        if figure.value is not None:
            assert figure.value == pytest.approx(value, abs=1e-9), name
            assert figure.n > 0
            assert figure.method or figure.note


@given(seeds)
@settings(max_examples=25, deadline=None)
def test_group_rates_agree_with_fairlearn(seed: int) -> None:
    rows = generated(seed)
    group = np.random.default_rng(seed + 1).choice(["a", "b"], len(rows))
    frame = fair.MetricFrame(
        metrics={
            "selection_rate": fair.selection_rate,
            "true_positive_rate": fair.true_positive_rate,
            "false_positive_rate": fair.false_positive_rate,
        },
        y_true=rows.outcomes,
        y_pred=rows.decisions,
        sensitive_features=group,
    )
    for level in ("a", "b"):
        shares = rows.take(group == level, level).confusion.shares()
        for name in ("selection_rate", "true_positive_rate", "false_positive_rate"):
            x, n = shares[name]
            if n:
                assert x / n == pytest.approx(frame.by_group.loc[level, name])


def test_delong_covers_in_simulation() -> None:
    rng = np.random.default_rng(3)
    truth = 0.760250  # Phi(1/sqrt 2): normal scores one SD apart.
    covered = []
    for _ in range(600):
        y = np.arange(100) < 40
        low, high = auc(y, rng.normal(y.astype(float), 1.0)).interval(0.95) or (0, 0)
        covered.append(low <= truth <= high)
    assert 0.925 <= np.mean(covered) <= 0.98


def test_delong_difference_is_that_of_the_direct_formula() -> None:
    rng = np.random.default_rng(4)
    y = rng.random(90) < 0.5
    a, b = rng.normal(y.astype(float)), rng.normal(y.astype(float))
    figure = auc_difference(y, a, b)

    def kernel(scores: np.ndarray) -> np.ndarray:
        gaps = scores[y][:, None] - scores[~y][None, :]
        return (gaps > 0) + 0.5 * (gaps == 0)

    # DeLong, DeLong & Clarke-Pearson 1988, written out over all pairs.
    d = kernel(a) - kernel(b)
    variance = d.mean(axis=1).var(ddof=1) / y.sum() + d.mean(axis=0).var(ddof=1) / (~y).sum()
    low, high = figure.interval(0.95) or (0, 0)
    assert figure.value == pytest.approx(d.mean())
    assert (high - low) / 2 == pytest.approx(1.959964 * np.sqrt(variance), rel=1e-5)


def test_a_perfect_score_on_ten_rows_has_a_wide_interval() -> None:
    y = np.array([True] * 5 + [False] * 5)
    figure = auc(y, y.astype(float))
    low, high = figure.interval(0.95) or (1, 1)
    assert figure.value == 1
    assert high == 1
    assert 0.4 < low < 0.8


@given(st.floats(0.01, 0.99), st.integers(2, 60), st.integers(2, 60))
def test_newcombe_auc_interval_holds_its_value(value: float, m: int, n: int) -> None:
    low, high = newcombe_auc(value, m, n, 0.95)
    assert 0 <= low < value < high <= 1


def test_accuracy_and_baseline_of_a_rare_outcome() -> None:
    # TN 1069, FP 6, FN 187, TP 11: accuracy 0.848, baseline 0.844 (common practice).
    matrix = Confusion(1069, 6, 187, 11)
    assert matrix.shares()["accuracy"][0] / matrix.n == pytest.approx(0.848, abs=5e-4)
    assert (matrix.tn + matrix.fp) / matrix.n == pytest.approx(0.844, abs=5e-4)


def test_pooled_matrix_of_ten_folds() -> None:
    # 900 rows, ten folds: TN 491, FP 87, FN 74, TP 248 (common practice).
    shares = {name: x / n for name, (x, n) in Confusion(491, 87, 74, 248).shares().items()}
    assert shares["accuracy"] == pytest.approx(0.821, abs=5e-4)
    assert shares["specificity"] == pytest.approx(0.849, abs=6e-4)
    assert shares["recall"] == pytest.approx(0.770, abs=5e-4)
    assert shares["precision"] == pytest.approx(0.740, abs=5e-4)


def test_corrected_interval_is_wider_than_the_naive_one() -> None:
    # Nadeau & Bengio 2003: variance (1/k + n_test/n_train) s², here 0.1 + 1/9.
    values = np.array([0.70, 0.72, 0.69, 0.74, 0.71, 0.73, 0.70, 0.68, 0.75, 0.72])
    low, high = corrected_mean(values, 1000, 1 / 9).interval(0.95) or (0, 0)
    expected = 2.262157 * np.sqrt((0.1 + 1 / 9) * values.var(ddof=1))
    assert (high - low) / 2 == pytest.approx(expected, rel=1e-6)


def test_confusion_counts() -> None:
    y, d = np.array([1, 1, 0, 0, 1], bool), np.array([1, 0, 1, 0, 1], bool)
    assert confusion(y, d) == Confusion(tn=1, fp=1, fn=1, tp=2)


@pytest.mark.parametrize("outcomes", [[], [True], [False], [True, True, True]])
def test_edge_cases_say_why(outcomes: list[bool]) -> None:
    rows = Scored(np.array(outcomes, bool), np.full(len(outcomes), 0.7), 0.5, "edge")
    for name in ("auc", "mcc", "average_precision"):
        figure = measure(name, rows)
        assert figure.value is None
        assert figure.note
