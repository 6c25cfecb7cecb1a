"""Carries a request out once that comes with a key, however often it is sent."""

from collections.abc import Callable
from typing import TypeVar

from flask import request
from pydantic import BaseModel
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import UserError
from brookfall.records import idempotency
from brookfall.records.people import Person

V = TypeVar("V", bound=BaseModel)

HEADER = "Idempotency-Key"
_LONGEST = 80


def once(session: Session, person: Person, shape: type[V], act: Callable[[], V]) -> V:
    """What the act gives; or, where this person sent the same request with this key before, what it gave then.

    The key and what is made are kept in one transaction: either both are there or neither.
    """
    key = request.headers.get(HEADER)
    if key is None:
        return act()
    if not 1 <= len(key) <= _LONGEST or not key.isascii():
        raise UserError(f"{HEADER} is not 1 to {_LONGEST} plain characters.", todo="Send a random one.")
    asked = sha256(b"\n".join([request.method.encode(), request.full_path.encode(), request.get_data()]))
    before = idempotency.begin(session, person.id, key, asked)
    if before is not None:
        return shape.model_validate(before)
    made = act()
    idempotency.finish(session, person.id, key, made.model_dump(mode="json"))
    return made
