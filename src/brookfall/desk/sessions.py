"""Where people are signed in: kept on the server, so that a session ends when somebody says so."""

import secrets
from datetime import datetime, timedelta

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import MissingError
from brookfall.desk.views import SessionView
from brookfall.records import security_log
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.people import BrowserSession, Person, Token

_SEEN_AGAIN = timedelta(minutes=1)
_SHOWN = 16
"""Digits of a session's name by which a person tells their own apart."""


def begin(session: Session, person: Person, address: str, before: str | None = None) -> str:
    """A new session of the person; its secret. The one that this browser had ``before`` ends."""
    if before is not None:
        end(session, before)
    secret = secrets.token_urlsafe(32)
    session.add(
        BrowserSession(sha256=_name(secret), person_id=person.id, began=now(), seen=now(), address=address[:45])
    )
    session.flush()
    return secret


def person_by(session: Session, secret: str) -> Person | None:
    """The person whose session this is; None where it ended, was idle too long, or has lasted too long."""
    query = (
        select(BrowserSession, Person)
        .join(Person, Person.id == BrowserSession.person_id)
        .where(BrowserSession.sha256 == _name(secret), BrowserSession.ended.is_(None), Person.disabled.is_(None))
    )
    row = session.execute(query).one_or_none()
    if row is None or now() >= ends(row[0]):
        return None
    found, person = row
    if now() - found.seen >= _SEEN_AGAIN:
        session.execute(update(BrowserSession).where(BrowserSession.sha256 == found.sha256).values(seen=now()))
    return person


def ends(one: BrowserSession) -> datetime:
    """When a session ends of itself, if nothing more is asked in it."""
    idle = one.seen + timedelta(minutes=config().session_idle_minutes)
    return min(idle, one.began + timedelta(hours=config().session_hours))


def end(session: Session, secret: str) -> None:
    """Ends a session, at once and everywhere."""
    mine = (BrowserSession.sha256 == _name(secret), BrowserSession.ended.is_(None))
    session.execute(update(BrowserSession).where(*mine).values(ended=now()))


def end_all(session: Session, person: Person, *, but: str | None = None, tokens: bool = False) -> None:
    """Ends every session of a person, except the one with the secret ``but``; and their tokens, if so asked."""
    open_ones = [BrowserSession.person_id == person.id, BrowserSession.ended.is_(None)]
    if but is not None:
        open_ones.append(BrowserSession.sha256 != _name(but))
    session.execute(update(BrowserSession).where(*open_ones).values(ended=now()))
    if tokens:
        held = (Token.person_id == person.id, Token.revoked.is_(None))
        session.execute(update(Token).where(*held).values(revoked=now()))


def own(session: Session, person: Person, secret: str) -> list[SessionView]:
    """The person's sessions that go on, the one last used first; ``secret`` is that of the one that asks."""
    query = select(BrowserSession).where(BrowserSession.person_id == person.id, BrowserSession.ended.is_(None))
    found = session.scalars(query.order_by(BrowserSession.seen.desc(), BrowserSession.sha256)).all()
    mine = _name(secret)
    return [
        SessionView(
            id=one.sha256[:_SHOWN], began=one.began, seen=one.seen, address=one.address, this=one.sha256 == mine
        )
        for one in found
        if now() < ends(one)
    ]


def end_one(session: Session, person: Person, shown: str, address: str = "") -> None:
    """Ends one of the person's own sessions, at once; MissingError where it is none of theirs, or over."""
    query = select(BrowserSession).where(
        BrowserSession.person_id == person.id, BrowserSession.ended.is_(None), BrowserSession.sha256.startswith(shown)
    )
    found = session.scalars(query.with_for_update()).all()
    if len(shown) != _SHOWN or len(found) != 1:
        raise MissingError("There is no such session, or it is over.", todo="Load the page again.")
    found[0].ended = now()
    security_log.enter(
        session, "ended a session", login=person.login, person=person, address=address, detail=found[0].address
    )


def _name(secret: str) -> str:
    return sha256(secret.encode())
