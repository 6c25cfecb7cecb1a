"""The life of a question to the owner, act by act, against what the words of the product say."""

from itertools import product

import pytest

from brookfall.core.evidence.words import QUESTION_ACTS, QUESTION_STATES
from brookfall.core.judge.life import PARTS, Part
from brookfall.core.judge.question_life import ACTS, LIFE, OPEN, STATES, QuestionAct, QuestionState, may_ask

CASES = ("waiting", "in_review", "proposed", "decided")
_SAID: dict[QuestionState, set[QuestionAct]] = {state: {"comment"} for state in STATES}

ALLOWED: dict[Part, dict[QuestionState, set[QuestionAct]]] = {
    "owner": {"asked": {"answer"}, "answered": {"answer"}},
    "reviewer": {
        "asked": {"settle", "withdraw"}, "answered": {"settle", "ask_again"}, "settled": {"ask_again"},
    },
    "countersigner": {},
}  # fmt: skip
"""What each may do beside commenting, while the case is in review."""
LATER: dict[Part, dict[QuestionState, set[QuestionAct]]] = {
    "owner": ALLOWED["owner"],
    "reviewer": {"asked": {"settle"}, "answered": {"settle"}},
    "countersigner": {},
}
"""And once a decision is proposed: the owner may answer still, but nothing more is asked."""


def expected(part: Part, case: str, state: QuestionState) -> set[QuestionAct]:
    if case == "waiting":
        return set()
    return (ALLOWED if case == "in_review" else LATER)[part].get(state, set()) | _SAID[state]


EVERY: list[tuple[Part, str, QuestionState]] = list(product(PARTS, CASES, STATES))


@pytest.mark.parametrize(("part", "case", "state"), EVERY)
def test_who_may_do_what_when(part: Part, case: str, state: QuestionState) -> None:
    assert set(LIFE.acts_of(state, {part}, case)) == expected(part, case, state)
    for act in ACTS:
        assert LIFE.may(act, state, {part}, case) is (act in expected(part, case, state))


def test_the_reviewer_alone_asks_and_only_while_the_case_is_in_review() -> None:
    for part, case in product(PARTS, CASES):
        assert may_ask({part}, case) == (part == "reviewer" and case == "in_review")
    assert not may_ask(set(), "in_review")


def test_every_state_and_act_has_words_and_acts_lead_where_they_say() -> None:
    assert set(QUESTION_STATES) == set(STATES)
    assert set(QUESTION_ACTS) == set(ACTS) == set(LIFE)
    assert {LIFE.after(act, state) for act in ACTS for state in LIFE[act].of if LIFE[act].to} == set(STATES)
    assert all(LIFE.after("comment", state) == state for state in STATES)
    assert set(STATES) - OPEN == {"settled", "withdrawn"}
