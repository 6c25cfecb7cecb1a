"""The life of a finding: its states, and of each act by whom, from which states, and while the case is in which."""

from collections.abc import Mapping, Set
from dataclasses import dataclass
from datetime import date
from typing import Literal, get_args

FindingState = Literal["draft", "open", "answered", "retested", "closed", "accepted", "withdrawn"]
FindingAct = Literal["change", "send", "answer", "close", "accept", "reopen", "withdraw", "comment"]
Part = Literal["reviewer", "owner", "countersigner"]
"""Of the people of a case: who reviews it, who belongs to its model, and who may countersign it."""
Answer = Literal["agrees", "disputes", "mended"]

STATES: tuple[FindingState, ...] = get_args(FindingState)
ACTS: tuple[FindingAct, ...] = get_args(FindingAct)
PARTS: tuple[Part, ...] = get_args(Part)

UNSETTLED: frozenset[FindingState] = frozenset({"open", "answered", "retested"})
"""Somebody has still to do something about it."""
STANDS: frozenset[FindingState] = UNSETTLED | {"accepted"}
"""What it says is wrong is wrong still, as far as anybody knows."""
REPORTED: frozenset[FindingState] = STANDS | {"closed"}
"""It is told in the decision and the report."""


@dataclass(frozen=True)
class Step:
    """An act: ``to`` is None where it changes no state, ``cases`` are the states of the case in which it may be."""

    by: frozenset[Part]
    of: frozenset[FindingState]
    to: FindingState | None
    cases: frozenset[str]
    reasoned: bool = True


def _step(
    by: Set[Part], of: Set[FindingState], to: FindingState | None, cases: Set[str], *, reasoned: bool = True
) -> Step:
    return Step(frozenset(by), frozenset(of), to, frozenset(cases), reasoned)


_UNDER_REVIEW = {"in_review"}
_ANSWERED_FOR = {"in_review", "decided"}
_SEEN = {"in_review", "proposed", "decided"}

LIFE: Mapping[FindingAct, Step] = {
    "change": _step({"reviewer"}, {"draft", "open", "answered"}, None, _UNDER_REVIEW, reasoned=False),
    "send": _step({"reviewer"}, {"draft"}, "open", _UNDER_REVIEW, reasoned=False),
    "answer": _step({"owner"}, {"open", "answered"}, "answered", _SEEN, reasoned=False),
    "close": _step({"reviewer"}, UNSETTLED, "closed", _ANSWERED_FOR),
    "accept": _step({"countersigner"}, UNSETTLED, "accepted", _ANSWERED_FOR),
    "reopen": _step({"reviewer"}, {"answered", "retested", "closed", "accepted", "withdrawn"}, "open", _ANSWERED_FOR),
    "withdraw": _step({"reviewer"}, {"draft", *UNSETTLED}, "withdrawn", _ANSWERED_FOR),
    "comment": _step(set(PARTS), REPORTED | {"withdrawn"}, None, _SEEN),
}
"""What was signed does not change: after the decision a finding is answered, closed, accepted or reopened beside it.
While a decision is proposed the reviewer and the countersigner leave findings as they were when it was frozen."""


def may(act: FindingAct, state: FindingState, parts: Set[Part], case: str) -> bool:
    """Whether somebody with these parts in a case of that state may do this to a finding.

    >>> may("answer", "open", {"owner"}, "decided"), may("answer", "draft", {"owner"}, "in_review")
    (True, False)
    """
    step = LIFE[act]
    return bool(step.by & parts) and state in step.of and case in step.cases


def acts_of(state: FindingState, parts: Set[Part], case: str) -> tuple[FindingAct, ...]:
    """Everything that they may do.

    >>> acts_of("draft", {"reviewer"}, "in_review")
    ('change', 'send', 'withdraw')
    """
    return tuple(act for act in ACTS if may(act, state, parts, case))


def after(act: FindingAct, state: FindingState) -> FindingState:
    """The state that an act leads to.

    >>> after("answer", "open"), after("comment", "closed")
    ('answered', 'closed')
    """
    return LIFE[act].to or state


def risk_is_over(state: FindingState, until: date | None, today: date) -> bool:
    """Whether a risk was accepted until a date that has passed, so that its finding is open again.

    >>> until = date(2027, 3, 31)
    >>> risk_is_over("accepted", until, until), risk_is_over("accepted", until, date(2027, 4, 1))
    (False, True)
    """
    return state == "accepted" and until is not None and today > until
