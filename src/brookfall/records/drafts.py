"""Submissions that are being put together: the brief half done, files sent piece by piece, and how far taking in is."""

from datetime import date
from typing import Any

from sqlalchemy import BigInteger, Boolean, Date, Double, ForeignKey, Index, String, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column

from brookfall.records.base import TABLE_OPTIONS, Base, Bytes, Key, Moment, Sha
from brookfall.records.people import Person


class Draft(Base):
    """state: open, waiting, leased, done.

    ``case_id`` is the case it became, ``fault`` why it did not; ``added_to`` is the case that its file goes beside,
    where a reviewer adds one.
    """

    __tablename__ = "draft"
    __table_args__ = (Index("ix_draft_state", "state", "lease_until"), TABLE_OPTIONS)

    id: Mapped[Key]
    person_id: Mapped[int] = mapped_column(ForeignKey(Person.id))
    brief: Mapped[dict[str, Any]]
    due: Mapped[date | None] = mapped_column(Date)
    revision: Mapped[int]
    state: Mapped[str] = mapped_column(String(20))
    doing: Mapped[str] = mapped_column(String(500))
    share: Mapped[float] = mapped_column(Double)
    lease_until: Mapped[Moment | None]
    worker: Mapped[str | None] = mapped_column(String(80))
    attempts: Mapped[int]
    fault: Mapped[dict[str, Any] | None]
    case_id: Mapped[int | None] = mapped_column(ForeignKey("case_file.id"))
    added_to: Mapped[int | None] = mapped_column(ForeignKey("case_file.id"))
    scored: Mapped[bool] = mapped_column(
        Boolean, doc="whether its rows are scored there, and not kept beside the others"
    )
    created: Mapped[Moment]
    changed: Mapped[Moment]


class DraftFile(Base):
    """A file of a draft: how large it is, how much of it has come. ``stamp`` tells it from a changed one."""

    __tablename__ = "draft_file"
    __table_args__ = (UniqueConstraint("draft_id", "path", name="uq_draft_file_path"), TABLE_OPTIONS)

    id: Mapped[Key]
    draft_id: Mapped[int] = mapped_column(ForeignKey("draft.id", ondelete="CASCADE"))
    path: Mapped[str] = mapped_column(String(500))
    stamp: Mapped[str] = mapped_column(String(100))
    size: Mapped[int] = mapped_column(BigInteger)
    received: Mapped[int] = mapped_column(BigInteger)


class DraftPiece(Base):
    """At most 1 MiB of a file, from byte ``start``, with the SHA-256 that it came with."""

    __tablename__ = "draft_piece"
    __table_args__ = TABLE_OPTIONS

    file_id: Mapped[int] = mapped_column(ForeignKey("draft_file.id", ondelete="CASCADE"), primary_key=True)
    start: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    sha256: Mapped[Sha]
    data: Mapped[Bytes]
