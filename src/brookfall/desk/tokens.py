"""Personal tokens: a script acts for a person, without their password. The secret is shown once and kept as a hash."""

import secrets

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.desk.views import NewToken, TokenView
from brookfall.records import audit_log
from brookfall.records.base import now
from brookfall.records.people import Person, Token

_MOST = 20


def make(session: Session, person: Person, name: str) -> NewToken:
    """A new token; its secret can't be had again. UserError when there are too many."""
    held = [token for token in _tokens(session, person) if token.revoked is None]
    if len(held) >= _MOST:
        raise UserError(f"You have {_MOST} tokens.", todo="Revoke one that is no longer used.")
    secret = secrets.token_urlsafe(32)
    token = Token(person_id=person.id, name=name, sha256=sha256(secret.encode()), created=now())
    session.add(token)
    session.flush()
    audit_log.append(session, person, "made a token", name, after={"token": token.id})
    return NewToken(secret=secret, token=_view(token))


def tokens_view(session: Session, person: Person) -> list[TokenView]:
    """The person's own tokens, the newest first, without their secrets."""
    return [_view(token) for token in _tokens(session, person)]


def revoke(session: Session, person: Person, token_id: int) -> list[TokenView]:
    """Ends a token of the person's own, at once; MissingError for another's."""
    token = session.get(Token, token_id, with_for_update=True)
    if token is None or token.person_id != person.id:
        raise MissingError("There is no such token.", todo="Load the page again.")
    if token.revoked is None:
        token.revoked = now()
        audit_log.append(session, person, "revoked a token", token.name, after={"token": token.id})
        session.flush()
    return tokens_view(session, person)


def person_by(session: Session, secret: str) -> int | None:
    """The id of the person whose token this is; None for one that is unknown or revoked."""
    token = session.scalar(select(Token).where(Token.sha256 == sha256(secret.encode()), Token.revoked.is_(None)))
    if token is None:
        return None
    token.used = now()
    return token.person_id


def _tokens(session: Session, person: Person) -> list[Token]:
    return list(session.scalars(select(Token).where(Token.person_id == person.id).order_by(Token.id.desc())))


def _view(token: Token) -> TokenView:
    return TokenView(id=token.id, name=token.name, created=token.created, used=token.used, revoked=token.revoked)
