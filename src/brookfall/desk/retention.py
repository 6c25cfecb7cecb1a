"""Retention: rows of a decided case can be taken away after its policy's term, by an administrator and a countersigner
together; figures, findings, hashes and what was signed stay."""

import json
from datetime import date, datetime, timedelta
from typing import Protocol

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import ForbiddenError, MissingError, UserError
from brookfall.core.judge.approval import years_after
from brookfall.core.plan.revisions import read_plan
from brookfall.core.submission.schema import Submission
from brookfall.desk import people
from brookfall.desk.added_tables import ADDED
from brookfall.desk.bench import added_to
from brookfall.desk.policies import refuse_without_second_factor
from brookfall.desk.views import ErasureNotice, ErasureView, RetentionLine, RetentionView
from brookfall.records import audit_log
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Blob, Case, SubmittedFile
from brookfall.records.clock import now
from brookfall.records.config import day_of, today
from brookfall.records.database import transaction
from brookfall.records.erasures import AGREED, PROPOSED, Erasure, columns_of, erasures_of
from brookfall.records.findings_and_decisions import Decision
from brookfall.records.people import Person
from brookfall.records.scorings import Scoring

DECLINED = "declined to take rows away"
_NOTICED = timedelta(days=30)
_READERS = ("administrator", "countersigner", "auditor")


class ErasureProposal(BaseModel):
    """Why the rows go; the password signs it."""

    model_config = ConfigDict(extra="forbid")

    reason: str = Field(min_length=1, max_length=4000)
    password: str = Field(max_length=1000)


class ErasureAnswer(BaseModel):
    """Whether they go; ``comment`` says why not. The password signs it."""

    model_config = ConfigDict(extra="forbid")

    agree: bool
    comment: str = Field(default="", max_length=4000)
    password: str = Field(max_length=1000)


class Erasers(Protocol):
    """Hands an erasure to a worker; a lost message costs seconds."""

    def erase(self, erasure_id: int) -> None: ...


def retention_view(session: Session, person: Person) -> RetentionView:
    """Every decided case with the day until which it keeps its rows, the earliest first.

    ForbiddenError for whoever is neither administrator, countersigner nor auditor.
    """
    if not set(_READERS) & set(person.roles):
        raise ForbiddenError("Retention is seen by administrators, countersigners and auditors.", todo="")
    signed = {
        decision.case_id: decision.answered
        for decision in session.scalars(select(Decision).where(Decision.state == "accepted"))
        if decision.answered is not None
    }
    cases = session.scalars(select(Case).where(Case.id.in_(signed), Case.state == "decided")).all()
    newest = erasures_of(session, [case.id for case in cases])
    sizes = _sizes(session, [case.id for case in cases])
    lines = [
        RetentionLine(
            case_id=case.id,
            model=case.model,
            version=case.version,
            tier=case.tier,
            decided=day_of(signed[case.id]),
            kept_until=kept_until(case, signed[case.id]),
            n_rows=case.n_rows,
            bytes=sizes.get(case.id, 0),
            erasure=_view(newest[case.id]) if case.id in newest else None,
            why_not=why_kept(case, signed[case.id]),
            may_propose=_may_propose(person, case, newest.get(case.id)),
            may_answer=_may_answer(person, case, newest.get(case.id)),
        )
        for case in cases
    ]
    return RetentionView(lines=sorted(lines, key=lambda line: (line.kept_until, line.case_id)))


def notices(session: Session, person: Person) -> list[ErasureNotice]:
    """What an auditor is told at the docket: rows that are about to go, or went in the last thirty days."""
    if "auditor" not in person.roles:
        return []
    since = now() - _NOTICED
    found = select(Erasure).where(
        (Erasure.state == "proposed") | (Erasure.state.in_(("agreed", "done")) & (Erasure.answered >= since))
    )
    return [
        ErasureNotice(case_id=one.case_id, model=one.case.model, version=one.case.version, **_view(one).model_dump())
        for one in session.scalars(found.order_by(Erasure.id.desc()))
    ]


def propose(session: Session, person: Person, case_id: int, proposal: ErasureProposal) -> RetentionView:
    """An administrator asks for the rows of a case to be taken away; nothing goes before a countersigner agrees.

    Raises
    ------
    ForbiddenError
        The person is no administrator, or belongs to the model.
    UserError
        The term is not over, the version is in use, or it was proposed or done already.
    """
    if "administrator" not in person.roles:
        raise ForbiddenError("Only an administrator proposes it.", todo="Nothing was done.")
    case = _decided(session, case_id)
    if people.belongs_to_case(person, case):
        raise ForbiddenError("You belong to this model, so you can't propose it.", todo="Nothing was done.")
    people.check_password(person, proposal.password, "Nothing was done")
    refuse_without_second_factor(session, person, "administrator")
    newest = erasures_of(session, [case.id]).get(case.id)
    if _is_open(newest):
        raise UserError("It was proposed, or done, already.", todo="Load the page again.")
    _refuse_kept(session, case)
    reason = _said(proposal.reason, "Nothing says why the rows go.")
    asked = Erasure(
        case_id=case.id, state="proposed", reason=reason, proposed_by=person.id, proposed=now(), comment="",
        files={}, columns=[], done=0, shared=0, freed=0,
    )  # fmt: skip
    session.add(asked)
    session.flush()
    audit_log.append(
        session, person, PROPOSED, f"{case.model} {case.version}", case_id=case.id,
        after={"erasure": asked.id, "reason": reason},
    )  # fmt: skip
    return retention_view(session, person)


def answer(person_id: int, case_id: int, said: ErasureAnswer, queue: Erasers) -> None:
    """A countersigner agrees, and from that moment nobody can read the rows; or declines, with a reason.

    Raises
    ------
    ForbiddenError
        The person is no countersigner, proposed it, or belongs to the model.
    UserError
        Nothing is proposed, the version has come into use since, or a refusal says no reason.
    """
    with transaction() as session:
        person = people.person_of(session, person_id)
        if "countersigner" not in person.roles:
            raise ForbiddenError("Only a countersigner agrees to it.", todo="Nothing was done.")
        case = _decided(session, case_id)
        if people.belongs_to_case(person, case):
            raise ForbiddenError("You belong to this model, so you can't agree to it.", todo="Nothing was done.")
        people.check_password(person, said.password, "Nothing was done")
        refuse_without_second_factor(session, person, "countersigner")
        asked = erasures_of(session, [case.id]).get(case.id)
        if asked is None or asked.state != "proposed":
            raise UserError("Nothing of this case is proposed to be taken away.", todo="Load the page again.")
        if asked.proposed_by == person.id:
            raise ForbiddenError("You proposed it, so somebody else must agree.", todo="Nothing was done.")
        asked.answered_by, asked.answered, asked.comment = person.id, now(), said.comment.strip()
        if said.agree:
            _refuse_kept(session, case)
            _agree(session, person, case, asked)
        else:
            asked.state, reason = "declined", _said(said.comment, "Nothing says why they stay.")
            audit_log.append(
                session, person, DECLINED, f"{case.model} {case.version}", case_id=case.id,
                after={"erasure": asked.id, "reason": reason},
            )  # fmt: skip
        erasure_id = asked.id
    if said.agree:
        queue.erase(erasure_id)


def _agree(session: Session, person: Person, case: Case, asked: Erasure) -> None:
    """Names all that goes, in the table and in the record, and closes the rows to every reader."""
    asked.state, asked.files, asked.columns = "agreed", _files(session, case), columns_of(session, case.id)
    case.rows_taken = asked.answered
    audit_log.append(
        session, person, AGREED, f"{case.model} {case.version}", case_id=case.id,
        after={
            "erasure": asked.id, "reason": asked.reason, "proposed_by": asked.proposer.name,
            "files": asked.files, "columns": asked.columns,
        },
    )  # fmt: skip


def kept_until(case: Case, decided: datetime) -> date:
    """The last day of the term for which the policy of the case's plan has rows kept."""
    return years_after(day_of(decided), read_plan(case.plan).policy.rows_kept_years)


def why_kept(case: Case, decided: datetime) -> str:
    """Why the rows of a case can't be taken away now; empty where they can."""
    if case.rows_taken is not None:
        return "They were taken away."
    if case.registered.in_use == case.version:
        return "The version is in use."
    until = kept_until(case, decided)
    return f"They are kept until {until:%-d %b %Y}." if today() <= until else ""


def _refuse_kept(session: Session, case: Case) -> None:
    signed = select(Decision.answered).where(Decision.case_id == case.id, Decision.state == "accepted")
    decided = session.scalar(signed)
    if decided is None:
        raise UserError("The case has no signed decision.", todo="Nothing was done.")
    if problem := why_kept(case, decided):
        raise UserError(f"The rows of {case.model} {case.version} stay. {problem}", todo="Nothing was done.")


def _may_propose(person: Person, case: Case, newest: Erasure | None) -> bool:
    return "administrator" in person.roles and not people.belongs_to_case(person, case) and not _is_open(newest)


def _may_answer(person: Person, case: Case, asked: Erasure | None) -> bool:
    return (
        asked is not None
        and asked.state == "proposed"
        and asked.proposed_by != person.id
        and "countersigner" in person.roles
        and not people.belongs_to_case(person, case)
    )


def _is_open(asked: Erasure | None) -> bool:
    return asked is not None and asked.state != "declined"


def _decided(session: Session, case_id: int) -> Case:
    """The case, locked; MissingError where none of that number is decided, whoever asks."""
    case = session.get(Case, case_id, with_for_update=True)
    if case is None or case.state != "decided":
        raise MissingError("There is no such decided case.", todo="Go back to the list.")
    return case


def _files(session: Session, case: Case) -> dict[str, str]:
    """What was submitted with rows in it, the fitted model, as some keep rows that they learned from, and every table
    that a reviewer added, whether it is still there or was taken away; the brief, its recipe and documents stay."""
    declared = Submission.model_validate(case.submission)
    paths = {entry.path for entry in declared.data} | {entry.path for entry in declared.predictions}
    if declared.artifact is not None:
        paths.add(declared.artifact.path)
    found = select(SubmittedFile.path, SubmittedFile.sha256).where(SubmittedFile.case_id == case.id)
    submitted = {path: sha for path, sha in session.execute(found) if path in paths}
    # Of a re-review the tables that came with it were entered in the case before.
    came = {f"{one.name}, beside the rows": one.sha256 for one in added_to(case)}
    entries = select(RecordEntry).where(RecordEntry.case_id == case.id, RecordEntry.act == ADDED)
    added = {entry.id: json.loads(entry.after) for entry in session.scalars(entries.order_by(RecordEntry.id))}
    # A table may have been added, taken away and added again under its name.
    came = {name: sha for name, sha in came.items() if sha not in {one["sha256"] for one in added.values()}}
    return (
        submitted
        | came
        | _new_rows(session, case)
        | {f"{one['table']}, added in entry {key}": one["sha256"] for key, one in added.items()}
    )


def _new_rows(session: Session, case: Case) -> dict[str, str]:
    """Files of new rows that were scored, and the scored rows."""
    found: dict[str, str] = {}
    for one in session.scalars(select(Scoring).where(Scoring.case_id == case.id).order_by(Scoring.number)):
        found[f"{one.file}, new rows {one.number}"] = one.file_sha256
        if one.table_sha256 is not None:
            found[f"new rows {one.number}, scored"] = one.table_sha256
    return found


def _sizes(session: Session, case_ids: list[int]) -> dict[int, int]:
    sizes = (
        select(SubmittedFile.case_id, func.sum(Blob.size))
        .join(Blob, Blob.sha256 == SubmittedFile.sha256)
        .where(SubmittedFile.case_id.in_(case_ids), Blob.erased.is_(None))
        .group_by(SubmittedFile.case_id)
    )
    return {case_id: int(size) for case_id, size in session.execute(sizes)}


def _said(words: str, problem: str) -> str:
    if not words.strip():
        raise UserError(problem, todo="Give a reason; the record keeps it.")
    return words.strip()


def _view(asked: Erasure) -> ErasureView:
    return ErasureView.model_validate(
        {
            "state": asked.state,
            "reason": asked.reason,
            "proposed_by": asked.proposer.name,
            "proposed": asked.proposed,
            "answered_by": asked.answerer.name if asked.answerer else None,
            "answered": asked.answered,
            "comment": asked.comment,
            "finished": asked.finished,
            "done": asked.done,
            "needed": len(asked.names),
            "shared": asked.shared,
            "freed": asked.freed,
        }
    )
