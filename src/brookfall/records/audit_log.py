"""The record: who did what when, before and after, each entry carrying the hash of the one before.

The application's database user may only INSERT and SELECT here; ``record_head`` is the one row that is locked
while an entry is appended, and says how long the chain is.
"""

from dataclasses import dataclass
from datetime import datetime
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, String, Text, select
from sqlalchemy.dialects.mysql import MEDIUMTEXT
from sqlalchemy.orm import Mapped, Session, mapped_column

from brookfall.core.foundation import digest
from brookfall.records.base import TABLE_OPTIONS, Base, Moment, Sha, now
from brookfall.records.people import Person

GENESIS = "0" * 64


class RecordHead(Base):
    __tablename__ = "record_head"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[int] = mapped_column(primary_key=True, autoincrement=False)
    entries: Mapped[int] = mapped_column(BigInteger)
    hash: Mapped[Sha]


class RecordEntry(Base):
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
    """Appends an entry in the session's transaction; ``before`` and ``after`` are anything JSON can hold."""
    head = session.get(RecordHead, 1, with_for_update=True)
    if head is None:
        head = RecordHead(id=1, entries=0, hash=GENESIS)
        session.add(head)
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
    )
    entry.hash = entry_hash(entry)
    head.entries, head.hash = entry.id, entry.hash
    session.add(entry)
    session.flush()
    return entry


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
    moment: datetime = entry.at
    return digest.of_json(
        [
            entry.id,
            moment.isoformat(),
            entry.person_id,
            entry.who,
            entry.case_id,
            entry.act,
            entry.subject,
            entry.before,
            entry.after,
            entry.previous,
        ]
    )


@dataclass(frozen=True)
class ChainCheck:
    """What a walk along the chain found; ``fault`` is None when every link holds."""

    entries: int
    head: str
    fault: str | None


def verify(session: Session) -> ChainCheck:
    """Walks the whole chain and compares every hash, every link, and the length with the head."""
    previous, count = GENESIS, 0
    for entry in session.scalars(select(RecordEntry).order_by(RecordEntry.id).execution_options(yield_per=1000)):
        count += 1
        if entry.id != count:
            return ChainCheck(count, previous, f"entry {count} is missing")
        if entry.previous != previous:
            return ChainCheck(count, previous, f"entry {entry.id} does not follow the one before it")
        if entry.hash != entry_hash(entry):
            return ChainCheck(count, previous, f"entry {entry.id} was changed after it was written")
        previous = entry.hash
    head = session.get(RecordHead, 1)
    if head is not None and (head.entries, head.hash) != (count, previous):
        return ChainCheck(count, previous, f"the head says {head.entries} entries and there are {count}")
    return ChainCheck(count, previous, None)
