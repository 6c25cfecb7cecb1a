"""What befalls a case beside its review: who hands it on, puts it off, withdraws it, in which of its states."""

from typing import Literal, get_args

from brookfall.core.judge.life import Life, step

CaseState = Literal["waiting", "in_review", "proposed", "decided", "withdrawn"]
CaseAct = Literal["hand_over", "release", "reschedule", "prioritise", "take_back", "withdraw"]
Priority = Literal["high", "normal", "low"]

STATES: tuple[CaseState, ...] = get_args(CaseState)
ACTS: tuple[CaseAct, ...] = get_args(CaseAct)
PRIORITIES: tuple[Priority, ...] = get_args(Priority)

_OPEN: tuple[CaseState, ...] = ("waiting", "in_review", "proposed")

LIFE = Life[CaseAct, CaseState](
    {
        "hand_over": step({"reviewer", "countersigner"}, {"in_review", "decided"}, None, STATES),
        "release": step({"reviewer"}, {"in_review"}, "waiting", STATES),
        "reschedule": step({"reviewer", "countersigner"}, _OPEN, None, STATES),
        "prioritise": step({"reviewer", "countersigner"}, _OPEN, None, STATES),
        "take_back": step({"reviewer"}, {"proposed"}, "in_review", STATES),
        "withdraw": step({"owner"}, {"waiting", "in_review"}, "withdrawn", STATES),
    }
)
"""Each takes a reason. A countersigner hands over for a reviewer who is away or has left; a decided case is handed over
for what comes after: findings that are answered, conditions. What was withdrawn comes back as another submission of the
version, or as the next one."""
