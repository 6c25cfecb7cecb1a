"""What is signed: a decision in words, and by their hashes everything it rests on, as one canonical JSON text."""

from datetime import date, datetime
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, SerializerFunctionWrapHandler, model_serializer

from brookfall.core.foundation import digest


class SignedCondition(BaseModel):
    """What has to be met, by when, and by whom where that was said."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    what: str
    due: date
    who: str = ""

    @model_serializer(mode="wrap")
    def _without_nobody(self, rest: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """A statement that names nobody keeps the text it was signed with."""
        told: dict[str, Any] = rest(self)
        return told if self.who else {name: value for name, value in told.items() if name != "who"}


class DecisionStatement(BaseModel):
    """The statement that reviewer and countersigner sign.

    ``over`` are the exhibits, statements and findings that an approval goes over, ``departures`` the limits that are
    not the policy's and the standings that were overruled. Each of the five hashes is a SHA-256: ``package`` of what
    was submitted, ``plan`` of the canonical JSON of the plan, ``evidence`` of the evidence file, ``findings`` and
    ``case`` of the canonical JSON of the findings and of the case's own facts (files, people, deviations). ``proposed``
    is in UTC.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    brookfall_decision: Literal[1] = 1
    model: str
    version: str
    tier: int
    kind: str
    reasons: str
    conditions: tuple[SignedCondition, ...]
    over: tuple[str, ...]
    departures: tuple[str, ...]
    package: str = Field(min_length=64, max_length=64)
    plan: str = Field(min_length=64, max_length=64)
    evidence: str = Field(min_length=64, max_length=64)
    findings: str = Field(min_length=64, max_length=64)
    case: str = Field(min_length=64, max_length=64)
    proposed_by: str
    proposed: datetime

    def to_json(self) -> bytes:
        """The one text of the statement, whose SHA-256 is signed.

        >>> zero = "0" * 64
        >>> hashes = dict.fromkeys(("package", "plan", "evidence", "findings", "case"), zero)
        >>> words = dict(model="M", version="1", tier=3, kind="not_approved", reasons="It leans.", proposed_by="Iris")
        >>> one = DecisionStatement(
        ...     **words, **hashes, conditions=(), over=(), departures=(), proposed=datetime(2026, 1, 1)
        ... )
        >>> DecisionStatement.model_validate_json(one.to_json()) == one
        True
        """
        return digest.canonical(self.model_dump(mode="json"))
