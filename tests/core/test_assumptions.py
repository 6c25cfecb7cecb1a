"""Assumptions of regressions: tests against formulas of their own, what is planted, and what a sound one is told."""

import numpy as np
import pandas as pd
import pytest
import scipy.stats

from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.measure.assumptions import Fitted, bends, deciding_row, even_spread, powers_of_prediction
from brookfall.core.recipe.recipe import Recipe
from tests.made import exhibit_of, said, subject_of_frame

LINEAR = Recipe(family="linear")
PLAIN_LOGISTIC = Recipe(family="logistic", settings={"penalty": "none"})


def regression(n: int = 400, bent: float = 0.0, fanned: float = 0.0, seed: int = 3) -> Fitted:
    rng = np.random.default_rng(seed)
    x, z = rng.uniform(1, 5, n), rng.normal(size=n)
    y = x + z + bent * x**2 + (1 + fanned * x) * rng.normal(size=n)
    return Fitted("linear", np.column_stack([np.ones(n), x, z]), y)


def test_reset_is_the_f_test_of_the_added_powers() -> None:
    of = regression(bent=0.2)

    def left(design: np.ndarray) -> float:
        return float(((of.outcomes - design @ np.linalg.lstsq(design, of.outcomes, rcond=None)[0]) ** 2).sum())

    predicted = of.design @ np.linalg.lstsq(of.design, of.outcomes, rcond=None)[0]
    more = np.column_stack([of.design, predicted**2, predicted**3])
    f = (left(of.design) - left(more)) / 2 / (left(more) / (400 - 5))
    found = powers_of_prediction(of)
    assert found.statistic == pytest.approx(f, rel=1e-6)
    assert found.p == pytest.approx(scipy.stats.f.sf(f, 2, 395), rel=1e-6)


def test_breusch_pagan_is_n_times_the_r_squared_of_the_squared_errors() -> None:
    """Koenker 1981: LM = n · R² of the squared residuals on the columns, chi-square."""
    of = regression(fanned=0.6)
    errors = of.outcomes - of.design @ np.linalg.lstsq(of.design, of.outcomes, rcond=None)[0]
    squares = errors**2
    fitted = of.design @ np.linalg.lstsq(of.design, squares, rcond=None)[0]
    lm = 400 * (1 - ((squares - fitted) ** 2).sum() / ((squares - squares.mean()) ** 2).sum())
    found = even_spread(of)
    assert found.test.statistic == pytest.approx(lm, rel=1e-6)
    assert found.test.p == pytest.approx(scipy.stats.chi2.sf(lm, 2), rel=1e-6)
    assert found.times != 1


def test_the_deciding_row_is_the_one_whose_absence_moves_most() -> None:
    of = regression(60)
    of.outcomes[17] += 25
    found = deciding_row(of)
    assert found.row == 17
    kept = np.arange(60) != 17
    without = np.linalg.lstsq(of.design[kept], of.outcomes[kept], rcond=None)[0]
    assert found.after == pytest.approx(without[found.column])
    # Cook 1977, by its definition: the squared movement of all predictions over p times the error variance.
    whole = np.linalg.lstsq(of.design, of.outcomes, rcond=None)[0]
    variance = ((of.outcomes - of.design @ whole) ** 2).sum() / 57
    moved = of.design @ (whole - without)
    assert found.distance == pytest.approx(float(moved @ moved) / 3 / variance)


def test_a_column_that_bends_is_named() -> None:
    first, second = bends(regression(bent=0.3), [1, 2])
    assert first.column == 1
    assert first.p_holm < 0.001 < second.p_holm
    assert bends(regression(), []) == []


def test_false_alarms_of_each_test_are_as_many_as_its_level() -> None:
    """200 sound regressions: 5 % but for chance, whose own 95 % interval reaches 8.5 %."""
    alarms = np.zeros(3)
    for seed in range(200):
        of = regression(150, seed=seed)
        held = (powers_of_prediction(of).p, bends(of, [1, 2])[0].p_holm, even_spread(of).test.p)
        alarms += [p < 0.05 for p in held]
    assert (alarms / 200 <= 0.085).all(), alarms


def exhibit(n: int = 500, bent: float = 0.0, fanned: float = 0.0) -> Exhibit:
    of = regression(n, bent, fanned)
    frame = pd.DataFrame({"x": of.design[:, 1].round(6), "z": of.design[:, 2].round(6), "y": of.outcomes.round(6)})
    return exhibit_of(subject_of_frame(frame, "y", LINEAR, "number"), "assumptions")


def test_what_fails_is_said_with_what_it_changes() -> None:
    assert exhibit(bent=0.3).answer.startswith("Columns don't all act in a straight line: 'x' ")
    assert "(Box–Tidwell p < 0.001, Holm)" in exhibit(bent=0.3).answer
    assert "its mean slope alone" in said(exhibit(bent=0.3))
    fanned = said(exhibit(fanned=0.8))
    assert "Errors don't spread evenly (Breusch–Pagan p" in fanned
    assert "times as large" in fanned


def test_a_sound_regression_is_told_so_and_stands_nowhere() -> None:
    found = exhibit()
    assert found.answer.startswith("Nothing in 300 rows speaks against straight lines")
    assert "nor against an even spread" in found.answer
    assert found.standing is None
    assert len(found.tables[0].rows) == 6


def test_a_row_that_decides_is_named_by_its_place_in_the_table() -> None:
    of = regression(200)
    of.outcomes[:] = of.outcomes
    frame = pd.DataFrame({"x": of.design[:, 1].round(6), "z": of.design[:, 2].round(6), "y": of.outcomes.round(6)})
    frame["part"] = ["training"] * 150 + ["test"] * 50
    frame.loc[frame.index[41], ["x", "y"]] = [40.0, -90.0]
    one = subject_of_frame(frame, "y", LINEAR, "number", part="part")
    found = exhibit_of(one, "assumptions", parts={"kind": "given"})
    assert "Row 42 decides more than one should: without it 'x' goes from" in said(found)


def test_a_logistic_regression_has_a_link_test_and_no_spread() -> None:
    rng = np.random.default_rng(5)
    x = rng.normal(size=900)
    y = np.where(rng.random(900) < 1 / (1 + np.exp(-(x**2 - 1))), "yes", "no")
    frame = pd.DataFrame({"x": x.round(5), "z": rng.normal(size=900).round(5), "y": y})
    found = exhibit_of(subject_of_frame(frame, "y", PLAIN_LOGISTIC), "assumptions")
    assert "'x' acts otherwise" in found.answer
    assert not [one for one in found.estimates if one.quantity == "breusch_pagan"]


@pytest.mark.parametrize(
    ("recipe", "roles", "words"),
    [
        (Recipe(family="ridge"), {}, "Only an unpenalised regression"),
        (LINEAR, {"group": "crew"}, "take each by itself"),
    ],
)
def test_where_nothing_can_be_tried_it_says_why(recipe: Recipe, roles: dict[str, str], words: str) -> None:
    of = regression(200)
    frame = pd.DataFrame({"x": of.design[:, 1], "z": of.design[:, 2], "y": of.outcomes}).round(5)
    frame["crew"] = [f"c{i // 4}" for i in range(200)]
    one = subject_of_frame(frame, "y", recipe, "number", features=("x", "z"), **roles)
    found = exhibit_of(one, "assumptions")
    assert found.state == "not_applicable"
    assert words in found.answer


def test_separated_outcomes_have_no_likeliest_fit() -> None:
    x = np.linspace(-2, 2, 200)
    frame = pd.DataFrame({"x": x.round(4), "y": np.where(x > 0, "yes", "no")})
    found = exhibit_of(subject_of_frame(frame, "y", PLAIN_LOGISTIC), "assumptions")
    assert (found.state, "no likeliest fit" in found.answer) == ("not_applicable", True)
