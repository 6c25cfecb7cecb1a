"""Approvals with their terms, the conditions they rest on, and what was done about each of these."""

from datetime import date

from sqlalchemy import Date, ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brookfall.core.judge.condition_life import ConditionState
from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment, Short
from brookfall.records.cases import Case
from brookfall.records.entries import EntryFile, EntryRow
from brookfall.records.findings_and_decisions import Decision


class Approval(Base):
    """An approval that was countersigned: from which day, and until the end of which. It never changes."""

    __tablename__ = "approval"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    decision_id: Mapped[int] = mapped_column(ForeignKey("decision.id"), unique=True)
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"), index=True)
    signed: Mapped[date] = mapped_column(Date)
    until: Mapped[date] = mapped_column(Date)

    case: Mapped[Case] = relationship()
    decision: Mapped[Decision] = relationship()
    conditions: Mapped[list["ApprovalCondition"]] = relationship(
        back_populates="approval", order_by="ApprovalCondition.number"
    )


class ApprovalCondition(Base):
    """What an approval rests on. ``state`` is one of those of ``core.judge.condition_life``; ``who`` has to meet it,
    and is empty where it is nobody by name."""

    __tablename__ = "approval_condition"
    __table_args__ = (
        UniqueConstraint("approval_id", "number", name="uq_approval_condition_number"),
        TABLE_OPTIONS,
    )

    id: Mapped[Key]
    approval_id: Mapped[int] = mapped_column(ForeignKey("approval.id"))
    number: Mapped[int]
    what: Mapped[str] = mapped_column(Text)
    who: Mapped[Short] = mapped_column(server_default="")
    due: Mapped[date] = mapped_column(Date)
    state: Mapped[ConditionState] = mapped_column(String(20))
    revision: Mapped[int]

    approval: Mapped[Approval] = relationship(back_populates="conditions")
    entries: Mapped[list["ConditionEntry"]] = relationship(order_by="ConditionEntry.id")


class ConditionEntry(EntryRow, Base):
    """What somebody did about a condition, or said of it; it stands as it was entered."""

    __tablename__ = "condition_entry"
    __table_args__ = TABLE_OPTIONS

    condition_id: Mapped[int] = mapped_column(ForeignKey("approval_condition.id"))

    files: Mapped[list["ConditionFile"]] = relationship(order_by="ConditionFile.id")


class ConditionFile(EntryFile, Base):
    """A file sent with what was said of a condition."""

    __tablename__ = "condition_file"
    __table_args__ = (UniqueConstraint("entry_id", "path", name="uq_condition_file_path"), TABLE_OPTIONS)

    entry_id: Mapped[int] = mapped_column(ForeignKey("condition_entry.id"))


class ApprovalNotice(Base):
    """That the people of an approval were told of a date, once: ``name`` is of ``core.judge.approval.notices_of``."""

    __tablename__ = "approval_notice"
    __table_args__ = TABLE_OPTIONS

    approval_id: Mapped[int] = mapped_column(ForeignKey("approval.id"), primary_key=True)
    name: Mapped[str] = mapped_column(String(40), primary_key=True)
    at: Mapped[Moment]
