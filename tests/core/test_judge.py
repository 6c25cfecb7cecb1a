"""Standings: within, near, outside, unsettled; and the worst of many."""

import pytest

from brookfall.core.check.check import Draft
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.judge.standing import rows_to_settle, stand, worst
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import proportion

RATIO = Limit(at_least=0.8, at_most=1.25, ideal=1)


def between(low: float, high: float, *, few: bool = False) -> Figure:
    return Figure((low + high) / 2, 100, "given", lambda level: (low, high), few=few)


@pytest.mark.parametrize(
    ("low", "high", "standing"),
    [
        (0.9, 1.1, Standing.WITHIN),
        (0.8, 1.25, Standing.WITHIN),
        (0.3, 0.7, Standing.OUTSIDE),
        (1.3, 2.0, Standing.OUTSIDE),
        (0.7, 0.9, Standing.NEAR),
        (1.1, 1.6, Standing.NEAR),
        (0.7, 1.1, Standing.UNSETTLED),
        (0.5, 2.0, Standing.UNSETTLED),
    ],
)
def test_standings_follow_the_interval(low: float, high: float, standing: Standing) -> None:
    assert stand(between(low, high), RATIO, 0.95) is standing


def test_too_few_rows_are_never_judged() -> None:
    assert stand(between(0.1, 0.2, few=True), RATIO, 0.95) is None


@pytest.mark.parametrize(
    ("value", "standing"),
    [(1.0, Standing.WITHIN), (0.85, Standing.NEAR), (0.75, Standing.NEAR), (0.4, Standing.OUTSIDE)],
)
def test_without_an_interval_near_is_within_a_tenth(value: float, standing: Standing) -> None:
    assert stand(Figure(value, 10), RATIO, 0.95) is standing


def test_unsettled_weighs_on_nothing() -> None:
    assert worst([Standing.UNSETTLED, Standing.WITHIN]) is Standing.WITHIN
    assert worst([Standing.UNSETTLED, Standing.NEAR, Standing.OUTSIDE]) is Standing.OUTSIDE
    assert worst([Standing.UNSETTLED]) is Standing.UNSETTLED
    assert worst([]) is None


def test_rows_to_settle_falls_with_the_square_root() -> None:
    figure = Figure(0.02, 400, "given", lambda level: (-0.04, 0.08))
    assert rows_to_settle(figure, Limit(at_most=0.05, ideal=0), 0.95) == 1600


def test_many_judged_estimates_widen_the_interval() -> None:
    draft = Draft(0.95)
    limit = Limit(at_most=0.5)
    for feature in "abcde":
        draft.add("error_rate", proportion(40, 100), limit=limit, feature=feature)
    draft.add("error_rate", proportion(3, 100))
    assert draft.wide_level == pytest.approx(0.99)
    first, *_, last = (drafted.said for drafted in draft.drafted())
    assert first["wide_low"] is not None
    assert first["low"] is not None
    assert first["wide_low"] < first["low"]
    assert last["wide_low"] is None
