"""Conditions act by act, and how approvals and models stand by their dates, against what the words of the product say."""

from datetime import date, timedelta
from itertools import product

import pytest

from brookfall.core.evidence.words import CONDITION_ACTS, CONDITION_STATES, MODEL_STANDINGS
from brookfall.core.judge.approval import (
    MODEL_STANDINGS as STANDINGS,
)
from brookfall.core.judge.approval import (
    Approval,
    ConditionStands,
    Decided,
    approval_stands,
    lapsed_on,
    model_stands,
    notices_of,
    version_stands,
    years_after,
)
from brookfall.core.judge.condition_life import ACTS, LIFE, STATES, ConditionAct, ConditionState
from brookfall.core.judge.life import PARTS, Part

ALLOWED: dict[Part, dict[ConditionState, set[ConditionAct]]] = {
    "owner": {"open": {"send"}, "sent": {"send"}},
    "reviewer": {"open": {"meet"}, "sent": {"meet", "turn_down"}, "met": {"turn_down"}},
    "countersigner": {"met": {"see", "send_back"}},
}
"""What each may do beside commenting, as product.md has it: the owner answers, the reviewer judges, another sees it."""

SIGNED, DUE, UNTIL = date(2026, 3, 1), date(2026, 9, 30), date(2028, 3, 1)


def test_every_act_is_of_those_whose_it_is_and_of_nobody_else() -> None:
    for part, state, act in product(PARTS, STATES, ACTS):
        allowed = act == "comment" or act in ALLOWED[part].get(state, set())
        assert LIFE.may(act, state, {part}, "decided") == allowed, (part, state, act)
        assert not LIFE.may(act, state, set(), "decided"), (state, act)
    for state in STATES:
        everything = tuple(act for act in ACTS if LIFE.may(act, state, set(PARTS), "decided"))
        assert LIFE.acts_of(state, set(PARTS), "decided") == everything
        assert LIFE.acts_of(state, set(PARTS), "proposed") == ()


def test_acts_lead_where_they_say_and_every_state_can_be_reached() -> None:
    reached, left = {"open"}, ["open"]
    while left:
        state: ConditionState = left.pop()  # type: ignore[assignment]
        for act in LIFE.acts_of(state, set(PARTS), "decided"):
            to = LIFE.after(act, state)
            if to not in reached:
                reached.add(to)
                left.append(to)
    assert reached == set(STATES)
    assert LIFE.after("meet", "open") == "met"
    assert LIFE.after("turn_down", "met") == "open"
    assert LIFE.after("comment", "seen") == "seen"
    assert set(CONDITION_STATES) == set(STATES)
    assert set(CONDITION_ACTS) == set(ACTS) == set(LIFE)
    assert set(MODEL_STANDINGS) == set(STANDINGS)


def condition(state: ConditionState = "open", *answered: tuple[date, date | None], number: int = 1) -> ConditionStands:
    return ConditionStands(number, DUE, state, answered)


DAY = timedelta(days=1)
LATER = DUE + 40 * DAY


@pytest.mark.parametrize(
    ("stands", "lapsed"),
    [
        (condition(), DUE + DAY),
        (condition("sent", (DUE, None)), None),
        (condition("met", (DUE - 9 * DAY, None)), None),
        (condition("sent", (DUE + DAY, None)), DUE + DAY),
        (condition("met", (LATER, None)), DUE + DAY),
        (condition("open", (DUE - 9 * DAY, DUE - DAY)), DUE + DAY),
        (condition("open", (DUE, LATER)), LATER),
        (condition("met", (DUE, LATER), (LATER + DAY, None)), LATER),
        (condition("met", (DUE - 9 * DAY, DUE - DAY), (DUE, None)), None),
    ],
    ids=[
        "never answered", "sent in time, not judged", "met in time", "sent a day late", "met late",
        "turned down in time, not sent again", "sent in time, turned down late", "and met after that",
        "turned down, then sent again in time",
    ],
)  # fmt: skip
def test_a_condition_lapses_when_its_date_passes_unanswered(stands: ConditionStands, lapsed: date | None) -> None:
    assert lapsed_on(stands, LATER + 9 * DAY) == lapsed
    assert lapsed_on(stands, DUE) is None
    approval = Approval(SIGNED, UNTIL, (stands,))
    assert (approval_stands(approval, LATER + 9 * DAY).standing == "lapsed") == (lapsed is not None)
    assert approval_stands(approval, LATER + 9 * DAY).since == lapsed


def test_a_term_holds_through_its_last_day() -> None:
    approval = Approval(SIGNED, UNTIL)
    assert approval_stands(approval, UNTIL).standing == "in_force"
    over = approval_stands(approval, UNTIL + DAY)
    assert (over.standing, over.since) == ("lapsed", UNTIL + DAY)
    assert over.why == "its term ended on 1 Mar 2028"
    assert years_after(date(2028, 2, 29), 1) == date(2029, 2, 28)
    assert years_after(date(2028, 2, 29), 4) == date(2032, 2, 29)


def test_what_lapsed_first_is_named() -> None:
    both = Approval(SIGNED, UNTIL, (condition(number=1), ConditionStands(2, DUE - 9 * DAY, "open")))
    told = approval_stands(both, LATER)
    assert told.why == "condition 2 was due on 21 Sep 2026 and was not met in time"
    assert told.since == DUE - 8 * DAY
    short = Approval(SIGNED, DUE - 20 * DAY, (condition(),))
    assert approval_stands(short, LATER).why == "its term ended on 10 Sep 2026"


def test_what_is_conditional_says_on_what() -> None:
    open_one = approval_stands(Approval(SIGNED, UNTIL, (condition(),)), DUE)
    assert (open_one.standing, open_one.until) == ("conditional", UNTIL)
    assert open_one.why == "condition 1 is due on 30 Sep 2026"
    sent = approval_stands(Approval(SIGNED, UNTIL, (condition("sent", (DUE, None)),)), LATER)
    assert (sent.standing, sent.why) == ("conditional", "evidence for condition 1 waits to be judged")
    met = approval_stands(Approval(SIGNED, UNTIL, (condition("met", (DUE, None)),)), LATER)
    assert (met.standing, met.why) == ("in_force", "approved until 1 Mar 2028")


APPROVED_1 = Decided("1", SIGNED, Approval(SIGNED, UNTIL))
APPROVED_2 = Decided("2", DUE, Approval(DUE, years_after(DUE, 2)))
REFUSED_2 = Decided("2", DUE, None)
REFUSED_1 = Decided("1", LATER, None)


@pytest.mark.parametrize(
    ("decided", "in_use", "standing", "version"),
    [
        ((), None, "never_decided", None),
        ((REFUSED_2,), None, "not_approved", None),
        ((APPROVED_1,), None, "in_force", "1"),
        ((APPROVED_1, REFUSED_2), None, "in_force", "1"),
        ((APPROVED_1, APPROVED_2), None, "in_force", "2"),
        ((APPROVED_1, APPROVED_2), "1", "in_force", "1"),
        ((APPROVED_1, REFUSED_1), "1", "not_approved", None),
        ((APPROVED_1, REFUSED_1), None, "not_approved", None),
    ],
    ids=[
        "none decided", "refused", "approved", "the next refused", "two approved", "two approved, the first in use",
        "decided again, in use", "decided again",
    ],
)  # fmt: skip
def test_a_model_stands_as_the_version_that_counts(
    decided: tuple[Decided, ...], in_use: str | None, standing: str, version: str | None
) -> None:
    found = model_stands(decided, in_use, None, LATER)
    assert (found.standing, found.version) == (standing, version)
    gone = model_stands(decided, in_use, DUE, LATER)
    assert (gone.standing, gone.why) == ("withdrawn", "its owner withdrew it on 30 Sep 2026")


def test_a_version_is_superseded_by_the_one_in_use_or_approved_later() -> None:
    both = (APPROVED_1, APPROVED_2)
    assert version_stands("1", both, None, None, LATER).why == "version 2 was approved on 30 Sep 2026"
    assert version_stands("2", both, "1", None, LATER).why == "version 1 is in use"
    assert version_stands("2", both, "2", None, LATER).standing == "in_force"
    assert version_stands("1", (APPROVED_1, REFUSED_2), None, None, LATER).standing == "in_force"
    assert version_stands("2", (APPROVED_1, REFUSED_2), None, None, LATER).standing == "not_approved"
    assert version_stands("3", both, None, None, LATER).standing == "never_decided"
    assert version_stands("1", both, None, DUE, LATER).standing == "withdrawn"


def test_people_are_told_60_and_14_days_before_and_of_the_lapse() -> None:
    term = Approval(SIGNED, UNTIL)
    for left, told in ((61, ()), (60, ("term 60",)), (15, ("term 60",)), (14, ("term 14",)), (0, ("term 14",))):
        assert notices_of(term, UNTIL - left * DAY) == told, left
    assert notices_of(term, UNTIL + DAY) == ("lapsed",)
    conditional = Approval(SIGNED, UNTIL, (condition(number=2),))
    assert notices_of(conditional, DUE - 60 * DAY) == ("condition 2, 60",)
    assert notices_of(conditional, DUE) == ("condition 2, 14",)
    assert notices_of(Approval(SIGNED, UNTIL, (condition("sent", (DUE, None)),)), DUE) == ()
