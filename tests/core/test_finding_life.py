"""The life of a finding, act by act, against what the words of the product say."""

from datetime import date
from itertools import product

import pytest

from brookfall.core.evidence.words import FINDING_ACTS, FINDING_STATES
from brookfall.core.judge.finding_life import ACTS, LIFE, STATES, FindingAct, FindingState, risk_is_over
from brookfall.core.judge.life import PARTS, Part

CASES = ("waiting", "in_review", "proposed", "decided")

ALLOWED: dict[tuple[Part, str], dict[FindingState, set[FindingAct]]] = {
    ("reviewer", "in_review"): {
        "draft": {"change", "send", "withdraw"},
        "open": {"change", "retest", "close", "withdraw", "comment"},
        "answered": {"change", "retest", "close", "reopen", "withdraw", "comment"},
        "retested": {"retest", "close", "reopen", "withdraw", "comment"},
        "closed": {"reopen", "comment"},
        "accepted": {"reopen", "comment"},
        "withdrawn": {"reopen", "comment"},
    },
    ("reviewer", "decided"): {
        "draft": {"withdraw"},
        "open": {"retest", "close", "withdraw", "comment"},
        "answered": {"retest", "close", "reopen", "withdraw", "comment"},
        "retested": {"retest", "close", "reopen", "withdraw", "comment"},
        "closed": {"reopen", "comment"},
        "accepted": {"reopen", "comment"},
        "withdrawn": {"reopen", "comment"},
    },
    ("countersigner", "in_review"): {
        "open": {"accept", "comment"},
        "answered": {"accept", "comment"},
        "retested": {"accept", "comment"},
        "closed": {"comment"},
        "accepted": {"comment"},
        "withdrawn": {"comment"},
    },
    ("owner", "in_review"): {
        "open": {"answer", "comment"},
        "answered": {"answer", "comment"},
        "retested": {"comment"},
        "closed": {"comment"},
        "accepted": {"comment"},
        "withdrawn": {"comment"},
    },
}
ALLOWED["countersigner", "decided"] = ALLOWED["countersigner", "in_review"]
ALLOWED["owner", "proposed"] = ALLOWED["owner", "decided"] = ALLOWED["owner", "in_review"]
_JUDGES: tuple[Part, ...] = ("reviewer", "countersigner")
for _part in _JUDGES:
    # A proposed decision is about findings as they are: they are spoken of, and nothing else.
    ALLOWED[_part, "proposed"] = {state: {"comment"} for state in STATES if state != "draft"}


def expected(part: Part, case: str, state: FindingState) -> set[FindingAct]:
    return ALLOWED.get((part, case), {}).get(state, set())


EVERY: list[tuple[Part, str, FindingState]] = list(product(PARTS, CASES, STATES))


@pytest.mark.parametrize(("part", "case", "state"), EVERY)
def test_who_may_do_what_when(part: Part, case: str, state: FindingState) -> None:
    assert set(LIFE.acts_of(state, {part}, case)) == expected(part, case, state)
    for act in ACTS:
        assert LIFE.may(act, state, {part}, case) is (act in expected(part, case, state))


def test_whoever_is_nothing_in_the_case_may_do_nothing() -> None:
    assert not any(LIFE.acts_of(state, set(), case) for case in CASES for state in STATES)


@pytest.mark.parametrize(
    ("act", "to"),
    [
        ("send", "open"),
        ("answer", "answered"),
        ("retest", "retested"),
        ("close", "closed"),
        ("accept", "accepted"),
        ("reopen", "open"),
        ("withdraw", "withdrawn"),
    ],
)
def test_what_each_act_leads_to(act: FindingAct, to: FindingState) -> None:
    assert {LIFE.after(act, state) for state in LIFE[act].of} == {to}


def test_words_change_no_state() -> None:
    for state in STATES:
        assert LIFE.after("comment", state) == LIFE.after("change", state) == state


def test_a_risk_is_accepted_until_the_end_of_its_last_day() -> None:
    last = date(2027, 3, 31)
    assert not risk_is_over("accepted", last, date(2027, 3, 31))
    assert risk_is_over("accepted", last, date(2027, 4, 1))
    assert not risk_is_over("closed", last, date(2027, 4, 1))
    assert not risk_is_over("accepted", None, date(2027, 4, 1))


def test_every_state_and_act_has_its_words() -> None:
    assert set(FINDING_STATES) == set(STATES)
    assert set(FINDING_ACTS) == set(ACTS) - {"change"} | {"discard"}
