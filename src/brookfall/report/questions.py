"""The seven questions as a report tells them: what is outside, near or open first, and what is within in a line."""

from collections.abc import Mapping
from dataclasses import dataclass

from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.evidence.statement import Statement
from brookfall.core.evidence.words import QUESTIONS, STATEMENT_STANDINGS
from brookfall.core.judge.policy import StatementDue
from brookfall.core.judge.standing import worst_mark
from brookfall.core.plan.statements_due import due_by, missing_of
from brookfall.core.retest.evidence_file import Evidence

_MARK_WORDS = {"within_open": "within, some open", "none": "no limit set"}
_FROM_WORST = (Standing.OUTSIDE, Standing.NEAR, Standing.UNSETTLED, Standing.WITHIN, None)
_WELL = ("done", "not_applicable")

Overruled = Mapping[int, Mapping[str, str]]
"""By the number of an exhibit what its standing was overruled by."""


@dataclass(frozen=True)
class Line:
    """Something that answers a question: its standing, that in words, what it is, and what it says.

    ``folded`` is what needs no line of its own: within with nothing open, without a limit, or not applicable.
    """

    standing: Standing | None
    stands: str
    what: str
    says: str
    open: int = 0
    folded: bool = False


@dataclass(frozen=True)
class Question:
    """A question with its exhibits, its statements, written and missing, and its standing in words."""

    number: int
    text: str
    exhibits: tuple[Exhibit, ...]
    statements: tuple[Statement, ...]
    missing: tuple[StatementDue, ...]
    lines: tuple[Line, ...]

    @property
    def standing(self) -> str:
        """The worst of what answers it, in words."""
        mark = worst_mark((line.standing, line.open) for line in self.lines)
        return _MARK_WORDS.get(mark, mark) if self.lines else "no check was run"

    @property
    def told(self) -> list[Line]:
        """What is outside, near or open, the worst first."""
        return [line for line in self.lines if not line.folded]

    @property
    def worst(self) -> Line | None:
        """What its standing is decided by; None where nothing answers it."""
        return self.lines[0] if self.lines else None

    @property
    def folded(self) -> str:
        """All else, in a line; empty where there is nothing."""
        return ", ".join(line.what for line in self.lines if line.folded)


def questions_of(evidence: Evidence, overruled: Overruled) -> tuple[Question, ...]:
    """The seven questions of an evidence file, in their order."""
    due = missing_of(due_by(evidence.plan), evidence.statements)
    found = []
    for number, text in QUESTIONS.items():
        exhibits = tuple(one for one in evidence.exhibits if one.question == number)
        statements = tuple(one for one in evidence.statements if one.question == number)
        missing = tuple(one for one in due if one.question == number)
        lines = [_of_exhibit(one, overruled) for one in exhibits]
        if evidence.exhibits:  # before anything was run, nothing is late
            lines += [_of_statement(one) for one in statements] + [_of_missing(one) for one in missing]
        lines.sort(key=from_worst)
        found.append(Question(number, text, exhibits, statements, missing, tuple(lines)))
    return tuple(found)


def from_worst(line: Line) -> tuple[int, bool]:
    """Sorts lines the worst first, what needs none of its own last among its like."""
    return _FROM_WORST.index(line.standing), line.folded


def _of_exhibit(one: Exhibit, overruled: Overruled) -> Line:
    well = one.state in _WELL and not one.open and one.standing in (Standing.WITHIN, None)
    what = f"exhibit {one.number}, {one.title.lower()}"
    return Line(one.standing, stands(one, overruled), what, one.answer, one.open, well)


def _of_statement(one: Statement) -> Line:
    what, well = f"statement {one.number}, {one.title.lower()}", one.standing == Standing.WITHIN
    return Line(one.standing, STATEMENT_STANDINGS[one.standing], what, one.reason, folded=well)


def _of_missing(one: StatementDue) -> Line:
    says = "It is due and was not written."
    return Line(Standing.UNSETTLED, Standing.UNSETTLED.value, f"the statement on {one.title.lower()}", says)


def stands(exhibit: Exhibit, overruled: Overruled) -> str:
    """How an exhibit stands, in words: as computed, with what is open in it, and what it was taken as."""
    if exhibit.standing is None:
        mark = exhibit.state.replace("_", " ") if exhibit.state != "done" else "no limit set"
    else:
        mark = exhibit.standing.value
    if mark == "within" and exhibit.open:
        mark += f", {exhibit.open} open"
    taken = overruled.get(exhibit.number)
    return mark if taken is None else f"{mark}, taken as {taken['taken_as']}"
