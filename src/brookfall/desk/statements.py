"""Statements: what no computation answers, judged by the reviewer in writing, with files attached."""

from collections.abc import Sequence
from functools import lru_cache
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field, TypeAdapter
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.evidence.limit import Standing
from brookfall.core.foundation.errors import MissingError, StaleError, UserError
from brookfall.core.judge.policy import StatementDue
from brookfall.core.plan.plan import Plan
from brookfall.core.plan.revisions import read_plan
from brookfall.core.plan.statements_due import asked_of, due_by, marks_in_writing, missing_of
from brookfall.desk import people
from brookfall.desk.attached import name_of
from brookfall.desk.views import AttachedView, StatementView, WrittenBefore
from brookfall.desk.written import Words
from brookfall.records import audit_log, blobs
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.findings_and_decisions import StatementFile, WrittenStatement
from brookfall.records.people import Person
from brookfall.records.statements import statements_of_case, that_stand


class StatementText(BaseModel):
    """What a reviewer writes. With the ``name`` of one that the policy knows, question, title and what it asks are the
    policy's, whatever is sent."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str = Field(default="", max_length=40)
    question: int = Field(default=7, ge=1, le=7)
    title: str = Field(default="", max_length=120)
    asks: str = Field(default="", max_length=1000)
    judgement: Annotated[Words, Field(max_length=12_000)]
    standing: Standing
    reason: Annotated[Words, Field(max_length=4000)]
    withdrawn: bool = False


def statements_view(session: Session, person: Person, case_id: int) -> list[StatementView]:
    """Those that the plan asks for, written or not, then the others by number; withdrawn ones last."""
    case = people.case_for(session, person, case_id)
    written = list(statements_of_case(session, case.id))
    plan = read_plan(case.plan)
    before = _written_before(session, case)
    missing = [_missing_view(one, before.get(one.name)) for one in missing_of(due_by(plan), that_stand(written))]
    views = [_view(one, plan) for one in written] + missing
    order = {name: place for place, name in enumerate(plan.statements)}
    return sorted(views, key=lambda one: (one.withdrawn, order.get(one.name, len(order)), one.number or 0))


def write(session: Session, person: Person, case_id: int, text: StatementText) -> StatementView:
    """A new statement. UserError where one of that name stands already."""
    case = people.reviewed_case(session, person, case_id)
    plan = read_plan(case.plan)
    written = list(statements_of_case(session, case.id))
    if text.name and any(one.name == text.name and not one.withdrawn for one in written):
        raise UserError("This statement is written already.", todo="Load the page again, and change that one.")
    number = (
        session.scalar(select(func.max(WrittenStatement.number)).where(WrittenStatement.case_id == case_id)) or 0
    ) + 1
    statement = WrittenStatement(
        case_id=case.id, number=number, author_id=person.id, revision=1, changed=now(), **_columns(plan, text, None)
    )
    session.add(statement)
    session.flush()
    audit_log.append(
        session, person, "wrote a statement", f"{number}: {statement.title}", case_id=case.id, after=_logged(statement)
    )
    return _view(statement, plan)


def edit(
    session: Session, person: Person, case_id: int, statement_id: int, text: StatementText, revision: int
) -> StatementView:
    """Changes a statement; StaleError when it was changed since ``revision``."""
    case, statement = _changeable(session, person, case_id, statement_id, revision)
    plan = read_plan(case.plan)
    if not text.withdrawn and any(
        one.name == text.name and not one.withdrawn and one.id != statement.id
        for one in statements_of_case(session, case.id)
        if text.name
    ):
        raise UserError("Another one answers this by now.", todo="Change that one, or withdraw it first.")
    before = _logged(statement)
    for name, value in _columns(plan, text, statement).items():
        setattr(statement, name, value)
    _touch(statement, person)
    act = "withdrew a statement" if text.withdrawn and not before["withdrawn"] else "changed a statement"
    subject = f"{statement.number}: {statement.title}"
    audit_log.append(session, person, act, subject, case_id=case.id, before=before, after=_logged(statement))
    session.flush()
    return _view(statement, plan)


def attach(
    session: Session, person: Person, case_id: int, statement_id: int, sent: tuple[str, bytes], revision: int
) -> StatementView:
    """Keeps a file beside the statement, instead of one of the same name; its bytes are never read here.

    UserError for an empty file, one over 20 MB, or a 21st.
    """
    case, statement = _changeable(session, person, case_id, statement_id, revision)
    path, data = name_of(sent, [one.path for one in statement.files]), sent[1]
    for one in [one for one in statement.files if one.path == path]:
        statement.files.remove(one)
    session.flush()
    sha256 = blobs.put(session, data)
    statement.files.append(StatementFile(path=path, sha256=sha256, added=now()))
    _touch(statement, person)
    subject = f"{statement.number}: {path}"
    after = {"path": path, "sha256": sha256, "size": len(data)}
    audit_log.append(session, person, "attached a file to a statement", subject, case_id=case.id, after=after)
    session.flush()
    session.refresh(statement)
    return _view(statement, read_plan(case.plan))


def take_away(
    session: Session, person: Person, case_id: int, statement_id: int, file_id: int, revision: int
) -> StatementView:
    """Takes a file away from the statement."""
    case, statement = _changeable(session, person, case_id, statement_id, revision)
    file = _file_of(statement, file_id)
    before = {"path": file.path, "sha256": file.sha256}
    statement.files.remove(file)
    _touch(statement, person)
    subject = f"{statement.number}: {file.path}"
    audit_log.append(session, person, "took a file away from a statement", subject, case_id=case.id, before=before)
    session.flush()
    return _view(statement, read_plan(case.plan))


def file_bytes(session: Session, person: Person, case_id: int, statement_id: int, file_id: int) -> tuple[str, bytes]:
    """An attached file: its name and its bytes, as they were kept."""
    people.case_for(session, person, case_id)
    file = _file_of(_one(session, case_id, statement_id), file_id)
    return file.path, blobs.get(session, file.sha256)


def marks_of_statements(session: Session, cases: Sequence[Case]) -> dict[int, list[tuple[int, Standing]]]:
    """By case what its statements, written and missing, add to the marks of its questions."""
    written: dict[int, list[WrittenStatement]] = {case.id: [] for case in cases}
    for one in session.scalars(select(WrittenStatement).where(WrittenStatement.case_id.in_(list(written)))):
        written[one.case_id].append(one)
    # Of each plan what it asks for in writing alone: a list has a thousand of them.
    parts = [func.json_extract(Case.plan, path) for path in ("$.policy.statements", "$.statements")]
    asked = select(Case.id, *parts).where(Case.id.in_(list(written)))
    due = {case_id: _due(known or "[]", names or "[]") for case_id, known, names in session.execute(asked)}
    return {case.id: marks_in_writing(due[case.id], that_stand(written[case.id])) for case in cases}


_KNOWN, _NAMES = TypeAdapter(tuple[StatementDue, ...]), TypeAdapter(tuple[str, ...])


@lru_cache(maxsize=64)
def _due(known: str, names: str) -> tuple[StatementDue, ...]:
    return asked_of(_KNOWN.validate_json(known), _NAMES.validate_json(names))


def _one(session: Session, case_id: int, statement_id: int) -> WrittenStatement:
    statement = session.get(WrittenStatement, statement_id)
    if statement is None or statement.case_id != case_id:
        raise MissingError("There is no such statement in this case.", todo="Load the page again.")
    return statement


def _changeable(
    session: Session, person: Person, case_id: int, statement_id: int, revision: int
) -> tuple[Case, WrittenStatement]:
    case = people.reviewed_case(session, person, case_id)
    statement = _one(session, case.id, statement_id)
    if statement.revision != revision:
        raise StaleError(
            "The statement was changed since you opened it.", todo="Nothing was overwritten; load the page again."
        )
    return case, statement


def _touch(statement: WrittenStatement, person: Person) -> None:
    statement.revision += 1
    statement.changed, statement.author_id = now(), person.id


def _file_of(statement: WrittenStatement, file_id: int) -> StatementFile:
    file = next((one for one in statement.files if one.id == file_id), None)
    if file is None:
        raise MissingError("There is no such file beside the statement.", todo="Load the page again.")
    return file


def _columns(plan: Plan, text: StatementText, before: WrittenStatement | None) -> dict[str, object]:
    """What is kept of a text; of one that was due what is asked stays as it was asked."""
    said: StatementText | StatementDue | WrittenStatement | None = text
    if text.name:
        answered = before if before is not None and before.name == text.name else None
        said = answered or next((one for one in plan.policy.statements if one.name == text.name), None)
    if said is None:
        raise UserError(
            f"The policy knows no statement '{text.name}'.", todo="Write it as one of your own, without that name."
        )
    if not said.title.strip():
        raise UserError("The statement has no title.", todo="Say in a few words what it is about.")
    return {
        "name": text.name,
        "question": said.question,
        "title": said.title.strip(),
        "asks": said.asks.strip(),
        "judgement": text.judgement,
        "standing": text.standing.value,
        "reason": text.reason,
        "withdrawn": text.withdrawn,
    }


def _logged(statement: WrittenStatement) -> dict[str, object]:
    names = ("question", "title", "judgement", "standing", "reason", "withdrawn")
    return {name: getattr(statement, name) for name in names}


def _written_before(session: Session, case: Case) -> dict[str, WrittenBefore]:
    """What the last decided review of the model judged, by the statements' names."""
    last = select(func.max(Case.id)).where(Case.model_id == case.model_id, Case.id < case.id, Case.state == "decided")
    other = session.get(Case, session.scalar(last) or 0)
    if other is None:
        return {}
    return {
        one.name: WrittenBefore(
            version=other.version, case_id=other.id, judgement=one.judgement, standing=Standing(one.standing).value,
            reason=one.reason, by=one.author.name,
        )
        for one in that_stand(statements_of_case(session, other.id))
        if one.name
    }  # fmt: skip


def _missing_view(due: StatementDue, before: WrittenBefore | None) -> StatementView:
    return StatementView(
        id=None,
        number=None,
        **due.model_dump(),
        due=True,
        judgement="",
        standing=None,
        reason="",
        files=[],
        written_before=before,
        author=None,
        changed=None,
        revision=0,
        withdrawn=False,
    )


def _view(one: WrittenStatement, plan: Plan) -> StatementView:
    return StatementView(
        id=one.id,
        number=one.number,
        name=one.name,
        question=one.question,
        title=one.title,
        asks=one.asks,
        due=one.name in plan.statements,
        judgement=one.judgement,
        standing=Standing(one.standing).value,
        reason=one.reason,
        files=[AttachedView(id=f.id, path=f.path, size=f.blob.size, sha256=f.sha256) for f in one.files],
        author=one.author.name,
        changed=one.changed,
        revision=one.revision,
        withdrawn=one.withdrawn,
    )
