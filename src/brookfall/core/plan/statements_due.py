"""Which statements a plan asks for and nobody has written, and how what is judged in writing marks its question."""

from collections.abc import Collection, Sequence
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


def due_by(plan: Plan) -> tuple[StatementDue, ...]:
    """What the plan asks in writing, in the order of the policy."""
    return asked_of(plan.policy.statements, plan.statements)


def asked_of(known: Sequence[StatementDue], names: Collection[str]) -> tuple[StatementDue, ...]:
    """Of the statements that a policy knows those of these names."""
    return tuple(one for one in known if one.name in names)


def missing_of(due: Sequence[StatementDue], written: Sequence[InWriting]) -> tuple[StatementDue, ...]:
    """What is due and nobody has written."""
    there = {one.name for one in written}
    return tuple(one for one in due if one.name not in there)


def marks_in_writing(due: Sequence[StatementDue], written: Sequence[InWriting]) -> list[tuple[int, Standing]]:
    """The question and standing of each statement; one that is due and not written is unsettled."""
    found = [(one.question, Standing(one.standing)) for one in written]
    return found + [(one.question, Standing.UNSETTLED) for one in missing_of(due, written)]
