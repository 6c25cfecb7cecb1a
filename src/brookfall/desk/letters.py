"""What is written to whom: at once or once a day what waits for them and what others did, as each chooses; and to
auditors, once a day, how far the record goes. Written from the inbox and the record, so that no act waits for it."""

import re
from collections.abc import Sequence
from datetime import datetime

from sqlalchemy import func, or_, select
from sqlalchemy.orm import Session

from brookfall.core.evidence.acts import ACTS, Kind
from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.wording import counted
from brookfall.desk import inbox, people
from brookfall.desk.letter_text import Line, Words
from brookfall.desk.views import InboxItem, LetterView, MailView
from brookfall.records import audit_log
from brookfall.records.anchors import anchor_of
from brookfall.records.audit_log import RecordEntry, RecordHead
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import config, hour_now, today
from brookfall.records.database import transaction
from brookfall.records.letters import Letter, ToldOf
from brookfall.records.people import MailWhen, Person

_TOLD: tuple[Kind, ...] = ("case", "finding", "question", "decision", "approval")
"""What others did that is worth a letter."""
_MOST = 20
_DIGEST_HOUR = 7
_ADDRESS = re.compile(r"[^@\s,;<>\"]{1,64}@[^@\s,;<>\"]{1,255}")
_CHOICE = "You choose on your own page whether you are mailed at once, once a day or never."


def mail_view(person: Person) -> MailView:
    """Where a person is mailed and when, and whether this house sends any mail."""
    return MailView(address=person.mail or "", when=person.mail_when, sends=config().mail_server is not None)


def choose(session: Session, person: Person, address: str, when: MailWhen) -> MailView:
    """Where and when one is mailed from now on; UserError where it is no address."""
    mine = session.get_one(Person, person.id)
    address = checked_address(address)
    if (mine.mail or "", mine.mail_when) != (address, when):
        # The address is the person's own, and the record is read by others: it says only whether there is one.
        before = {"when": mine.mail_when, "address": "given" if mine.mail else None}
        after = {"when": when, "address": "given" if address else None}
        mine.mail, mine.mail_when = address or None, when
        audit_log.append(session, mine, "chose how to be mailed", mine.name, before=before, after=after)
    return mail_view(mine)


def checked_address(address: str) -> str:
    """A mail address, or nothing; UserError where it is neither."""
    address = address.strip()
    if address and not _ADDRESS.fullmatch(address):
        raise UserError(f"'{address}' is no mail address.", todo="Write one, such as name@example.org.")
    return address


def write_link(session: Session, person: Person, link: str, ends: datetime) -> None:
    """Writes to a person by which link they give themselves a password."""
    line = Line("choose your password", link)
    closing = f"The link works once, until {ends:%-d %b %Y, %H:%M} UTC. Whoever did not ask for it can let it lie."
    opening = f"{person.name}, you sign in to Brookfall as {person.login}."
    _keep(session, person, Words("Your password for Brookfall", opening, (("What to do", (line,)),), closing))


def letters_view(session: Session, person: Person, page: int) -> list[LetterView]:
    """The letters written to a person, the newest first."""
    mine = select(Letter).where(Letter.person_id == person.id).order_by(Letter.id.desc())
    found = session.scalars(mine.limit(_MOST).offset(_MOST * (page - 1)))
    return [
        LetterView(id=one.id, subject=one.subject, text=one.text, written=one.written, state=one.state, said=one.said)
        for one in found
    ]


def write_letters() -> None:
    """Writes to everybody what they are to be told now. A letter to one person depends on none to another."""
    with transaction() as session:
        wanted = select(Person.id).where(Person.mail.is_not(None), Person.disabled.is_(None))
        ids = session.scalars(wanted.where(Person.mail_when != "never").order_by(Person.id)).all()
    for person_id in ids:
        with transaction() as session:
            _write_to(session, session.get_one(Person, person_id))


def _write_to(session: Session, person: Person) -> None:
    head = session.get(RecordHead, 1)
    last = head.entries if head is not None else 0
    told = session.get(ToldOf, person.id, with_for_update=True)
    if told is None:
        # From now on: what waits already is in the inbox.
        waits = {_key(one): one.count for one in inbox.waiting_items(session, person)}
        session.add(ToldOf(person_id=person.id, waits=waits, entry=last, digest=today(), head=None))
        return
    if head is not None and "auditor" in person.roles and told.head != today():
        told.head = today()
        _keep(session, person, _of_head(head))
    due = told.digest != today() and hour_now() >= _DIGEST_HOUR if person.mail_when == "daily" else told.entry != last
    if not due:
        return
    items = inbox.waiting_items(session, person)
    new = [one for one in items if one.count > int(told.waits.get(_key(one), 0))]
    changes, more = _changes(session, person, told.entry, last)
    told.waits, told.entry, told.digest = {_key(one): one.count for one in items}, last, today()
    daily = person.mail_when == "daily"
    if new or changes:
        _keep(session, person, _words(items if daily else new, changes, more, daily=daily))


def _key(item: InboxItem) -> str:
    return f"{item.about} {item.case_id} {item.act}"


def _changes(session: Session, person: Person, after: int, until: int) -> tuple[list[Line], int]:
    """What others did after one entry of the record and until another in the cases that the person has a part in, the
    first of it, and how much more. What is entered meanwhile is told next time."""
    mine = select(Case.id).where(people.visible(person), inbox.has_part(person))
    acts = sorted(act for kind in _TOLD for act in ACTS[kind])
    of_others = RecordEntry.person_id.is_distinct_from(person.id) & people.may_read(person)
    new = RecordEntry.id > after, RecordEntry.id <= until
    # Of a draft, which is its reviewer's alone, an entry says the number and no title.
    no_draft = or_(RecordEntry.act.not_in(sorted(ACTS["finding"])), RecordEntry.subject.contains(": "))
    conditions = (*new, RecordEntry.case_id.in_(mine), RecordEntry.act.in_(acts), of_others, no_draft)
    total = session.scalar(select(func.count()).select_from(RecordEntry).where(*conditions)) or 0
    query = select(RecordEntry, Case.model, Case.version).join(Case, Case.id == RecordEntry.case_id)
    found = session.execute(query.where(*conditions).order_by(RecordEntry.id).limit(_MOST))
    lines = [
        Line(_change(entry, f"{model} {version}"), _at(f"/cases/{entry.case_id}")) for entry, model, version in found
    ]
    return lines, total - len(lines)


def _change(entry: RecordEntry, case: str) -> str:
    about = "" if entry.subject in ("", case) else f" ({entry.subject})"
    return f"{case}: {entry.who} {entry.act}{about}"


def _words(items: Sequence[InboxItem], changes: Sequence[Line], more: int, *, daily: bool) -> Words:
    waits = tuple(Line(_waits(one), _place(one)) for one in items[:_MOST])
    left = len(items) - len(waits)
    if left:
        waits = (*waits, Line(f"{left} more in your inbox", _at("/inbox")))
    if more:
        changes = [*changes, Line(f"{more} more in your inbox", _at("/inbox"))]
    parts = [("What waits for you", waits), ("What others did", tuple(changes))]
    waiting = f"{len(items)} {'thing waits' if len(items) == 1 else 'things wait'} for you"
    said = [*([waiting] if items else []), *([counted(len(changes), "change")] if changes else [])]
    opening = "Here is how things stand." if daily else "This is new since the last letter."
    subject = f"Brookfall: {' and '.join(said)}" if len(items) != 1 else f"Brookfall: {_waits(items[0])}"
    return Words(subject[:190], opening, tuple((head, lines) for head, lines in parts if lines), _CHOICE)


def _waits(item: InboxItem) -> str:
    about = "" if item.about in ("case", "approval") else f"{counted(item.count, item.about)} "
    due = f", due {item.due:%-d %b %Y}" if item.due else ""
    return f"{item.model} {item.version}: {about}{item.waits}{due}"


def _place(item: InboxItem) -> str | None:
    return _at(item.place if item.place.startswith("/") else f"/cases/{item.case_id}/{item.place}".rstrip("/"))


def _at(path: str) -> str | None:
    return None if config().public_url is None else f"{str(config().public_url).rstrip('/')}{path}"


def _of_head(head: RecordHead) -> Words:
    lines = (
        Line(f"entries: {head.entries}"),
        Line(f"hash of the last: {head.hash}"),
        Line(f"as a signed line of an anchor file: {anchor_of(head).line}"),
    )
    return Words(
        f"Brookfall: the record on {today():%-d %b %Y}, {head.entries} entries",
        "Keep this letter: with it you can show later that no entry of the record up to here was changed or cut off.",
        (("How far the record goes", lines),),
        "Put that line into a file, named by BROOKFALL_ANCHOR_FILE: 'brookfall verify' holds the record to it.",
    )


def _keep(session: Session, person: Person, words: Words) -> None:
    moment = now()
    session.add(
        Letter(
            person_id=person.id, address=person.mail or "", subject=words.subject, text=words.text, html=words.html,
            written=moment, state="waiting", attempts=0, next_try=moment, said="",
        )
    )  # fmt: skip
