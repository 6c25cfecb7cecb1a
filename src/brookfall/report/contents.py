"""All that a report says, as plain values: read from the record by who asks for it, from frozen texts once signed."""

from datetime import date, datetime

from pydantic import BaseModel, ConfigDict

from brookfall.core.evidence.decision import DecisionStatement
from brookfall.core.foundation import digest
from brookfall.core.judge.requirements import AnsweredRequirement
from brookfall.core.retest.evidence_file import Evidence
from brookfall.core.submission.schema import Submission


class _Frozen(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class FileLine(_Frozen):
    """A submitted file and the SHA-256 of its bytes."""

    path: str
    sha256: str


class DeviationText(_Frozen):
    """A change after the plan was locked; ``closed`` is None while it is open."""

    number: int
    reason: str
    by: str
    opened: datetime
    closed: datetime | None
    said: tuple[str, ...]


class SaidOfQuestion(_Frozen):
    """What was answered, or said of a question to the owner, with the files sent with it."""

    act: str
    by: str
    at: datetime
    text: str
    files: tuple[FileLine, ...] = ()


class ReportedQuestion(_Frozen):
    """A question to the owner; ``about`` is what it was asked about, as that read then."""

    number: int
    text: str
    about: str
    state: str
    due: date | None
    by: str
    asked: datetime
    said: tuple[SaidOfQuestion, ...]


class SentBack(_Frozen):
    """A proposal that the countersigner did not accept."""

    kind: str
    proposed: datetime
    by: str
    comment: str


class CaseFile(_Frozen):
    """What a case is beside its evidence, its findings and its decision. Moments are in UTC.

    ``record_entries`` and ``record_hash`` are how far the record went when this was written.
    """

    model: str
    version: str
    tier: int
    outcome: str
    owner: str
    reviewer: str | None
    submission: Submission
    table_fingerprint: str
    files: tuple[FileLine, ...]
    locked: datetime | None
    locked_by: str | None
    deviations: tuple[DeviationText, ...]
    sent_back: tuple[SentBack, ...]
    questions: tuple[ReportedQuestion, ...] = ()
    requirements: tuple[AnsweredRequirement, ...] = ()
    record_entries: int
    record_hash: str

    def to_json(self) -> bytes:
        return digest.canonical(self.model_dump(mode="json"))


class QuotedExhibit(_Frozen):
    """What a finding quotes; ``read`` is what a threshold that the reviewer chose decides."""

    exhibit: int
    title: str
    quote: str
    read: str | None = None


class QuotedRows(_Frozen):
    """A file of new rows that a finding quotes: what came of scoring it."""

    number: int
    file: str
    sha256: str
    quote: str


class AttachedFile(_Frozen):
    path: str
    sha256: str


class SaidOfFinding(_Frozen):
    """What somebody did about a finding, or said of it; ``by`` is None of what the clock did."""

    at: datetime
    by: str | None
    act: str
    answer: str | None
    text: str
    version: str
    until: date | None
    files: tuple[AttachedFile, ...]


class ReportedFinding(_Frozen):
    """``state`` and what was ``said`` are as they were when the decision was proposed."""

    number: int
    severity: int
    title: str
    what: str
    why: str
    action: str
    action_owner: str
    due: date | None
    cites: tuple[QuotedExhibit, ...]
    new_rows: tuple[QuotedRows, ...] = ()
    state: str = "open"
    said: tuple[SaidOfFinding, ...] = ()


class ReportedFindings(_Frozen):
    """The findings that stand or were closed, the most severe first."""

    findings: tuple[ReportedFinding, ...]

    def to_json(self) -> bytes:
        return digest.canonical(self.model_dump(mode="json"))


class Countersignature(_Frozen):
    by: str
    at: datetime
    comment: str


class ReportContents(_Frozen):
    """``statement`` is None before anything is proposed, ``countersigned`` before it is accepted."""

    case: CaseFile
    evidence: Evidence
    findings: ReportedFindings
    statement: DecisionStatement | None = None
    countersigned: Countersignature | None = None
