"""The life of a condition of an approval: its states, and of each act by whom, and from which states.

All of it is after the decision: what was signed says what is to be met and by when, and does not change.
"""

from collections.abc import Mapping, Set
from dataclasses import dataclass
from typing import Literal, get_args

from brookfall.core.judge.finding_life import PARTS, Part

ConditionState = Literal["open", "sent", "met", "seen"]
ConditionAct = Literal["send", "meet", "turn_down", "see", "send_back", "comment"]

STATES: tuple[ConditionState, ...] = get_args(ConditionState)
ACTS: tuple[ConditionAct, ...] = get_args(ConditionAct)

MET: frozenset[ConditionState] = frozenset({"met", "seen"})
"""The reviewer judged that it is met; of ``seen`` a countersigner has seen it too."""


@dataclass(frozen=True)
class Step:
    """An act: ``to`` is None where it changes no state; ``reasoned`` where it takes words."""

    by: frozenset[Part]
    of: frozenset[ConditionState]
    to: ConditionState | None
    reasoned: bool = True


def _step(by: Set[Part], of: Set[ConditionState], to: ConditionState | None, *, reasoned: bool = True) -> Step:
    return Step(frozenset(by), frozenset(of), to, reasoned)


LIFE: Mapping[ConditionAct, Step] = {
    "send": _step({"owner"}, {"open", "sent"}, "sent"),
    "meet": _step({"reviewer"}, {"open", "sent"}, "met"),
    "turn_down": _step({"reviewer"}, {"sent", "met"}, "open"),
    "see": _step({"countersigner"}, {"met"}, "seen", reasoned=False),
    "send_back": _step({"countersigner"}, {"met"}, "sent"),
    "comment": _step(set(PARTS), set(STATES), None),
}
"""The owner sends evidence, the reviewer judges it, a countersigner sees that, or sends it back to be judged again."""


def may(act: ConditionAct, state: ConditionState, parts: Set[Part]) -> bool:
    """Whether somebody with these parts in a decided case may do this to a condition.

    >>> may("send", "open", {"owner"}), may("meet", "sent", {"owner"})
    (True, False)
    """
    return bool(LIFE[act].by & parts) and state in LIFE[act].of


def acts_of(state: ConditionState, parts: Set[Part]) -> tuple[ConditionAct, ...]:
    """Everything that they may do.

    >>> acts_of("met", {"countersigner"})
    ('see', 'send_back', 'comment')
    """
    return tuple(act for act in ACTS if may(act, state, parts))


def after(act: ConditionAct, state: ConditionState) -> ConditionState:
    """The state that an act leads to.

    >>> after("turn_down", "sent"), after("comment", "met")
    ('open', 'met')
    """
    return LIFE[act].to or state
