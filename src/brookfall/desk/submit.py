"""Submitting: a package becomes a case on the docket, whole or not at all."""

from datetime import date

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.foundation.errors import ForbiddenError, UserError
from brookfall.core.foundation.progress import Progress, untold, within
from brookfall.core.plan.plan import InUse
from brookfall.core.submission.package import Package, package_from_files
from brookfall.core.submission.schema import Submission
from brookfall.core.submission.stated_capacity import stated_capacity
from brookfall.core.submission.subject import subject_of
from brookfall.desk.versions import versions_to_compare
from brookfall.records import audit_log, blobs
from brookfall.records.base import now
from brookfall.records.cases import Case, SubmittedFile
from brookfall.records.people import Person
from brookfall.records.tables import put_table


def submit(
    session: Session,
    person: Person,
    files: dict[str, bytes],
    due: date | None = None,
    progress: Progress = untold,
) -> Case:
    """A new waiting case from the files of a package; UserError when it is unusable, and nothing is kept."""
    refuse_others(person)
    package = package_from_files(files, within(progress, 0, 0.5))
    if package.submission.data[0].roles.target:
        subject_of(package)
    _refuse_known_version(session, package)
    case = _new_case(session, person, package, due)
    keeping = within(progress, 0.5, 0.9)
    put_table(session, case.id, package.table, descriptions=package.columns, progress=keeping)
    progress("keeping the files as they were sent", 0.9)
    for name, table in package.beside.items():
        put_table(session, case.id, table, name)
    for path, data in sorted(files.items()):
        session.add(SubmittedFile(case_id=case.id, path=path, sha256=blobs.put(session, data)))
    audit_log.append(
        session,
        person,
        "submitted",
        f"{case.model} {case.version}",
        case_id=case.id,
        after={"package": package.sha256, "files": sorted(files), "rows": case.n_rows},
    )
    return case


def refuse_others(person: Person) -> None:
    """ForbiddenError for whoever may not submit models."""
    if "owner" not in person.roles:
        raise ForbiddenError("Only a person with the role owner submits models.", todo="Ask an administrator.")


def _new_case(session: Session, person: Person, package: Package, due: date | None) -> Case:
    declared = package.submission
    roles, stated = declared.data[0].roles, stated_capacity(declared.model)
    case = Case(
        model=declared.model.name,
        version=declared.model.version,
        tier=declared.model.tier,
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
        plan=standard_plan(
            declared.model.tier,
            outcome=declared.model.outcome,
            given_parts=roles.part is not None,
            grouped=(roles.group or roles.occasion) is not None,
            timed=roles.time is not None,
            observed=roles.observed is not None,
            in_use=_in_use(session, declared),
            capacity=None if stated is None else stated.percent,
        ).model_dump(mode="json"),
        plan_revision=1,
        created=now(),
    )
    session.add(case)
    session.flush()
    return case


def _in_use(session: Session, declared: Submission) -> InUse | None:
    """The newest other version that can be refitted; the reviewer may name another."""
    model = declared.model
    if declared.recipe is None:
        return None
    return next(iter(versions_to_compare(session, model.name, model.outcome, None)), None)


def _refuse_known_version(session: Session, package: Package) -> None:
    model = package.submission.model
    known = session.scalar(select(Case.id).where(Case.model == model.name, Case.version == model.version))
    if known is not None:
        raise UserError(
            f"{model.name} {model.version} was submitted before.",
            todo="Give the new submission a version of its own.",
            file="submission.yaml",
        )
