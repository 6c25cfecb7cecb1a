"""Ids of estimates, charts and tables: one each, the same over seeds and runs, and made of what tells them apart."""

import re
from collections import Counter

import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Draft
from brookfall.core.evidence.estimate import Estimate, Labels, Versus
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import proportion
from brookfall.core.retest.run import retest
from tests.core import test_outcomes as made

LIGHT = (
    *("profile", "association", "leaks", "repeats", "shift", "holdout", "cross_validation", "threshold", "gap"),
    *("baseline", "groups", "combinations", "group_thresholds", "coefficients", "influence"),
)


def of(outcome: str, seed: int = 11) -> tuple[Exhibit, ...]:
    return retest(Bench(made.subject(outcome), made.plan_for(outcome, checks=LIGHT, seed=seed)))


@pytest.fixture(scope="module")
def exhibits() -> dict[str, tuple[Exhibit, ...]]:
    return {outcome: of(outcome) for outcome in ("binary", "multiclass", "number")}


@pytest.mark.parametrize("outcome", ["binary", "multiclass", "number"])
def test_no_two_have_one_id(exhibits: dict[str, tuple[Exhibit, ...]], outcome: str) -> None:
    held = exhibits[outcome]
    for ids in (
        [one.id for exhibit in held for one in exhibit.estimates],
        [one.id for exhibit in held for one in exhibit.charts],
        [one.id for exhibit in held for one in exhibit.tables],
    ):
        assert ids
        assert Counter(ids).most_common(1)[0][1] == 1
    told_by_order = [one.id for exhibit in held for one in exhibit.estimates if re.search(r"/\d+$", one.id)]
    assert told_by_order == []


@pytest.mark.parametrize("outcome", ["binary", "multiclass", "number"])
def test_an_id_is_made_of_its_labels(exhibits: dict[str, tuple[Exhibit, ...]], outcome: str) -> None:
    for exhibit in exhibits[outcome]:
        for one in exhibit.estimates:
            assert one.id_in(exhibit.check) == one.id
            assert one.id.startswith(f"{exhibit.check}/{one.measure}/{one.model}/")
            assert one.joined == one.measure


def test_another_seed_has_the_same_ids(exhibits: dict[str, tuple[Exhibit, ...]]) -> None:
    other = {one.check: one for one in of("binary", seed=12)}
    for exhibit in exhibits["binary"]:
        if exhibit.check in ("holdout", "gap", "baseline", "cross_validation"):
            assert [one.id for one in exhibit.estimates] == [one.id for one in other[exhibit.check].estimates]


@pytest.mark.parametrize("outcome", ["binary", "multiclass", "number"])
def test_what_is_said_of_an_estimate_agrees(exhibits: dict[str, tuple[Exhibit, ...]], outcome: str) -> None:
    for exhibit in exhibits[outcome]:
        unsettled = 0
        for one in exhibit.estimates:
            assert one.leading == (one.limit is not None), one.id
            assert (one.judged is not None) == (one.wide_level is not None), one.id
            if one.standing in (Standing.OUTSIDE, Standing.NEAR) and one.judged:
                assert one.judged_ends == (one.wide_low, one.wide_high), one.id
            elif one.judged:
                assert one.judged_ends == (one.low, one.high), one.id
            assert one.limit is not None or one.standing is None, one.id
            if one.few:
                assert one.judged is None, one.id
                assert one.standing not in (Standing.WITHIN, Standing.OUTSIDE), one.id
            unsettled += one.leading and (one.few or one.value is None or one.standing is Standing.UNSETTLED)
        assert exhibit.open == unsettled, exhibit.check


def _printed(one: Estimate, decimals: int) -> str:
    low, high = one.judged_ends
    assert low is not None
    assert high is not None
    return wording.figure(Figure(one.value, one.n, "kept", lambda _: (low, high)), decimals=decimals)


@pytest.mark.parametrize("outcome", ["binary", "multiclass", "number"])
@pytest.mark.parametrize(("check", "decimals"), [("gap", 3), ("baseline", 3), ("cross_validation", 2)])
def test_sentence_and_mark_rest_on_one_interval(
    exhibits: dict[str, tuple[Exhibit, ...]], outcome: str, check: str, decimals: int
) -> None:
    """The interval in the answer is the one that the standing of a judged estimate was read from."""
    one = next(found for found in exhibits[outcome] if found.check == check)
    judged = [estimate for estimate in one.estimates if estimate.judged]
    assert judged
    intervals = [_printed(estimate, decimals) for estimate in judged]
    assert any(interval in one.answer for interval in intervals), (one.answer, intervals)
    assert one.standing in {estimate.standing for estimate in judged}


@pytest.mark.parametrize("outcome", ["binary", "multiclass", "number"])
def test_an_exhibit_is_no_better_than_its_worst(exhibits: dict[str, tuple[Exhibit, ...]], outcome: str) -> None:
    order = [Standing.OUTSIDE, Standing.NEAR, Standing.UNSETTLED, Standing.WITHIN]
    for exhibit in exhibits[outcome]:
        found = [one.standing for one in exhibit.estimates if one.standing is not None]
        assert exhibit.standing == (min(found, key=order.index) if found else None), exhibit.check


@pytest.mark.parametrize("outcome", ["binary", "multiclass", "number"])
def test_a_table_that_belongs_to_a_chart_names_it(exhibits: dict[str, tuple[Exhibit, ...]], outcome: str) -> None:
    for exhibit in exhibits[outcome]:
        charts = {chart.id for chart in exhibit.charts}
        assert {table.about for table in exhibit.tables if table.about} <= charts


def test_a_p_value_stands_raw_and_as_holm_s_beside_it(exhibits: dict[str, tuple[Exhibit, ...]]) -> None:
    (found,) = [one for one in exhibits["binary"] if one.check == "association"]
    raw = {one.feature: one.value for one in found.estimates if one.comparison == "p_value"}
    holm = {one.feature: one.value for one in found.estimates if one.comparison == "p_value_holm"}
    assert raw.keys() == holm.keys()
    assert len(raw) > 1
    assert all(raw[name] <= holm[name] for name in raw)
    assert min(holm.values()) == pytest.approx(min(1.0, len(raw) * min(raw.values())))


@pytest.mark.parametrize(
    ("labels", "id_"),
    [
        (Labels(quantity="auc", part="test", threshold=0.5), "made/auc/recipe/test"),
        (Labels(quantity="recall", part="test", threshold=0.5), "made/recall/recipe/test/at:0.5"),
        (Labels(quantity="turned", feature="a/b"), "made/turned/recipe/-/feature:a∕b"),
        (
            Labels(quantity="recall", comparison="ratio", group={"sex": "f"}, versus=Versus(group={"sex": "m"})),
            "made/recall_ratio/recipe/-/sex=f/versus:sex=m",
        ),
        (
            Labels(quantity="auc", comparison="difference", versus=Versus(model="baseline")),
            "made/auc_difference/recipe/-/versus:baseline",
        ),
        (Labels(quantity="recall", part="out_of_fold", repeat=2), "made/recall/recipe/out_of_fold/repeat:2"),
    ],
)
def test_ids_are_readable(labels: Labels, id_: str) -> None:
    assert labels.id_in("made") == id_


def test_one_figure_under_one_name_is_one_estimate() -> None:
    draft = Draft(0.95)
    first = draft.add("error_rate", proportion(4, 100), part="test")
    assert draft.add("error_rate", proportion(4, 100), part="test") == first
    assert draft.add("error_rate", proportion(5, 100), part="test") != first
    written = draft.write("It errs.")
    assert [one.id for one in written.estimates("made")] == [
        "made/error_rate/recipe/test",
        "made/error_rate/recipe/test/2",
    ]


def test_what_has_no_value_is_leading_and_judged_by_nothing() -> None:
    draft = Draft(0.95)
    draft.add("error_rate", Figure(None, 0, note="no row"), limit=Limit(at_most=0.5))
    (one,) = draft.write("Nothing is known.").estimates("made")
    assert (one.leading, one.judged, one.wide_level) == (True, None, None)
    assert one.standing is not Standing.WITHIN
