"""Requests that came with a key: each is carried out once, and answered the same when it comes again.

``Idempotency-Key`` is a draft standard of the IETF's HTTPAPI group (draft-ietf-httpapi-idempotency-key-header).
"""

from datetime import timedelta
from typing import Any

from sqlalchemy import ForeignKey, String, delete
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Mapped, Session, mapped_column

from brookfall.core.foundation.errors import UserError
from brookfall.records.base import TABLE_OPTIONS, Base, Moment, Sha
from brookfall.records.clock import now

KEPT = timedelta(days=7)
"""So long an answer is kept; who asks again later asks anew."""


class IdempotencyKey(Base):
    """``asked`` is the SHA-256 of the request, ``answer`` what it was answered with."""

    __tablename__ = "idempotency_key"
    __table_args__ = TABLE_OPTIONS

    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), primary_key=True, autoincrement=False)
    key: Mapped[str] = mapped_column(String(80), primary_key=True)
    asked: Mapped[Sha]
    answer: Mapped[dict[str, Any]]
    created: Mapped[Moment] = mapped_column(index=True)


def begin(session: Session, person_id: int, key: str, asked: str) -> dict[str, Any] | None:
    """The answer where the request was carried out before; None where it is to be carried out now, in this transaction.

    Waits for the same request that somebody else is carrying out. UserError when the key was another request's.
    """
    row = {"person_id": person_id, "key": key, "asked": asked, "answer": {}, "created": now()}
    if session.execute(insert(IdempotencyKey).values(row).prefix_with("IGNORE")).rowcount == 1:  # type: ignore[attr-defined]
        return None
    # A lock reads what is there now, a plain read what was there when this transaction began. The insert left a shared
    # lock; several who wait to make theirs exclusive would be a deadlock.
    kept = session.get_one(IdempotencyKey, (person_id, key), with_for_update={"read": True})
    if kept.asked != asked:
        raise UserError("The idempotency key was that of another request.", todo="Send a key of its own with each.")
    return kept.answer


def finish(session: Session, person_id: int, key: str, answer: dict[str, Any]) -> None:
    """Keeps what the request was answered with."""
    session.get_one(IdempotencyKey, (person_id, key)).answer = answer


def forget_old(session: Session) -> None:
    session.execute(delete(IdempotencyKey).where(IdempotencyKey.created < now() - KEPT))
