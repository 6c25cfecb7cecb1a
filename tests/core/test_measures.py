"""Measures at their edges: nothing, one row, ties, constants, empty cells, weights of 0, missing scores."""

import pickle
from collections.abc import Mapping
from dataclasses import replace

import numpy as np
import pytest
import sklearn.metrics as reference
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.measure import binary, curves, multiclass, number
from brookfall.core.measure.counts import SHARES
from brookfall.core.measure.depth import depth_columns
from brookfall.core.measure.example_rows import class_rows_with_scores
from brookfall.core.measure.figure import Figure, too_few
from brookfall.core.measure.influence_function import effective_n
from brookfall.core.measure.interval import Share, ratio_of_shares, share_of
from brookfall.core.measure.paired_tests import paired
from brookfall.core.measure.rank_measures import rank_draws, rank_value
from brookfall.core.measure.registry import flatters, forms, linear, measure, measure_at, names_for, value_at
from brookfall.core.measure.scored import AnyScored, Scored, ScoredClasses, ScoredNumbers
from tests.made import binary_rows, class_rows, examples, number_rows, scored


def numbers_of(series: Mapping[str, list[float | None]], column: str) -> np.ndarray:
    """A column of a curve, none of which is missing."""
    return np.array(series[column], dtype=np.float64)


def sound(figure: Figure, n: int) -> None:
    """A figure says its n, and has an interval that holds its value or the reason why not."""
    assert figure.n <= n
    if figure.value is None:
        assert figure.note
        return
    assert np.isfinite(figure.value)
    interval = figure.interval(0.95)
    if interval is None:
        assert figure.note
        return
    low, high = interval
    assert low <= figure.value + 1e-12
    assert figure.value - 1e-12 <= high
    wide = figure.interval(0.999)
    assert wide is not None
    assert wide[0] <= low + 1e-9
    assert high <= wide[1] + 1e-9


SMALL = st.integers(0, 12)


@given(SMALL, st.data())
@examples(150)
def test_any_few_binary_rows_give_sound_figures(n: int, data: st.DataObject) -> None:
    outcomes = data.draw(st.lists(st.booleans(), min_size=n, max_size=n))
    scores = data.draw(st.lists(st.sampled_from([0.0, 0.2, 0.5, 1.0, 1.7, np.nan]), min_size=n, max_size=n))
    weights = data.draw(st.sampled_from([None, "some"]))
    clusters = data.draw(st.sampled_from([None, "pairs"]))
    counted = np.array([0.0, 1.0, 2.5] * 4)[:n] if weights else None
    rows = scored(outcomes, scores, weights=counted, clusters=np.arange(n) // 2 if clusters else None)
    for name in names_for("binary"):
        sound(measure(name, rows), n)
        assert value_at(rows, name) == measure(name, rows).value, name


@given(SMALL, st.data())
@examples(60)
def test_any_few_rows_of_classes_give_sound_figures(n: int, data: st.DataObject) -> None:
    outcomes = np.array(data.draw(st.lists(st.integers(0, 2), min_size=n, max_size=n)), dtype=np.int64)
    decisions = np.array(data.draw(st.lists(st.integers(-1, 2), min_size=n, max_size=n)), dtype=np.int64)
    certain = np.eye(3)[np.maximum(decisions, 0)] if data.draw(st.booleans()) else None
    rows = ScoredClasses(key="few", outcomes=outcomes, decisions=decisions, classes=("a", "b", "c"), scores=certain)
    for name in names_for("multiclass"):
        sound(measure(name, rows), n)
        assert value_at(rows, name) == measure(name, rows).value, name


@pytest.mark.parametrize("class_", ["a", "b", "c"])
def test_the_value_of_one_class_alone_is_that_of_its_figure(class_: str) -> None:
    for rows in (class_rows_with_scores(), replace(class_rows_with_scores(), scores=None)):
        found = {name: measure_at(rows, name, class_=class_).value for name in ("auc", "recall", "ks", "lift_at_20")}
        assert {name: value_at(rows, name, class_=class_) for name in found} == found
        assert (found["ks"] is None) == (rows.scores is None)


@given(SMALL, st.data())
@examples(60)
def test_any_few_numbers_give_sound_figures(n: int, data: st.DataObject) -> None:
    values = st.lists(st.sampled_from([0.0, 1.0, -2.5, 1e6]), min_size=n, max_size=n)
    rows = ScoredNumbers(key="few", outcomes=np.array(data.draw(values)), predictions=np.array(data.draw(values)))
    for name in names_for("number"):
        sound(measure(name, rows), n)
        assert value_at(rows, name) == measure(name, rows).value, name


def test_zero_weights_are_as_if_the_rows_were_not_there() -> None:
    rows = binary_rows(3, n=200, weights="some zero")
    assert rows.weights is not None
    kept = rows.weights > 0
    alone = rows.take(kept, "usable")
    for name in names_for("binary"):
        first, second = measure(name, rows), measure(name, alone)
        assert first.value == second.value, name
        assert first.n == second.n == int(kept.sum()) or name in SHARES
        assert first.interval(0.9) == second.interval(0.9), name


@pytest.mark.parametrize(
    ("rows", "names"),
    [
        (binary_rows(4, n=300), ("auc", "f1", "recall", "brier", "calibration_slope", "kappa", "mcc", "gini")),
        (class_rows(4, n=300), ("auc", "auc_ovr", "kappa", "mcc", "f1", "precision", "specificity", "brier")),
        (number_rows(4, n=300), ("mse", "rmse", "mae", "r2", "bias")),
    ],
)
def test_influences_are_derivatives_in_the_weights(rows: AnyScored, names: tuple[str, ...]) -> None:
    n, step = len(rows), 1e-5
    even = replace(rows, weights=np.ones(n))
    for name in names:
        whole = linear(name, even)
        assert whole is not None
        assert abs(whole.influence.sum()) < 1e-7
        for row in (0, 7, 123):
            weights = np.ones(n)
            weights[row] += step
            moved = linear(name, replace(rows, weights=weights))
            assert moved is not None
            slope = (moved.value - whole.value) / step
            # Functions of the cells have the jackknife's influence, which is near the derivative.
            near = 0.05 if name in ("f1", "kappa", "mcc") else 2e-3
            assert slope == pytest.approx(whole.influence[row], rel=near, abs=2e-6), (name, row)


def test_equal_weights_are_no_weights() -> None:
    rows = binary_rows(5, n=150)
    for name in names_for("binary"):
        plain, weighted = measure(name, rows), measure(name, replace(rows, weights=np.full(150, 2.0)))
        assert plain.value == pytest.approx(weighted.value), name
        first, second = plain.interval(0.95), weighted.interval(0.95)
        if first and second:
            assert second == pytest.approx(first, abs=0.03 * max(1, abs(first[1])) + 0.02), name


def test_clusters_of_like_rows_widen_every_interval() -> None:
    rng = np.random.default_rng(2)
    shared = rng.normal(size=40)[np.arange(400) // 10]
    y = shared + rng.normal(size=400) > 0
    s = 1 / (1 + np.exp(-(shared + rng.normal(size=400))))
    alone, together = scored(y, s), scored(y, s, clusters=np.arange(400) // 10)
    for name in ("accuracy", "selection_rate", "mean_score", "brier", "auc"):
        (a, b), (c, d) = (measure(name, rows).interval(0.95) or (0, 0) for rows in (alone, together))
        assert d - c > 1.1 * (b - a), name


def test_too_few_to_judge() -> None:
    assert [too_few(*case) for case in ((29, 10), (30, 4), (30, 26), (30, 5), (300, 50, 9), (300, 50, 10))] == [
        True,
        True,
        True,
        False,
        True,
        False,
    ]
    assert measure("auc", binary_rows(1, n=29)).few
    assert measure("auc", binary_rows(1, n=29)).note == "too few to judge"
    assert not measure("auc", binary_rows(1, n=90)).few
    rare = scored(np.arange(200) < 3, np.linspace(0, 1, 200))
    assert measure("auc", rare).few
    assert not measure("selection_rate", rare).few
    classes = class_rows(1, n=100)
    assert not measure("balanced_accuracy", classes).few
    one = replace(classes, outcomes=np.where(classes.outcomes == 3, 0, classes.outcomes))
    assert measure("accuracy", one).few is False


def test_a_missing_score_is_left_out_and_said() -> None:
    rows = binary_rows(6, n=100)
    gappy = replace(rows, scores=np.where(np.arange(100) < 7, np.nan, rows.scores))
    figure = measure("auc", gappy)
    assert (figure.n, figure.note) == (93, "7 rows without a score left out")
    assert figure.value == measure("auc", rows.take(np.arange(7, 100), "rest")).value
    assert measure("brier", replace(rows, scores=np.full(100, np.nan))).value is None


def test_unknown_measures_are_refused_with_the_names_there_are() -> None:
    for rows in (binary_rows(1), class_rows(1), number_rows(1)):
        with pytest.raises(KeyError, match="is not a measure of this outcome"):
            measure("beauty", rows)
    assert "belongs to one class" in (measure("gini", class_rows(1)).note or "")


def test_constant_scores_rank_nothing_and_are_said() -> None:
    rows = scored(np.arange(60) % 2 == 0, np.full(60, 0.5))
    assert measure("auc", rows).value == 0.5
    assert (measure("auc", rows).interval(0.95) or (0.5, 0.5)) != (0.5, 0.5)
    assert measure("calibration_slope", rows).note == "all scores are equal"
    assert "no spread" in (measure("mean_score", rows).note or "")
    assert measure("expected_calibration_error", rows).value == 0


def test_a_perfect_model_has_intervals_that_are_not_points() -> None:
    y = np.arange(80) % 4 == 0
    for name in ("auc", "accuracy", "f1", "mcc", "kappa", "balanced_accuracy", "brier", "average_precision", "ks"):
        figure = measure(name, scored(y, y.astype(float)))
        low, high = figure.interval(0.95) or (0, 0)
        assert figure.value == (0 if name == "brier" else 1), name
        assert high - low > 0.01, name
    assert "follows from the score" in (measure("calibration_slope", scored(y, np.where(y, 0.9, 0.1))).note or "")


def test_effective_n() -> None:
    assert effective_n(scored([True] * 4, [0.5] * 4, weights=np.array([1.0, 1, 1, 1]))) == 4
    assert effective_n(scored([True] * 4, [0.5] * 4, weights=np.array([1.0, 0, 0, 0.0]))) == 1
    assert effective_n(scored([True] * 4, [0.5] * 4, clusters=[0, 0, 1, 1])) == 2
    even = share_of(np.array([True, False] * 2), scored([True] * 4, [0.5] * 4, clusters=[0, 0, 1, 1]))
    assert 0 < even.effective <= 4


def test_ratio_of_weighted_shares_is_wider_than_of_plain_ones() -> None:
    plain = ratio_of_shares(Share(0.3, 200, 200.0), Share(0.4, 200, 200.0)).interval(0.95)
    weighted = ratio_of_shares(Share(0.3, 200, 90.0, 199), Share(0.4, 200, 90.0, 199)).interval(0.95)
    assert plain is not None
    assert weighted is not None
    assert weighted[0] < plain[0] < plain[1] < weighted[1]


def test_paired_differences_leave_out_rows_that_either_side_lacks() -> None:
    rows = binary_rows(7, n=120)
    other = replace(rows, scores=np.where(np.arange(120) < 20, np.nan, 1 - rows.scores))
    figure = paired("brier", rows, other)
    assert figure.n == 100
    assert paired("accuracy", rows, rows).value == 0
    assert paired("auc", scored([], []), scored([], [])).value is None
    assert "no paired interval" in (paired("ks", rows, replace(rows, key="other")).note or "")


def test_joined_bins_draw_as_single_ranks_do() -> None:
    rng = np.random.default_rng(9)
    y = rng.random(6000) < 0.1
    rows = scored(y, rng.normal(size=6000) + y)
    for name in ("auc", "average_precision", "ks", "gain_at_20"):
        fast = rank_draws(name, rows, 300)
        slow = [rank_value(name, rows.take(rng.integers(0, 6000, 6000), "x")) for _ in range(300)]
        assert float(np.std(fast)) == pytest.approx(float(np.std(slow)), rel=0.2), name
        assert float(np.mean(fast)) == pytest.approx(float(np.mean(slow)), abs=3 * float(np.std(slow)) / 10), name


def test_curves_are_those_of_scikit_learn() -> None:
    rows = binary_rows(11, n=300, ties=True)
    found = curves.roc(rows)
    fpr, tpr, _ = reference.roc_curve(rows.outcomes, rows.scores, drop_intermediate=False)
    assert found["x"] == pytest.approx(fpr, abs=1e-6)
    assert found["y"] == pytest.approx(tpr, abs=1e-6)
    precision, recall, _ = reference.precision_recall_curve(rows.outcomes, rows.scores)
    made = curves.precision_recall(rows)
    assert made["x"] == pytest.approx(recall[-2::-1], abs=1e-6)
    assert made["y"] == pytest.approx(precision[-2::-1], abs=1e-6)


def test_gain_and_lift_end_where_everything_is_taken() -> None:
    rows = binary_rows(12, n=200)
    found = depth_columns(rows, 0.95)
    assert (found["x"][-1], found["y"][-1], found["lift"][-1]) == (1, 1, 1)
    at = found["x"].index(0.2)
    assert measure("gain_at_20", rows).value == pytest.approx(found["y"][at], abs=1e-6)
    assert measure("lift_at_20", rows).value == pytest.approx(found["lift"][at], abs=5e-6)


def test_calibration_bins_hold_equal_counts_and_their_own_share() -> None:
    rows = binary_rows(13, n=500)
    found = curves.calibration(rows, 0.95)
    assert found["n"] == [50.0] * 10
    assert np.average(numbers_of(found, "y"), weights=numbers_of(found, "n")) == pytest.approx(
        rows.outcomes.mean(), abs=1e-6
    )
    assert np.average(numbers_of(found, "x"), weights=numbers_of(found, "n")) == pytest.approx(
        rows.scores.mean(), abs=1e-6
    )
    gaps = np.abs(np.array(found["y"]) - np.array(found["x"]))
    assert measure("expected_calibration_error", rows).value == pytest.approx(gaps.mean(), abs=1e-6)
    note = measure("expected_calibration_error", rows).note or ""
    assert "by chance alone" in note


def test_thresholds_count_weights() -> None:
    rows = binary_rows(14, n=100, weights="all")
    at = curves.threshold_counts(rows, np.array([0.5]))
    assert at["tp"][0] == pytest.approx(rows.counted[rows.outcomes & rows.decisions].sum(), abs=1e-5)
    assert sum(float(at[name][0] or 0) for name in ("tp", "fp", "fn", "tn")) == pytest.approx(
        rows.counted.sum(), abs=1e-4
    )
    wrong = curves.error_by_threshold(rows)
    assert wrong["y"][(wrong["x"]).index(0.5)] == pytest.approx(measure("error_rate", rows).value, abs=1e-5)


def test_histograms_and_residuals_add_up() -> None:
    rows = binary_rows(15, n=100)
    for positive in (True, False):
        assert sum(value or 0 for value in curves.score_histogram(rows, positive)["y"]) == pytest.approx(1, abs=1e-4)
    numbers = number_rows(15, n=200)
    left = curves.residuals(numbers)
    assert np.average(numbers_of(left, "y"), weights=numbers_of(left, "n")) == pytest.approx(
        measure("bias", numbers).value, abs=1e-5
    )
    seen = curves.predicted_observed(numbers)
    assert np.average(numbers_of(seen, "y"), weights=numbers_of(seen, "n")) == pytest.approx(
        numbers.outcomes.mean(), abs=1e-5
    )


@given(st.integers(0, 500))
@examples(20)
def test_the_loss_by_chance_is_the_mean_over_all_pairs(seed: int) -> None:
    numbers = number_rows(seed, n=40)
    gaps = numbers.predictions[:, None] - numbers.outcomes[None, :]
    assert number.square_by_chance(numbers) == pytest.approx((gaps**2).mean())
    assert number.distance_by_chance(numbers) == pytest.approx(np.abs(gaps).mean())
    rows = binary_rows(seed, n=40)
    assert binary.brier_by_chance(rows) == pytest.approx(((rows.scores[:, None] - rows.outcomes[None, :]) ** 2).mean())
    assert binary.error_by_chance(rows) == pytest.approx((rows.decisions[:, None] != rows.outcomes[None, :]).mean())
    assert binary.brier_losses(rows).mean() == pytest.approx(measure("brier", rows).value)


def test_what_flatters() -> None:
    assert flatters("rmse", 1.0, 2.0)
    assert not flatters("rmse", 3.0, 2.0)
    assert flatters("bias", 0.1, -0.5)
    assert flatters("calibration_slope", 1.02, 0.8)
    assert not flatters("auc", 0.7, 0.8)


def test_same_rows_same_bits_and_other_rows_other_draws() -> None:
    first, again = measure("ks", binary_rows(1)), measure("ks", binary_rows(1))
    assert first.interval(0.95) == again.interval(0.95)
    assert first.interval(0.95) != measure("ks", replace(binary_rows(1), key="another")).interval(0.95)


def test_the_matrix_of_classes_is_weighted() -> None:
    rows = class_rows(2, weights="all")
    assert multiclass.matrix(rows).sum() == pytest.approx(rows.counted.sum())
    expected = reference.confusion_matrix(rows.outcomes, rows.decisions, sample_weight=rows.weights)
    assert multiclass.matrix(rows) == pytest.approx(expected)
    assert isinstance(rows.against_rest(1), Scored)
    assert measure("mse", number_rows(1).take(np.zeros(90, dtype=bool), "none")).note == "no such row"


def test_what_cannot_be_measured_is_named_at_the_door() -> None:
    outcomes, scores = np.arange(60) % 2 == 0, np.linspace(0, 1, 60)
    with pytest.raises(ValueError, match="scores has 59 rows and outcomes has 60"):
        measure("auc", Scored(key="", outcomes=outcomes, scores=scores[1:], threshold=0.5))
    with pytest.raises(ValueError, match="outcomes must be True or False"):
        measure("auc", Scored(key="", outcomes=2 * outcomes.astype(np.int64), scores=scores, threshold=0.5))
    with pytest.raises(ValueError, match="scores must be finite"):
        measure("auc", Scored(key="", outcomes=outcomes, scores=np.where(outcomes, np.inf, 0), threshold=0.5))
    with pytest.raises(ValueError, match="weights must be finite"):
        measure("auc", Scored(key="", outcomes=outcomes, scores=scores, threshold=0.5, weights=-np.ones(60)))
    with pytest.raises(ValueError, match="places among the 2 classes"):
        measure(
            "accuracy",
            ScoredClasses(key="", outcomes=np.arange(60) % 3, decisions=np.zeros(60, dtype=int), classes=("a", "b")),
        )
    with pytest.raises(ValueError, match="outcomes must be finite"):
        measure("mae", ScoredNumbers(key="", outcomes=np.array([1.0, np.nan]), predictions=np.zeros(2)))
    with pytest.raises(KeyError, match="measures are auc"):
        measure("r2", binary_rows(1))


@pytest.mark.parametrize(
    ("rows", "names"),
    [
        (binary_rows(3), names_for("binary")),
        (class_rows(3), tuple(forms("multiclass"))),
        (number_rows(3), names_for("number")),
    ],
)
def test_a_figure_is_plain_data(rows: AnyScored, names: tuple[str, ...]) -> None:
    for name in names:
        figure = measure(name, rows)
        assert pickle.loads(pickle.dumps(figure)) == figure == measure(name, rows), name
        assert "<function" not in repr(figure), name
