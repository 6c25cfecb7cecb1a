"""Personal tokens: a script acts for a person, without their password. The secret is shown once and kept as a hash."""

import secrets
from collections.abc import Sequence
from datetime import timedelta
from typing import Literal

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.desk.views import NewToken, TokenView
from brookfall.records import audit_log, security_log
from brookfall.records.clock import now
from brookfall.records.people import Person, Token

Scope = Literal["read", "submit"]
SCOPES: tuple[Scope, ...] = ("read", "submit")
"""What a token may be for: to read what its person may see, to send models in their name. None signs or reviews."""
_MOST = 20


def make(
    session: Session, person: Person, name: str, scopes: Sequence[Scope], days: int, address: str = ""
) -> NewToken:
    """A new token, for so many days; its secret can't be had again. UserError when there are too many."""
    held = [token for token in _tokens(session, person) if token.revoked is None and token.ends > now()]
    if len(held) >= _MOST:
        raise UserError(f"You have {_MOST} tokens.", todo="Revoke one that is no longer used.")
    secret = secrets.token_urlsafe(32)
    token = Token(
        person_id=person.id,
        name=name,
        sha256=sha256(secret.encode()),
        scopes=[scope for scope in SCOPES if scope in scopes],
        created=now(),
        ends=now() + timedelta(days=days),
    )
    session.add(token)
    session.flush()
    after = {"token": token.id, "scopes": token.scopes, "ends": token.ends.isoformat()}
    audit_log.append(session, person, "made a token", name, after=after)
    security_log.enter(session, "made a token", login=person.login, person=person, address=address, detail=name)
    return NewToken(secret=secret, token=_view(token))


def tokens_view(session: Session, person: Person) -> list[TokenView]:
    """The person's own tokens, the newest first, without their secrets."""
    return [_view(token) for token in _tokens(session, person)]


def revoke(session: Session, person: Person, token_id: int, address: str = "") -> list[TokenView]:
    """Ends a token of the person's own, at once; MissingError for another's."""
    token = session.get(Token, token_id, with_for_update=True)
    if token is None or token.person_id != person.id:
        raise MissingError("There is no such token.", todo="Load the page again.")
    if token.revoked is None:
        token.revoked = now()
        audit_log.append(session, person, "revoked a token", token.name, after={"token": token.id})
        detail = token.name
        security_log.enter(
            session, "revoked a token", login=person.login, person=person, address=address, detail=detail
        )
        session.flush()
    return tokens_view(session, person)


def bearer_of(session: Session, secret: str) -> tuple[int, frozenset[str]] | None:
    """Whose token this is and what it may do; None for one that is unknown, revoked or over, or of who is disabled."""
    query = (
        select(Token)
        .join(Person, Person.id == Token.person_id)
        .where(Token.sha256 == sha256(secret.encode()), Token.revoked.is_(None), Person.disabled.is_(None))
    )
    token = session.scalar(query)
    if token is None or now() >= token.ends:
        return None
    token.used = now()
    return token.person_id, frozenset(token.scopes)


def _tokens(session: Session, person: Person) -> list[Token]:
    return list(session.scalars(select(Token).where(Token.person_id == person.id).order_by(Token.id.desc())))


def _view(token: Token) -> TokenView:
    return TokenView(
        id=token.id,
        name=token.name,
        scopes=token.scopes,
        created=token.created,
        ends=token.ends,
        used=token.used,
        revoked=token.revoked,
    )
