"""What may be said of groups, and what must not: each sentence against figures made for it."""

from math import inf

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.check.fairness.proxies import mean_of_folds
from brookfall.core.check.groups import group_wording
from brookfall.core.check.groups.criteria import criteria_of, followed
from brookfall.core.check.groups.incompatible_criteria import CLASHES, base_rates_apart, clash_words, clashing
from brookfall.core.check.groups.parity_change import nearer
from brookfall.core.check.groups.protected_groups import Ground
from brookfall.core.check.groups.proxy_strength import as_column, crossed
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.request import FlipReading
from brookfall.core.judge.standing import rows_to_tell, stand
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.interval import proportion
from brookfall.core.measure.scored import Scored
from brookfall.core.plan.facts import HARM_WORDS, plan_facts
from brookfall.core.plan.plan import Harm
from brookfall.core.recipe.recipe import Recipe
from tests.made import read, scored, subject_of_frame

RATIO = Limit(at_least=0.8, at_most=1.25, ideal=1)


def figure(value: float, half: float, n: int = 400) -> Figure:
    """A value whose 95 % interval reaches ``half`` to either side, and in proportion to z at other levels."""
    from scipy.special import ndtri

    def bounds(level: float) -> tuple[float, float]:
        reach = half * float(ndtri((1 + level) / 2)) / 1.959964
        return value - reach, value + reach

    return Figure(value, n, "made up", bounds)


def test_a_tally_names_what_could_not_be_computed_by_itself() -> None:
    assert group_wording.tally([]) == ""
    assert group_wording.tally([Standing.OUTSIDE]) == "Of 1 comparison 1 outside."
    assert group_wording.tally([Standing.WITHIN, None], 2) == (
        "Of 4 comparisons 1 within, 1 too small to judge and 2 can't be computed."
    )


@pytest.mark.parametrize(
    ("value", "p", "expected"),
    [
        (0.79, 0.001, "under 4/5, beyond chance"),
        (0.79, 0.2, "under 4/5, within chance"),
        (0.81, 0.001, "above 4/5, beyond chance"),
        (1.0, 1.0, "above 4/5, within chance"),
        (1.26, 0.001, "over 5/4, beyond chance"),
    ],
)
def test_size_and_chance_are_told_apart(value: float, p: float, expected: str) -> None:
    assert group_wording.four_fifths_words(Figure(value, 90), p) == expected


def test_the_four_fifths_rule_says_nothing_of_few_rows_or_none() -> None:
    assert group_wording.four_fifths_words(Figure(0.5, 9).marked(few=True), 0.01) == "too few to judge"
    assert group_wording.four_fifths_words(absent(0, "no such row"), None) == "–"


# Rows that would settle, and p values.


@pytest.mark.parametrize(("value", "half"), [(0.9, 0.15), (1.1, 0.3), (0.83, 0.2)])
def test_so_many_rows_tell_the_limit_from_no_difference_in_four_of_five(value: float, half: float) -> None:
    unsettled = figure(value, half)
    assert stand(unsettled, RATIO, 0.95) is Standing.UNSETTLED
    needed = rows_to_tell(unsettled, RATIO, 0.95)
    assert needed is not None
    narrow = half * (unsettled.n / needed) ** 0.5
    found = np.random.default_rng(21).normal(0.8, narrow / 1.959964, 4000)
    told = [stand(figure(float(one), narrow), RATIO, 0.95) is not Standing.UNSETTLED for one in found]
    assert np.mean(told) == pytest.approx(0.8, abs=0.03)


def test_nothing_is_named_where_nothing_can_be_said() -> None:
    assert rows_to_tell(Figure(0.9, 50), RATIO, 0.95) is None
    endless = Figure(1.0, 40, "made up", lambda level: (0.5, inf))
    assert rows_to_tell(endless, RATIO, 0.95) is None


@given(st.floats(-3, 3), st.floats(0.05, 2), st.floats(-2, 2))
def test_p_is_under_a_twentieth_exactly_where_the_interval_leaves_it_out(
    value: float, half: float, ideal: float
) -> None:
    one = figure(value, half)
    p = one.p_of(ideal)
    assert p is not None
    assert 0 <= p <= 1
    low, high = one.interval(0.95) or (0.0, 0.0)
    if min(abs(low - ideal), abs(high - ideal)) > 1e-6:
        assert (p < 0.05) == (not low <= ideal <= high)


def test_p_is_1_at_the_value_itself_and_none_without_an_interval() -> None:
    assert figure(1.0, 0.2).p_of(1.0) == 1.0
    assert Figure(1.0, 5).p_of(0.0) is None
    assert absent(5, "no such row").p_of(0.0) is None
    assert (figure(9.0, 0.1).p_of(0.0) or 1) < 1e-9


# Harms, and what can't hold together.


@pytest.mark.parametrize("clash", CLASHES)
def test_every_clash_is_said_with_both_base_rates_and_what_they_force(clash: tuple[Harm, ...]) -> None:
    rate, usual = proportion(300, 1000), proportion(200, 1000)
    sentence = clash_words(clash, "sex f", "sex m", rate, usual, 0.95)
    assert "0.300 [" in sentence
    assert "0.200 [" in sentence
    assert all(HARM_WORDS[harm] in sentence for harm in clash)
    forced = {CLASHES[0]: "as 1.71 to 1", CLASHES[1]: "as 1.50 to 1", CLASHES[2]: "differ by 0.100 times"}[clash]
    assert forced in sentence
    assert clashing(clash) == clash
    assert clash_words((), "sex f", "sex m", rate, usual, 0.95) == ""


def test_base_rates_that_are_not_shown_to_differ_clash_with_nothing() -> None:
    assert base_rates_apart(proportion(30, 100), proportion(28, 100), 0.95) is None
    assert base_rates_apart(proportion(300, 1000), proportion(200, 1000), 0.95) is not None
    # A base rate of 0 or 1 leaves nothing to err on.
    assert base_rates_apart(proportion(1000, 1000), proportion(200, 1000), 0.95) is None


def rows_picked(share: float, n: int = 400) -> Scored:
    """Half positive, half negative, of which that share is picked."""
    outcomes = np.arange(n) % 2 == 0
    return scored(outcomes, np.where(outcomes | (np.arange(n) < share * n), 0.9, 0.1))


def test_rare_false_positives_are_judged_by_their_ratio_unless_the_plan_chooses() -> None:
    plan = standard_plan(2, given_parts=False)

    def judged(share: float, **contrasts: str) -> tuple[str, str | None]:
        chosen = plan.model_copy(update={"contrasts": contrasts})
        picked = next(one for one in criteria_of(chosen, rows_picked(share)) if one.measure == "false_positive_rate")
        limit = picked.limits(chosen, rows_picked(share))[picked.kinds[0]]
        return picked.kinds[0], None if limit is None else limit.words

    assert judged(0.3) == ("difference", "between −0.1 and 0.1")
    assert judged(0.06) == ("ratio", "between 0.5 and 2")
    assert judged(0.3, false_positive_rate="ratio") == ("ratio", "between 0.8 and 1.25")
    assert judged(0.06, false_positive_rate="difference") == ("difference", "between −0.1 and 0.1")


def test_harms_decide_which_way_is_worse_and_what_is_followed() -> None:
    plan = standard_plan(2, given_parts=False)
    selection, found, picked = criteria_of(plan, rows_picked(0.4))[:3]
    only_picked = plan.model_copy(update={"harms": ("picked",)})
    assert selection.lower_is_worse(plan)
    assert not selection.lower_is_worse(only_picked)
    assert found.lower_is_worse(only_picked)
    assert not picked.lower_is_worse(plan)
    assert followed("binary", plan) == ("selection_rate", "true_positive_rate", "false_positive_rate")
    assert followed("number", plan) == ("bias", "mean_score", "mae")
    facts = plan_facts(plan.model_copy(update={"harms": ("meaning",), "harm_reason": "Two desks read one score."}))
    assert facts["harms that matter"] == "a score that means different things"
    assert facts["why these harms"] == "Two desks read one score."


# Changes of parity.


@pytest.mark.parametrize(
    ("before", "change", "half", "expected"),
    [
        (-0.2, 0.15, 0.05, "nearer to parity"),
        (-0.2, -0.1, 0.05, "farther from parity"),
        (0.1, -0.35, 0.05, "farther from parity"),
        (-0.2, 0.03, 0.05, "no change shown"),
    ],
)
def test_a_change_is_called_what_its_interval_shows(before: float, change: float, half: float, expected: str) -> None:
    assert nearer(figure(before, 0.05), figure(change, half), 0.95) == expected


def test_a_change_of_few_rows_is_called_nothing() -> None:
    few = figure(0.3, 0.05).marked(few=True)
    assert nearer(figure(0.2, 0.1), few, 0.95) == "can't be judged"
    assert nearer(absent(3, "no such row"), figure(0.3, 0.05), 0.95) == "can't be judged"


# Proxies.


def test_the_mean_of_folds_is_narrower_than_a_fold_and_none_of_a_fold_without_value() -> None:
    folds = [figure(0.6 + 0.02 * i, 0.1, 80) for i in range(5)]
    mean = mean_of_folds(folds)
    assert mean.value == pytest.approx(0.64)
    assert mean.n == 400
    low, high = mean.interval(0.95) or (0.0, 0.0)
    assert high - low == pytest.approx(0.2 / 5**0.5, rel=1e-6)
    assert mean_of_folds([*folds, absent(80, "only one class")]).value is None
    assert mean_of_folds([]).value is None


def test_two_grounds_cross_into_pairs_and_a_gap_in_either_is_a_gap() -> None:
    sex = Ground("sex", ("f", "m", "not recorded"), np.array([0, 1, 2, 0]), gap=2)
    age = Ground("age", ("old", "young"), np.array([1, 0, 0, 0]))
    assert as_column(sex).texts() == ["f", "m", None, "f"]
    assert crossed(sex, age).texts() == ["f, young", "m, old", None, "f, old"]


# The flip test, of classes and of numbers.


def test_flips_of_classes_count_changes_and_of_numbers_mean_moves() -> None:
    rng = np.random.default_rng(5)
    sex = rng.choice(["f", "m"], 400)
    x = rng.normal(size=400).round(3)
    x = np.where(x > 0.5, x + 0.5, x)  # no row lies near the cut
    frame = pd.DataFrame({"sex": sex, "x": x, "kind": np.where(x > 0.5, "a", np.where(sex == "f", "b", "c"))})
    classes = subject_of_frame(
        frame, "kind", Recipe(family="tree"), "multiclass", protected=("sex",), also_features=("sex",)
    )
    rows = np.arange(300, 400)
    reading = FlipReading(rows, "sex", (0.0, 1.0), 0.5)
    found = read(classes, np.arange(300), reading)
    assert found.shape == (3, 3, 3)
    counts = [(sex[300:] == "f").sum(), (sex[300:] == "m").sum(), 0]
    assert found[:, 0, 0].tolist() == counts
    # Who is not above the cut is called by sex alone, so the other sex turns every one of them.
    turned = [((sex == one) & (x <= 0.5))[300:].sum() for one in ("f", "m")]
    assert [found[0, 1, 1], found[1, 0, 1]] == turned
    assert [found[0, 0, 1], found[1, 1, 1]] == [0, 0]
    numbers = frame.assign(kind=(2.0 * (sex == "f") + x).round(3))
    linear = subject_of_frame(
        numbers, "kind", Recipe(family="linear"), "number", protected=("sex",), also_features=("sex",)
    )
    moved = read(linear, np.arange(300), reading)
    assert moved[0, 1, 1] == pytest.approx(-2.0, abs=0.01)
    assert moved[1, 0, 1] == pytest.approx(2.0, abs=0.01)
    assert moved[0, 2, 1] == pytest.approx(2.0, abs=0.01)
