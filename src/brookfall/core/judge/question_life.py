"""The life of a question to the owner: its states, and of each act by whom, and from which states of question and case.

The reviewer asks while the case is in review. The owner may answer later too: an answer stands beside what was signed.
"""

from collections.abc import Set
from typing import Literal, get_args

from brookfall.core.judge.life import PARTS, Life, Part, step

QuestionState = Literal["asked", "answered", "settled", "withdrawn"]
QuestionAct = Literal["answer", "ask_again", "settle", "withdraw", "comment"]

STATES: tuple[QuestionState, ...] = get_args(QuestionState)
ACTS: tuple[QuestionAct, ...] = get_args(QuestionAct)

OPEN: frozenset[QuestionState] = frozenset({"asked", "answered"})
"""Somebody has still to do something: the owner to answer, or the reviewer to read the answer."""


_UNDER_REVIEW = {"in_review"}
_REVIEWED = {"in_review", "proposed", "decided"}

LIFE = Life[QuestionAct, QuestionState](
    {
        "answer": step({"owner"}, {"asked", "answered"}, "answered", _REVIEWED),
        "ask_again": step({"reviewer"}, {"answered", "settled"}, "asked", _UNDER_REVIEW),
        "settle": step({"reviewer"}, {"asked", "answered"}, "settled", _REVIEWED, reasoned=False),
        "withdraw": step({"reviewer"}, {"asked"}, "withdrawn", _UNDER_REVIEW),
        "comment": step(PARTS, STATES, None, _REVIEWED),
    }
)
"""An answer may be added to until the reviewer has settled the question; then it is asked again or stays settled."""


def may_ask(parts: Set[Part], case: str) -> bool:
    """Whether somebody with these parts may ask the owner something.

    >>> may_ask({"reviewer"}, "in_review"), may_ask({"reviewer"}, "proposed")
    (True, False)
    """
    return "reviewer" in parts and case == "in_review"
