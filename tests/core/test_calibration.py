"""The calibration check: what is planted is found and said, what is sound is let be, what can't be judged says why."""

from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest

from brookfall.core.check.registry import checks
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.evidence.marks import Band, MarksChart
from brookfall.core.measure.calibration_curve import FlexibleCurve, distances_to_curve, flexible_curve
from brookfall.core.measure.calibration_tests import hosmer_lemeshow, why_no_test
from brookfall.core.measure.registry import measure
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.predictions import Supplied
from brookfall.core.submission.subject import Subject
from tests.core.test_answers import assert_well_said, policy
from tests.core.test_outcomes import people
from tests.core.test_outcomes import subject as subject_of_outcome
from tests.made import estimate, exhibit_of, scored, subject_of_frame


def risks(n: int = 3000, seed: int = 4) -> tuple[pd.DataFrame, np.ndarray]:
    """Rows with the true risk of each; the columns say nothing else."""
    rng = np.random.default_rng(seed)
    x = rng.normal(size=n)
    risk = 1 / (1 + np.exp(1 - 1.3 * x))
    frame = pd.DataFrame({"x": x, "sex": rng.choice(["f", "m"], n), "y": np.where(rng.random(n) < risk, "yes", "no")})
    return frame, risk


def with_scores(scores: np.ndarray, frame: pd.DataFrame, **changes: Any) -> Subject:
    made = subject_of_frame(frame, "y", None, protected=("sex",), positive="yes")
    supplied = Supplied(scores, None, {"test": np.arange(len(frame))})
    return replace(made, supplied=supplied, **changes)


def of_scores(bend: Any, n: int = 3000, **changes: Any) -> Exhibit:
    """Supplied scores that are the true risk bent."""
    frame, risk = risks(n)
    return exhibit_of(with_scores(bend(risk), frame), "calibration", **changes)


def logit(p: np.ndarray) -> np.ndarray:
    return np.log(p / (1 - p))


def test_the_true_risk_is_within() -> None:
    found = of_scores(lambda risk: risk)
    assert found.standing is Standing.WITHIN
    assert found.answer.startswith("Scores can be read as risks on 3\u202f000 test rows: ")
    assert found.lines == ()


def test_scores_of_a_third_of_the_risk_are_outside() -> None:
    found = of_scores(lambda risk: risk / 3)
    assert found.standing is Standing.OUTSIDE
    assert found.answer.startswith("Risk is understated on 3\u202f000 test rows: observed over expected 3.00 [")
    assert "Calibration slope 1.4" in found.answer
    assert found.answer.endswith(", near its limit.")
    ratio, slope = estimate(found, "observed_over_expected"), estimate(found, "calibration_slope")
    assert ratio.value == pytest.approx(3, abs=0.25)
    assert (ratio.standing, slope.standing) == (Standing.OUTSIDE, Standing.NEAR)


@pytest.mark.parametrize(
    ("bend", "opening"),
    [
        (lambda risk: np.minimum(1, 1.6 * risk), "Risk is overstated"),
        (lambda risk: 1 / (1 + np.exp(-(2.2 * logit(risk) + 0.9))), "It is too sure, its scores too far apart"),
        (
            lambda risk: 1 / (1 + np.exp(-(0.4 * logit(risk) - 0.35))),
            "It is too cautious, its scores too close together",
        ),
    ],
)
def test_the_answer_says_which_way_it_is_wrong(bend: Any, opening: str) -> None:
    found = of_scores(bend)
    assert found.standing is Standing.OUTSIDE
    assert found.answer.startswith(f"{opening} on "), found.answer
    assert len(found.answer) <= 240
    assert_well_said(found.answer)


def test_few_rows_leave_it_open_and_say_what_would_settle_it() -> None:
    found = of_scores(lambda risk: risk, n=160)
    assert found.standing is Standing.UNSETTLED
    assert found.answer.startswith("Too few rows to tell how well it is calibrated on 160 test rows: ")
    (line,) = found.lines
    assert line.startswith("To tell a slope of 0.8 from 1: about ")


def test_a_slope_of_hardly_any_events_is_not_judged() -> None:
    frame, risk = risks(200)
    frame["y"] = "no"
    frame.loc[:12, "y"] = "yes"
    found = exhibit_of(with_scores(risk, frame), "calibration")
    slope = estimate(found, "calibration_slope")
    assert (slope.few, slope.standing) == (True, None)
    assert "of too few rows to judge" in found.answer
    assert found.open == 1


def test_a_score_that_is_no_probability_is_not_judged() -> None:
    found = of_scores(lambda risk: 100 * risk)
    assert (found.state, found.standing) == ("not_applicable", None)
    assert found.answer == "The scores leave 0 to 1, so they are no probabilities and can't be held against shares."


def test_a_recipe_is_judged_out_of_fold_and_its_test_part_stands_beside() -> None:
    found = exhibit_of(subject_of_outcome("binary"), "calibration")
    judged = [one for one in found.estimates if one.limit is not None]
    assert {(one.quantity, one.part) for one in judged} == {
        ("observed_over_expected", "out_of_fold"),
        ("calibration_slope", "out_of_fold"),
    }
    assert {one.part for one in found.estimates} == {"out_of_fold", "test"}
    assert [table.title.partition(" on ")[0] for table in found.tables] == [
        "On out-of-fold rows",
        "Bands of scores",
        "On test rows, shown beside",
    ]


def test_the_interval_in_the_answer_is_the_judged_one() -> None:
    found = of_scores(lambda risk: risk / 3)
    ratio = estimate(found, "observed_over_expected")
    low, high = ratio.judged_ends
    assert ratio.judged == "simultaneous"
    assert f"{ratio.value:.2f} [{low:.2f}, {high:.2f}]" in found.answer


def test_every_class_is_judged_and_the_worst_is_the_answer() -> None:
    frame = people(1500)
    made = subject_of_frame(
        frame[["x", "z", "sex", "kind"]], "kind", None, "multiclass", protected=("sex",), features=("x", "z")
    )
    classes = made.target.classes
    shares = np.full((1500, 3), 1 / 3)
    shares[:, classes.index("large")] = 0.05
    shares[:, classes.index("middle")] = 0.6
    shares[:, classes.index("small")] = 0.35
    rng = np.random.default_rng(1)
    shares = np.abs(shares + rng.normal(0, 0.01, shares.shape))
    shares /= shares.sum(axis=1, keepdims=True)
    found = exhibit_of(replace(made, supplied=Supplied(shares, None, {"test": np.arange(1500)})), "calibration")
    assert found.standing is Standing.OUTSIDE
    assert {one.class_ for one in found.estimates if one.limit is not None} == set(classes)
    assert "against the rest" in found.answer
    assert len([chart for chart in found.charts if isinstance(chart, MarksChart)]) == 3
    assert all(len(line) <= 240 for line in found.lines)


def test_numbers_are_judged_by_mean_error_and_slope() -> None:
    sound = exhibit_of(subject_of_outcome("number"), "calibration")
    assert sound.standing is Standing.WITHIN
    assert sound.answer.startswith("Predictions can be taken at their word on ")
    frame = people(900)
    made = subject_of_frame(frame[["x", "z", "sex", "size"]], "size", None, "number", protected=("sex",))
    high = replace(made, supplied=Supplied(frame["size"].to_numpy() + 2, None, {"test": np.arange(900)}))
    found = exhibit_of(high, "calibration")
    assert found.standing is Standing.OUTSIDE
    assert found.answer.startswith(
        "Predictions are too high on average on 900 test rows: mean error in SDs of the outcome "
    )
    flat = replace(made, supplied=Supplied(5 + 0.3 * (frame["size"].to_numpy() - 5), None, {"test": np.arange(900)}))
    assert "too close together" in exhibit_of(flat, "calibration").answer


def test_its_limits_are_the_policys() -> None:
    wide = policy(
        observed_over_expected=Limit(at_least=0.1, at_most=9, ideal=1),
        calibration_slope=Limit(at_least=0.1, at_most=9, ideal=1),
    )
    assert of_scores(lambda risk: risk / 3, policy=wide).standing is Standing.WITHIN


def test_the_picture_has_a_curve_a_band_and_what_was_scored() -> None:
    found = of_scores(lambda risk: risk)
    (chart,) = found.charts
    assert isinstance(chart, MarksChart)
    assert [mark.mark for mark in chart.marks] == ["line", "band", "line", "points"]
    curve = found.series["calibration/scores/test/curve"]
    assert chart.y.high == chart.x.high
    assert chart.y.high >= max(curve["high"])
    assert all(low <= rate <= high for low, rate, high in zip(curve["low"], curve["y"], curve["high"], strict=True))


def test_grouped_rows_have_a_curve_without_a_band_and_no_test() -> None:
    frame, risk = risks(600)
    frame["house"] = [f"h{place // 3}" for place in range(600)]
    made = subject_of_frame(frame, "y", None, protected=("sex",), positive="yes", group="house")
    found = exhibit_of(replace(made, supplied=Supplied(risk, None, {"test": np.arange(600)})), "calibration")
    (chart,) = found.charts
    assert isinstance(chart, MarksChart)
    assert not any(isinstance(mark, Band) for mark in chart.marks)
    z = estimate(found, "spiegelhalter_z")
    assert (z.value, z.note) == (None, "the test takes rows that count once and stand for themselves")
    assert estimate(found, "calibration_slope").method == "hall_linear_clusters"


def test_a_curve_takes_scores_that_differ() -> None:
    rng = np.random.default_rng(2)
    two = scored(rng.random(200) < 0.4, np.where(rng.random(200) < 0.5, 0.2, 0.6))
    assert flexible_curve(two) == "the scores have 2 values, too few for a curve"
    said = {figure.note for figure in distances_to_curve(two, flexible_curve(two))}
    assert said == {"the scores have 2 values, too few for a curve"}
    assert hosmer_lemeshow(two).statistic is None
    assert flexible_curve(scored([True, False] * 5, np.linspace(0.1, 0.9, 10))) == "too few rows for a curve"
    sure = scored(rng.random(200) < 0.4, np.where(rng.random(200) < 0.5, 0.0, 1.0))
    assert why_no_test(sure) == "every score is 0 or 1, which leaves nothing to chance"


@pytest.mark.parametrize("values", [5, 12, 40])
def test_the_curve_of_few_distinct_scores_is_near_their_shares(values: int) -> None:
    rng = np.random.default_rng(values)
    scores = rng.choice(np.linspace(0.05, 0.95, values), 4000)
    curve = flexible_curve(scored(rng.random(4000) < scores, scores))
    assert isinstance(curve, FlexibleCurve)
    assert np.abs(curve.rate - curve.at).max() < 0.08


def test_a_million_rows_cost_no_more_than_a_few_thousand() -> None:
    rng = np.random.default_rng(0)
    scores = rng.random(200_000)
    rows = scored(rng.random(200_000) < scores, scores)
    curve = flexible_curve(rows)
    assert isinstance(curve, FlexibleCurve)
    assert len(curve.share) == 1500
    assert np.abs(curve.rate - curve.at).max() < 0.02


def test_every_tier_asks_for_it() -> None:
    check = checks()["calibration"]
    assert check.tiers == {1, 2, 3}
    assert check.outcomes == {"binary", "multiclass", "number", "choice"}


def test_a_tree_with_few_leaves_is_judged_all_the_same() -> None:
    frame, _ = risks(900)
    made = subject_of_frame(
        frame, "y", Recipe(family="tree", settings={"leaves": 3}), protected=("sex",), positive="yes"
    )
    found = exhibit_of(made, "calibration")
    assert found.state == "done"
    assert_well_said(found.answer)


def test_a_ratio_of_hardly_any_rows_has_no_end_that_can_not_be_written() -> None:
    ends = measure("observed_over_expected", scored([False, True, False], [0.0, 0.0, 0.2])).interval(0.999)
    assert ends is not None
    assert 0 <= ends[0] <= 5 <= ends[1]
