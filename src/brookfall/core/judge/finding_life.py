"""The life of a finding: its states, and of each act by whom, from which states, and while the case is in which."""

from datetime import date
from typing import Literal, get_args

from brookfall.core.judge.life import PARTS, Life, step

FindingState = Literal["draft", "open", "answered", "retested", "closed", "accepted", "withdrawn"]
FindingAct = Literal["change", "send", "answer", "retest", "close", "accept", "reopen", "withdraw", "comment"]
Answer = Literal["agrees", "disputes", "mended"]

STATES: tuple[FindingState, ...] = get_args(FindingState)
ACTS: tuple[FindingAct, ...] = get_args(FindingAct)

UNSETTLED: frozenset[FindingState] = frozenset({"open", "answered", "retested"})
"""Somebody has still to do something about it."""
STANDS: frozenset[FindingState] = UNSETTLED | {"accepted"}
"""What it says is wrong is wrong still, as far as anybody knows."""
REPORTED: frozenset[FindingState] = STANDS | {"closed"}
"""It is told in the decision and the report."""

_UNDER_REVIEW = {"in_review"}
_ANSWERED_FOR = {"in_review", "decided"}
_SEEN = {"in_review", "proposed", "decided"}

LIFE = Life[FindingAct, FindingState](
    {
        "change": step({"reviewer"}, {"draft", "open", "answered"}, None, _UNDER_REVIEW, reasoned=False),
        "send": step({"reviewer"}, {"draft"}, "open", _UNDER_REVIEW, reasoned=False),
        "answer": step({"owner"}, {"open", "answered"}, "answered", _SEEN, reasoned=False),
        "retest": step({"reviewer"}, UNSETTLED, "retested", _ANSWERED_FOR, reasoned=False),
        "close": step({"reviewer"}, UNSETTLED, "closed", _ANSWERED_FOR),
        "accept": step({"countersigner"}, UNSETTLED, "accepted", _ANSWERED_FOR),
        "reopen": step(
            {"reviewer"}, {"answered", "retested", "closed", "accepted", "withdrawn"}, "open", _ANSWERED_FOR
        ),
        "withdraw": step({"reviewer"}, {"draft", *UNSETTLED}, "withdrawn", _ANSWERED_FOR),
        "comment": step(PARTS, REPORTED | {"withdrawn"}, None, _SEEN),
    }
)
"""What was signed does not change: after the decision a finding is answered, closed, accepted or reopened beside it.
While a decision is proposed the reviewer and the countersigner leave findings as they were when it was frozen."""


def risk_is_over(state: FindingState, until: date | None, today: date) -> bool:
    """Whether a risk was accepted until a date that has passed, so that its finding is open again.

    >>> until = date(2027, 3, 31)
    >>> risk_is_over("accepted", until, until), risk_is_over("accepted", until, date(2027, 4, 1))
    (False, True)
    """
    return state == "accepted" and until is not None and today > until
