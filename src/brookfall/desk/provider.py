"""Signing in by the house's own provider: who it says that somebody is, and what they may do."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import UserError
from brookfall.desk import accounts, letters
from brookfall.records import security_log
from brookfall.records.config import config
from brookfall.records.people import Person

Why = Literal["failed", "no_name", "no_role", "disabled", "other_person"]
"""Why somebody whom the provider let in is not let in here; the pages have the words."""
_SECOND_FACTORS = frozenset({"mfa", "otp", "hwk", "swk", "sc", "fpt", "face", "iris", "sms", "pop"})
"""Of the methods in a token's ``amr`` those beside a password (RFC 8176)."""


@dataclass(frozen=True)
class Told:
    """What a provider's token says of who signed in there; that it is the provider's word was checked before."""

    subject: str
    login: str
    name: str
    mail: str
    roles: tuple[str, ...]
    second_factor: bool


def told_by(claims: Mapping[str, Any]) -> Told | None:
    """Who a token is of, with their roles by the house's mapping; None where it names nobody."""
    login = claims.get(config().provider_login_claim)
    if not isinstance(login, str) or not login.strip():
        return None
    values = claims.get(config().provider_roles_claim)
    mapped = {config().provider_roles.get(value) for value in _texts(values)} - {None}
    verified = claims.get("email_verified", True) is True
    return Told(
        subject=sha256(f"{claims['iss']} {claims['sub']}".encode()),
        login=login.strip().lower(),
        name=str(claims.get("name") or login).strip()[:200],
        mail=str(claims.get("email") or "") if verified else "",
        roles=tuple(sorted(role for role in mapped if role is not None)),
        second_factor=bool(_SECOND_FACTORS & set(_texts(claims.get("amr")))),
    )


def sign_in(session: Session, told: Told, address: str) -> Person | Why:
    """The person that the provider names, with the roles that it gives them, a new one where nobody was; or why not.

    An account of the same login is theirs from their first sign-in on: so the claim that names it must be the
    provider's word, and nobody's own choice. Either way it is in the security log.
    """
    person = known(session, told)
    why = _why_not(person, told)
    if why is not None:
        detail = f"by the provider: {why.replace('_', ' ')}"
        security_log.enter(
            session, "refused to sign in", login=told.login, person=person, address=address, detail=detail
        )
        return why
    if person is None:
        person = accounts.add(session, None, told.login, told.name, told.roles, _mail_of(told))
    person.subject_sha256 = told.subject
    detail = "by the provider"
    try:
        accounts.set_roles(session, None, person.id, told.roles)
    except UserError:
        # Nobody would be left to add people: what the provider says of the last administrator has to wait.
        detail = "by the provider; the last administrator stays one"
    security_log.enter(session, "signed in", login=person.login, person=person, address=address, detail=detail)
    return person


def _why_not(person: Person | None, told: Told) -> Why | None:
    if person is not None and person.subject_sha256 not in (None, told.subject):
        return "other_person"
    if person is not None and person.disabled is not None:
        return "disabled"
    if not told.roles:
        return "no_role"
    return None if person is not None or accounts.may_be_login(told.login) else "no_name"


def known(session: Session, told: Told) -> Person | None:
    """The person of whom a provider's token tells: by who they are to it, else by their login; None where nobody is."""
    by_subject = session.scalar(select(Person).where(Person.subject_sha256 == told.subject).with_for_update())
    return by_subject or session.scalar(select(Person).where(Person.login == told.login).with_for_update())


def _mail_of(told: Told) -> str:
    """Where they are mailed; nowhere where the provider tells no address that can be written to."""
    try:
        return letters.checked_address(told.mail)
    except UserError:
        return ""


def _texts(values: object) -> Iterable[str]:
    """The values of a claim that is a text, or several."""
    if isinstance(values, str):
        return [values, *values.split()]  # a name may have spaces; several may stand in one text
    return [one for one in values if isinstance(one, str)] if isinstance(values, list) else []
