"""Reading the record: narrowed to what one looks for, as a page or as a file; and verifying its chain."""

import json
from collections.abc import Iterator, Sequence
from dataclasses import asdict
from datetime import date, timedelta
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import ColumnElement, Select, func, or_, select
from sqlalchemy.orm import Session

from brookfall.core.evidence.acts import ACTS, Kind, kind_of
from brookfall.core.evidence.change_words import ValueChange, changes
from brookfall.core.evidence.record_line import RecordLine
from brookfall.core.foundation.errors import ForbiddenError, MissingError
from brookfall.core.table.write import csv_lines, harmless
from brookfall.desk import people
from brookfall.desk.views import (
    ChainView,
    EntryView,
    RecordModelView,
    RecordPersonView,
    RecordView,
    ValueChangeView,
)
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case
from brookfall.records.config import begin_of
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person
from brookfall.records.verification import verify_everything

PAGE = 100
_AT_ONCE = 500
_HEADS = (
    "entry",
    "time (UTC)",
    "who",
    "model",
    "version",
    "case",
    "kind",
    "act",
    "subject",
    "changed",
    "hash",
)


class RecordQuery(BaseModel):
    """Which entries: of a case, of a model by its key, by a person, of a kind; ``since`` and ``until`` are days of the
    house, both of them included."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    case_id: int | None = None
    model: str | None = Field(default=None, max_length=80)
    person_id: int | None = None
    kind: Kind | None = None
    since: date | None = None
    until: date | None = None


def record_view(session: Session, person: Person, wanted: RecordQuery, page: int) -> RecordView:
    """A page of entries, newest first. Who may not read the record as a whole reads that of their own models' cases.

    Raises
    ------
    ForbiddenError
        The person may see no case.
    MissingError
        There is no such case or model, or it is none that they see.
    """
    conditions = _conditions(session, person, wanted)
    total = session.scalar(select(func.count()).select_from(RecordEntry).where(*conditions)) or 0
    query = select(RecordEntry).where(*conditions).order_by(RecordEntry.id.desc())
    entries = session.scalars(query.limit(PAGE).offset(PAGE * (page - 1))).all()
    cases = _cases_of(session, entries)
    return RecordView(
        total=total,
        entries=[_view(entry, cases) for entry in entries],
        people=_people(session, person),
        models=_models(session, person),
    )


def record_file(
    session: Session, person: Person, wanted: RecordQuery, form: Literal["csv", "jsonl"]
) -> Iterator[bytes]:
    """The entries as a file, oldest first; raises as :func:`record_view` before its first bytes.

    A line of the JSON lines is a :class:`~brookfall.core.evidence.record_line.RecordLine`, whose hash and signature
    can be checked; the CSV says what changed in words, and no spreadsheet takes any of it for a formula.
    """
    conditions = _conditions(session, person, wanted)
    query = select(RecordEntry).where(*conditions).order_by(RecordEntry.id)
    return _csv(session, query) if form == "csv" else _lines(session, query)


def verify_view(session: Session, person: Person) -> ChainView:
    """The chain walked from its first entry to its last, and from it to all that was signed; files are not read."""
    if set(person.roles) <= {"owner"}:
        raise ForbiddenError("Owners do not verify the record.", todo="Ask an auditor.")
    found = verify_everything(session, files=False)
    return ChainView.model_validate(asdict(found))


def _conditions(session: Session, person: Person, wanted: RecordQuery) -> list[ColumnElement[bool]]:
    found: list[ColumnElement[bool]] = [people.may_read(person)]
    if wanted.case_id is not None:
        people.case_for(session, person, wanted.case_id)
        found.append(RecordEntry.case_id == wanted.case_id)
    elif not people.sees_all(person):
        if "owner" not in person.roles:
            raise ForbiddenError("You read the record of no case.", todo="Ask an auditor.")
        found.append(RecordEntry.case_id.in_(select(Case.id).where(people.visible(person))))
    if wanted.model is not None:
        found.append(_of_model(session, person, wanted.model))
    if wanted.person_id is not None:
        found.append(RecordEntry.person_id == wanted.person_id)
    if wanted.kind is not None:
        found.append(RecordEntry.act.in_(sorted(ACTS[wanted.kind])))
    if wanted.since is not None:
        found.append(RecordEntry.at >= begin_of(wanted.since))
    if wanted.until is not None:
        found.append(RecordEntry.at < begin_of(wanted.until + timedelta(days=1)))
    return found


def _of_model(session: Session, person: Person, key: str) -> ColumnElement[bool]:
    """The entries of its cases, and those of the model itself, which say its name and key."""
    cases = select(Case.id).join(Case.registered).where(RegisteredModel.key == key, people.visible(person))
    model = session.scalar(select(RegisteredModel).where(RegisteredModel.key == key))
    if model is None or session.scalar(cases.limit(1)) is None:
        raise MissingError("There is no such model.", todo="Choose one of the list.")
    called = f"{model.name} ({model.key})"
    of_itself = RecordEntry.subject == called, RecordEntry.subject.startswith(f"{called}: ", autoescape=True)
    return or_(RecordEntry.case_id.in_(cases), RecordEntry.act.in_(sorted(ACTS["model"])) & or_(*of_itself))


def _cases_of(session: Session, entries: Sequence[RecordEntry]) -> dict[int, tuple[str, str]]:
    """Model and version of the cases that entries are of."""
    wanted = {entry.case_id for entry in entries if entry.case_id is not None}
    found = session.execute(select(Case.id, Case.model, Case.version).where(Case.id.in_(wanted)))
    return {case_id: (model, version) for case_id, model, version in found}


def _view(entry: RecordEntry, cases: dict[int, tuple[str, str]]) -> EntryView:
    case = cases.get(entry.case_id or 0)
    return EntryView(
        id=entry.id,
        at=entry.at,
        who=entry.who,
        case_id=entry.case_id,
        case=" ".join(case) if case else None,
        kind=kind_of(entry.act),
        act=entry.act,
        subject=entry.subject,
        before=entry.before,
        after=entry.after,
        changes=[ValueChangeView(what=one.what, before=one.before, after=one.after) for one in _changes(entry)],
        hash=entry.hash,
    )


def _changes(entry: RecordEntry) -> list[ValueChange]:
    return changes(json.loads(entry.before), json.loads(entry.after))


def _people(session: Session, person: Person) -> list[RecordPersonView]:
    """Whoever did something that the person may read of."""
    acted = select(RecordEntry.person_id)
    if not people.sees_all(person):
        acted = acted.where(RecordEntry.case_id.in_(select(Case.id).where(people.visible(person))))
    found = session.execute(select(Person.id, Person.name).where(Person.id.in_(acted)).order_by(Person.name))
    return [RecordPersonView(id=person_id, name=name) for person_id, name in found]


def _models(session: Session, person: Person) -> list[RecordModelView]:
    seen = select(Case.model_id).where(people.visible(person))
    models = select(RegisteredModel.key, RegisteredModel.name).where(RegisteredModel.id.in_(seen))
    return [RecordModelView(key=key, name=name) for key, name in session.execute(models.order_by(RegisteredModel.name))]


def _batches(session: Session, query: Select[RecordEntry]) -> Iterator[list[RecordEntry]]:
    """The entries some hundred at a time, from the entry after the last one on: no query is kept open."""
    last = 0
    while found := list(session.scalars(query.where(RecordEntry.id > last).limit(_AT_ONCE))):
        last = found[-1].id
        yield found
        session.expunge_all()


def _lines(session: Session, query: Select[RecordEntry]) -> Iterator[bytes]:
    for batch in _batches(session, query):
        yield "".join(f"{RecordLine.model_validate(entry).model_dump_json()}\n" for entry in batch).encode()


def _csv(session: Session, query: Select[RecordEntry]) -> Iterator[bytes]:
    yield csv_lines([_HEADS])
    for batch in _batches(session, query):
        cases = _cases_of(session, batch)
        yield csv_lines([_cells(entry, cases.get(entry.case_id or 0)) for entry in batch])


def _cells(entry: RecordEntry, case: tuple[str, str] | None) -> tuple[str, ...]:
    model, version = case or ("", "")
    words = "; ".join(_in_words(one) for one in _changes(entry))
    number = "" if entry.case_id is None else str(entry.case_id)
    moment = entry.at.isoformat(sep=" ", timespec="seconds")
    texts = (entry.who, model, version, number, kind_of(entry.act) or "", entry.act, entry.subject, words, entry.hash)
    return (str(entry.id), moment, *(harmless(text) for text in texts))


def _in_words(change: ValueChange) -> str:
    what = f"{change.what}: " if change.what else ""
    if change.before is None or change.after is None:
        return f"{what}{change.after if change.before is None else f'no longer {change.before}'}"
    return f"{what}{change.before} → {change.after}"
