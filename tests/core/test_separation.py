"""Separation: found, named, and given coefficients that have an end."""

import numpy as np
import pandas as pd
import pytest
import scipy.optimize
import statsmodels.api as sm
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.probe.separation import firth, looks_separated, separated_columns
from brookfall.core.recipe.recipe import Recipe
from tests.conftest import small_plan
from tests.core.test_answers import assert_well_said
from tests.made import estimate, examples, exhibit_of, subject_of_frame


def rows(n: int = 400, seed: int = 3) -> pd.DataFrame:
    """Whoever has an alarm of the old kind has a fire; else the outcome hangs on a number."""
    rng = np.random.default_rng(seed)
    x = rng.normal(size=n)
    alarm = rng.choice(["new", "old", "none"], n, p=[0.5, 0.1, 0.4])
    fire = (rng.random(n) < 1 / (1 + np.exp(-x))) | (alarm == "old")
    return pd.DataFrame(
        {"x": x.round(5), "alarm": alarm, "sex": rng.choice(["f", "m"], n), "fire": np.where(fire, "yes", "no")}
    )


def coefficients(frame: pd.DataFrame, family: str = "logistic") -> Exhibit:
    of = subject_of_frame(frame, "fire", Recipe(family=family), protected=("sex",), positive="yes")
    return exhibit_of(of, "coefficients")


def test_a_level_without_exception_is_named_and_has_an_end() -> None:
    found = coefficients(rows())
    assert found.state == "done"
    assert found.lines[0].startswith(
        "'alarm = old' tells outcomes apart without exception on training rows, so its coeff"
    )
    assert found.lines[1].startswith("Firth's penalised fit is shown instead")
    old = estimate(found, "coefficient", feature="alarm = old")
    assert old.method == "firth"
    assert 0 < old.value < 10
    assert old.high - old.low < 12
    x = estimate(found, "coefficient", feature="x")
    assert 0.5 < x.value < 1.5
    assert "Firth" in found.tables[0].title
    assert_well_said(found.answer)


def test_what_one_number_tells_apart_without_exception_is_found_too() -> None:
    frame = rows()
    frame["fire"] = np.where(frame["x"] > 0.2, "yes", "no")
    found = coefficients(frame)
    assert found.state == "done"
    assert "'x'" in found.lines[0]
    assert estimate(found, "coefficient", feature="x").value < 200


def test_outcomes_that_overlap_are_as_before() -> None:
    frame = rows()
    frame.loc[:5, ["alarm", "fire"]] = ["old", "no"]
    found = coefficients(frame)
    assert not any("Firth" in line for line in found.lines)
    assert estimate(found, "coefficient", feature="x").method == "wald"
    assert "Firth" not in found.tables[0].title


@given(st.integers(0, 10_000))
@examples(25)
def test_firth_is_the_top_of_the_penalised_likelihood(seed: int) -> None:
    # Firth 1993: the likelihood times the root of the information's determinant; here climbed without derivatives.
    rng = np.random.default_rng(seed)
    design = np.column_stack([np.ones(40), rng.normal(size=40), rng.random(40) < 0.25])
    outcomes = (rng.random(40) < 0.5).astype(float)
    outcomes[design[:, 2] > 0] = 1

    def lost(beta: np.ndarray) -> float:
        chance = 1 / (1 + np.exp(-design @ beta))
        information = (design * (chance * (1 - chance))[:, None]).T @ design
        likelihood = outcomes @ np.log(chance) + (1 - outcomes) @ np.log(1 - chance)
        return -(likelihood + np.linalg.slogdet(information)[1] / 2)

    top = scipy.optimize.minimize(
        lost, np.zeros(3), method="Nelder-Mead", options={"xatol": 1e-8, "fatol": 1e-12, "maxiter": 4000}
    )
    assert firth(design, outcomes)[0] == pytest.approx(top.x, abs=1e-4)


def test_firth_of_a_two_by_two_table_adds_half_a_row_to_each_cell() -> None:
    # Known of a saturated model (Firth 1993): the odds ratio with 0.5 in every cell.
    design = np.column_stack([np.ones(30), np.repeat([0.0, 1.0], [18, 12])])
    outcomes = np.concatenate([np.repeat([1.0, 0.0], [7, 11]), np.ones(12)])
    constant, difference = firth(design, outcomes)[0]
    assert constant == pytest.approx(np.log(7.5 / 11.5))
    assert difference == pytest.approx(np.log(12.5 / 0.5) - np.log(7.5 / 11.5))


def test_firth_weighs_rows_as_copies_of_them() -> None:
    rng = np.random.default_rng(5)
    design = np.column_stack([np.ones(60), rng.normal(size=60)])
    outcomes, times = (rng.random(60) < 0.4).astype(float), rng.integers(1, 4, 60)
    copied = firth(np.repeat(design, times, axis=0), np.repeat(outcomes, times))
    assert firth(design, outcomes, times.astype(float)) == pytest.approx(copied)


@given(st.integers(0, 10_000))
@examples(30)
def test_separation_is_found_just_where_the_likelihood_has_no_top(seed: int) -> None:
    rng = np.random.default_rng(seed)
    design = np.column_stack([np.ones(12), rng.integers(0, 3, 12), rng.random(12) < 0.4]).astype(float)
    outcomes = (rng.random(12) < 0.5).astype(float)
    if np.linalg.matrix_rank(design) < 3 or len(set(outcomes)) < 2:
        return
    found = separated_columns(design, outcomes)

    def lost(beta: np.ndarray) -> float:
        return float(np.logaddexp(0, -(2 * outcomes - 1) * (design @ beta)).sum())

    # Climbed far: without a top the estimates go on growing.
    far = scipy.optimize.minimize(lost, np.zeros(3), method="BFGS", options={"gtol": 1e-10, "maxiter": 5000}).x
    assert found.any() == (np.abs(far * np.ptp(design, axis=0)).max() > 12 or np.abs(far).max() > 12)
    if found.any():
        assert looks_separated(design, far)


def test_plain_fits_are_those_of_statsmodels() -> None:
    frame = rows()
    frame.loc[:5, ["alarm", "fire"]] = ["old", "no"]
    frame = frame[["x", "sex", "fire"]]
    of = subject_of_frame(frame, "fire", Recipe(family="logistic"), protected=("sex",), positive="yes")
    found = exhibit_of(of, "coefficients", parts={"kind": "shares", "training": 60, "validation": 20, "test": 20})
    x = estimate(found, "coefficient", feature="x")
    train = Bench(of, small_plan()).split.parts["training"]
    design = sm.add_constant(frame["x"].to_numpy()[train])
    plain = sm.Logit((frame["fire"] == "yes").to_numpy()[train].astype(float), design).fit(disp=0)
    assert x.value == pytest.approx(plain.params[1], abs=1e-5)


@pytest.mark.parametrize("seed", range(4))
def test_firth_climbs_to_the_top_where_one_column_tells_all(seed: int) -> None:
    """Whole Newton steps went back and forth for ever; the top is found by a general optimiser too."""
    rng = np.random.default_rng(seed)
    told = (rng.random(120) < 0.5).astype(float)
    design = np.column_stack([np.ones(120), told, rng.normal(size=120), rng.poisson(2.0, 120)])

    def loss(beta: np.ndarray) -> float:
        linear = design @ beta
        chance = scipy.special.expit(linear)
        bread = (design * (chance * (1 - chance))[:, None]).T @ design
        return float(np.logaddexp(0, linear).sum() - told @ linear - 0.5 * np.linalg.slogdet(bread)[1])

    found = firth(design, told)[0]
    best = scipy.optimize.minimize(
        loss, found + rng.normal(0, 0.3, 4), method="Nelder-Mead", options={"maxiter": 8000, "fatol": 1e-12}
    )
    assert loss(found) <= best.fun + 1e-7
    assert found == pytest.approx(best.x, abs=2e-3)
