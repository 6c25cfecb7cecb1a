"""The life of a condition of an approval: its states, and of each act by whom, and from which states.

All of it is after the decision: what was signed says what is to be met and by when, and does not change.
"""

from typing import Literal, get_args

from brookfall.core.judge.life import PARTS, Life, step

ConditionState = Literal["open", "sent", "met", "seen"]
ConditionAct = Literal["send", "meet", "turn_down", "see", "send_back", "comment"]

STATES: tuple[ConditionState, ...] = get_args(ConditionState)
ACTS: tuple[ConditionAct, ...] = get_args(ConditionAct)

MET: frozenset[ConditionState] = frozenset({"met", "seen"})
"""The reviewer judged that it is met; of ``seen`` a countersigner has seen it too."""


_DECIDED = {"decided"}

LIFE = Life[ConditionAct, ConditionState](
    {
        "send": step({"owner"}, {"open", "sent"}, "sent", _DECIDED),
        "meet": step({"reviewer"}, {"open", "sent"}, "met", _DECIDED),
        "turn_down": step({"reviewer"}, {"sent", "met"}, "open", _DECIDED),
        "see": step({"countersigner"}, {"met"}, "seen", _DECIDED, reasoned=False),
        "send_back": step({"countersigner"}, {"met"}, "sent", _DECIDED),
        "comment": step(PARTS, STATES, None, _DECIDED),
    }
)
"""The owner sends evidence, the reviewer judges it, a countersigner sees that, or sends it back to be judged again."""
