"""The form of a report: how long, which parts in what order, whose language of numbers and dates, on what paper."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field, model_validator

Length = Literal["whole", "short", "sheet"]
Part = Literal[
    "decision", "questions", "findings", "asked", "submitted", "data", "plan", "departures", "requirements",
    "deviations", "exhibits", "basis",
]  # fmt: skip
Language = Literal["en", "cs", "da", "de", "es", "fi", "fr", "hu", "it", "nb", "nl", "pl", "pt", "sv"]
Paper = Literal["a4", "letter"]

LANGUAGES: dict[Language, str] = {
    "en": "English", "cs": "Czech", "da": "Danish", "de": "German", "es": "Spanish", "fi": "Finnish", "fr": "French",
    "hu": "Hungarian", "it": "Italian", "nb": "Norwegian Bokmål", "nl": "Dutch", "pl": "Polish", "pt": "Portuguese",
    "sv": "Swedish",
}  # fmt: skip
PARTS: dict[Part, str] = {
    "decision": "the decision",
    "questions": "the seven questions",
    "findings": "findings",
    "asked": "questions to the owner",
    "submitted": "what was submitted",
    "data": "the data as tested",
    "plan": "the plan",
    "departures": "limits that depart from the policy, and standings that were overruled",
    "requirements": "what is asked from outside",
    "deviations": "deviations from the plan",
    "exhibits": "every exhibit, question by question",
    "basis": "what it rests on",
}
"""The parts of a whole report in the order they have where nobody asks for another, each in words."""

LENGTHS: dict[Length, str] = {
    "whole": "validation report",
    "short": "short validation report",
    "sheet": "committee's sheet of a validation",
}
MOST_PAGES: dict[Length, int | None] = {"whole": None, "short": 4, "sheet": 1}
"""Pages that a length may take; what does not fit is told by its number, and stands in the whole report."""


class _Frozen(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class ReportForm(_Frozen):
    """How the reports of a house are made where nobody asks for anything else."""

    house: str = Field(default="", max_length=120, description="the house's name, at the head of a report")
    cover: str = Field(default="", max_length=4_000, description="text below the head of a report")
    language: Language = Field(default="en", description="how numbers and dates are written")
    paper: Paper = "a4"
    parts: tuple[Part, ...] = Field(
        default=tuple(PARTS), description="of a whole report, in this order; those left out are named at its end"
    )

    @model_validator(mode="after")
    def _parts_once(self) -> "ReportForm":
        if len(set(self.parts)) != len(self.parts):
            raise ValueError("a part of a report is named twice")
        if "decision" not in self.parts:
            raise ValueError("a report has the decision among its parts")
        return self


class ReportOrder(_Frozen):
    """What somebody asks of one report; what is None is as the house has it."""

    length: Length = "whole"
    parts: tuple[Part, ...] | None = None
    language: Language | None = None
    paper: Paper | None = None

    def of(self, house: ReportForm) -> "OrderedReport":
        """The form of the report that is asked for, in a house with that form.

        Raises
        ------
        ValueError
            A part is named twice, or the decision is left out.

        Examples
        --------
        >>> ReportOrder(language="de").of(ReportForm(house="Hollinmoor", paper="letter")).paper
        'letter'
        """
        asked = {name: said for name in ("parts", "language", "paper") if (said := getattr(self, name)) is not None}
        # Only a whole report is put together from parts.
        if self.length != "whole":
            asked["parts"] = tuple(PARTS)
        return OrderedReport.model_validate({**house.model_dump(), **asked, "length": self.length})


class OrderedReport(ReportForm):
    """The form of one report, nothing left open."""

    length: Length = "whole"

    @property
    def left_out(self) -> tuple[str, ...]:
        """The parts of a whole report that this one lacks, in words.

        >>> OrderedReport(parts=("decision", "findings", "basis")).left_out[:2]
        ('the seven questions', 'questions to the owner')
        """
        return tuple(words for part, words in PARTS.items() if part not in self.parts)
