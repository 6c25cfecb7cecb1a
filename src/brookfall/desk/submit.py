"""Submitting: a package becomes a case on the docket, whole or not at all."""

from collections.abc import Mapping
from datetime import date

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import ForbiddenError, UserError
from brookfall.core.foundation.progress import Progress, untold, within
from brookfall.core.submission.package import Package
from brookfall.desk.model_acts import model_for
from brookfall.desk.set_up import first_plan
from brookfall.records import audit_log, blobs
from brookfall.records.base import now
from brookfall.records.cases import Case, SubmittedFile
from brookfall.records.config import config, today
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person
from brookfall.records.tables import put_table
from brookfall.sandbox import sandbox

_ONE_VERSION = "uq_case_file_review"


def submit(
    session: Session,
    person: Person,
    sent: Mapping[str, bytes] | bytes,
    due: date | None = None,
    progress: Progress = untold,
    max_bytes: int | None = None,
) -> Case:
    """A new waiting case from the files of a package, or from its zip, which may unpack to ``max_bytes``.

    UserError when it is unusable, and nothing is kept.
    """
    refuse_others(person)
    if due is not None and due < today():
        raise UserError(f"An answer is wanted by {due:%-d %b %Y}, which is past.", todo="Give a date to come, or none.")
    package = sandbox.read_package(sent, max_bytes or config().max_bytes, within(progress, 0, 0.5))
    model = model_for(session, person, package.submission.model)
    _refuse_known_version(session, model, package)
    case = _new_case(session, person, model, package, due)
    keeping = within(progress, 0.5, 0.9)
    put_table(session, case.id, package.table, descriptions=package.columns, progress=keeping)
    progress("keeping the files as they were sent", 0.9)
    for name, table in package.beside.items():
        put_table(session, case.id, table, name)
    for path, data in sorted(package.files.items()):
        session.add(SubmittedFile(case_id=case.id, path=path, sha256=blobs.put(session, data)))
    audit_log.append(
        session,
        person,
        "submitted",
        f"{case.model} {case.version}",
        case_id=case.id,
        after={"model": model.key, "package": package.sha256, "files": sorted(package.files), "rows": case.n_rows},
    )
    return case


def refuse_others(person: Person) -> None:
    """ForbiddenError for whoever may not submit models."""
    if "owner" not in person.roles:
        raise ForbiddenError("Only a person with the role owner submits models.", todo="Ask an administrator.")


def _new_case(session: Session, person: Person, model: RegisteredModel, package: Package, due: date | None) -> Case:
    declared = package.submission
    roles, tier = declared.data[0].roles, model.tier or declared.model.tier
    case = Case(
        model_id=model.id,
        model=declared.model.name,
        version=declared.model.version,
        tier=tier,
        outcome=declared.model.outcome,
        submission=declared.model_dump(mode="json"),
        package_sha256=package.sha256,
        table_fingerprint=package.table.fingerprint,
        n_rows=package.table.n_rows,
        state="waiting",
        due=due,
        owner_id=person.id,
        roles=roles.model_dump(mode="json"),
        roles_revision=1,
        plan=first_plan(session, model.id, declared, model.in_use, tier).model_dump(mode="json"),
        plan_revision=1,
        created=now(),
    )
    session.add(case)
    try:
        session.flush()
    except IntegrityError as problem:
        # Somebody sent the same version a moment before, and theirs was kept meanwhile.
        if _ONE_VERSION in str(problem.orig):
            raise _known_version(case.model, case.version) from problem
        raise
    return case


def _refuse_known_version(session: Session, model: RegisteredModel, package: Package) -> None:
    version = package.submission.model.version
    if session.scalar(select(Case.id).where(Case.model_id == model.id, Case.version == version)) is not None:
        raise _known_version(model.name, version)


def _known_version(model: str, version: str) -> UserError:
    return UserError(
        f"{model} {version} was submitted before.",
        todo="Give the new submission a version of its own.",
        file="submission.yaml",
    )
