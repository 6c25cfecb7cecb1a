"""Measures against scikit-learn, fairlearn, SciPy and published figures; weighted and unweighted."""

import fairlearn.metrics as fair
import numpy as np
import pytest
import sklearn.metrics as reference
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from sklearn.linear_model import LogisticRegression

from brookfall.core.measure import group_spread
from brookfall.core.measure.calibration import intercept, slope
from brookfall.core.measure.counts import Confusion, confusion, share_figure
from brookfall.core.measure.paired_tests import corrected_mean, corrected_t, holm, mcnemar, paired
from brookfall.core.measure.ranking import auc, auc_difference, newcombe_auc
from brookfall.core.measure.registry import class_measure, measure
from brookfall.core.measure.scored import Scored
from tests.made import binary_rows, class_rows, examples, number_rows, scored

seeds = st.integers(0, 10_000)
weighting = st.sampled_from(["none", "all", "some zero"])


@given(seeds, st.booleans(), weighting)
@examples(60)
def test_binary_measures_agree_with_scikit_learn(seed: int, ties: bool, weights: str) -> None:
    rows = binary_rows(seed, ties=ties, weights=weights)
    y, s, d, w = rows.outcomes, rows.scores, rows.decisions, rows.weights
    expected = {
        "accuracy": reference.accuracy_score(y, d, sample_weight=w),
        "error_rate": reference.zero_one_loss(y, d, sample_weight=w),
        "balanced_accuracy": reference.balanced_accuracy_score(y, d, sample_weight=w),
        "precision": reference.precision_score(y, d, zero_division=np.nan, sample_weight=w),
        "recall": reference.recall_score(y, d, sample_weight=w),
        "specificity": reference.recall_score(~y, ~d, sample_weight=w),
        "negative_predictive_value": reference.precision_score(~y, ~d, zero_division=np.nan, sample_weight=w),
        "f1": reference.f1_score(y, d, sample_weight=w),
        "mcc": reference.matthews_corrcoef(y, d, sample_weight=w),
        "kappa": reference.cohen_kappa_score(y, d, sample_weight=w),
        "auc": reference.roc_auc_score(y, s, sample_weight=w),
        "gini": 2 * reference.roc_auc_score(y, s, sample_weight=w) - 1,
        "average_precision": reference.average_precision_score(y, s, sample_weight=w),
        "log_loss": reference.log_loss(y, np.clip(s, 1e-15, 1 - 1e-15), sample_weight=w),
        "brier": reference.brier_score_loss(y, s, sample_weight=w),
        "mean_score": np.average(s, weights=w),
    }
    if w is None:
        expected["ks"] = stats.ks_2samp(s[y], s[~y]).statistic
    for name, value in expected.items():
        figure = measure(name, rows)
        if figure.value is not None:
            assert figure.value == pytest.approx(value, abs=1e-9), name
            low, high = figure.interval(0.95) or (figure.value, figure.value)
            assert low <= figure.value <= high, name
            assert figure.n > 0
            assert figure.method or figure.note


@given(seeds, weighting)
@examples(30)
def test_class_measures_agree_with_scikit_learn(seed: int, weights: str) -> None:
    rows = class_rows(seed, weights=weights)
    y, p, d, w = rows.outcomes, rows.scores, rows.decisions, rows.weights
    expected = {
        "accuracy": reference.accuracy_score(y, d, sample_weight=w),
        "balanced_accuracy": reference.balanced_accuracy_score(y, d, sample_weight=w),
        "precision": reference.precision_score(y, d, average="macro", zero_division=0, sample_weight=w),
        "recall": reference.recall_score(y, d, average="macro", sample_weight=w),
        "f1": reference.f1_score(y, d, average="macro", sample_weight=w),
        "mcc": reference.matthews_corrcoef(y, d, sample_weight=w),
        "kappa": reference.cohen_kappa_score(y, d, sample_weight=w),
        "auc_ovr": reference.roc_auc_score(y, p, multi_class="ovr", sample_weight=w),
        "log_loss": reference.log_loss(y, p, sample_weight=w),
        "brier": reference.brier_score_loss(y, p, sample_weight=w),
    }
    if w is None:
        # scikit-learn's average over pairs is Hand & Till's; it knows no weights there.
        expected["auc"] = reference.roc_auc_score(y, p, multi_class="ovo")
    for name, value in expected.items():
        figure = measure(name, rows)
        if figure.value is not None:
            assert figure.value == pytest.approx(value, abs=1e-9), name
            low, high = figure.interval(0.95) or (1, 0)
            assert low <= figure.value <= high
    for position in range(len(rows.classes)):
        alone = class_measure("f1", rows, position).value
        each = reference.f1_score(y, d, average=None, zero_division=np.nan, sample_weight=w)[position]
        assert alone is None or alone == pytest.approx(each, abs=1e-9)
        among = class_measure("auc", rows, position).value
        assert among == pytest.approx(reference.roc_auc_score(y == position, p[:, position], sample_weight=w))


@given(seeds, weighting)
@examples(30)
def test_number_measures_agree_with_scikit_learn(seed: int, weights: str) -> None:
    rows = number_rows(seed, weights=weights)
    y, p, w = rows.outcomes, rows.predictions, rows.weights
    expected = {
        "mse": reference.mean_squared_error(y, p, sample_weight=w),
        "rmse": reference.root_mean_squared_error(y, p, sample_weight=w),
        "mae": reference.mean_absolute_error(y, p, sample_weight=w),
        "r2": reference.r2_score(y, p, sample_weight=w),
        "bias": np.average(p - y, weights=w),
        "mean_score": np.average(p, weights=w),
    }
    for name, value in expected.items():
        figure = measure(name, rows)
        assert figure.value == pytest.approx(value, abs=1e-9), name
        low, high = figure.interval(0.95) or (1, 0)
        assert low < figure.value < high


def test_the_interval_of_a_mean_is_near_the_t_interval_where_nothing_is_skewed() -> None:
    rows = number_rows(4, n=4000)
    errors = rows.predictions - rows.outcomes
    expected = stats.t.interval(0.95, len(errors) - 1, errors.mean(), stats.sem(errors))
    assert measure("bias", rows).interval(0.95) == pytest.approx(expected, abs=3e-4)


@given(seeds, weighting)
@examples(25)
def test_group_measures_agree_with_fairlearn(seed: int, weights: str) -> None:
    rows = binary_rows(seed, weights=weights)
    group = np.random.default_rng(seed + 1).choice(["a", "b"], len(rows))
    theirs = {
        "selection_rate": fair.selection_rate,
        "true_positive_rate": fair.true_positive_rate,
        "false_positive_rate": fair.false_positive_rate,
        "true_negative_rate": fair.true_negative_rate,
        "false_negative_rate": fair.false_negative_rate,
        "mean_score": fair.mean_prediction,
    }
    w = np.ones(len(rows)) if rows.weights is None else rows.weights
    for name, metric in theirs.items():
        predicted = rows.scores if name == "mean_score" else rows.decisions
        frame = fair.MetricFrame(
            metrics=metric,
            y_true=rows.outcomes,
            y_pred=predicted,
            sensitive_features=group,
            sample_params={"sample_weight": w},
        )
        for level in ("a", "b"):
            figure = measure(name, rows.take(group == level, level))
            if figure.value is not None:
                assert figure.value == pytest.approx(frame.by_group[level]), name


def test_joint_cells_give_fairleans_groups_all_at_once() -> None:
    rows = binary_rows(8, n=400)
    group = np.random.default_rng(1).integers(0, 5, 400)
    cells = group_spread.joint_cells(rows, group, 5)
    names = ("selection_rate", "true_positive_rate", "false_positive_rate")
    found = group_spread.of_cells(names, cells)
    metrics = {name: getattr(fair, name) for name in names}
    frame = fair.MetricFrame(
        metrics=metrics, y_true=rows.outcomes, y_pred=rows.decisions, sensitive_features=group
    ).by_group
    assert pytest.approx(frame[list(names)].to_numpy()) == found.T
    widest = fair.MetricFrame(
        metrics=fair.selection_rate, y_true=rows.outcomes, y_pred=rows.decisions, sensitive_features=group
    ).difference()
    assert group_spread.spread(found)[0] == pytest.approx(widest)


def test_resampled_joint_cells_vary_as_resampled_rows_do() -> None:
    rows = binary_rows(9, n=600)
    group = np.random.default_rng(2).integers(0, 3, 600)
    cells = group_spread.joint_cells(rows, group, 3)
    drawn = group_spread.resampled(("accuracy", "f1"), cells, 2000, np.random.default_rng(3))
    rng = np.random.default_rng(4)
    byhand = []
    for _ in range(2000):
        pick = rng.integers(0, 600, 600)
        byhand.append(
            group_spread.of_cells(("accuracy", "f1"), group_spread.joint_cells(rows.take(pick, "x"), group[pick], 3))
        )
    assert drawn.shape == (2, 2000, 3)
    assert drawn.std(axis=1) == pytest.approx(np.std(byhand, axis=0), rel=0.08)


def test_delong_difference_is_that_of_the_direct_formula() -> None:
    rng = np.random.default_rng(4)
    y = rng.random(90) < 0.5
    a, b = rng.normal(y.astype(float)), rng.normal(y.astype(float))
    figure = auc_difference(scored(y, a), scored(y, b))

    def kernel(scores: np.ndarray) -> np.ndarray:
        gaps = scores[y][:, None] - scores[~y][None, :]
        return (gaps > 0) + 0.5 * (gaps == 0)

    # DeLong, DeLong & Clarke-Pearson 1988, written out over all pairs.
    d = kernel(a) - kernel(b)
    variance = d.mean(axis=1).var(ddof=1) / y.sum() + d.mean(axis=0).var(ddof=1) / (~y).sum()
    low, high = figure.interval(0.95) or (0, 0)
    assert figure.value == pytest.approx(d.mean())
    assert (high - low) / 2 == pytest.approx(1.959964 * np.sqrt(variance), rel=1e-5)


@given(seeds, st.booleans())
@examples(30)
def test_placements_are_the_means_over_all_pairs(seed: int, ties: bool) -> None:
    from brookfall.core.measure.ranking import placements

    rows = binary_rows(seed, n=40, ties=ties)
    y, s = rows.outcomes, rows.scores
    above = (s[y][:, None] > s[~y][None, :]) + 0.5 * (s[y][:, None] == s[~y][None, :])
    found = placements(y, s)
    assert found.positives == pytest.approx(above.mean(axis=1))
    assert found.negatives == pytest.approx(above.mean(axis=0))


def test_a_cluster_of_copies_says_no_more_than_one_row() -> None:
    # Obuchowski 1997: each row three times, in a cluster of its own, has the variance of the rows once.
    once = binary_rows(6, n=80)
    times = np.repeat(np.arange(80), 3)
    thrice = scored(once.outcomes[times], once.scores[times], clusters=times)
    linear = scored(once.outcomes, once.scores, clusters=np.arange(80))
    for name in ("auc", "accuracy", "recall", "brier", "calibration_slope"):
        first, second = measure(name, linear), measure(name, thrice)
        assert first.value == pytest.approx(second.value)
        assert first.interval(0.95) == pytest.approx(second.interval(0.95), rel=2e-2), name


def test_a_perfect_score_on_ten_rows_has_a_wide_interval() -> None:
    y = np.array([True] * 5 + [False] * 5)
    figure = auc(scored(y, y.astype(float)))
    low, high = figure.interval(0.95) or (1, 1)
    assert figure.value == 1
    assert high == 1
    assert 0.4 < low < 0.8


@given(st.floats(0.01, 0.99), st.integers(2, 60), st.integers(2, 60))
def test_newcombe_auc_interval_holds_its_value(value: float, m: int, n: int) -> None:
    low, high = newcombe_auc(value, m, n, 0.95)
    assert 0 <= low < value < high <= 1


def test_recalibration_is_logistic_regression() -> None:
    rows = binary_rows(12, n=500)
    logits = np.log(rows.scores / (1 - rows.scores))
    fitted = LogisticRegression(C=np.inf, tol=1e-10, max_iter=5000).fit(logits[:, None], rows.outcomes)
    assert slope(rows).value == pytest.approx(float(fitted.coef_[0, 0]), rel=1e-5)
    # With slope 1 the recalibrated scores have the mean of the outcomes (Cox 1958).
    moved = 1 / (1 + np.exp(-(logits + (intercept(rows).value or 0.0))))
    assert moved.mean() == pytest.approx(rows.outcomes.mean(), abs=1e-9)


@given(seeds)
@examples(15)
def test_weighted_recalibration_is_weighted_logistic_regression(seed: int) -> None:
    rows = binary_rows(seed, n=200, weights="all")
    logits = np.log(rows.scores / (1 - rows.scores))
    fitted = LogisticRegression(C=np.inf, tol=1e-10, max_iter=5000)
    fitted.fit(logits[:, None], rows.outcomes, sample_weight=rows.weights)
    assert slope(rows).value == pytest.approx(float(fitted.coef_[0, 0]), rel=1e-4)


def test_the_spread_of_a_recalibration_is_the_robust_one_of_statsmodels() -> None:
    import statsmodels.api as sm

    from brookfall.core.measure.calibration import slope_linear
    from brookfall.core.measure.influence_function import variance

    rows = binary_rows(21, n=400)
    logits = np.log(rows.scores / (1 - rows.scores))
    fitted = sm.GLM(rows.outcomes.astype(float), sm.add_constant(logits), family=sm.families.Binomial())
    robust = fitted.fit(cov_type="HC1").bse[1]
    found = slope_linear(rows)
    assert found is not None
    # HC1 divides by n − 2, the jackknife's units by n − 1.
    assert np.sqrt(variance(found.influence, rows)) == pytest.approx(robust, rel=3e-3)


@given(seeds, weighting)
@examples(30)
def test_gain_is_what_counting_rows_by_hand_gives(seed: int, weights: str) -> None:
    rows = binary_rows(seed, n=80, ties=True, weights=weights)
    w = rows.counted
    taken, found, depth = 0.0, 0.0, 0.2 * w.sum()
    for score in sorted(set(rows.scores), reverse=True):
        tied = rows.scores == score
        share = min(max(depth - taken, 0.0) / w[tied].sum(), 1.0) if w[tied].sum() > 0 else 0.0
        found += share * w[tied & rows.outcomes].sum()
        taken += w[tied].sum()
    assert measure("gain_at_20", rows).value == pytest.approx(found / w[rows.outcomes].sum())
    assert measure("lift_at_20", rows).value == pytest.approx(5 * found / w[rows.outcomes].sum())


def test_clustered_means_are_those_of_statsmodels() -> None:
    import statsmodels.api as sm

    from brookfall.core.measure.influence_function import variance
    from brookfall.core.measure.registry import linear
    from brookfall.core.measure.scored import ScoredNumbers

    rng = np.random.default_rng(3)
    clusters = rng.integers(0, 30, 300)
    errors = rng.normal(size=30)[clusters] + rng.normal(size=300)
    rows = ScoredNumbers(key="c", outcomes=np.zeros(300), predictions=errors, clusters=clusters)
    theirs = sm.OLS(errors, np.ones(300)).fit(cov_type="cluster", cov_kwds={"groups": clusters}).bse[0]
    found = linear("bias", rows)
    assert found is not None
    # Both multiply by G / (G − 1); statsmodels also by (n − 1) / (n − 1).
    assert np.sqrt(variance(found.influence, rows)) == pytest.approx(theirs, rel=1e-6)


def test_mcnemar_is_that_of_statsmodels_and_scipy() -> None:
    from statsmodels.stats.contingency_tables import mcnemar as theirs

    assert mcnemar(3, 11).p == pytest.approx(theirs([[50, 3], [11, 20]], exact=True).pvalue)
    large = theirs([[50, 30], [55, 20]], exact=False, correction=True)
    assert mcnemar(30, 55).p == pytest.approx(large.pvalue)
    assert mcnemar(30, 55).statistic == pytest.approx(large.statistic)


@given(st.lists(st.floats(0.0001, 1), min_size=1, max_size=12))
@examples(40)
def test_holm_is_that_of_statsmodels(p: list[float]) -> None:
    from statsmodels.stats.multitest import multipletests

    assert holm(np.array(p)) == pytest.approx(multipletests(p, method="holm")[1])


def test_corrected_t_without_overlap_is_students() -> None:
    d = np.array([0.02, -0.01, 0.03, 0.04, 0.00, 0.02])
    assert corrected_t(d, 0.0).p == pytest.approx(stats.ttest_1samp(d, 0).pvalue)
    assert corrected_t(d, 1 / 9).p > corrected_t(d, 0.0).p
    assert corrected_t(np.zeros(5), 0.1).p == 1


def test_corrected_interval_is_wider_than_the_naive_one() -> None:
    # Nadeau & Bengio 2003: variance (1/k + n_test/n_train) s², here 0.1 + 1/9.
    values = np.array([0.70, 0.72, 0.69, 0.74, 0.71, 0.73, 0.70, 0.68, 0.75, 0.72])
    low, high = corrected_mean(values, 1000, 1 / 9).interval(0.95) or (0, 0)
    expected = 2.262157 * np.sqrt((0.1 + 1 / 9) * values.var(ddof=1))
    assert (high - low) / 2 == pytest.approx(expected, rel=1e-6)


@pytest.mark.parametrize("name", ["brier", "log_loss", "f1", "kappa", "calibration_slope"])
def test_paired_differences_vary_as_resampled_pairs_do(name: str) -> None:
    first = binary_rows(3, n=300)
    second = scored(first.outcomes, np.clip(first.scores + np.random.default_rng(5).normal(0, 0.1, 300), 0.01, 0.99))
    figure = paired(name, first, second)
    rng = np.random.default_rng(6)
    drawn = []
    for _ in range(800):
        pick = rng.integers(0, 300, 300)
        drawn.append(
            (measure(name, first.take(pick, "x")).value or 0) - (measure(name, second.take(pick, "x")).value or 0)
        )
    low, high = figure.interval(0.95) or (0, 0)
    assert (high - low) == pytest.approx(2 * 1.96 * float(np.std(drawn)), rel=0.15)


def test_accuracy_and_baseline_of_a_rare_outcome() -> None:
    # TN 1069, FP 6, FN 187, TP 11: accuracy 0.848, baseline 0.844 (common practice).
    matrix = Confusion(1069, 6, 187, 11)
    assert (matrix.tn + matrix.tp) / matrix.n == pytest.approx(0.848, abs=5e-4)
    rows = from_matrix(matrix)
    assert share_figure("accuracy", rows).value == pytest.approx(0.848, abs=5e-4)
    assert 1 - (share_figure("base_rate", rows).value or 0) == pytest.approx(0.844, abs=5e-4)


def from_matrix(matrix: Confusion) -> Scored:
    cells = [int(cell) for cell in matrix.cells]
    return scored(np.repeat([False, False, True, True], cells), np.repeat([0.0, 1.0, 0.0, 1.0], cells))


def test_pooled_matrix_of_ten_folds() -> None:
    # 900 rows, ten folds: TN 491, FP 87, FN 74, TP 248 (common practice).
    rows = from_matrix(Confusion(491, 87, 74, 248))
    assert confusion(rows) == Confusion(491, 87, 74, 248)
    expected = {"accuracy": 0.821, "specificity": 0.849, "recall": 0.770, "precision": 0.740}
    for name, value in expected.items():
        assert share_figure(name, rows).value == pytest.approx(value, abs=6e-4)


@pytest.mark.parametrize("outcomes", [[], [True], [False], [True, True, True]])
def test_edge_cases_say_why(outcomes: list[bool]) -> None:
    rows = scored(outcomes, np.full(len(outcomes), 0.7))
    for name in ("auc", "mcc", "average_precision", "ks", "calibration_slope"):
        figure = measure(name, rows)
        assert figure.value is None
        assert figure.note
