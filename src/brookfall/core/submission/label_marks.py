"""What a reviewer says of a row's label."""

from math import isfinite
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

from brookfall.core.submission.subject import Subject

Verdict = Literal["kept", "wrong", "corrected"]


class LabelMark(BaseModel):
    """``row`` is a position in the submitted table; ``label`` is what it should have been, where it was corrected.

    >>> LabelMark(row=3, verdict="corrected", label="fall").label
    'fall'
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    row: int = Field(ge=0)
    verdict: Verdict
    label: str | None = Field(default=None, max_length=400)

    @model_validator(mode="after")
    def _says_what_it_should_be(self) -> "LabelMark":
        if (self.verdict == "corrected") != (self.label is not None):
            raise ValueError("a corrected label says what it should have been, and only that one does")
        return self


def problem_with(mark: LabelMark, subject: Subject) -> str | None:
    """Why a mark can't be of this subject, in a sentence; None where it can."""
    rows = subject.table.n_rows if subject.origins is None else int(subject.origins[-1]) + 1
    if mark.row >= rows:
        return f"There is no row {mark.row + 1}."
    if mark.verdict != "corrected":
        return None
    if subject.target.outcome == "number":
        return None if _number(mark.label) is not None else f"'{mark.label}' is no number, and the outcome is one."
    classes = subject.target.classes
    return None if mark.label in classes else f"There is no class '{mark.label}'; classes are {', '.join(classes)}."


def outcome_of(mark: LabelMark, subject: Subject) -> float:
    """What a corrected label is: a place among the classes, or a number. ValueError where it is neither."""
    if subject.target.outcome == "number":
        found = _number(mark.label)
        if found is None:
            raise ValueError(f"'{mark.label}' is no number")
        return found
    return float(subject.target.classes.index(str(mark.label)))


def _number(text: str | None) -> float | None:
    try:
        found = float(text or "")
    except ValueError:
        return None
    return found if isfinite(found) else None
