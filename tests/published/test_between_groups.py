"""How far groups lie apart: against SciPy and statsmodels, and by simulation."""

import numpy as np
import pytest
from scipy import stats
from statsmodels.stats.meta_analysis import combine_effects

from brookfall.core.measure.between_groups import Spread, ratio_between, spread_of_means, spread_of_shares

HITS, ROWS = np.array([48.0, 12.0, 81.0, 15.0]), np.array([80.0, 40.0, 263.0, 148.0])


def known(hits: np.ndarray, n: np.ndarray) -> Spread:
    found = spread_of_shares(hits, n)
    assert found is not None
    return found


def test_the_chi_square_is_pearsons() -> None:
    # SciPy's test of the two rows of counts; no correction for continuity.
    theirs = stats.chi2_contingency(np.stack([HITS, ROWS - HITS]), correction=False)
    found = known(HITS, ROWS)
    assert (found.chi2, found.freedom) == (pytest.approx(theirs.statistic), theirs.dof)
    assert found.p == pytest.approx(theirs.pvalue)


def test_the_weighted_sum_of_squares_is_cochrans() -> None:
    # statsmodels' Q of means with variances of 4 over n.
    means, n = np.array([1.0, 2.5, 1.8]), np.array([40.0, 25.0, 60.0])
    theirs = combine_effects(means, 4.0 / n, method_re="dl")
    found = spread_of_means(means, n, 4.0)
    assert found is not None
    assert found.chi2 == pytest.approx(theirs.q)
    assert found.common == pytest.approx(theirs.mean_effect_fe)
    # The moment estimate of DerSimonian & Laird 1986 parts the same excess; of equal sizes it is ours but for the
    # factor between groups as they are and groups that are drawn.
    equal = np.full(3, 50.0)
    drawn, ours = combine_effects(means, 4.0 / equal, method_re="dl"), spread_of_means(means, equal, 4.0)
    assert ours is not None
    assert ours.sd**2 == pytest.approx(drawn.tau2 * 2 / 3)


@pytest.mark.parametrize("level", [0.95, 0.99, 0.9989])
def test_the_ends_are_the_noncentralities_of_scipys_distribution(level: float) -> None:
    found = known(HITS, ROWS)
    low, high = ((sd**2 / found.unit) for sd in found.sd_limits(level))
    tail = (1 - level) / 2
    assert stats.ncx2.sf(found.chi2, found.freedom, low) == pytest.approx(tail, rel=1e-4)
    assert stats.ncx2.cdf(found.chi2, found.freedom, high) == pytest.approx(tail, rel=1e-4)


def test_two_groups_are_their_own_two_rates_less_noise() -> None:
    # Two groups of one size: one standard deviation on either side of the common rate are the groups themselves.
    found = known(np.array([3500.0, 5000.0]) * 100, np.array([10_000.0, 10_000.0]) * 100)
    assert found.ratio().value == pytest.approx(0.7, abs=1e-4)
    assert found.difference().value == pytest.approx(0.15, abs=1e-4)


def test_alike_groups_have_a_bound_and_never_a_width_of_zero() -> None:
    found = known(np.array([300.0, 300.0, 300.0]), np.array([1000.0, 1000.0, 1000.0]))
    assert found.ratio().value == 1.0
    low, high = found.ratio().interval(0.95) or (1.0, 1.0)
    assert high == 1.0
    assert 0.8 < low < 0.95


def test_nothing_is_said_of_one_group_or_where_all_count() -> None:
    assert spread_of_shares(np.array([3.0]), np.array([9.0])) is None
    assert spread_of_shares(np.array([9.0, 5.0]), np.array([9.0, 5.0])) is None
    assert spread_of_means(np.array([1.0, 2.0]), np.array([5.0, 5.0]), 0.0) is None
    assert ratio_between(None, 14).n == 14


@pytest.mark.parametrize(
    ("rates", "n"),
    [
        ([0.35] * 5 + [0.5] * 5, [1200] * 10),
        ([0.3] * 20, [180] * 20),
        ([0.2] * 4 + [0.3], [100] * 4 + [2000]),
        ([0.05] * 8 + [0.1] * 2, [60] * 10),
        ([0.36] * 5 + [0.45] * 5, [1200] * 10),
    ],
)
def test_intervals_hold_the_spread_of_the_true_rates(rates: list[float], n: list[int]) -> None:
    # 600 draws each: at least 93 %, with three standard errors of room.
    rng = np.random.default_rng(len(rates) + n[0])
    true, sizes = np.array(rates), np.array(n, dtype=float)
    common = float(np.average(true, weights=sizes))
    sd = float(np.sqrt(np.average((true - common) ** 2, weights=sizes)))
    held = 0
    for _ in range(600):
        low, high = known(rng.binomial(n, true).astype(float), sizes).difference().interval(0.95) or (1.0, 0.0)
        held += low <= 2 * sd <= high
    assert held / 600 >= 0.93 - 3 * (0.93 * 0.07 / 600) ** 0.5
