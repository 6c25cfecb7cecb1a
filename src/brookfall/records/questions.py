"""Questions to the owner of a case, and what was said of each."""

from datetime import date
from typing import Any

from sqlalchemy import JSON, Boolean, Date, ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brookfall.core.judge.question_life import QuestionState
from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment
from brookfall.records.cases import Case
from brookfall.records.entries import EntryFile, EntryRow
from brookfall.records.people import Person


class OwnerQuestion(Base):
    """What the reviewer asked the owner. ``about`` is what it was asked of, with its words as they were then, or
    nothing; while it ``holds`` the case, that waits for the owner."""

    __tablename__ = "owner_question"
    __table_args__ = (UniqueConstraint("case_id", "number", name="uq_owner_question_number"), TABLE_OPTIONS)

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    number: Mapped[int]
    text: Mapped[str] = mapped_column(Text)
    about: Mapped[dict[str, Any] | None] = mapped_column(JSON(none_as_null=True))
    due: Mapped[date | None] = mapped_column(Date)
    holds: Mapped[bool] = mapped_column(Boolean)
    state: Mapped[QuestionState] = mapped_column(String(20))
    revision: Mapped[int]
    asked: Mapped[Moment]
    asked_by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))

    case: Mapped[Case] = relationship()
    asked_by: Mapped[Person] = relationship()
    entries: Mapped[list["OwnerQuestionEntry"]] = relationship(order_by="OwnerQuestionEntry.id")


class OwnerQuestionEntry(EntryRow, Base):
    """What somebody answered, or said of a question; it stands as it was entered."""

    __tablename__ = "owner_question_entry"
    __table_args__ = TABLE_OPTIONS

    question_id: Mapped[int] = mapped_column(ForeignKey("owner_question.id"))

    files: Mapped[list["OwnerQuestionFile"]] = relationship(order_by="OwnerQuestionFile.id")


class OwnerQuestionFile(EntryFile, Base):
    """A file sent with what was said of a question."""

    __tablename__ = "owner_question_file"
    __table_args__ = (UniqueConstraint("entry_id", "path", name="uq_owner_question_file_path"), TABLE_OPTIONS)

    entry_id: Mapped[int] = mapped_column(ForeignKey("owner_question_entry.id"))
