"""The record: who did what when, before and after. Each entry carries the hash of the one before, and is signed.

The application's database user may only INSERT and SELECT here; ``record_head`` is the one row that is locked
while an entry is appended, and says how long the chain is. The key that signs is in no database.
Whoever appends of a case has locked the case first, as everybody does who changes one: nobody waits in a circle.
"""

from dataclasses import dataclass, field
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, String, Text, select, text
from sqlalchemy.dialects.mysql import MEDIUMTEXT
from sqlalchemy.orm import Mapped, Session, mapped_column

from brookfall.core.evidence.acts import kind_of
from brookfall.core.evidence.record_line import ANNOUNCED, RecordLine, Trusted
from brookfall.core.foundation import digest
from brookfall.core.foundation.errors import UserError
from brookfall.records.base import TABLE_OPTIONS, Base, Moment, Sha
from brookfall.records.clock import now
from brookfall.records.people import Person
from brookfall.records.record_key import AnnouncedKey, RecordKey, record_key

GENESIS = "0" * 64


class RecordHead(Base):
    __tablename__ = "record_head"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    entries: Mapped[int] = mapped_column(BigInteger)
    hash: Mapped[Sha]


class RecordEntry(Base):
    """``signature`` is that of ``hash`` by the key ``key_id``; both are None where entries were not signed yet."""

    __tablename__ = "record_entry"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[int] = mapped_column(BigInteger, primary_key=True, autoincrement=False)
    at: Mapped[Moment]
    person_id: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    who: Mapped[str] = mapped_column(String(200))
    case_id: Mapped[int | None] = mapped_column(ForeignKey("case_file.id"), index=True)
    act: Mapped[str] = mapped_column(String(60))
    subject: Mapped[str] = mapped_column(Text)
    before: Mapped[str] = mapped_column(MEDIUMTEXT)
    after: Mapped[str] = mapped_column(MEDIUMTEXT)
    previous: Mapped[Sha]
    hash: Mapped[Sha]
    key_id: Mapped[str | None] = mapped_column(String(16))
    signature: Mapped[str | None] = mapped_column(String(88))


def append(
    session: Session,
    who: Person | None,
    act: str,
    subject: str,
    *,
    case_id: int | None = None,
    before: object = None,
    after: object = None,
) -> RecordEntry:
    """Appends an entry, signed, in the session's transaction; ``before`` and ``after`` are anything JSON can hold.

    Raises
    ------
    UserError
        The key of this server is not one that the record knows.
    """
    key = record_key()
    if case_id is not None:
        # By name: the entry refers to the case, so that to enter it would lock the case after the head.
        session.execute(text("SELECT id FROM case_file WHERE id = :case_id FOR UPDATE"), {"case_id": case_id})
    head = _locked_head(session)
    if session.get(AnnouncedKey, key.id) is None:
        if session.scalar(select(AnnouncedKey.id).limit(1)) is not None:
            raise UserError(
                f"The record does not know the key {key.id} that this server signs with.",
                todo="Start it with the key that it had, and announce the new one by 'brookfall record rotate-key'.",
            )
        _announce(session, head, key, key)
    return _entered(session, head, key, who, act, subject, case_id=case_id, before=before, after=after)


def rotate_key(session: Session, new: RecordKey) -> RecordEntry:
    """Announces another key by an entry that the present one signs; from then on the server may be started with it."""
    append(session, None, "changed the key of the record", f"from {record_key().id} to {new.id}")
    return _announce(session, _locked_head(session), record_key(), new)


def append_change(
    session: Session, who: Person, act: str, before: dict[str, Any], after: dict[str, Any], *, case_id: int
) -> None:
    """Appends what changed between two states of one thing, by name; nothing when they are equal."""
    changed = [name for name in after if after[name] != before.get(name)]
    if changed:
        append(
            session,
            who,
            act,
            ", ".join(changed),
            case_id=case_id,
            before={name: before.get(name) for name in changed},
            after={name: after[name] for name in changed},
        )


def entry_hash(entry: RecordEntry) -> str:
    """SHA-256 over everything the entry says and the hash of the one before."""
    return RecordLine.model_validate(entry).digest()


@dataclass(frozen=True)
class ChainCheck:
    """What a walk along the chain found; ``fault`` is None when every link and every signature holds.

    ``signed_from`` is the first entry that is signed; ``keys`` are the public keys that were announced, by their ids.
    """

    entries: int
    head: str
    fault: str | None
    signed_from: int | None = None
    keys: dict[str, str] = field(default_factory=dict)


def verify(session: Session) -> ChainCheck:
    """Walks the whole chain and compares every hash, every link, every signature, and the length with the head."""
    walk = _Walk()
    for entry in session.scalars(select(RecordEntry).order_by(RecordEntry.id).execution_options(yield_per=1000)):
        if fault := walk.step(entry):
            return walk.found(fault)
    head = session.get(RecordHead, 1)
    if head is not None and (head.entries, head.hash) != (walk.count, walk.previous):
        return walk.found(f"the head says {head.entries} entries and there are {walk.count}")
    return walk.found(None)


class _Walk:
    """How far along the chain we are, and which keys are trusted."""

    def __init__(self) -> None:
        self.count = 0
        self.previous = GENESIS
        self.trusted = Trusted()

    def step(self, entry: RecordEntry) -> str | None:
        """What is wrong with the next entry, if anything."""
        line = RecordLine.model_validate(entry)
        self.count += 1
        if line.id != self.count:
            return f"entry {self.count} is missing"
        if line.previous != self.previous:
            return f"entry {line.id} does not follow the one before it"
        if line.hash != line.digest():
            return f"entry {line.id} was changed after it was written"
        self.previous = line.hash
        return self.trusted.fault_of(line)

    def found(self, fault: str | None) -> ChainCheck:
        return ChainCheck(self.count, self.previous, fault, self.trusted.signed_from, self.trusted.keys)


def _locked_head(session: Session) -> RecordHead:
    head = session.get(RecordHead, 1, with_for_update=True)
    if head is None:
        head = RecordHead(id=1, entries=0, hash=GENESIS)
        session.add(head)
    return head


def _announce(session: Session, head: RecordHead, signer: RecordKey, key: RecordKey) -> RecordEntry:
    entry = _entered(session, head, signer, None, ANNOUNCED, key.id, after={"public": key.public})
    session.add(AnnouncedKey(id=key.id, public=key.public, entry_id=entry.id))
    session.flush()
    return entry


def _entered(
    session: Session,
    head: RecordHead,
    key: RecordKey,
    who: Person | None,
    act: str,
    subject: str,
    *,
    case_id: int | None = None,
    before: object = None,
    after: object = None,
) -> RecordEntry:
    if kind_of(act) is None:
        raise ValueError(f"'{act}' is of no kind of core.evidence.acts, so nobody would find it.")
    entry = RecordEntry(
        id=head.entries + 1,
        at=now(),
        person_id=who.id if who else None,
        who=who.name if who else "Brookfall",
        case_id=case_id,
        act=act,
        subject=subject,
        before=digest.canonical(before).decode(),
        after=digest.canonical(after).decode(),
        previous=head.hash,
        hash="",
        key_id=key.id,
    )
    entry.hash = entry_hash(entry)
    entry.signature = key.sign(entry.hash)
    head.entries, head.hash = entry.id, entry.hash
    session.add(entry)
    session.flush()
    return entry
