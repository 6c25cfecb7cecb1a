"""The checks of question 6: what they find where it was planted, and what they say where nothing was."""

from dataclasses import replace
from typing import Any

import numpy as np
import pandas as pd
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.fairness.group_combinations import Combined, _left_out_words, _rate_of_others, _triples
from brookfall.core.check.groups.draft_findings import drafted_from
from brookfall.core.check.groups.protected_groups import Ground
from brookfall.core.check.groups.proxy_strength import pairs_of, strongest
from brookfall.core.check.groups.sides import members_of
from brookfall.core.evidence.chart import CombinationChart, GroundChart, GroupThresholds, ProxyMap
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.plan.plan import InUse
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import Subject
from brookfall.core.table.change import JoinSample
from tests.made import bench_with, estimate, exhibit_of, said, scored, scores_on, subject_of_frame

LOGISTIC = Recipe.model_validate({"family": "logistic", "preprocess": {"scale": "standard"}})
TREE = Recipe.model_validate({"family": "tree", "settings": {"depth": 4, "rows_per_leaf": 20}, "seed": 2})


def people(n: int = 1600, seed: int = 3, harmed: str = "none") -> pd.DataFrame:
    """Two grounds that have nothing to do with the outcome, a number that has, and a trace of who is harmed, whose
    outcomes it misses."""
    rng = np.random.default_rng(seed)
    sex, age = rng.choice(["f", "m"], n), rng.choice(["old", "young"], n, p=[0.4, 0.6])
    x = rng.normal(size=n)
    among = {
        "none": np.zeros(n, dtype=bool),
        "old": age == "old",
        "old women": (age == "old") & (sex == "f"),
    }[harmed]
    trace = rng.normal(size=n) + 3.0 * among
    risk = np.where(among, -0.5 + 0.2 * x, 1.4 * x)
    y = rng.random(n) < 1 / (1 + np.exp(-risk))
    return pd.DataFrame(
        {
            "sex": sex,
            "age": age,
            "x": x.round(4),
            "trace": trace.round(4),
            "y": np.where(y, "yes", "no"),
        }
    )


def subject(frame: pd.DataFrame, recipe: Recipe | None = TREE, **roles: Any) -> Subject:
    return subject_of_frame(frame, "y", recipe, **{"protected": ("sex", "age"), **roles})


def chart_of(found: Exhibit, kind: type) -> object:
    return next(chart for chart in found.charts if isinstance(chart, kind))


# Group by group.


def test_a_planted_ground_is_outside_and_named_with_the_other_side() -> None:
    found = exhibit_of(subject(people(harmed="old")), "groups")
    assert found.standing == "outside"
    assert "age old" in found.answer
    assert "age young" in found.answer
    assert "beyond the limit of 10 points" in found.answer
    assert all(one.group == {"age": "old"} for one in found.estimates if one.standing is Standing.OUTSIDE)
    drawn = [chart for chart in found.charts if isinstance(chart, GroundChart)]
    assert [chart.attribute for chart in drawn] == ["sex", "age"]
    assert drawn[1].groups[0] == "young (reference)"
    assert drawn[1].reference == 0
    assert {strip.measure for strip in drawn[0].strips} >= {"selection_rate", "true_positive_rate", "calibration_slope"}
    for chart in drawn:
        assert all(curve.lines[0].series in found.series for curve in chart.curves)
        assert {table.title.split(" ")[0] for table in found.tables if table.about == chart.id} >= {
            "Selection",
            "Errors:",
        }


def test_where_nothing_is_planted_nothing_is_outside_and_fair_is_not_claimed() -> None:
    found = exhibit_of(subject(people(500)), "groups")
    assert found.standing != "outside"
    assert found.standing == "unsettled"
    assert "too few to tell" in found.answer
    assert any("in four of five samples" in line for line in found.lines)
    assert any(line.startswith("To settle ") for line in found.lines)


def test_limits_are_drawn_on_the_scale_of_the_measure() -> None:
    found = exhibit_of(subject(people()), "groups")
    chart = chart_of(found, GroundChart)
    assert isinstance(chart, GroundChart)
    strips = {strip.measure: strip for strip in chart.strips}
    usual = found.estimates[strips["selection_rate"].rows[0]].value or 0
    assert strips["selection_rate"].low == pytest.approx(0.8 * usual)
    assert strips["selection_rate"].high == pytest.approx(1.25 * usual)
    found_rate = found.estimates[strips["true_positive_rate"].rows[0]].value or 0
    assert strips["true_positive_rate"].low == pytest.approx(found_rate - 0.1)
    assert strips["mean_score"].low is None


def test_harms_choose_what_is_judged_and_the_rest_is_shown() -> None:
    for harms, judged in (
        (["unequal_shares"], {"selection_rate_ratio"}),
        (["passed_over"], {"true_positive_rate_difference"}),
        (["meaning"], {"positive_predictive_value_ratio", "calibration_slope"}),
    ):
        found = exhibit_of(subject(people()), "groups", harms=harms)
        assert {one.measure for one in found.estimates if one.limit} == judged
        assert {one.measure for one in found.estimates} >= {"selection_rate_ratio", "false_positive_rate_difference"}


def test_every_judged_comparison_has_a_p_value_of_its_number() -> None:
    found = exhibit_of(subject(people()), "groups")
    judged = [one for one in found.estimates if one.limit]
    alone = [one for one in found.estimates if one.measure.endswith("_p_value")]
    together = [one for one in found.estimates if one.measure.endswith("_p_value_holm")]
    assert len(alone) == len(together) == len(judged)
    for one, holm in zip(alone, together, strict=True):
        assert one.value is not None
        assert holm.value is not None
        assert holm.measure == f"{one.measure}_holm"
        assert one.value <= holm.value <= 1
        assert f"over {len(judged)} comparisons" in (holm.note or "")


def test_settling_takes_more_rows_than_there_are() -> None:
    found = exhibit_of(subject(people(500)), "groups")
    sizes = {}
    for chart in (one for one in found.charts if isinstance(one, GroundChart)):
        for strip in chart.strips:
            for place, rows in enumerate(strip.settle):
                standings = {found.estimates[at].standing for at in strip.comparisons[place]}
                if rows is not None:
                    assert Standing.UNSETTLED in standings
                    sizes[chart.attribute, strip.measure] = (rows, chart.sizes[place])
    assert sizes
    assert all(needed > there for needed, there in sizes.values())


def test_rates_against_the_highest_are_noted_with_the_regulation() -> None:
    found = exhibit_of(subject(people()), "groups")
    cited = [one for one in found.estimates if one.note and "29 CFR" in one.note and one.group and "sex" in one.group]
    rates = {
        one.group["sex"]: one.value
        for one in found.estimates
        if one.measure == "selection_rate" and one.part == "out_of_fold" and one.group and "sex" in one.group
    }
    assert len(cited) == 1
    assert cited[0].value == pytest.approx(min(rates.values()) / max(rates.values()))


def test_base_rates_that_clash_are_told_with_their_numbers() -> None:
    frame = people()
    rng = np.random.default_rng(6)
    frame["y"] = np.where(rng.random(len(frame)) < np.where(frame["sex"] == "f", 0.6, 0.3), "yes", "no")
    found = exhibit_of(subject(frame, also_features=("sex",)), "groups", harms=["passed_over", "picked", "meaning"])
    (table,) = [table for table in found.tables if "can't all be avoided" in table.title]
    assert "false positive rates stand as" in table.title
    assert any(line.startswith("Base rates differ by sex") for line in found.lines)
    apart = [one for one in found.estimates if one.measure == "base_rate_difference"]
    assert all((one.low or 0) > 0 or (one.high or 0) < 0 for one in apart)
    # One harm alone clashes with nothing, and nothing is said.
    calm = exhibit_of(subject(frame, also_features=("sex",)), "groups", harms=["passed_over"])
    assert "can't all be avoided" not in " ".join(table.title for table in calm.tables)


# Combinations.


def test_a_planted_pair_is_told_to_be_worse_than_either_ground_alone() -> None:
    found = exhibit_of(subject(people(2400, harmed="old women")), "combinations")
    chart = chart_of(found, CombinationChart)
    assert isinstance(chart, CombinationChart)
    worse = {group.levels for one in chart.combinations for group in one.groups if group.worse}
    assert worse == {("f", "old")}
    assert "sex f and age old" in found.answer
    assert "Neither ground alone accounts for it" in found.answer
    against = [one for one in found.estimates if one.versus and "other than f" in str(one.versus.group)]
    assert against
    assert all((one.high or 0) < 0 for one in against if one.measure == "selection_rate_difference")


def test_a_harm_to_one_ground_is_not_laid_on_its_combinations() -> None:
    found = exhibit_of(subject(people(2400, harmed="old")), "combinations")
    chart = chart_of(found, CombinationChart)
    assert isinstance(chart, CombinationChart)
    assert {group.levels for one in chart.combinations for group in one.groups if group.worse} == set()
    assert any("worse off than either ground alone" in line for line in found.lines)


def test_triples_are_there_where_groups_are_large_enough() -> None:
    rng = np.random.default_rng(8)
    frame = people(1500).assign(group=rng.choice(["a", "b"], 1500), tiny=rng.permutation(["q"] * 1492 + ["r"] * 8))
    found = exhibit_of(subject(frame, protected=("sex", "age", "group", "tiny")), "combinations")
    chart = chart_of(found, CombinationChart)
    assert isinstance(chart, CombinationChart)
    triples = [one.attributes for one in chart.combinations if len(one.attributes) == 3]
    assert ("sex", "age", "group") in triples
    # Small groups are shown with their rows, and never judged.
    small = [g for one in chart.combinations for g in one.groups if "r" in g.levels]
    assert small
    for group in small:
        judged = [found.estimates[at] for places in group.judged.values() for at in places]
        assert all(one.standing is None for one in judged)
    assert sum(g.n for g in small if len(g.levels) == 2) == 3 * sum(
        g.n for one in chart.singles for g in one.groups if g.levels == ("r",)
    )


def test_one_ground_makes_no_combination() -> None:
    found = exhibit_of(subject(people(300), protected=("sex",)), "combinations")
    assert found.state == "not_applicable"
    assert "Fewer than two columns" in found.answer
    assert Combined().question == 6


# Direct use.


def test_a_flip_counts_the_decisions_that_the_attribute_alone_turns() -> None:
    frame = people(900)
    rng = np.random.default_rng(2)
    frame["y"] = np.where(rng.random(900) < np.where(frame["sex"] == "f", 0.75, 0.25), "yes", "no")
    one = subject(frame, LOGISTIC, also_features=("sex",))
    found = exhibit_of(one, "direct_use")
    bench = bench_with(one, "direct_use")
    rows = bench.split.unseen
    as_is = scores_on(one, bench.split.parts["training"], rows) >= 0.5
    for start, end in (("f", "m"), ("m", "f")):
        swapped = frame.copy()
        swapped.loc[rows, "sex"] = end
        other = subject(swapped, LOGISTIC, also_features=("sex",))
        flipped = scores_on(other, bench.split.parts["training"], rows) >= 0.5
        mine = (frame["sex"] == start).to_numpy()[rows]
        told = estimate(found, "flipped", group={"sex": start})
        assert told.value == pytest.approx((flipped != as_is)[mine].mean())
        assert told.n == mine.sum()
    assert "The recipe learns from sex, which is protected" in found.answer


def test_a_number_that_is_protected_is_flipped_band_by_band() -> None:
    frame = people(700).assign(age_years=np.random.default_rng(1).integers(18, 90, 700))
    one = subject(frame, LOGISTIC, protected=("age_years",), also_features=("age_years",))
    found = exhibit_of(one, "direct_use")
    groups = {one.group["age_years"] for one in found.estimates if one.measure == "flipped" and one.group}
    assert groups == {"under 25", "25 to under 40", "40 to under 65", "65 and over"}


def test_where_no_protected_column_is_a_feature_that_is_said_not_to_be_fairness() -> None:
    found = exhibit_of(subject(people(300)), "direct_use")
    assert (found.state, found.estimates) == ("done", ())
    assert "not fairness" in found.answer


# Proxies.


def with_proxy(n: int = 900) -> pd.DataFrame:
    frame = people(n)
    rng = np.random.default_rng(5)
    near = rng.random(n) < 0.85
    frame["place"] = np.where(near, np.where(frame["sex"] == "f", "north", "south"), rng.choice(["north", "south"], n))
    odds = 1.2 * frame["x"] + np.where(frame["place"] == "north", 1.0, -1.0)
    frame["y"] = np.where(rng.random(n) < 1 / (1 + np.exp(-odds)), "yes", "no")
    return frame


def test_a_stand_in_is_named_with_what_the_model_makes_of_it() -> None:
    found = exhibit_of(subject(with_proxy()), "proxies")
    assert found.answer.startswith("'place' goes with sex (V ")
    assert "the model leans on it" in found.answer
    chart = chart_of(found, ProxyMap)
    assert isinstance(chart, ProxyMap)
    best = max(
        (point for point in chart.points if point.attribute == "sex"),
        key=lambda point: abs(found.estimates[point.association].value or 0),
    )
    assert best.feature == "place"
    assert (found.estimates[best.influence or 0].low or 0) > 0
    # Against pairs of attributes too, and never against itself.
    assert {point.attribute for point in chart.points} == {"sex", "age", "sex × age"}
    told = estimate(found, "auc", model="teller", attribute="sex")
    assert (told.low or 0) > 0.8
    age = estimate(found, "auc", model="teller", attribute="age")
    assert (age.low or 0) < 0.5 < (age.high or 1)


def test_where_nothing_stands_in_that_is_said() -> None:
    bench = bench_with(subject(people(600)), "proxies")
    assert strongest(bench) == ()
    (found,) = retest(bench)
    assert found.answer.startswith("No feature goes with a protected attribute")
    assert "No group can be told from the features used" in found.answer


def test_two_features_that_only_together_stand_in() -> None:
    frame = people(1200)
    rng = np.random.default_rng(9)
    one = rng.choice(["p", "q"], 1200)
    frame["one"], frame["other"] = one, np.where((one == "p") == (frame["sex"] == "f"), "p", "q")
    bench = bench_with(subject(frame), "proxies")
    assert "one" not in strongest(bench)
    first = pairs_of(bench)[0]
    assert (set(first.features), first.attribute) == ({"one", "other"}, "sex")
    assert first.together.value == pytest.approx(1.0, abs=0.01)
    assert first.alone < 0.1


# Leaving out, versions, thresholds, what was not collected.


def test_leaving_out_the_stand_in_costs_score_and_gains_parity() -> None:
    found = exhibit_of(subject(with_proxy(1600), also_features=("sex",)), "leaving_out")
    assert "Without" in found.answer
    assert "sex" in found.answer
    assert "place" in found.answer
    assert "nearer to parity" in found.answer
    cost = next(one for one in found.estimates if one.measure == "auc_difference")
    assert cost.value is not None
    change = [one for one in found.estimates if one.measure == "selection_rate_difference_change"]
    assert change
    names = {one.model for one in change}
    assert any("protected" in name for name in names)
    assert any("place" in name for name in names)


def test_where_there_is_nothing_to_leave_out_that_is_said() -> None:
    found = exhibit_of(subject(people(400)), "leaving_out")
    assert found.state == "not_applicable"
    assert "There is nothing to leave out" in found.answer


def test_the_same_audit_of_the_version_in_use_stands_beside() -> None:
    used = InUse(version="0.9", recipe=LOGISTIC, features=("x",))
    found = exhibit_of(subject(with_proxy(1600), LOGISTIC), "group_versions", in_use=used)
    assert "against 0.9, in use: " in found.answer
    assert "farther from parity" in found.answer
    old, new = (
        estimate(found, "selection_rate_difference", model=model, group={"sex": "m"}).value or 0
        for model in ("in_use", "recipe")
    )
    change = estimate(found, "selection_rate_difference_change", group={"sex": "m"})
    assert change.value == pytest.approx(new - old)
    assert abs(new) > abs(old)


def test_along_the_threshold_every_group_is_counted() -> None:
    one = subject(people(600, harmed="old"))
    found = exhibit_of(one, "group_thresholds")
    charts = [chart for chart in found.charts if isinstance(chart, GroupThresholds)]
    assert [chart.attribute for chart in charts] == ["sex", "age"]
    for chart in charts:
        columns = [found.series[name] for name in chart.groups]
        totals = [sum(series[cell][0] or 0 for cell in ("tp", "fp", "fn", "tn")) for series in columns]
        assert sum(totals) == len(Bench(one, bench_with(one).plan).split.cross_validated)
    assert "By value alone this would keep between 0.8 and 1.25" in found.answer
    assert "the farthest from 1" in found.answer


def test_what_the_data_lack_is_said_ground_by_ground() -> None:
    found = exhibit_of(subject(people(200)), "not_collected")
    assert "disability, ethnic group, pregnancy and religion are not among the data" in found.answer
    recorded = {one.attribute: one.value for one in found.estimates if one.measure == "recorded"}
    assert recorded == {"sex": 1.0, "age": 1.0}


# Every outcome, the same bits, drafts.


@pytest.mark.parametrize(
    "check", ["groups", "combinations", "direct_use", "proxies", "leaving_out", "group_thresholds"]
)
def test_same_seed_same_bits_and_another_seed_others(check: str) -> None:
    one = subject(with_proxy(500), also_features=("sex",))
    first, again = (exhibit_of(one, check) for _ in range(2))
    assert first.estimates == again.estimates
    assert first.series == again.series
    assert exhibit_of(one, check, seed=99).estimates != first.estimates


def test_supplied_scores_alone_are_audited_without_what_needs_a_recipe() -> None:
    found = exhibit_of(subject(people(300), None), "groups")
    assert found.state == "not_applicable"
    assert "no model to test" in found.answer


def test_drafts_are_of_what_is_outside_in_careful_words() -> None:
    one = subject(people(2400, harmed="old women"))
    bench = bench_with(one, "groups", "combinations")
    groups, combined = retest(bench)
    drafts = drafted_from(combined, bench.plan, {})
    assert drafts[0].group == {"sex": "f", "age": "old"}
    assert drafts[0].standing is Standing.OUTSIDE
    assert "not its cause" in drafts[0].what
    assert "sex f and age old" in drafts[0].what
    assert "among everyone else" in drafts[0].what
    outside = {tuple((e.group or {}).items()) for e in combined.estimates if e.standing in ("outside", "near")}
    assert {tuple(draft.group.items()) for draft in drafts} <= outside
    for text in (drafts[0].what, drafts[0].why, drafts[0].action):
        assert not any(word in text.lower() for word in ("discriminat", "racist", "sexist", "proves", "illegal"))
    spoken = {"sex": {"f": "women"}, "age": {"old": "of 65 and over"}}
    assert "among women of 65 and over, " in drafted_from(combined, bench.plan, spoken)[0].what
    # Nothing is drafted from an exhibit of an earlier plan, or of another question.
    assert drafted_from(combined.model_copy(update={"state": "stale"}), bench.plan, {}) == []
    assert drafted_from(groups.model_copy(update={"check": "gap"}), bench.plan, {}) == []


def test_a_joined_sample_is_audited_by_its_own_rows_and_set_against_the_others() -> None:
    frame = people(1500)
    rng = np.random.default_rng(4)
    frame["faith"] = np.where(rng.random(1500) < 0.25, rng.choice(["p", "q"], 1500), "")
    change = JoinSample(sample="survey", key="id", columns=("faith",))
    one = replace(subject(frame, protected=("sex", "age", "faith"), features=("x", "trace")), changes=(change,))
    known = int((frame["faith"] != "").sum())
    found = exhibit_of(one, "not_collected")
    assert f"Faith was joined from survey: {known} rows of" in said(found)
    assert "religion" not in found.answer
    recorded = estimate(found, "recorded", attribute="faith")
    assert recorded.value == pytest.approx(known / 1500)
    apart = estimate(found, "selection_rate_difference")
    assert apart.group == {"faith": "recorded"}
    assert (apart.low or 0) < 0 < (apart.high or 0)
    groups = exhibit_of(one, "groups")
    (page,) = [c for c in groups.charts if isinstance(c, GroundChart) and c.attribute == "faith"]
    # Two recorded groups give one contrast; those of whom nothing is recorded are set against the same one.
    assert [name.removesuffix(" (reference)") for name in page.groups[1:]] == [
        name for name in ("p", "q") if not page.groups[0].startswith(name)
    ] + ["not recorded"]


@pytest.mark.parametrize("roles", [{"weight": "w"}, {"group": "street"}])
def test_weights_and_rows_that_come_in_groups_widen_what_is_said(roles: dict[str, Any]) -> None:
    frame = people(900)
    rng = np.random.default_rng(3)
    frame["w"], frame["street"] = rng.exponential(size=900).round(3) + 0.1, rng.integers(0, 120, 900)
    plain, other = (
        exhibit_of(subject(frame, features=("x", "trace"), **given), "groups", deciding_part="test")
        for given in ({}, roles)
    )
    width = {}
    for name, found in (("plain", plain), ("other", other)):
        ratio = next(e for e in found.estimates if e.measure == "selection_rate_ratio" and e.limit)
        width[name] = (ratio.high or 0) - (ratio.low or 0)
        assert found.state == "done"
    if "weight" in roles:
        assert width["other"] > width["plain"]
    spreads = [e for e in other.estimates if e.measure == "selection_rate_spread"]
    assert {e.value for e in spreads} == {None}
    assert all("weighted or come in groups" in (e.note or "") for e in spreads)


def test_the_others_are_the_same_from_cells_and_from_rows() -> None:
    rng = np.random.default_rng(12)
    outcomes, scores = rng.random(600) < 0.4, rng.random(600)
    grounds = [Ground("a", ("p", "q"), rng.integers(0, 2, 600)), Ground("b", ("r", "s"), rng.integers(0, 2, 600))]
    plain = scored(outcomes, scores)
    heavy = scored(outcomes, scores, weights=np.ones(600))
    found = []
    for rows in (plain, heavy):
        wider = members_of(grounds, rows, 1, {})[0][0]
        own = next(one for one in members_of(grounds, rows, 2, {})[0] if one.group.label["a"] == wider.group.label["a"])
        found.append(_rate_of_others("true_positive_rate", wider, own))
    assert found[0].value == pytest.approx(found[1].value)
    assert found[0].n == found[1].n


def test_triples_beyond_reading_are_left_out_and_counted() -> None:
    rng = np.random.default_rng(3)
    levels = tuple(f"l{i}" for i in range(9))
    grounds = [Ground(f"g{i}", levels, rng.integers(0, 9, 40_000)) for i in range(4)]
    rows = scored(rng.random(40_000) < 0.4, rng.random(40_000))
    kept, left_out = _triples(members_of(grounds, rows, 3, {}))
    assert (len(kept), left_out) == (1, 3)
    assert (
        _left_out_words(left_out)
        == "3 triples of grounds are left out, as there would be more than 1000 groups of three."
    )
    assert _left_out_words(0) == ""


def test_a_ratio_to_a_rate_of_nought_is_not_called_too_small() -> None:
    frame = people(900)
    frame["x"] = np.where(frame["sex"] == "m", 5.0, -5.0) + np.random.default_rng(2).normal(size=900).round(3)
    frame["y"] = np.where(frame["x"] > 0, "yes", "no")
    found = exhibit_of(subject(frame), "groups", references={"sex": "f"}, harms=["unequal_shares"])
    ratio = next(
        e for e in found.estimates if e.measure == "selection_rate_ratio" and e.limit and "sex" in (e.group or {})
    )
    assert ratio.value is None
    assert "there is no ratio" in (ratio.note or "")
    assert any("1 can't be computed" in line for line in found.lines)
    assert not any("too small" in line for line in found.lines)
    # What can't be computed is open, not well.
    assert (found.standing, found.open) == ("unsettled", 1)


def test_chance_and_power_stand_among_the_estimates() -> None:
    found = exhibit_of(subject(people(500)), "groups")
    by_measure = {name: [e for e in found.estimates if e.measure == name] for name in _COMPUTED}
    groups = len([e for e in found.estimates if e.measure == "selection_rate_ratio" and e.limit])
    assert {name: len(some) for name, some in by_measure.items()} == dict.fromkeys(_COMPUTED, groups)
    assert all("no interval" in (e.note or "") for some in by_measure.values() for e in some)
    for e in by_measure["smallest_difference_shown"]:
        assert f"{100 * (e.value or 0):.1f} points" in str(found.tables)


_COMPUTED = ("under_four_fifths_by_chance", "smallest_difference_shown", "rows_to_show_5_points")
