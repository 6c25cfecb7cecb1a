"""The margin: a person's working notes beside a case, and the exhibits they set aside."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.desk import people
from brookfall.desk.views import MarginView
from brookfall.records.base import now
from brookfall.records.cases import Note
from brookfall.records.people import Person


def margin_view(session: Session, person: Person, case_id: int) -> MarginView:
    note = _note(session, person, case_id)
    return MarginView(text=note.text if note else "", set_aside=list(note.set_aside) if note else [])


def save_margin(session: Session, person: Person, case_id: int, text: str, set_aside: list[int]) -> MarginView:
    """Keeps the notes as typed. They are the person's own and no part of the signed record."""
    note = _note(session, person, case_id)
    if note is None:
        note = Note(case_id=case_id, author_id=person.id, text="", set_aside=[], changed=now())
        session.add(note)
    note.text, note.set_aside, note.changed = text, set_aside, now()
    session.flush()
    return margin_view(session, person, case_id)


def _note(session: Session, person: Person, case_id: int) -> Note | None:
    people.case_for(session, person, case_id)
    return session.scalar(select(Note).where(Note.case_id == case_id, Note.author_id == person.id))
