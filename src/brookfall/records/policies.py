"""Policies of the house: each a version that two people sign, in force from a date until another is."""

from collections.abc import Sequence
from datetime import date
from typing import Any

from sqlalchemy import Date, ForeignKey, String, Text, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment, Short

OPEN = ("draft", "proposed")
"""States of a version that nobody is bound by yet; there is one of them at a time."""


class PolicyVersion(Base):
    """A policy. state: draft, proposed, signed, discarded.

    ``content`` is all that it says, and ``text_sha256`` names its text as both signed it. ``number`` counts those that
    were signed, from 1. ``revision`` tells who saves a draft whether somebody else did.
    """

    __tablename__ = "policy_version"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    number: Mapped[int | None] = mapped_column(unique=True)
    state: Mapped[str] = mapped_column(String(20))
    name: Mapped[Short]
    note: Mapped[str] = mapped_column(Text)
    content: Mapped[dict[str, Any]]
    revision: Mapped[int]
    drafted_by: Mapped[int] = mapped_column(ForeignKey("person.id"))
    drafted: Mapped[Moment]
    in_force_from: Mapped[date | None] = mapped_column(Date)
    text_sha256: Mapped[str | None] = mapped_column(
        String(64, collation="ascii_bin"), ForeignKey("blob.sha256"), index=True
    )
    proposed_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    proposed: Mapped[Moment | None]
    answered_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    answered: Mapped[Moment | None]
    comment: Mapped[str] = mapped_column(Text)


def in_force(session: Session, day: date) -> PolicyVersion | None:
    """Of the signed policies the one with the latest date up to a day; None before the first."""
    signed = select(PolicyVersion).where(PolicyVersion.state == "signed", PolicyVersion.in_force_from <= day)
    return session.scalar(signed.order_by(PolicyVersion.in_force_from.desc(), PolicyVersion.number.desc()).limit(1))


def signed_versions(session: Session) -> Sequence[PolicyVersion]:
    """Every policy that was signed, the newest first."""
    query = select(PolicyVersion).where(PolicyVersion.state == "signed")
    return session.scalars(query.order_by(PolicyVersion.number.desc())).all()


def open_version(session: Session, *, lock: bool = False) -> PolicyVersion | None:
    """The draft, or what was proposed and not answered; ``lock`` holds it until the commit."""
    query = select(PolicyVersion).where(PolicyVersion.state.in_(OPEN)).order_by(PolicyVersion.id.desc()).limit(1)
    return session.scalar(query.with_for_update() if lock else query)


def next_number(session: Session) -> int:
    """The number of the next policy that is signed."""
    return (session.scalar(select(func.max(PolicyVersion.number))) or 0) + 1
