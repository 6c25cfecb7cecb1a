"""Standings: within, near, outside, unsettled; the worst of many; and what would settle one."""

from math import inf, log, sqrt
from random import Random

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.check.check import Draft
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.judge.standing import (
    folds_to_tell,
    in_round_numbers,
    read_from,
    rows_to_tell,
    stand,
    what_would_settle,
    worst,
)
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


def two(plain: tuple[float, float], wide: tuple[float, float], value: float | None = None) -> Figure:
    """A figure with these ends at the plain level, and those at any higher one."""
    middle = (plain[0] + plain[1]) / 2 if value is None else value
    return Figure(middle, 100, "given", lambda level: wide if level > 0.95 else plain)


@pytest.mark.parametrize(
    ("plain", "wide", "standing"),
    [
        # All keep it only if each does: each at its own level, whatever the others do.
        ((0.85, 1.2), (0.7, 1.4), Standing.WITHIN),
        # One of many is bad: that pays for their number.
        ((0.4, 0.7), (0.3, 0.85), Standing.NEAR),
        ((0.4, 0.7), (0.3, 0.79), Standing.OUTSIDE),
        ((0.6, 0.9), (0.5, 1.1), Standing.UNSETTLED),
        # At its own level it leaves the ideal out, together with the others it doesn't: chance among many.
        ((0.75, 0.98), (0.7, 1.02), Standing.UNSETTLED),
    ],
)
def test_outside_pays_for_the_number_and_within_does_not(
    plain: tuple[float, float], wide: tuple[float, float], standing: Standing
) -> None:
    assert stand(two(plain, wide), RATIO, 0.95, 0.995) is standing


@pytest.mark.parametrize(
    ("low", "high", "standing"),
    [
        (0.01, 0.2, Standing.WITHIN),
        (0.0, 0.2, Standing.WITHIN),
        (-0.1, 0.2, Standing.OUTSIDE),
        (-0.3, -0.1, Standing.OUTSIDE),
    ],
)
def test_with_the_burden_on_the_model_what_is_not_shown_is_outside(low: float, high: float, standing: Standing) -> None:
    limit = Limit(at_least=0, burden="model")
    assert stand(between(low, high), limit, 0.95) is standing
    assert stand(between(low, high, few=True), limit, 0.95) is None


def test_who_bears_the_burden_matters_only_where_nothing_is_shown() -> None:
    reviewer, model = Limit(at_most=0.05, ideal=0), Limit(at_most=0.05, ideal=0, burden="model")
    for low, high in ((0.0, 0.04), (0.06, 0.1)):
        assert stand(between(low, high), reviewer, 0.95) is stand(between(low, high), model, 0.95)
    assert stand(between(-0.02, 0.08), reviewer, 0.95) is Standing.UNSETTLED
    assert stand(between(-0.02, 0.08), model, 0.95) is Standing.OUTSIDE


def test_noise_is_not_called_within() -> None:
    """A challenger of noise features, at −0.077 [−0.156, 0.002] against at least −0.02."""
    assert stand(between(-0.156, 0.002), Limit(at_least=-0.02, ideal=0), 0.95) is Standing.UNSETTLED


def test_nothing_is_well_by_ignorance() -> None:
    assert worst([Standing.WITHIN] + [Standing.UNSETTLED] * 11) is Standing.UNSETTLED
    assert worst([Standing.UNSETTLED, Standing.NEAR]) is Standing.NEAR
    assert worst([Standing.UNSETTLED, Standing.NEAR, Standing.OUTSIDE]) is Standing.OUTSIDE
    assert worst([Standing.WITHIN, Standing.WITHIN]) is Standing.WITHIN
    assert worst([]) is None


def test_the_interval_beside_a_standing_is_the_one_it_was_read_from() -> None:
    draft = Draft(0.95)
    limit = Limit(at_most=0.5, ideal=0)
    inside = draft.add("error_rate", proportion(40, 100), limit=limit, feature="a")
    beyond = draft.add("error_rate", proportion(90, 100), limit=limit, feature="b")
    shown = draft.add("error_rate", proportion(10, 100))
    assert (draft.standing(inside), draft.standing(beyond)) == (Standing.WITHIN, Standing.OUTSIDE)
    ends = [one.named("made").judged_ends for one in draft.drafted()]
    assert ends[inside] == proportion(40, 100).interval(0.95)
    assert ends[beyond] == proportion(90, 100).interval(0.975)
    assert ends[shown] == proportion(10, 100).interval(0.95)
    assert [one.named("made").judged for one in draft.drafted()] == ["plain", "simultaneous", None]
    low, high = proportion(90, 100).interval(0.975) or (0.0, 0.0)
    assert draft.said(beyond) == f"0.900 [{low:.3f}, {high:.3f}]"
    assert [read_from(standing) for standing in Standing] == ["plain", "plain", "simultaneous", "simultaneous"]


limits = st.builds(
    lambda ideal, below, above: Limit(at_least=ideal - below, at_most=ideal + above, ideal=ideal),
    st.floats(-1, 1),
    st.floats(0.05, 1),
    st.floats(0.05, 1),
)
normals = st.builds(lambda value, error: (value, error), st.floats(-3, 3), st.floats(0.001, 1))


@given(limits, normals)
def test_each_standing_is_what_its_interval_says(limit: Limit, of: tuple[float, float]) -> None:
    figure = _normal(*of)
    plain, wide = (figure.interval(level) or (0.0, 0.0) for level in (0.95, 0.9975))
    standing = stand(figure, limit, 0.95, 0.9975)
    keeps = limit.low <= plain[0] and plain[1] <= limit.high
    assert (standing is Standing.WITHIN) == keeps
    if standing is Standing.OUTSIDE:
        assert wide[0] > limit.high or wide[1] < limit.low
    if standing is Standing.NEAR:
        assert not wide[0] <= (limit.ideal or 0.0) <= wide[1]
    if standing is Standing.UNSETTLED:
        assert wide[0] <= (limit.ideal or 0.0) <= wide[1]
        assert not keeps


@given(limits, normals)
def test_more_company_never_makes_a_breach_clearer(limit: Limit, of: tuple[float, float]) -> None:
    """Judged with others a figure is outside only if it is so alone, and within exactly if it is so alone."""
    figure = _normal(*of)
    alone, among = stand(figure, limit, 0.95, 0.95), stand(figure, limit, 0.95, 0.9975)
    assert (alone is Standing.WITHIN) == (among is Standing.WITHIN)
    if among is Standing.OUTSIDE:
        assert alone is Standing.OUTSIDE


@given(limits, normals)
def test_the_models_burden_asks_no_less(limit: Limit, of: tuple[float, float]) -> None:
    figure, strict = _normal(*of), limit.model_copy(update={"burden": "model"})
    lenient, demanding = stand(figure, limit, 0.95, 0.9975), stand(figure, strict, 0.95, 0.9975)
    assert demanding in (Standing.WITHIN, Standing.OUTSIDE)
    assert (demanding is Standing.WITHIN) == (lenient is Standing.WITHIN)


@given(st.lists(st.sampled_from(list(Standing)), min_size=1), st.randoms())
def test_the_worst_hangs_on_no_order_and_is_one_of_them(standings: list[Standing], chance: Random) -> None:
    found = worst(standings)
    assert found in standings
    shuffled = list(standings)
    chance.shuffle(shuffled)
    assert worst(shuffled) is found
    assert worst([*standings, Standing.OUTSIDE]) is Standing.OUTSIDE


def test_clearing_many_groups_errs_no_oftener_than_one() -> None:
    """All of twenty groups are called within, one of them truly at the limit, in about 2.5 % of samples."""
    rng = np.random.default_rng(11)
    truths = np.array([0.1] + [0.0] * 19)
    limit, draws = Limit(at_least=-0.1, at_most=0.1, ideal=0), 4000
    found = truths + rng.normal(scale=0.02, size=(draws, 20))
    cleared = 0
    for values in found:
        standings = [stand(_normal(value, 0.02), limit, 0.95, 0.9975) for value in values]
        cleared += worst([one for one in standings if one is not None]) is Standing.WITHIN
    assert cleared / draws == pytest.approx(0.025, abs=0.008)


def test_twenty_sound_groups_are_seldom_said_to_be_outside() -> None:
    """Each at its limit, which is the worst that is still sound: one in twenty samples at most says outside."""
    rng = np.random.default_rng(12)
    limit, draws = Limit(at_least=-0.1, at_most=0.1, ideal=0), 2000
    alarms = 0
    for values in 0.1 + rng.normal(scale=0.02, size=(draws, 20)):
        alarms += any(stand(_normal(value, 0.02), limit, 0.95, 0.9975) is Standing.OUTSIDE for value in values)
    assert alarms / draws <= 0.05


def _normal(value: float, error: float) -> Figure:
    z = {0.95: 1.959964, 0.9975: 3.023341}
    return Figure(value, 100, "given", lambda level: (value - z[level] * error, value + z[level] * error))


def test_rows_to_tell_hang_on_the_error_and_not_on_the_value() -> None:
    limit = Limit(at_most=0.05, ideal=0)
    needed = {rows_to_tell(between_of(400, middle, 0.06), limit, 0.95) for middle in (0.02, 0.05, 0.049999)}
    assert len(needed) == 1
    (one,) = needed
    assert one == pytest.approx(400 * ((1.959964 + 0.841621) * (0.06 / 1.959964) / 0.05) ** 2, abs=1)
    assert rows_to_tell(between_of(400, 0.02, 0.03), limit, 0.95) == pytest.approx((one or 0) / 4, abs=1)


def test_no_absurd_number_of_rows_is_named() -> None:
    """A gap whose error is a hundred times its limit needs more rows than could ever be had."""
    limit = Limit(at_most=0.001, ideal=0)
    figure = between_of(1500, 0.0009, 0.06)
    assert rows_to_tell(figure, limit, 0.95) == inf
    assert what_would_settle(figure, limit, 0.95, "a gap of 0.001", "test rows") == (
        "To tell a gap of 0.001 from none: no number of test rows that could be had."
    )


def test_without_an_interval_or_an_ideal_nothing_would_settle() -> None:
    assert rows_to_tell(Figure(0.3, 10), RATIO, 0.95) is None
    assert rows_to_tell(between(0.1, 0.3), Limit(at_least=0), 0.95) is None
    assert what_would_settle(Figure(0.3, 10), RATIO, 0.95, "a ratio of 0.8") == ""


def test_folds_to_tell_a_spread() -> None:
    """So many folds show twice the usual spread in about four of five samples, and fewer don't."""
    limit = Limit(at_most=2, ideal=1)
    folds = folds_to_tell(limit, 0.95)
    assert folds == 10
    rng = np.random.default_rng(13)

    def shown(count: int) -> float:
        spreads = rng.normal(scale=2.0, size=(4000, count)).std(axis=1, ddof=1)
        return float((np.log(spreads) - 1.959964 / sqrt(2 * (count - 1)) > log(1.0)).mean())

    assert shown(folds) == pytest.approx(0.8, abs=0.08)
    assert shown(4) < 0.6
    assert folds_to_tell(Limit(at_most=2), 0.95) is None


def test_numbers_of_rows_are_round() -> None:
    assert [in_round_numbers(one) for one in (3, 94, 947, 1177, 15_776_397)] == [3, 94, 950, 1200, 16_000_000]


def between_of(n: int, middle: float, half: float) -> Figure:
    return Figure(middle, n, "given", lambda level: (middle - half, middle + half))


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
