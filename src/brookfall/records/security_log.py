"""The security log: who signed in, who was refused, what tokens were made. No password and no secret is in it.

The application's database user may only INSERT and SELECT here, as in the record.
"""

import logging
from typing import Literal

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, Session, mapped_column

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment
from brookfall.records.clock import now
from brookfall.records.people import Person

What = Literal[
    "signed in",
    "refused to sign in",
    "refused a signature",
    "throttled",
    "signed out",
    "changed a password",
    "made a token",
    "revoked a token",
    "refused a token",
    "disabled a person",
    "enabled a person",
    "made a one-time link",
    "set a password by a link",
    "refused a one-time link",
    "ended a session",
    "set up a second factor",
    "took a second factor away",
    "used a recovery code",
]

_log = logging.getLogger(__name__)


class SecurityEvent(Base):
    """``login`` is the name as it was typed, where nobody was known by it yet."""

    __tablename__ = "security_event"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    at: Mapped[Moment] = mapped_column(index=True)
    what: Mapped[str] = mapped_column(String(40))
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    login: Mapped[str] = mapped_column(String(80))
    address: Mapped[str] = mapped_column(String(45))
    detail: Mapped[str] = mapped_column(String(200))


def enter(session: Session, what: What, *, login: str, person: Person | None, address: str, detail: str = "") -> None:
    """Enters what happened, in the session's transaction, and tells the process's own log."""
    event = SecurityEvent(
        at=now(),
        what=what,
        person_id=person.id if person else None,
        login=login[:80],
        address=address[:45],
        detail=detail[:200],
    )
    session.add(event)
    _log.info("%s: %s from %s %s", what, login[:80], address, detail)
