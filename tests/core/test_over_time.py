"""Over time: periods, lines through their figures, the worst period, and how often a sound model is said to move."""

from typing import Any

import numpy as np
import pandas as pd
import pytest
import statsmodels.api as sm

from brookfall.core.check.shared.periods import periods_of
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.evidence.marks import MarksChart
from brookfall.core.measure.figure import Figure, Interval, normal_ends
from brookfall.core.measure.trend import TOO_FEW_PERIODS, trend
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.subject import Subject
from tests.made import bench_with, exhibit_of, said, subject_of_frame

LOGISTIC = Recipe.model_validate({"family": "logistic", "threshold": 0.5})


def visits(n: int = 3000, seed: int = 1, drift: float = 0.0, **roles: Any) -> Subject:
    """A year of visits; the outcome's log odds rise by ``drift`` from January to December, and no column says so."""
    rng = np.random.default_rng(seed)
    day = np.sort(rng.integers(0, 366, n))
    x = rng.normal(size=n)
    logit = 1.3 * x - 0.5 + drift * (day / 365 - 0.5)
    frame = pd.DataFrame(
        {
            "x": x.round(5),
            "day": (pd.Timestamp("2024-01-01") + pd.to_timedelta(day, unit="D")).strftime("%Y-%m-%d"),
            "y": np.where(rng.random(n) < 1 / (1 + np.exp(-logit)), "yes", "no"),
        }
    )
    given = {"features": ("x",), **roles}
    return subject_of_frame(frame, "y", LOGISTIC, **given)


def changes(found: Exhibit) -> dict[str, Any]:
    return {
        one.quantity.removesuffix("_over_time"): one for one in found.estimates if one.quantity.endswith("_over_time")
    }


def test_calibration_that_drifts_over_months_is_found() -> None:
    found = exhibit_of(visits(drift=1.2), "over_time")
    assert found.answer.startswith("Over 12 months ")
    assert "(Holm)" in found.answer
    assert "observed over expected rises from" in said(found).lower()
    change = changes(found)["observed_over_expected"]
    assert change.comparison == "ratio"
    assert change.low > 1.2
    assert changes(found)["mean_score"].low < 0 < changes(found)["mean_score"].high
    assert found.standing is None


def test_nothing_is_said_to_move_where_nothing_does() -> None:
    found = exhibit_of(visits(), "over_time")
    assert "no trend is shown in AUC, observed over expected, selection rate, mean score and base rate" in found.answer
    charts = [chart for chart in found.charts if isinstance(chart, MarksChart)]
    assert len(charts) == 5
    assert charts[0].x.categories[0] == "2024-01"
    assert len(found.tables[1].rows) == 12


@pytest.mark.parametrize(("drift", "least", "most"), [(0.0, 0, 0.12), (1.2, 0.9, 1.0)])
def test_how_often_calibration_is_said_to_move(drift: float, least: float, most: float) -> None:
    """40 draws of 3 000 rows: something moves in at most about one of twenty sound ones, in nine of ten planted ones."""
    moved = 0
    for seed in range(40):
        found = exhibit_of(visits(seed=seed, drift=drift), "over_time")
        moved += "no trend is shown" not in found.answer
    assert least <= moved / 40 <= most


def test_a_line_is_that_of_weighted_least_squares() -> None:
    """statsmodels' WLS, with the errors as given where they scatter less than those (its scale then being under 1)."""
    rng = np.random.default_rng(3)
    times = np.array([1.0, 2.0, 4.0, 7.0, 8.0, 12.0])
    for errors in (np.full(6, 0.5), rng.uniform(0.01, 0.05, 6)):
        values = 0.2 + 0.03 * times + rng.normal(0, 0.03, 6)
        figures = [
            Figure(float(value), 100, "made up", Interval(normal_ends, float(value), float(error)))
            for value, error in zip(values, errors, strict=True)
        ]
        line = trend(times.tolist(), figures)
        theirs = sm.WLS(values, sm.add_constant(times), weights=1 / errors**2).fit()
        assert line.change.value == pytest.approx(theirs.params[1] * 11)
        scale = max(1.0, float(theirs.scale))
        assert line.dispersion == pytest.approx(scale)
        error = 11 * float(theirs.bse[1]) * np.sqrt(scale / theirs.scale)
        half = 2.7764451 * error  # Student's t of 4 degrees of freedom
        assert line.change.interval(0.95) == pytest.approx([line.change.value - half, line.change.value + half])
        assert (line.start, line.end) == pytest.approx(theirs.predict([[1, 1.0], [1, 12.0]]).tolist())


def test_a_ratio_is_followed_on_its_logarithm_and_few_periods_say_nothing() -> None:
    figures = [Figure(value, 90, "made up", Interval(normal_ends, value, 0.01)) for value in (1.0, 2.0, 4.0)]
    assert trend([0, 1, 2], figures, ratio=True).change.value == pytest.approx(4, rel=0.01)
    none = trend([0, 1], figures[:2])
    assert (none.change.value, none.change.note) == (None, TOO_FEW_PERIODS)
    few = [figures[0].marked(few=True), *figures[1:]]
    assert trend([0, 1, 2], few).change.value is None


def test_periods_are_calendar_months_or_equal_counts() -> None:
    bench = bench_with(visits(), "over_time")
    months = periods_of(bench, np.arange(3000))
    assert months is not None
    assert (months.unit, len(months.found), months.guessed) == ("months", 12, True)
    assert [one.words for one in months.found] == sorted(one.words for one in months.found)
    assert sum(len(one.places) for one in months.found) == 3000
    few = periods_of(bench, np.arange(0, 3000, 20))
    assert few is not None
    assert (few.unit, len(few.found)) == ("stretches of equal counts", 3)
    named = periods_of(bench_with(visits(time="day"), "over_time"), np.arange(3000))
    assert named is not None
    assert not named.guessed


def test_rows_without_a_time_are_not_followed() -> None:
    frame = pd.DataFrame({"x": np.arange(200) % 7, "y": np.where(np.arange(200) % 3 == 0, "yes", "no")})
    found = exhibit_of(subject_of_frame(frame, "y", LOGISTIC), "over_time")
    assert (found.state, found.answer) == ("not_applicable", "No column orders the rows in time.")


@pytest.mark.parametrize(("outcome", "family"), [("multiclass", "logistic"), ("number", "linear")])
def test_classes_and_numbers_are_followed_too(outcome: str, family: str) -> None:
    rng = np.random.default_rng(2)
    n = 900
    x = rng.normal(size=n)
    y = x * 2 + rng.normal(size=n)
    frame = pd.DataFrame({"x": x.round(4), "step": np.arange(n), "y": y.round(4)})
    if outcome == "multiclass":
        frame["y"] = np.where(y < -1, "low", np.where(y < 1, "middle", "high"))
    one = subject_of_frame(frame, "y", Recipe(family=family), outcome, features=("x",), time="step")  # type: ignore[arg-type]
    found = exhibit_of(one, "over_time")
    assert found.state == "done"
    assert "stretches of equal counts" in found.answer
    assert ("mean_outcome" in changes(found)) == (outcome == "number")


def test_a_plan_may_limit_how_far_the_measure_falls() -> None:
    policy = bench_with(visits(), "over_time").plan.policy.model_dump()
    limited = {**policy, "limits": {"over_time": Limit(at_most=0.3).model_dump()}}
    found = exhibit_of(visits(), "over_time", policy=limited, overrides={"limits.over_time": "A year is long."})
    assert changes(found)["auc"].standing is Standing.WITHIN
    assert found.standing is Standing.WITHIN
