"""The margin: a person's working notes beside a case, and the exhibits they set aside."""

from sqlalchemy import Select, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import StaleError
from brookfall.desk import people
from brookfall.desk.views import MarginView
from brookfall.records.base import now
from brookfall.records.cases import Note
from brookfall.records.people import Person


def margin_view(session: Session, person: Person, case_id: int) -> MarginView:
    people.case_for(session, person, case_id)
    return _view(session.scalar(_of(person, case_id)))


def save_margin(
    session: Session, person: Person, case_id: int, text: str, set_aside: list[int], revision: int
) -> MarginView:
    """Keeps the notes as typed. They are the person's own and no part of the signed record.

    StaleError when another window saved something else since ``revision``, which is 0 where there were no notes.
    """
    people.case_for(session, person, case_id)
    if revision == 0:
        first = {"case_id": case_id, "author_id": person.id, "text": text, "set_aside": set_aside, "changed": now()}
        # Two windows may save a first note at once: whoever comes second finds it there.
        session.execute(insert(Note).values(revision=1, **first).prefix_with("IGNORE"))
    # The insert left a shared lock; several who wait to make theirs exclusive would be a deadlock.
    note = session.scalars(_of(person, case_id).with_for_update(read=revision == 0)).one_or_none()
    if note is None or (note.text, note.set_aside) != (text, set_aside):
        if note is None or note.revision != revision:
            raise StaleError(
                "These notes were changed in another window.", todo="Nothing was overwritten; put both together."
            )
        note.text, note.set_aside, note.revision, note.changed = text, set_aside, revision + 1, now()
        session.flush()
    return _view(note)


def _of(person: Person, case_id: int) -> Select[Note]:
    return select(Note).where(Note.case_id == case_id, Note.author_id == person.id)


def _view(note: Note | None) -> MarginView:
    if note is None:
        return MarginView(text="", set_aside=[], revision=0)
    return MarginView(text=note.text, set_aside=list(note.set_aside), revision=note.revision)
