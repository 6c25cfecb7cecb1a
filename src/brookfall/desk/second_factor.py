"""A second factor: codes of an authenticator that change every half minute (RFC 6238), and what stands in for it."""

import base64
import hmac
import secrets
from datetime import UTC

import pyotp
import segno
from cryptography.fernet import Fernet, InvalidToken
from sqlalchemy import ColumnElement, delete, func, select, update
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import UserError
from brookfall.desk import people
from brookfall.desk.views import NewAuthenticator, RecoveryCodes, SecondFactorView
from brookfall.records import audit_log, security_log
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.people import Person, RecoveryCode, SecondFactor

_CODES = 10
_STEP_SECONDS = 30
_EITHER_SIDE = 1
"""Steps by which the clock of an authenticator may be off."""


def view(session: Session, person: Person) -> SecondFactorView:
    """Whether a person has a second factor, since when, and how many codes stand in for it."""
    found = session.get(SecondFactor, person.id)
    since = found.confirmed if found is not None else None
    unused = select(func.count()).select_from(RecoveryCode).where(*_unused(person))
    return SecondFactorView(since=since, codes=session.scalar(unused) or 0 if since else 0)


def is_on(session: Session, person: Person) -> bool:
    """Whether signing in takes a code besides the password."""
    found = session.get(SecondFactor, person.id)
    return found is not None and found.confirmed is not None


def begin(session: Session, person: Person, password: str) -> NewAuthenticator:
    """What an authenticator is given, by text or picture; it counts once a code of it is confirmed.

    ForbiddenError for a wrong password; UserError where the person has one.
    """
    people.check_password(person, password, "Nothing was changed")
    found = session.get(SecondFactor, person.id, with_for_update=True)
    if found is not None and found.confirmed is not None:
        raise UserError("You have a second factor.", todo="Take it away first, to set up another.")
    secret = pyotp.random_base32()
    if found is None:
        found = SecondFactor(person_id=person.id, secret="", begun=now(), confirmed=None, last_step=0)
        session.add(found)
    found.secret, found.begun, found.last_step = _cipher().encrypt(secret.encode()).decode(), now(), 0
    session.flush()
    uri = pyotp.TOTP(secret).provisioning_uri(name=person.login, issuer_name="Brookfall")
    picture = segno.make(uri, error="m").svg_data_uri(scale=4, border=2, dark="#17282B", light="#FFFFFF")
    return NewAuthenticator(secret=secret, uri=uri, picture=picture)


def confirm(session: Session, person: Person, code: str, address: str = "") -> RecoveryCodes:
    """The second factor counts from now on; the codes that stand in for it, shown this once.

    UserError where the code is not right, or nothing was begun.
    """
    found = session.get(SecondFactor, person.id, with_for_update=True)
    if found is None or found.confirmed is not None:
        raise UserError("No second factor waits to be confirmed.", todo="Load the page again.")
    if not _is_code(found, code):
        raise UserError("The code is not right.", todo="Type the one that the authenticator shows now.")
    found.confirmed = now()
    codes = ["-".join(secrets.token_hex(2) for _ in range(3)) for _ in range(_CODES)]
    session.execute(delete(RecoveryCode).where(RecoveryCode.person_id == person.id))
    session.add_all(RecoveryCode(sha256=_code_name(person, one), person_id=person.id) for one in codes)
    security_log.enter(session, "set up a second factor", login=person.login, person=person, address=address)
    session.flush()
    return RecoveryCodes(codes=codes)


def check(session: Session, person: Person, code: str, address: str = "") -> bool:
    """Whether the code is one of the person's authenticator, or stands in for it; either can be used once."""
    found = session.get(SecondFactor, person.id, with_for_update=True)
    if found is None or found.confirmed is None:
        return False
    # First what stands in: it is there for when the authenticator's secret can't be read any more.
    name = _code_name(person, code)
    stands_in = update(RecoveryCode).where(*_unused(person), RecoveryCode.sha256 == name)
    if session.execute(stands_in.values(used=now())).rowcount != 1:  # type: ignore[attr-defined] # of a DML statement
        return _is_code(found, code)
    security_log.enter(session, "used a recovery code", login=person.login, person=person, address=address)
    return True


def take_away(session: Session, by: Person | None, person: Person, address: str = "") -> None:
    """The person signs in by their password alone. UserError where they do so already."""
    if not is_on(session, person):
        raise UserError(f"{person.name} has no second factor.", todo="Nothing was changed.")
    session.execute(delete(SecondFactor).where(SecondFactor.person_id == person.id))
    session.execute(delete(RecoveryCode).where(RecoveryCode.person_id == person.id))
    if by is None or by.id != person.id:
        audit_log.append(session, by, "took a second factor away", person.name)
    detail = "" if by is not None and by.id == person.id else f"by {by.name if by else 'the command line'}"
    security_log.enter(
        session, "took a second factor away", login=person.login, person=person, address=address, detail=detail
    )


def _is_code(found: SecondFactor, code: str) -> bool:
    """Whether it is the code of this half minute or one beside it, and later than the last that was used."""
    try:
        secret = _cipher().decrypt(found.secret.encode()).decode()
    except InvalidToken:
        raise UserError(
            "The second factor can't be read: the server's secret key is another.",
            todo="Ask an administrator to take it away; then set up another.",
        ) from None
    clock, typed = pyotp.TOTP(secret, interval=_STEP_SECONDS), code.strip().replace(" ", "")
    here = clock.timecode(now().replace(tzinfo=UTC))
    for step in range(max(here - _EITHER_SIDE, found.last_step + 1), here + _EITHER_SIDE + 1):
        if hmac.compare_digest(clock.generate_otp(step).encode(), typed.encode()):
            found.last_step = step
            return True
    return False


def _unused(person: Person) -> tuple[ColumnElement[bool], ...]:
    return RecoveryCode.person_id == person.id, RecoveryCode.used.is_(None)


def _code_name(person: Person, code: str) -> str:
    return sha256(f"{person.id} {code.strip().lower()}".encode())


def _cipher() -> Fernet:
    """Whoever has the database alone has no authenticator's secret."""
    key = bytes.fromhex(sha256(b"second factor " + config().secret_key.encode()))
    return Fernet(base64.urlsafe_b64encode(key))
