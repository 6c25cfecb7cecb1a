"""Reading the record and verifying its chain."""

from dataclasses import asdict

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import ForbiddenError
from brookfall.desk import people
from brookfall.desk.views import ChainView, EntryView, RecordView
from brookfall.records.audit_log import RecordEntry
from brookfall.records.people import Person
from brookfall.records.verification import verify_everything

PAGE = 100


def record_view(session: Session, person: Person, case_id: int | None, page: int) -> RecordView:
    """A page of entries, newest first: of one case, or of everything for those who may read it."""
    query = select(RecordEntry)
    if case_id is not None:
        people.case_for(session, person, case_id)
        query = query.where(RecordEntry.case_id == case_id)
    elif not people.sees_all(person):
        raise ForbiddenError("Owners read the record of their own cases.", todo="Open it from the case.")
    total = session.scalar(select(func.count()).select_from(query.subquery())) or 0
    entries = session.scalars(query.order_by(RecordEntry.id.desc()).limit(PAGE).offset(PAGE * (page - 1)))
    return RecordView(
        total=total,
        entries=[
            EntryView(
                id=entry.id,
                at=entry.at,
                who=entry.who,
                case_id=entry.case_id,
                act=entry.act,
                subject=entry.subject,
                before=entry.before,
                after=entry.after,
                hash=entry.hash,
            )
            for entry in entries
        ],
    )


def verify_view(session: Session, person: Person) -> ChainView:
    """The chain walked from its first entry to its last, and from it to all that was signed; files are not read."""
    if set(person.roles) <= {"owner"}:
        raise ForbiddenError("Owners do not verify the record.", todo="Ask an auditor.")
    found = verify_everything(session, files=False)
    return ChainView.model_validate(asdict(found))
