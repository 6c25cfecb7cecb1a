"""Outside requirements that a policy lists, in words of the house's own, and what of a case answers each."""

import re
from collections.abc import Iterable, Mapping, Sequence
from collections.abc import Set as AbstractSet
from dataclasses import dataclass
from typing import Literal

import yaml
from pydantic import BaseModel, ConfigDict, Field, ValidationError, field_validator, model_validator

from brookfall.core.evidence.acts import kind_of
from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.strict_yaml import load_yaml
from brookfall.core.foundation.validation import first_problem
from brookfall.core.table.outcome import Outcome

_TODO = "See docs/formats/requirements.schema.json."


class Requirement(BaseModel):
    """Something that is asked from outside, and all that has to be there to answer it: checks that ran, statements that
    were written, acts that the record has of the case."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    id: str = Field(min_length=1, max_length=40, description="how the house refers to it")
    asks: str = Field(min_length=1, max_length=1000, description="what is asked, in words of the house's own")
    tiers: tuple[int, ...] = Field(default=(1, 2, 3), min_length=1, description="the tiers of which it is asked")
    outcomes: tuple[Outcome, ...] = Field(default=(), description="the kinds of outcome; all where none is named")
    checks: tuple[str, ...] = Field(default=(), max_length=60, description="by their names")
    statements: tuple[str, ...] = Field(default=(), max_length=20, description="by the names that the policy has")
    acts: tuple[str, ...] = Field(default=(), max_length=20, description="worded as the record has them")

    @field_validator("id")
    @classmethod
    def _one_word(cls, name: str) -> str:
        if not re.fullmatch(r"[A-Za-z0-9][A-Za-z0-9._-]*", name):
            raise ValueError("an id is one word of letters, digits, dots, dashes and underscores, such as ES-1")
        return name

    @field_validator("acts")
    @classmethod
    def _known(cls, acts: tuple[str, ...]) -> tuple[str, ...]:
        for act in acts:
            if kind_of(act) is None:
                raise ValueError(f"the record knows no act '{act}'; it is worded as its entries have it")
        return acts

    @model_validator(mode="after")
    def _answered_by_something(self) -> "Requirement":
        if not (self.checks or self.statements or self.acts):
            raise ValueError("nothing answers it: name checks, statements or acts")
        return self


class RequirementList(BaseModel):
    """The requirements of one source: a supervisor's guidance, a law, a standard."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str = Field(min_length=1, max_length=120)
    source: str = Field(min_length=1, max_length=400, description="where it comes from, and of when")
    requirements: tuple[Requirement, ...] = Field(min_length=1, max_length=200)

    @field_validator("requirements")
    @classmethod
    def _told_apart(cls, asked: tuple[Requirement, ...]) -> tuple[Requirement, ...]:
        if len({one.id for one in asked}) < len(asked):
            raise ValueError("two requirements have the same id")
        return asked

    def of(self, tier: int, outcome: str) -> "RequirementList | None":
        """What is asked of a tier and an outcome; None where nothing is."""
        kept = tuple(
            one for one in self.requirements if tier in one.tiers and (not one.outcomes or outcome in one.outcomes)
        )
        return self.model_copy(update={"requirements": kept}) if kept else None


class RequirementFile(RequirementList):
    """Requirements of one source, as an open YAML file."""

    brookfall_requirements: Literal[1] = Field(description="the revision of this format")


def requirements_from_yaml(text: str, file: str) -> RequirementList:
    """The requirements that a file lists.

    Parameters
    ----------
    text
        YAML.
    file
        Its name, for messages.

    Raises
    ------
    UserError
        It can't be read or meant.

    Examples
    --------
    >>> text = "brookfall_requirements: 1\\nname: A\\nsource: B\\nrequirements: [{id: A1, asks: Look, checks: [gap]}]"
    >>> requirements_from_yaml(text, "a.yaml").requirements[0].checks
    ('gap',)
    """
    read = load_yaml(text, file, _TODO)
    try:
        found = RequirementFile.model_validate(read)
    except ValidationError as problem:
        place, message = first_problem(problem)
        raise UserError(f"The requirements can't be read ({place}: {message}).", todo=_TODO, file=file) from problem
    return RequirementList(name=found.name, source=found.source, requirements=found.requirements)


def requirements_to_yaml(asked: RequirementList) -> str:
    """The file's text.

    >>> text = "brookfall_requirements: 1\\nname: A\\nsource: B\\nrequirements: [{id: A1, asks: Look, checks: [gap]}]"
    >>> asked = requirements_from_yaml(text, "a.yaml")
    >>> requirements_from_yaml(requirements_to_yaml(asked), "b.yaml") == asked
    True
    """
    dumped = {"brookfall_requirements": 1, **asked.model_dump(mode="json", exclude_defaults=True)}
    return yaml.safe_dump(dumped, sort_keys=False, allow_unicode=True, width=120)


class AnsweredRequirement(BaseModel):
    """A requirement with what of a case answers it, and what is missing; answered where nothing is."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    of: str
    id: str
    asks: str
    by: tuple[str, ...]
    missing: tuple[str, ...]


@dataclass(frozen=True)
class Done:
    """What is there of a case: by check its exhibit in words, by name its statement, and the acts of its record.

    ``titles`` are what checks and statements are called.
    """

    exhibits: Mapping[str, str]
    statements: Mapping[str, str]
    acts: AbstractSet[str]
    titles: Mapping[str, str]


def answered(asked: Sequence[RequirementList], done: Done) -> tuple[AnsweredRequirement, ...]:
    """Each requirement with what answers it and what is missing, in their order.

    >>> look = Requirement(id="A1", asks="Look", checks=("gap",))
    >>> asked = RequirementList(name="A", source="B", requirements=(look,))
    >>> answered([asked], Done({"gap": "exhibit 3, gap"}, {}, frozenset(), {}))[0].by
    ('exhibit 3, gap',)
    >>> answered([asked], Done({}, {}, frozenset(), {"gap": "Gap"}))[0].missing
    ('the check gap has not run',)
    """
    return tuple(
        AnsweredRequirement(
            of=one.name, id=each.id, asks=each.asks, by=tuple(_by(each, done)), missing=tuple(_missing(each, done))
        )
        for one in asked
        for each in one.requirements
    )


def _by(asked: Requirement, done: Done) -> Iterable[str]:
    yield from (done.exhibits[name] for name in asked.checks if name in done.exhibits)
    yield from (done.statements[name] for name in asked.statements if name in done.statements)
    yield from (act for act in asked.acts if act in done.acts)


def _missing(asked: Requirement, done: Done) -> Iterable[str]:
    for name in asked.checks:
        if name not in done.exhibits:
            yield f"the check {done.titles.get(name, name).lower()} has not run"
    for name in asked.statements:
        if name not in done.statements:
            yield f"the statement on {done.titles.get(name, name).lower()} is not written"
    yield from (f"nobody {act}" for act in asked.acts if act not in done.acts)
