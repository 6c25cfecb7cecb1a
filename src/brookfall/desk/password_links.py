"""One-time links: by one a person gives themselves a first password, or a new one that nobody else has seen."""

import secrets
from datetime import timedelta

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.desk import people, sessions
from brookfall.desk.passwords import refuse_weak
from brookfall.desk.views import LinkView
from brookfall.records import audit_log, security_log
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.people import PasswordLink, Person

LASTS = timedelta(days=3)


def make(session: Session, by: Person | None, person: Person, address: str = "") -> str:
    """The secret of a new link for the person, which can't be had again. Links that they had before end.

    ``by`` is None at the command line. UserError where the person is disabled.
    """
    _refuse_without_local_accounts()
    if person.disabled is not None:
        raise UserError(f"{person.name} is disabled.", todo="Let them sign in again first.")
    people.end_links(session, person)
    secret = secrets.token_urlsafe(32)
    ends = now() + LASTS
    session.add(
        PasswordLink(
            sha256=sha256(secret.encode()), person_id=person.id, made=now(), made_by=by.id if by else None, ends=ends
        )
    )
    session.flush()
    audit_log.append(session, by, "made a one-time link", person.name, after={"ends": ends.isoformat()})
    detail = f"by {by.name}" if by else "at the command line"
    security_log.enter(
        session, "made a one-time link", login=person.login, person=person, address=address, detail=detail
    )
    return secret


def look(session: Session, secret: str) -> LinkView:
    """Whose link it is. MissingError where it is none, was used, or is over."""
    link, person = _open(session, secret)
    return LinkView(login=person.login, name=person.name, ends=link.ends)


def use(session: Session, secret: str, password: str, address: str = "") -> Person:
    """Gives the person their password by the link, which has done its work then; every session of theirs ends.

    Raises
    ------
    MissingError
        It is no link, was used, or is over.
    UserError
        The password is too short or too easily guessed; the link can still be used.
    """
    _refuse_without_local_accounts()
    link, person = _open(session, secret, lock=True)
    people.set_password(person, refuse_weak(password, people.known_of(person)))
    link.used = now()
    sessions.end_all(session, person)
    security_log.enter(session, "set a password by a link", login=person.login, person=person, address=address)
    session.flush()
    return person


def _refuse_without_local_accounts() -> None:
    if not config().local_accounts:
        raise UserError(
            "Nobody has a password here.",
            todo=f"People sign in by {config().provider_name}, which has their passwords.",
        )


def _open(session: Session, secret: str, *, lock: bool = False) -> tuple[PasswordLink, Person]:
    query = (
        select(PasswordLink, Person)
        .join(Person, Person.id == PasswordLink.person_id)
        .where(PasswordLink.sha256 == sha256(secret.encode()), PasswordLink.used.is_(None))
        .where(PasswordLink.ends > now(), Person.disabled.is_(None))
    )
    row = session.execute(query.with_for_update() if lock else query).one_or_none()
    if row is None:
        raise MissingError("This link was used, or is over.", todo="Ask an administrator for another.")
    return row[0], row[1]
