"""Codes to sign with: the house's provider has just confirmed who somebody is, and it holds for one signature."""

import secrets
from datetime import timedelta

from sqlalchemy import select, update
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.records.clock import now
from brookfall.records.people import Person, SigningCode

LASTS = timedelta(minutes=5)


def make(session: Session, person: Person, *, second_factor: bool) -> str:
    """A new code of the person's, which can't be had again; ``second_factor``: whether one was used at the provider."""
    code = secrets.token_urlsafe(24)
    session.add(
        SigningCode(sha256=_name(code), person_id=person.id, ends=now() + LASTS, used=None, second_factor=second_factor)
    )
    session.flush()
    return code


def use(session: Session, person: Person, typed: str) -> bool:
    """Whether it is a code of the person's that goes on and was not used; from now on it is."""
    mine = (SigningCode.sha256 == _name(typed.strip()), SigningCode.person_id == person.id)
    open_ones = update(SigningCode).where(*mine, SigningCode.used.is_(None), SigningCode.ends > now())
    return session.execute(open_ones.values(used=now())).rowcount == 1  # type: ignore[attr-defined] # of a DML statement


def by_second_factor(session: Session, person: Person) -> bool:
    """Whether the provider has just confirmed the person by a second factor."""
    going_on = select(SigningCode.sha256).where(
        SigningCode.person_id == person.id, SigningCode.ends > now(), SigningCode.second_factor.is_(True)
    )
    return session.scalar(going_on.limit(1)) is not None


def _name(code: str) -> str:
    return sha256(code.encode())
