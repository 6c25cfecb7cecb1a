"""The margin: a person's working notes beside a case, the exhibits they set aside, and what validators share."""

from sqlalchemy import Select, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session, joinedload

from brookfall.core.foundation.errors import ForbiddenError, StaleError
from brookfall.desk import people
from brookfall.desk.views import MarginView, SharedNotesView, SharedNoteView
from brookfall.records import audit_log
from brookfall.records.cases import Case, Note, SharedNote
from brookfall.records.clock import now
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


def shared_notes(session: Session, person: Person, case_id: int) -> SharedNotesView:
    """What the validators of a case share, the oldest first. Who belongs to the model sees none of it."""
    case = people.case_for(session, person, case_id)
    if not _reads_shared(person, case):
        return SharedNotesView(notes=[], may_share=False)
    found = select(SharedNote).where(SharedNote.case_id == case_id).order_by(SharedNote.id)
    found = found.options(joinedload(SharedNote.author))
    notes = [SharedNoteView(id=one.id, by=one.author.name, at=one.at, text=one.text) for one in session.scalars(found)]
    return SharedNotesView(notes=notes, may_share=_shares(person, case))


def share_note(session: Session, person: Person, case_id: int, text: str) -> SharedNotesView:
    """Adds a note for the other validators. It stays; the record says that there is one, and not what it says.

    ForbiddenError where the person does not validate models, or belongs to this one.
    """
    case = people.case_for(session, person, case_id, lock=True)
    if not _shares(person, case):
        raise ForbiddenError(
            "Only reviewers and countersigners who do not belong to the model share notes.", todo="Nothing was kept."
        )
    session.add(SharedNote(case_id=case.id, author_id=person.id, at=now(), text=text))
    audit_log.append(session, person, "shared a note", f"{case.model} {case.version}", case_id=case.id)
    session.flush()
    return shared_notes(session, person, case_id)


def _reads_shared(person: Person, case: Case) -> bool:
    return people.sees_all(person) and not people.belongs_to_case(person, case)


def _shares(person: Person, case: Case) -> bool:
    return bool({"reviewer", "countersigner"} & set(person.roles)) and _reads_shared(person, case)
