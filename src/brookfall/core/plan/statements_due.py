"""Which statements a plan asks for and nobody has written, and how what is judged in writing marks its question."""

from collections.abc import Sequence
from typing import Protocol

from brookfall.core.evidence.limit import Standing
from brookfall.core.judge.policy import StatementDue
from brookfall.core.plan.plan import Plan


class InWriting(Protocol):
    """A statement that stands: what it is called, and how it stands on which question."""

    @property
    def name(self) -> str: ...
    @property
    def question(self) -> int: ...
    @property
    def standing(self) -> str: ...


def missing_of(plan: Plan, written: Sequence[InWriting]) -> tuple[StatementDue, ...]:
    """What the plan asks in writing and nobody has written, in the order of the policy."""
    there = {one.name for one in written}
    return tuple(one for one in plan.policy.statements if one.name in plan.statements and one.name not in there)


def marks_in_writing(plan: Plan, written: Sequence[InWriting]) -> list[tuple[int, Standing]]:
    """The question and standing of each statement; one that is due and not written is unsettled."""
    found = [(one.question, Standing(one.standing)) for one in written]
    return found + [(one.question, Standing.UNSETTLED) for one in missing_of(plan, written)]
