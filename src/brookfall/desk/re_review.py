"""A re-review: the same version judged again, from the set-up of the review before it."""

from sqlalchemy import insert, literal, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import ForbiddenError, StaleError, UserError
from brookfall.desk import people
from brookfall.desk.approvals import APPROVALS
from brookfall.records import audit_log
from brookfall.records.cases import Case, StoredColumn, SubmittedFile
from brookfall.records.clock import now
from brookfall.records.erasures import refuse_without_rows
from brookfall.records.findings_and_decisions import Decision
from brookfall.records.people import Person

OPENED = "opened a re-review"
_KEPT = (
    "model_id", "model", "version", "tier", "outcome", "submission", "package_sha256", "table_fingerprint", "n_rows",
    "owner_id", "roles", "plan", "changes", "added", "table_version",
)  # fmt: skip
"""What the case begins with: what was submitted, and roles, plan, changes of the data and tables beside it as the
reviewer left them. Runs, findings, marks of labels and the decision are of the review before."""


def open_re_review(session: Session, person: Person, case_id: int, reason: str) -> Case:
    """A new waiting case on the version of a case that was approved.

    Raises
    ------
    ForbiddenError
        The person neither belongs to the model nor is a reviewer.
    UserError
        The case is not approved, no reason is given, the version is under review already, or the model is withdrawn.
    MissingError
        The rows of the case were taken away.
    """
    case = people.case_for(session, person, case_id, lock=True)
    if not may_ask(person, case):
        raise ForbiddenError("A re-review is opened by a reviewer, or by who belongs to the model.", todo="Ask one.")
    if not reason.strip():
        raise UserError("Nothing says why it is reviewed again.", todo="Write the reason; the record keeps it.")
    if told := why_not(session, case):
        raise UserError(told, todo="Nothing was opened.")
    refuse_without_rows(case)
    last = reviews_of(session, case.model_id, case.version)[0]
    made = Case(
        **{name: getattr(case, name) for name in _KEPT},
        review=1 + last.review, begun_from=case.id, state="waiting", due=None, roles_revision=1, plan_revision=1,
        created=now(),
    )  # fmt: skip
    session.add(made)
    try:
        session.flush()
    except IntegrityError as problem:
        raise StaleError("Somebody opened it a moment before.", todo="Load the page again.") from problem
    _copy(session, case.id, made.id)
    enter_opened(session, person, made, case, reason)
    return made


def enter_opened(session: Session, person: Person, made: Case, before: Case, reason: str) -> None:
    """Enters that a case is a re-review, after which one, and why."""
    after = {"review": made.review, "after": before.id, "reason": reason.strip()}
    audit_log.append(session, person, OPENED, f"{made.model} {made.version}", case_id=made.id, after=after)


def reviews_of(session: Session, model_id: int, version: str) -> list[Case]:
    """Every case of a version, withdrawn ones too, the last review first."""
    found = select(Case).where(Case.model_id == model_id, Case.version == version).order_by(Case.review.desc())
    return list(session.scalars(found))


def may_ask(person: Person, case: Case) -> bool:
    """Whether the person may open a re-review of this case, once there is reason to."""
    return people.belongs_to_case(person, case) or "reviewer" in person.roles


def why_not(session: Session, case: Case) -> str:
    """Why the version of a case can't be reviewed again from this case; empty where it can."""
    approved = select(Decision.id).where(
        Decision.case_id == case.id, Decision.state == "accepted", Decision.kind.in_(APPROVALS)
    )
    if case.state != "decided" or session.scalar(approved) is None:
        return f"{case.model} {case.version} was not approved by this case, so it is not reviewed again."
    later = (
        select(Case.review)
        .where(Case.model_id == case.model_id, Case.version == case.version, Case.review > case.review)
        .where(Case.state != "withdrawn")
    )
    if session.scalar(later) is not None:
        return f"{case.model} {case.version} was reviewed again since, or is under review."
    if case.registered.withdrawn is not None:
        return f"{case.model} was withdrawn; its owner takes it up again first."
    return ""


def _copy(session: Session, old: int, new: int) -> None:
    """The files as they were sent and the columns of every table; their bytes are kept once."""
    for table in (SubmittedFile, StoredColumn):
        names = [column.name for column in table.__table__.columns if column.name not in ("id", "case_id")]
        columns = [getattr(table, name) for name in names]
        rows = select(literal(new), *columns).where(table.case_id == old).order_by(table.id)
        session.execute(insert(table).from_select(["case_id", *names], rows))
