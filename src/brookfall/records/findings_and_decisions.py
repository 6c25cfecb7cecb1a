"""Exhibits with their estimates and series, statements, findings, decisions."""

from datetime import date
from typing import Any

from sqlalchemy import JSON, Date, Double, ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brookfall.core.judge.finding_life import FindingState
from brookfall.records.base import TABLE_OPTIONS, Base, Bytes, Key, Moment, Sha, Short
from brookfall.records.cases import Blob
from brookfall.records.entries import EntryFile
from brookfall.records.people import Person


class StoredExhibit(Base):
    """An exhibit's head; its numbers are ``estimate`` rows and its curves ``series`` blobs.

    ``open`` is None of what was kept before exhibits counted what their rows can't settle. ``answer`` is the headline,
    and below it, a line each, the lines that stand under it.
    """

    __tablename__ = "exhibit"
    __table_args__ = (UniqueConstraint("run_id", "number", name="uq_exhibit_number"), TABLE_OPTIONS)

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id"))
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(40))
    title: Mapped[Short]
    question: Mapped[int]
    state: Mapped[str] = mapped_column(String(20))
    standing: Mapped[str | None] = mapped_column(String(20))
    open: Mapped[int | None]
    answer: Mapped[str] = mapped_column(Text)
    charts: Mapped[list[Any]]
    tables: Mapped[list[Any]]
    provenance: Mapped[dict[str, Any]]
    created: Mapped[Moment]

    @property
    def headline(self) -> str:
        return self.answer.partition("\n")[0]

    @property
    def lines(self) -> list[str]:
        return self.answer.split("\n")[1:]


class StoredEstimate(Base):
    """One estimate, a column a field of the open format; ``labels`` holds the fields that are seldom set."""

    __tablename__ = "estimate"
    __table_args__ = TABLE_OPTIONS

    exhibit_id: Mapped[int] = mapped_column(ForeignKey("exhibit.id"), primary_key=True)
    position: Mapped[int] = mapped_column(primary_key=True)
    measure: Mapped[str] = mapped_column(String(60))
    model: Mapped[Short]
    part: Mapped[str | None] = mapped_column(String(200))
    value: Mapped[float | None] = mapped_column(Double)
    low: Mapped[float | None] = mapped_column(Double)
    high: Mapped[float | None] = mapped_column(Double)
    level: Mapped[float] = mapped_column(Double)
    n: Mapped[int]
    method: Mapped[str | None] = mapped_column(String(60))
    standing: Mapped[str | None] = mapped_column(String(20))
    verdict: Mapped[str | None] = mapped_column(String(20))
    labels: Mapped[dict[str, Any]]


class StoredSeries(Base):
    """A chart's columns, as zlib-compressed JSON."""

    __tablename__ = "series"
    __table_args__ = TABLE_OPTIONS

    exhibit_id: Mapped[int] = mapped_column(ForeignKey("exhibit.id"), primary_key=True)
    name: Mapped[str] = mapped_column(String(200), primary_key=True)
    data: Mapped[Bytes]


class WrittenStatement(Base):
    """A written exhibit. ``name`` is that of the policy's statement which it answers, empty for the reviewer's own."""

    __tablename__ = "statement"
    __table_args__ = (UniqueConstraint("case_id", "number", name="uq_statement_number"), TABLE_OPTIONS)

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(40))
    question: Mapped[int]
    title: Mapped[Short]
    asks: Mapped[str] = mapped_column(Text)
    judgement: Mapped[str] = mapped_column(Text)
    standing: Mapped[str] = mapped_column(String(20))
    reason: Mapped[str] = mapped_column(Text)
    withdrawn: Mapped[bool]
    author_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    revision: Mapped[int]
    changed: Mapped[Moment]

    author: Mapped[Person] = relationship(foreign_keys=[author_id])
    files: Mapped[list["StatementFile"]] = relationship(order_by="StatementFile.path", cascade="all, delete-orphan")


class StatementFile(Base):
    """A file attached to a statement; its bytes are a blob."""

    __tablename__ = "statement_file"
    __table_args__ = (UniqueConstraint("statement_id", "path", name="uq_statement_file_path"), TABLE_OPTIONS)

    id: Mapped[Key]
    statement_id: Mapped[int] = mapped_column(ForeignKey("statement.id"))
    path: Mapped[Short]
    sha256: Mapped[Sha] = mapped_column(ForeignKey("blob.sha256"))
    added: Mapped[Moment]

    blob: Mapped[Blob] = relationship()


class Finding(Base):
    """Something wrong. ``cites`` holds exhibit numbers with the answers quoted from them; ``state`` is one of those of
    ``core.judge.finding_life``, ``until`` the last day of an accepted risk, ``answer_by`` that by which
    its owner answers while it is open, by the policy. What was done about it are its entries."""

    __tablename__ = "finding"
    __table_args__ = (UniqueConstraint("case_id", "number", name="uq_finding_number"), TABLE_OPTIONS)

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    number: Mapped[int]
    severity: Mapped[int]
    title: Mapped[Short]
    what: Mapped[str] = mapped_column(Text)
    why: Mapped[str] = mapped_column(Text)
    action: Mapped[str] = mapped_column(Text)
    action_owner: Mapped[Short]
    due: Mapped[date | None] = mapped_column(Date)
    cites: Mapped[list[Any]] = mapped_column(JSON)
    state: Mapped[FindingState] = mapped_column(String(20), index=True)
    until: Mapped[date | None] = mapped_column(Date)
    answer_by: Mapped[date | None] = mapped_column(Date)
    author_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    revision: Mapped[int]
    created: Mapped[Moment]

    author: Mapped[Person] = relationship(foreign_keys=[author_id])
    entries: Mapped[list["FindingEntry"]] = relationship(order_by="FindingEntry.id")


class FindingEntry(Base):
    """What somebody did about a finding, or said of it; it stands as it was entered. Nobody's is the clock's.

    ``answer`` is the owner's: agrees, disputes or mended, then with the ``version`` that mends it.
    """

    __tablename__ = "finding_entry"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    finding_id: Mapped[int] = mapped_column(ForeignKey("finding.id"))
    at: Mapped[Moment]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    act: Mapped[str] = mapped_column(String(20))
    answer: Mapped[str | None] = mapped_column(String(20))
    text: Mapped[str] = mapped_column(Text)
    version: Mapped[Short] = mapped_column(server_default="")
    until: Mapped[date | None] = mapped_column(Date)

    person: Mapped[Person | None] = relationship(foreign_keys=[person_id])
    to: Mapped[list["Mention"]] = relationship(order_by="Mention.id")
    files: Mapped[list["FindingFile"]] = relationship(order_by="FindingFile.id")


class Mention(Base):
    """Somebody to whom a comment on a finding is addressed, and when they said that they have read it."""

    __tablename__ = "mention"
    __table_args__ = (UniqueConstraint("entry_id", "person_id", name="uq_mention"), TABLE_OPTIONS)

    id: Mapped[Key]
    entry_id: Mapped[int] = mapped_column(ForeignKey("finding_entry.id"))
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    read: Mapped[Moment | None]

    person: Mapped[Person] = relationship(foreign_keys=[person_id])


class FindingFile(EntryFile, Base):
    """A file sent with what was said of a finding."""

    __tablename__ = "finding_file"
    __table_args__ = (UniqueConstraint("entry_id", "path", name="uq_finding_file_path"), TABLE_OPTIONS)

    entry_id: Mapped[int] = mapped_column(ForeignKey("finding_entry.id"))


class Decision(Base):
    """A proposed decision and what became of it. state: proposed, accepted, sent_back.

    ``statement_sha256`` names the statement that was signed; None of what was proposed before there were statements.
    """

    __tablename__ = "decision"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    kind: Mapped[str] = mapped_column(String(40))
    reasons: Mapped[str] = mapped_column(Text)
    conditions: Mapped[list[Any]] = mapped_column(JSON)
    state: Mapped[str] = mapped_column(String(20))
    proposed_by: Mapped[int] = mapped_column(ForeignKey("person.id"))
    proposed: Mapped[Moment]
    answered_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    answered: Mapped[Moment | None]
    comment: Mapped[str] = mapped_column(Text)
    statement_sha256: Mapped[str | None] = mapped_column(
        String(64, collation="ascii_bin"), ForeignKey("blob.sha256"), index=True
    )

    proposer: Mapped[Person] = relationship(foreign_keys=[proposed_by])
    answerer: Mapped[Person | None] = relationship(foreign_keys=[answered_by])
