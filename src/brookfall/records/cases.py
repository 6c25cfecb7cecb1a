"""Cases, their files and the columns of their table."""

from datetime import date
from typing import Any

from sqlalchemy import Date, ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brookfall.core.judge.case_life import CaseState, Priority
from brookfall.records.base import TABLE_OPTIONS, Base, Bytes, Key, Moment, Sha, Short
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person


class Blob(Base):
    """A file or a column's values, known by the SHA-256 of its bytes and kept in chunks of at most 1 MiB.

    ``erased`` says since when the chunks are gone, by two people's word; None while they are there.
    """

    __tablename__ = "blob"
    __table_args__ = TABLE_OPTIONS

    sha256: Mapped[Sha] = mapped_column(primary_key=True)
    size: Mapped[int]
    erased: Mapped[Moment | None]


class BlobChunk(Base):
    __tablename__ = "blob_chunk"
    __table_args__ = TABLE_OPTIONS

    sha256: Mapped[Sha] = mapped_column(ForeignKey("blob.sha256"), primary_key=True)
    seq: Mapped[int] = mapped_column(primary_key=True)
    data: Mapped[Bytes]


class Case(Base):
    """One submitted version of one model, under review; ``model`` is the name that it was submitted under.

    ``review`` is 1 of the first review of a version; those after it are re-reviews of what was approved.

    ``rows_taken`` says since when its rows can't be read, as their term was over; None while they can.
    """

    __tablename__ = "case_file"
    __table_args__ = (UniqueConstraint("model_id", "version", "review", name="uq_case_file_review"), TABLE_OPTIONS)

    id: Mapped[Key]
    model_id: Mapped[int] = mapped_column(ForeignKey("model.id"))
    model: Mapped[Short]
    version: Mapped[str] = mapped_column(String(40))
    review: Mapped[int] = mapped_column(server_default="1")
    tier: Mapped[int]
    outcome: Mapped[str] = mapped_column(String(20))
    submission: Mapped[dict[str, Any]]
    package_sha256: Mapped[Sha]
    table_fingerprint: Mapped[Sha]
    n_rows: Mapped[int]
    state: Mapped[CaseState] = mapped_column(String(20))
    due: Mapped[date | None] = mapped_column(Date)
    priority: Mapped[Priority] = mapped_column(String(10), server_default="normal")
    owner_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    reviewer_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    reviewed_by: Mapped[list[Any]] = mapped_column(server_default="[]", doc="the ids of all who ever reviewed it")
    countersigner_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    roles: Mapped[dict[str, Any]]
    roles_revision: Mapped[int]
    plan: Mapped[dict[str, Any]]
    plan_revision: Mapped[int]
    plan_locked: Mapped[Moment | None]
    plan_locked_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    deviating: Mapped[bool] = mapped_column(server_default="0")
    changes: Mapped[list[Any]] = mapped_column(server_default="[]")
    added: Mapped[list[Any]] = mapped_column(server_default="[]")
    table_version: Mapped[int] = mapped_column(server_default="1")
    label_marks: Mapped[list[Any]] = mapped_column(server_default="[]", doc="what the reviewer says of single labels")
    created: Mapped[Moment]
    rows_taken: Mapped[Moment | None]
    begun_from: Mapped[int | None] = mapped_column(ForeignKey("case_file.id"))
    plan_name: Mapped[Short] = mapped_column(server_default="")
    plan_note: Mapped[str] = mapped_column(Text, server_default="")

    registered: Mapped[RegisteredModel] = relationship()
    owner: Mapped[Person] = relationship(foreign_keys=[owner_id])
    reviewer: Mapped[Person | None] = relationship(foreign_keys=[reviewer_id])
    countersigner: Mapped[Person | None] = relationship(foreign_keys=[countersigner_id])

    def give_to(self, person: Person) -> None:
        """The person is its reviewer from now on, and never its countersigner."""
        self.reviewer_id = person.id
        self.reviewed_by = sorted({*self.reviewed_by, person.id})

    @property
    def is_locked(self) -> bool:
        """Whether plan, roles and data stay as they are: the plan was locked and no deviation is open."""
        return self.plan_locked is not None and not self.deviating


class Deviation(Base):
    """A change of plan, roles or data after locking, with its reason. ``closed`` is None while it is open.

    ``before`` and ``after`` hold plan, roles and changes of the table; ``said`` is what differs, in words.
    """

    __tablename__ = "deviation"
    __table_args__ = (UniqueConstraint("case_id", "number", name="uq_deviation_number"), TABLE_OPTIONS)

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    number: Mapped[int]
    reason: Mapped[str] = mapped_column(Text)
    by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    opened: Mapped[Moment]
    closed: Mapped[Moment | None]
    before: Mapped[dict[str, Any]]
    after: Mapped[dict[str, Any] | None]
    said: Mapped[list[Any]]

    by: Mapped[Person] = relationship(foreign_keys=[by_id])


class SubmittedFile(Base):
    __tablename__ = "submitted_file"
    __table_args__ = (UniqueConstraint("case_id", "path", name="uq_submitted_file_path"), TABLE_OPTIONS)

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    path: Mapped[str] = mapped_column(String(500))
    sha256: Mapped[Sha] = mapped_column(ForeignKey("blob.sha256"))


class StoredColumn(Base):
    """A column of a version of one of a case's tables: its description here, its values and its levels as blobs.

    ``table_name`` is empty for the rows under review; version 1 is what was submitted.
    """

    __tablename__ = "stored_column"
    __table_args__ = (
        UniqueConstraint("case_id", "table_name", "version", "position", name="uq_stored_column_place"),
        TABLE_OPTIONS,
    )

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    table_name: Mapped[Short] = mapped_column(server_default="")
    version: Mapped[int] = mapped_column(server_default="1")
    position: Mapped[int]
    name: Mapped[str] = mapped_column(Text)
    kind: Mapped[str] = mapped_column(String(20))
    values_sha256: Mapped[Sha] = mapped_column(ForeignKey("blob.sha256"))
    levels_sha256: Mapped[Sha] = mapped_column(ForeignKey("blob.sha256"))
    profile: Mapped[dict[str, Any]]


class DroppedColumn(Base):
    """Bytes of a column that a case had once: in a version of its rows that was undone, or in a table that was taken
    away. They go when its rows go."""

    __tablename__ = "dropped_column"
    __table_args__ = (UniqueConstraint("case_id", "sha256", name="uq_dropped_column"), TABLE_OPTIONS)

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    sha256: Mapped[Sha] = mapped_column(ForeignKey("blob.sha256"))


class KeptLook(Base):
    """What was seen when looking at a table under roles, by the key of both; ``fault`` says why nothing could be."""

    __tablename__ = "kept_look"
    __table_args__ = TABLE_OPTIONS

    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"), primary_key=True)
    key: Mapped[Sha] = mapped_column(primary_key=True)
    content: Mapped[dict[str, Any] | None]
    fault: Mapped[str | None] = mapped_column(Text)


class KeptCounts(Base):
    """What a case's plan comes to, by the key of both; ``content`` as in ``desk.plan_counts``."""

    __tablename__ = "kept_counts"
    __table_args__ = TABLE_OPTIONS

    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"), primary_key=True)
    key: Mapped[Sha] = mapped_column(primary_key=True)
    content: Mapped[dict[str, Any]]


class Note(Base):
    """The margin of a case: working notes, saved as typed; ``revision`` counts the saves."""

    __tablename__ = "note"
    __table_args__ = (UniqueConstraint("case_id", "author_id", name="uq_note_author"), TABLE_OPTIONS)

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    author_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    text: Mapped[str] = mapped_column(Text)
    set_aside: Mapped[list[Any]]
    revision: Mapped[int] = mapped_column(server_default="1")
    changed: Mapped[Moment]


class SharedNote(Base):
    """A note that the validators of a case share: who reads it is said in one place, and no owner does. It stays."""

    __tablename__ = "shared_note"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    author_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[Moment]
    text: Mapped[str] = mapped_column(Text)

    author: Mapped[Person] = relationship(foreign_keys=[author_id])
