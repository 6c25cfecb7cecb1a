"""An entry of the record as it leaves the house: all that it says, its hash and its signature."""

import json
from datetime import datetime

from pydantic import BaseModel, ConfigDict

from brookfall.core.foundation import digest
from brookfall.core.foundation.signature import is_signed, key_id

ANNOUNCED = "announced a key of the record"
"""The act of the entry that names a public key; the first such key vouches for those announced after it."""


class RecordLine(BaseModel):
    """``before`` and ``after`` are JSON texts, ``previous`` the hash of the entry before this one, of whatever case.

    ``signature`` is that of ``hash`` by the key ``key_id``; both are None where entries were not signed yet.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, from_attributes=True)

    id: int
    at: datetime
    person_id: int | None
    who: str
    case_id: int | None
    act: str
    subject: str
    before: str
    after: str
    previous: str
    hash: str
    key_id: str | None
    signature: str | None

    def digest(self) -> str:
        """SHA-256 over all that the entry says and the hash of the one before: its ``hash``, if it is whole."""
        return digest.of_json(
            [
                self.id,
                self.at.isoformat(),
                self.person_id,
                self.who,
                self.case_id,
                self.act,
                self.subject,
                self.before,
                self.after,
                self.previous,
            ]
        )

    @property
    def announced(self) -> str | None:
        """The public key that the entry announces; None where it is no such entry, or says another than it is called
        by: whoever forges an entry may write anything."""
        if self.act != ANNOUNCED:
            return None
        try:
            public = json.loads(self.after)["public"]
            return str(public) if key_id(public) == self.subject else None
        except (KeyError, TypeError, ValueError):
            return None


class Trusted:
    """The keys that signatures are held against: the first that was announced, and those it vouches for."""

    def __init__(self) -> None:
        self.keys: dict[str, str] = {}
        self.signed_from: int | None = None

    def fault_of(self, entry: RecordLine) -> str | None:
        """What is wrong with the signature of the next entry, if anything; None of what is before the first key."""
        announced = entry.announced
        if announced is not None and not self.keys:
            self.signed_from = entry.id
            self.keys[key_id(announced)] = announced
        if not self.keys:
            return None
        if entry.signature is None or entry.key_id is None:
            return f"entry {entry.id} is not signed"
        public = self.keys.get(entry.key_id)
        if public is None:
            return f"entry {entry.id} is signed by a key that nobody vouched for"
        if not is_signed(public, entry.hash, entry.signature):
            return f"entry {entry.id} has a signature that is not its own"
        if announced is not None:
            self.keys[key_id(announced)] = announced
        return None
