"""Letters: what is mailed to people, kept until it is sent; and what each was told of last."""

from datetime import date
from typing import Any

from sqlalchemy import JSON, BigInteger, Date, ForeignKey, Index, String, Text
from sqlalchemy.orm import Mapped, mapped_column

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment, Short


class Letter(Base):
    """A mail to somebody, as it is sent. state: waiting, sent, failed; one that failed was tried for days."""

    __tablename__ = "letter"
    __table_args__ = (Index("ix_letter_state", "state", "next_try"), TABLE_OPTIONS)

    id: Mapped[Key]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    address: Mapped[str] = mapped_column(String(320))
    subject: Mapped[Short]
    text: Mapped[str] = mapped_column(Text)
    html: Mapped[str] = mapped_column(Text)
    written: Mapped[Moment]
    state: Mapped[str] = mapped_column(String(20))
    attempts: Mapped[int]
    next_try: Mapped[Moment]
    said: Mapped[str] = mapped_column(Text, doc="why the last attempt failed")


class ToldOf(Base):
    """How far a person was told by mail: what waited for them, with how many of each; the last entry of the record;
    the last day of a digest, and of a letter with the record's head."""

    __tablename__ = "told_of"
    __table_args__ = TABLE_OPTIONS

    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), primary_key=True)
    waits: Mapped[dict[str, Any]] = mapped_column(JSON)
    entry: Mapped[int] = mapped_column(BigInteger)
    digest: Mapped[date | None] = mapped_column(Date)
    head: Mapped[date | None] = mapped_column(Date)
