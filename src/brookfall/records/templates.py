"""Templates of the house: texts of findings, and plans, kept to be begun from."""

from collections.abc import Sequence
from typing import Any

from sqlalchemy import ForeignKey, String, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment, Short
from brookfall.records.people import Person


class Template(Base):
    """kind: finding, plan. ``fits`` is the check that a finding's text is for, or the outcome that a plan is for; empty
    where it fits any. ``closed`` is since when it is offered no more."""

    __tablename__ = "template"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    kind: Mapped[str] = mapped_column(String(20))
    name: Mapped[Short]
    fits: Mapped[str] = mapped_column(String(40))
    content: Mapped[dict[str, Any]]
    made_by: Mapped[int] = mapped_column(ForeignKey("person.id"))
    made: Mapped[Moment]
    revision: Mapped[int]
    closed: Mapped[Moment | None]

    maker: Mapped[Person] = relationship()


def open_templates(session: Session, kind: str, fits: str | None = None) -> Sequence[Template]:
    """Those that are offered, by name: all of a kind, or those that fit a check or outcome, these before any others."""
    query = select(Template).where(Template.kind == kind, Template.closed.is_(None))
    if fits is not None:
        query = query.where(Template.fits.in_((fits, "")))
    return session.scalars(query.order_by(Template.fits.desc() if fits else Template.name, Template.name)).all()
