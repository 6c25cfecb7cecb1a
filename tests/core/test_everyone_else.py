"""Each group against everyone else: what is compared, what stands beside it, and how the whole stands."""

from collections.abc import Mapping
from dataclasses import replace
from types import MappingProxyType

import numpy as np
import pandas as pd
import pytest

from brookfall.core.check.check import Draft
from brookfall.core.check.groups.audit import Audited, compare
from brookfall.core.check.groups.criteria import criteria_of
from brookfall.core.check.groups.draft_findings import drafted_from
from brookfall.core.check.groups.group_wording import answer_of, lines_of
from brookfall.core.check.groups.omnibus import is_cleared, omnibus_of
from brookfall.core.check.groups.protected_groups import NOT_RECORDED, Ground
from brookfall.core.check.groups.sides import EVERYONE_ELSE, members_of
from brookfall.core.evidence.chart import CombinationChart, GroundChart, GroupThresholds
from brookfall.core.evidence.estimate import Estimate, Versus
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import FitJob
from brookfall.core.judge.standing import with_open
from brookfall.core.measure.figure import Figure
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import Subject
from tests.made import bench_with, exhibit_of, scored, subject_of_frame

RATIO = Limit(at_least=0.8, at_most=1.25, ideal=1)
OPEN = Figure(0.9, 2400, "made up", lambda level: (0.7, 1.0))
LOGISTIC = Recipe.model_validate({"family": "logistic"})
NO_SHIFT: Mapping[str, float] = MappingProxyType({})


def residents(
    n: int, levels: tuple[str, ...], shift: Mapping[str, float] = NO_SHIFT, weights: tuple[float, ...] | None = None
) -> Subject:
    """Rows of one ground; what a group's level adds to the log odds the model learns from a column that follows it."""
    rng = np.random.default_rng(n + len(levels))
    chosen = rng.choice(levels, n, p=weights)
    x = rng.normal(size=n)
    trace = np.array([shift.get(level, 0.0) for level in chosen])
    y = rng.random(n) < 1 / (1 + np.exp(-(1.2 * x + trace)))
    frame = pd.DataFrame({"area": chosen, "x": x.round(4), "trace": trace, "y": np.where(y, "yes", "no")})
    return subject_of_frame(frame, "y", LOGISTIC, protected=("area",), features=("x", "trace"))


def of_rate(found: Exhibit, quantity: str) -> list[Estimate]:
    return [one for one in found.estimates if one.quantity == quantity and one.limit]


def test_three_groups_are_each_set_against_the_rest_of_the_rows() -> None:
    found = exhibit_of(residents(1500, ("a", "b", "c")), "groups", harms=["unequal_shares"])
    judged = of_rate(found, "selection_rate")
    assert [one.group for one in judged] == [{"area": "a"}, {"area": "b"}, {"area": "c"}]
    assert {one.versus for one in judged} == {Versus(rest="area")}
    rates = {
        one.group["area"]: (one.value or 0.0, one.n)
        for one in found.estimates
        if one.measure == "selection_rate" and one.group and one.part == "out_of_fold" and one.versus is None
    }
    for one in judged:
        own = (one.group or {})["area"]
        others = [pair for level, pair in rates.items() if level != own]
        usual = sum(rate * n for rate, n in others) / sum(n for _, n in others)
        assert one.value == pytest.approx(rates[own][0] / usual)
    (chart,) = [chart for chart in found.charts if isinstance(chart, GroundChart)]
    assert chart.reference is None
    assert not any("reference" in name for name in chart.groups)


def test_those_of_whom_nothing_is_recorded_are_part_of_nobody_else() -> None:
    codes = np.repeat([0, 1, 2, 3], 100)
    rows = scored(np.arange(400) % 2 == 0, np.where(codes == 3, 0.9, 0.1))
    ground = Ground("area", ("a", "b", "c", NOT_RECORDED), codes, gap=3)
    (members,) = members_of([ground], rows, 1, {})
    assert [one.against.words for one in members] == [EVERYONE_ELSE] * 4
    # All of whom nothing is recorded are selected, and nobody else is.
    assert [one.against.rate("selection_rate").value for one in members] == [0.0] * 4
    assert [one.against.rate("selection_rate").n for one in members] == [200, 200, 200, 300]


def test_the_others_are_the_same_from_cells_and_from_rows() -> None:
    rng = np.random.default_rng(4)
    ground = Ground("area", ("a", "b", "c"), rng.integers(0, 3, 900))
    outcomes, scores = rng.random(900) < 0.4, rng.random(900)
    (plain,) = members_of([ground], scored(outcomes, scores), 1, {})
    (heavy,) = members_of([ground], scored(outcomes, scores, weights=np.ones(900)), 1, {})
    for one, other in zip(plain, heavy, strict=True):
        for name in ("selection_rate", "true_positive_rate", "positive_predictive_value"):
            assert one.against.rate(name).value == pytest.approx(other.against.rate(name).value)
        assert one.against.few == other.against.few
        assert len(one.against.scored) == 900 - len(one.group)


def test_a_reference_that_is_named_is_what_all_others_are_set_against() -> None:
    one = residents(1500, ("a", "b", "c"))
    found = exhibit_of(one, "groups", harms=["unequal_shares"], references={"area": "b"})
    judged = of_rate(found, "selection_rate")
    assert {str(each.versus and each.versus.group) for each in judged} == {"{'area': 'b'}"}
    assert len(judged) == 2


def test_a_split_down_the_middle_is_outside_where_no_group_is() -> None:
    levels = tuple("abcdefgh")
    split = dict.fromkeys("abcd", 0.3)
    found = exhibit_of(residents(9000, levels, split), "groups", harms=["unequal_shares"])
    (apart,) = of_rate(found, "selection_rate_between_groups")
    assert apart.standing is Standing.OUTSIDE or apart.standing is Standing.NEAR
    assert (apart.attribute, apart.comparison, apart.group) == ("area", "ratio", None)
    assert found.standing is not Standing.WITHIN
    told = [one for one in found.estimates if one.measure.startswith("selection_rate_between_groups_ratio_p_value")]
    assert len(told) == 2
    assert all((one.value or 0.0) < 0.001 for one in told)


def test_what_lies_apart_as_a_whole_leads_the_answer_and_the_draft() -> None:
    split = dict.fromkeys("abcd", 0.85)
    one = residents(9000, tuple("abcdefgh"), split)
    bench = bench_with(one, "groups", harms=["unequal_shares"])
    (found,) = retest(bench)
    (apart,) = of_rate(found, "selection_rate_between_groups")
    assert apart.standing is Standing.OUTSIDE
    if not any(each.standing is Standing.OUTSIDE for each in of_rate(found, "selection_rate")):
        assert found.answer.startswith("Groups by area lie apart in shares selected")
    draft = next(each for each in drafted_from(found, bench.plan, {}) if not each.group)
    assert draft.title.startswith("Groups by area")
    assert "typical low group" in draft.what


def test_a_few_open_rows_leave_the_whole_within_and_are_named() -> None:
    sizes = (0.32, 0.32, 0.32, 0.04)
    found = exhibit_of(residents(9000, ("a", "b", "c", "small"), weights=sizes), "groups", harms=["unequal_shares"])
    assert (found.standing, found.open) == (Standing.WITHIN, 1)
    assert with_open(found.standing, found.open) == "within_open"
    assert found.lines[0] == "Open: area small by shares selected."
    assert "3 of 4 are shown not to" in found.answer


def test_where_the_open_groups_hold_more_than_a_fifth_the_whole_is_open() -> None:
    sizes = (0.35, 0.35, 0.075, 0.075, 0.075, 0.075)
    found = exhibit_of(residents(1500, tuple("abcdef"), weights=sizes), "groups", harms=["unequal_shares"])
    assert found.open >= 3
    assert found.standing is Standing.UNSETTLED


def test_the_only_contrast_of_two_groups_is_never_set_aside() -> None:
    found = exhibit_of(residents(3000, ("most", "few"), weights=(0.96, 0.04)), "groups", harms=["unequal_shares"])
    assert (found.standing, found.open) == (Standing.UNSETTLED, 1)


def test_numbers_have_their_mean_errors_judged_against_everyone_else() -> None:
    rng = np.random.default_rng(8)
    station = rng.choice(["north", "south", "west"], 3000)
    x = rng.normal(size=3000)
    y = 3 * x + np.where(station == "west", 1.5, 0.0) + rng.normal(size=3000)
    frame = pd.DataFrame({"station": station, "x": x.round(4), "y": y.round(4)})
    one = subject_of_frame(
        frame, "y", Recipe.model_validate({"family": "linear"}), "number", protected=("station",), features=("x",)
    )
    found = exhibit_of(one, "groups")
    outside = [each for each in of_rate(found, "bias") if each.standing is Standing.OUTSIDE]
    assert {"station": "west"} in [each.group for each in outside]
    assert "mean error of station west" in found.answer
    assert "lower by" in found.answer
    (apart,) = of_rate(found, "bias_between_groups")
    assert apart.standing is Standing.OUTSIDE


def test_combinations_and_thresholds_have_no_reference_either() -> None:
    rng = np.random.default_rng(6)
    frame = pd.DataFrame(
        {
            "area": rng.choice(["a", "b", "c"], 1800),
            "sex": rng.choice(["f", "m"], 1800),
            "x": rng.normal(size=1800).round(4),
        }
    )
    frame["y"] = np.where(rng.random(1800) < 1 / (1 + np.exp(-frame["x"])), "yes", "no")
    one = subject_of_frame(frame, "y", LOGISTIC, protected=("area", "sex"), features=("x",))
    combined = exhibit_of(one, "combinations")
    (chart,) = [each for each in combined.charts if isinstance(each, CombinationChart)]
    assert [each.reference for each in chart.singles] == [None, 1 if chart.singles[1].groups[0].levels == ("f",) else 0]
    assert {each.reference for each in chart.combinations} == {None}
    assert {each.versus.rest for each in combined.estimates if each.limit and each.versus} == {"area × sex"}
    along = exhibit_of(one, "group_thresholds")
    area, sex = (each for each in along.charts if isinstance(each, GroupThresholds))
    assert (area.reference, area.unrecorded) == (None, None)
    assert sex.reference in sex.groups


def test_where_only_the_whole_is_open_the_answer_says_so() -> None:
    # Each of many groups of few positives is cleared by a wide limit; how far all lie apart is judged by a narrow one.
    draft = Draft(0.95)
    rng = np.random.default_rng(2)
    rows = scored(rng.random(24_000) < 0.5, rng.random(24_000))
    ground = Ground("area", tuple("abcdefgh"), np.arange(24_000) % 8)
    (members,) = members_of([ground], rows, 1, {})
    bench = bench_with(residents(300, ("a", "b", "c")), "groups", harms=["unequal_shares"])
    read = Audited("recipe", "test", None, np.arange(24_000), rows)
    selection = criteria_of(bench.plan, rows)[0]
    compared = compare(bench, draft, members, read, selection)
    whole = replace(omnibus_of(bench, draft, compared)[0], place=draft.add("whole", OPEN, limit=RATIO))
    assert {draft.standing(place) for one in compared for _, place in one.judged(draft)} == {Standing.WITHIN}
    answer = answer_of(draft, compared, [whole], cleared=is_cleared(draft, [[compared]], [whole]))
    assert draft.worst() is Standing.UNSETTLED
    assert answer.endswith("lie apart as a whole in shares selected, these rows are too few to tell.")
    assert "Open as a whole: area by shares selected." in lines_of(draft, compared, [whole])


def test_rows_that_belong_together_widen_how_far_numbers_lie_apart() -> None:
    rng = np.random.default_rng(5)
    crew = np.repeat(np.arange(150), 12)
    station = np.array(["north", "south", "west"])[crew % 3]
    shared = rng.normal(size=150)[crew]
    x = rng.normal(size=1800)
    frame = pd.DataFrame(
        {
            "station": station,
            "crew": crew,
            "x": x.round(4),
            "y": (2 * x + shared + 0.3 * rng.normal(size=1800)).round(4),
        }
    )
    linear = Recipe.model_validate({"family": "linear"})
    widths = []
    for roles in ({}, {"group": "crew"}):
        one = subject_of_frame(frame, "y", linear, "number", protected=("station",), features=("x",), **roles)
        found = exhibit_of(one, "groups", deciding_part="test")
        (apart,) = of_rate(found, "bias_between_groups")
        assert apart.n == sum(e.n for e in found.estimates if e.measure == "bias" and e.group and e.part == "test")
        widths.append((apart.high or 0.0) - (apart.low or 0.0))
    assert widths[1] > 1.5 * widths[0]


def test_contrasts_of_groups_hold_the_variance_over_repeats() -> None:
    """Computed by hand: the arms of the first repeat's interval, each with the variance over the repeats' own values."""
    subject = residents(900, ("a", "b", "c"))
    folds = {"folds": 4, "repeats": 3, "stratified": True}
    bench = bench_with(subject, "groups", cross_validation=folds, contrasts={"selection_rate": "difference"})
    pairs = list(zip(bench.split.folds, bench.submitted.fold_needs, strict=True))
    selected = []
    for first in range(0, 12, 4):
        scores = np.full(900, np.nan)
        for fold, need in pairs[first : first + 4]:
            scores[fold.test] = execute(FitJob(need.fit, (need.reading,)), subject).readings[need.reading.key]
        selected.append(scores[bench.split.cross_validated] >= 0.5)
    area = np.array(subject.table.column("area").texts())[bench.split.cross_validated]
    apart = [float(one[area == "a"].mean() - one[area != "a"].mean()) for one in selected]
    once = exhibit_of(
        subject, "groups", cross_validation={**folds, "repeats": 1}, contrasts={"selection_rate": "difference"}
    )
    (plain,) = (one for one in of_rate(once, "selection_rate") if one.group == {"area": "a"})
    (found,) = retest(bench)
    (wide,) = (one for one in of_rate(found, "selection_rate") if one.group == {"area": "a"})
    assert wide.value == plain.value == pytest.approx(apart[0])
    more = 1.959964 * float(np.std(apart, ddof=1))
    assert more > 0
    assert wide.low == pytest.approx(wide.value - np.hypot(plain.value - plain.low, more), abs=1e-6)
    assert wide.high == pytest.approx(wide.value + np.hypot(plain.high - plain.value, more), abs=1e-6)
    assert (plain.method, wide.method) == ("newcombe_hybrid", "newcombe_hybrid_and_repeats")
