"""Use: whether decisions fit what can be acted on, and what acting on the scores is worth."""

from dataclasses import replace

import numpy as np
import pandas as pd
import pytest

from brookfall.core.check.sentence import About
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.check.unseen.use import Use
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.evidence.marks import MarksChart, Rule
from brookfall.core.measure.depth import Depths, depth_columns
from brookfall.core.measure.scored import Scored
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.schema import Model
from brookfall.core.submission.stated_capacity import stated_capacity
from brookfall.core.submission.subject import Subject
from tests.made import exhibit_of, said, subject_of_frame

LOGISTIC = Recipe.model_validate({"family": "logistic", "threshold": 0.5})


def homes(n: int, seed: int = 1, recipe: Recipe | None = LOGISTIC, weight: float = 1.5) -> Subject:
    rng = np.random.default_rng(seed)
    x = rng.normal(size=n)
    y = rng.random(n) < 1 / (1 + np.exp(-weight * x))
    return subject_of_frame(pd.DataFrame({"x": x.round(5), "y": np.where(y, "yes", "no")}), "y", recipe)


def one_of(found: Exhibit, quantity: str) -> Estimate:
    (held,) = (one for one in found.estimates if one.quantity == quantity)
    return held


def test_half_are_selected_where_a_third_can_be_seen() -> None:
    found = exhibit_of(homes(3000), "use", capacity=33.3)
    over = one_of(found, "selected_over_capacity")
    assert (found.standing, over.standing) == (Standing.OUTSIDE, Standing.OUTSIDE)
    assert over.value == pytest.approx(one_of(found, "selection_rate").value / 0.333, abs=1e-6)
    assert "are selected, more than there is room for: 33.3 % can be acted on" in found.answer
    assert "The first 33.3 % hold" in said(found)
    assert one_of(found, "lift_at_capacity").value > 1.3
    rules = {
        mark.label
        for chart in found.charts
        if isinstance(chart, MarksChart)
        for mark in chart.marks
        if isinstance(mark, Rule)
    }
    assert rules == {"decides here", "capacity", "selected"}


def test_a_threshold_that_selects_as_many_as_can_be_seen_is_within() -> None:
    recipe = LOGISTIC.model_copy(update={"threshold": 0.62})
    found = exhibit_of(homes(3000, recipe=recipe), "use", capacity=40)
    assert found.standing is Standing.WITHIN
    assert "and there is room: 40 % can be acted on" in said(found)


def test_scores_that_are_worth_less_than_none_are_told() -> None:
    # Learned on outcomes that have nothing to do with them, and decided where few are positive: it acts in vain.
    rng = np.random.default_rng(4)
    frame = pd.DataFrame({"x": rng.normal(size=2000).round(4), "y": np.where(rng.random(2000) < 0.5, "yes", "no")})
    frame.loc[frame.index[:1400], "y"] = np.where(rng.random(1400) < 0.9, "yes", "no")
    frame["part"] = ["training"] * 1400 + ["test"] * 600
    one = subject_of_frame(frame, "y", LOGISTIC.model_copy(update={"threshold": 0.8}), part="part")
    found = exhibit_of(one, "use", parts={"kind": "given"}, deciding_part="test")
    assert found.standing is Standing.OUTSIDE
    assert found.answer.startswith("Acting from a score of 0.8 on is worth less than acting on none: net benefit −")


def test_what_says_nothing_is_not_judged() -> None:
    few = exhibit_of(homes(24), "use", capacity=20)
    assert few.standing is Standing.UNSETTLED
    assert one_of(few, "net_benefit").few
    open_ = replace(homes(400, recipe=LOGISTIC.model_copy(update={"threshold": None})), decide_at=None)
    undecided = exhibit_of(open_, "use", capacity=20)
    assert undecided.standing is None
    assert undecided.answer == "No threshold is declared, so no row is decided: acting at one has no worth yet."
    assert one_of(undecided, "recall_at_capacity").value is not None


@pytest.mark.parametrize(
    ("use", "percent"),
    [
        ("About a third are offered a visit.", 33.3),
        ("Two thirds of the calls can be checked.", 66.7),
        ("Inspectors visit the first 12 % of the list.", 12.0),
        ("One in five is contacted each year.", 20.0),
        ("We have room for 12.5 per cent; all of these are seen by a nurse who is sent out.", 12.5),
        ("About a third of homes smoke.", None),
        ("Between 10 % and 20 % are visited.", None),
        ("Ranks the list.", None),
        ("", None),
    ],
)
def test_a_share_is_read_from_a_sentence_that_says_what_is_done(use: str, percent: float | None) -> None:
    brief = Model(name="m", version="1", tier=1, outcome="binary", owner="o", purpose="Which homes first", use=use)
    stated = stated_capacity(brief)
    assert (None if stated is None else stated.percent) == percent


def test_what_is_declared_goes_before_what_is_said() -> None:
    brief = Model(
        name="m", version="1", tier=1, outcome="binary", owner="o", purpose="p", use="A third are seen.", capacity=10
    )
    stated = stated_capacity(brief)
    assert stated is not None
    assert (stated.percent, stated.said) == (10.0, "")


def test_the_sentence_quotes_the_brief_it_was_read_from() -> None:
    plan = standard_plan(2, given_parts=False, capacity=33.3)
    about = About(plan=plan, outcome="binary", capacity_said="About a third are offered a visit.")
    sentence = Use().sentence(about)
    (field,) = (part for part in sentence.parts if part.kind == "maybe_number")
    assert (field.path, field.value) == (("capacity",), 33.3)
    assert "About a third are offered a visit." in sentence.after[0].parts[0].text


def test_a_sound_model_is_seldom_worth_less_than_all_or_none() -> None:
    """Of 60 draws of a weak but calibrated model none may be called outside more often than in one of twenty."""
    found = [exhibit_of(homes(400, seed, weight=0.4), "use").standing for seed in range(60)]
    assert found.count(Standing.OUTSIDE) <= 3


def test_scores_that_rank_nothing_hold_at_any_depth_what_chance_holds() -> None:
    rows = Scored(key="t", outcomes=np.arange(90) % 3 == 0, scores=np.full(90, 0.4), threshold=0.5)
    found = Depths(rows).at(0.4)
    assert (found.gain.value, found.lift.value) == (pytest.approx(0.4), pytest.approx(1.0))
    # Whatever the rows, two fifths of them hold two fifths: known, and no interval of width zero.
    assert found.gain.interval(0.95) is None
    assert "all rows have one score" in str(found.gain.note)
    assert found.precision.interval(0.95) is not None
    drawn = depth_columns(rows, 0.95)
    assert drawn["y"][39] == pytest.approx(0.4)
    assert drawn["low"][39] is None
