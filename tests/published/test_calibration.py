"""Calibration against independent computations: statsmodels, SciPy, NumPy, and every outcome written out."""

from itertools import product

import numpy as np
import pytest
import statsmodels.api as sm
from hypothesis import given
from hypothesis import strategies as st
from scipy import stats
from sklearn.linear_model import LinearRegression
from sklearn.metrics import brier_score_loss
from statsmodels.nonparametric.smoothers_lowess import lowess

from brookfall.core.measure.calibration import equal_count_bins
from brookfall.core.measure.calibration_curve import distances_to_curve, flexible_curve, local_weights
from brookfall.core.measure.calibration_tests import hosmer_lemeshow, score_bands, spiegelhalter
from brookfall.core.measure.paired_tests import holm
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import Scored
from tests.made import binary_rows, examples, number_rows, scored

seeds = st.integers(0, 10_000)


def probable(seed: int, n: int = 400, tilt: float = 1.0) -> Scored:
    """Scores with the outcomes that they promise, or that the scores with their logits times ``tilt`` do."""
    rng = np.random.default_rng(seed)
    logit = rng.normal(-1, 1.2, n)
    return scored(rng.random(n) < 1 / (1 + np.exp(-tilt * logit)), 1 / (1 + np.exp(-logit)), key=f"probable {seed}")


@given(seeds)
@examples(15)
def test_spiegelhalter_is_the_brier_score_in_standard_deviations(seed: int) -> None:
    # Of ten rows all 1 024 outcomes can be written out: mean and variance of their Brier scores are exact.
    rows = probable(seed, 10)
    outcomes = np.array(list(product((0, 1), repeat=10)))
    chances = np.prod(np.where(outcomes == 1, rows.scores, 1 - rows.scores), axis=1)
    briers = ((outcomes - rows.scores) ** 2).mean(axis=1)
    mean = chances @ briers
    z = (brier_score_loss(rows.outcomes, rows.scores) - mean) / np.sqrt(chances @ (briers - mean) ** 2)
    found = spiegelhalter(rows)
    assert found.statistic == pytest.approx(z, rel=1e-9)
    assert found.p == pytest.approx(2 * stats.norm.sf(abs(z)), rel=1e-9)


@given(seeds)
@examples(25)
def test_hosmer_and_lemeshow_is_scipys_chi_square_of_both_outcomes(seed: int) -> None:
    rows = probable(seed)
    order = np.argsort(rows.scores)
    tenths = np.array_split(order, 10)
    observed = [[rows.outcomes[tenth].sum(), (~rows.outcomes[tenth]).sum()] for tenth in tenths]
    expected = [[rows.scores[tenth].sum(), (1 - rows.scores[tenth]).sum()] for tenth in tenths]
    reference = stats.chisquare(np.ravel(observed), np.ravel(expected), sum_check=False)
    unseen, seen = hosmer_lemeshow(rows), hosmer_lemeshow(rows, seen=True)
    assert unseen.statistic == seen.statistic == pytest.approx(reference.statistic)
    assert unseen.p == pytest.approx(stats.chi2.sf(reference.statistic, 10))
    assert seen.p == pytest.approx(stats.chi2.sf(reference.statistic, 8))


def test_hosmer_and_lemeshow_keeps_its_level_on_unseen_rows() -> None:
    p = [hosmer_lemeshow(probable(seed, 600)).p for seed in range(400)]
    assert stats.binomtest(sum(one < 0.05 for one in p), 400, 0.05).pvalue > 0.001


def test_spiegelhalter_keeps_its_level() -> None:
    p = [spiegelhalter(probable(seed, 600)).p for seed in range(400)]
    assert stats.binomtest(sum(one < 0.05 for one in p), 400, 0.05).pvalue > 0.001


@given(seeds)
@examples(15)
def test_bands_are_tested_as_scipy_tests_a_share(seed: int) -> None:
    rows = probable(seed, 200)
    bands, codes = score_bands(rows), equal_count_bins(rows.scores)
    p = []
    for place, band in enumerate(bands):
        mine = codes == place
        hits, mean = int(rows.outcomes[mine].sum()), float(rows.scores[mine].mean())
        sides = [stats.binomtest(hits, int(mine.sum()), mean, side).pvalue for side in ("less", "greater")]
        p.append(min(1.0, 2 * min(sides)))
        assert (band.n, band.events) == (mine.sum(), hits)
        assert (band.low, band.high) == (rows.scores[mine].min(), rows.scores[mine].max())
    assert [band.p for band in bands] == pytest.approx(p, rel=1e-6)
    assert [band.p_holm for band in bands] == pytest.approx(holm(np.array(p)), rel=1e-6)


@given(seeds)
@examples(10)
def test_a_local_line_is_statsmodels_lowess(seed: int) -> None:
    rng = np.random.default_rng(seed)
    x = np.sort(rng.random(120))
    y = (rng.random(120) < x).astype(float)
    reference = lowess(y, x, frac=0.75, it=0, delta=0.0, return_sorted=False)
    assert local_weights(x, np.ones(120), x, 0.75, degree=1) @ y == pytest.approx(reference, abs=1e-8)


@given(seeds, st.floats(0.2, 1.0))
@examples(10)
def test_a_local_parabola_is_numpys_weighted_one(seed: int, span: float) -> None:
    rng = np.random.default_rng(seed)
    x, y = np.sort(rng.random(90)), rng.random(90)
    found = local_weights(x, np.ones(90), x[::9], span) @ y
    for at, value in zip(x[::9], found, strict=True):
        distance = np.abs(x - at)
        width = np.sort(distance)[int(np.ceil(span * 90 - 1e-9)) - 1]
        kernel = np.where(distance < width, (1 - (distance / width) ** 3) ** 3, 0)
        by_hand = np.polyval(np.polyfit(x - at, y, 2, w=np.sqrt(kernel)), 0)
        assert value == pytest.approx(by_hand, abs=1e-7)


def test_ici_and_e90_are_distances_from_the_curve_of_all_rows() -> None:
    # Austin & Steyerberg 2019: the mean and the 90th percentile of |curve − score|, here with a curve fitted anew at
    # every row by NumPy; ours is drawn at 60 scores and joined by lines.
    rows = probable(7, 300, tilt=0.5)
    fitted = []
    for at in rows.scores:
        distance = np.abs(rows.scores - at)
        width = np.sort(distance)[224]
        kernel = np.where(distance < width, (1 - (distance / width) ** 3) ** 3, 0)
        fitted.append(np.polyval(np.polyfit(rows.scores - at, rows.outcomes * 1.0, 2, w=np.sqrt(kernel)), 0))
    apart = np.abs(np.clip(fitted, 0, 1) - rows.scores)
    mean, ninetieth = distances_to_curve(rows, flexible_curve(rows))
    assert mean.value == pytest.approx(apart.mean(), abs=5e-4)
    assert ninetieth.value == pytest.approx(np.quantile(apart, 0.9), abs=2e-3)


def test_the_band_holds_the_truth_where_scores_are_right() -> None:
    held = []
    for seed in range(200):
        curve = flexible_curve(probable(seed, 800))
        assert not isinstance(curve, str)
        ends = curve.ends(0.95)
        assert ends is not None
        middle = len(curve.at) // 2
        held.append(bool(ends[0][middle] <= curve.at[middle] <= ends[1][middle]))
    assert np.mean(held) > 0.9


@given(seeds, st.sampled_from(["none", "all"]))
@examples(20)
def test_observed_over_expected_and_scaled_brier_are_their_formulas(seed: int, weights: str) -> None:
    rows = binary_rows(seed, weights=weights)
    share = np.average(rows.outcomes, weights=rows.counted)
    assert measure("observed_over_expected", rows).value == pytest.approx(
        share / np.average(rows.scores, weights=rows.counted)
    )
    brier = brier_score_loss(rows.outcomes, rows.scores, sample_weight=rows.counted)
    of_base = brier_score_loss(rows.outcomes, np.full(len(rows), share), sample_weight=rows.counted)
    assert measure("scaled_brier", rows).value == pytest.approx(1 - brier / of_base)


@given(seeds, st.sampled_from(["none", "all"]))
@examples(20)
def test_the_slope_of_a_number_is_scikit_learns_line(seed: int, weights: str) -> None:
    rows = number_rows(seed, weights=weights)
    line = LinearRegression().fit(rows.predictions[:, None], rows.outcomes, sample_weight=rows.counted)
    assert measure("calibration_slope", rows).value == pytest.approx(line.coef_[0])


def test_the_slope_of_a_number_has_the_robust_error_of_statsmodels() -> None:
    rows = number_rows(3, 400)
    fitted = sm.OLS(rows.outcomes, sm.add_constant(rows.predictions)).fit(cov_type="HC0")
    ends = measure("calibration_slope", rows).interval(0.95)
    assert ends is not None
    assert (ends[1] - ends[0]) / 2 / 1.96 == pytest.approx(fitted.bse[1], rel=0.05)


@pytest.mark.parametrize(
    ("name", "n"), [("observed_over_expected", 200), ("observed_over_expected", 2000), ("scaled_brier", 500)]
)
def test_intervals_of_probabilities_hold_the_truth(name: str, n: int) -> None:
    truth = measure(name, probable(99_999, 400_000)).value
    held = [
        ends[0] <= truth <= ends[1] for seed in range(400) if (ends := measure(name, probable(seed, n)).interval(0.95))
    ]
    assert len(held) == 400
    assert stats.binomtest(sum(held), 400, 0.95).pvalue > 0.001 or np.mean(held) > 0.95
