"""Submitting: a package becomes a case on the docket, whole or not at all."""

from collections.abc import Mapping, Sequence
from datetime import date
from hashlib import sha256

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import ForbiddenError, UserError
from brookfall.core.foundation.progress import Progress, untold, within
from brookfall.core.submission.difference import model_changes
from brookfall.core.submission.package import Package
from brookfall.core.submission.schema import Submission
from brookfall.desk.model_acts import model_for
from brookfall.desk.re_review import enter_opened, reviews_of, why_not
from brookfall.desk.set_up import begin_as, first_plan
from brookfall.records import audit_log, blobs
from brookfall.records.cases import Case, SubmittedFile
from brookfall.records.clock import now
from brookfall.records.config import config, today
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person
from brookfall.records.tables import column_names, put_table
from brookfall.sandbox import sandbox

_ONE_VERSION = "uq_case_file_review"
_DECLARATION = "submission.yaml"


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
    before = reviews_of(session, model.id, package.submission.model.version)
    last = _reviewed_again(session, before, package)
    case = _new_case(session, person, model, package, due, review=1 + (before[0].review if before else 0))
    keeping = within(progress, 0.5, 0.9)
    put_table(session, case.id, package.table, descriptions=package.columns, progress=keeping)
    progress("keeping the files as they were sent", 0.9)
    for name, table in package.beside.items():
        put_table(session, case.id, table, name)
    for path, data in sorted(package.files.items()):
        session.add(SubmittedFile(case_id=case.id, path=path, sha256=blobs.put(session, data)))
    if last is not None:
        session.flush()
        begin_as(session, case, last)
    audit_log.append(
        session,
        person,
        "submitted",
        f"{case.model} {case.version}",
        case_id=case.id,
        after={"model": model.key, "package": package.sha256, "files": sorted(package.files), "rows": case.n_rows},
    )
    if last is not None:
        enter_opened(session, person, case, last, package.submission.re_review or "")
    return case


def refuse_others(person: Person) -> None:
    """ForbiddenError for whoever may not submit models."""
    if "owner" not in person.roles:
        raise ForbiddenError("Only a person with the role owner submits models.", todo="Ask an administrator.")


def _new_case(
    session: Session, person: Person, model: RegisteredModel, package: Package, due: date | None, review: int
) -> Case:
    declared = package.submission
    roles, tier = declared.data[0].roles, model.tier or declared.model.tier
    case = Case(
        model_id=model.id,
        model=declared.model.name,
        version=declared.model.version,
        review=review,
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


def _reviewed_again(session: Session, before: Sequence[Case], package: Package) -> Case | None:
    """The review after which a version is to be reviewed again on new rows; None for a version that is new.

    UserError where there is none to do again, or it is not the same model.
    """
    declared = package.submission
    named = f"{declared.model.name} {declared.model.version}"
    if not before and declared.re_review is None:
        return None
    last = next((case for case in before if case.state != "withdrawn"), None)
    if not before:
        raise UserError(
            f"{named} was never reviewed, so it can't be reviewed again.",
            todo="Leave re_review out, or name the version that was approved.",
            file=_DECLARATION,
        )
    if last is None or not (declared.re_review or "").strip():
        raise _known_version(declared.model.name, declared.model.version)
    if last.state != "decided":
        raise UserError(
            f"{named} is under review.",
            todo="Wait for its decision; or withdraw a re-review that was opened on the earlier rows, and send again.",
            file=_DECLARATION,
        )
    if told := why_not(session, last):
        raise UserError(told, todo="Nothing was opened.", file=_DECLARATION)
    was = Submission.model_validate(last.submission)
    names = column_names(session, last.id), package.table.names
    features = [one.data[0].roles.features_among(of) for one, of in zip((was, declared), names, strict=True)]
    if changed := model_changes(was, declared, _fitted(session, last, package), (features[0], features[1])):
        raise UserError(
            f"{named} is not the model that was reviewed: {'; '.join(changed)}.",
            todo="A model that changed is a new version; give it one of its own.",
            file=_DECLARATION,
        )
    return last


def _fitted(session: Session, last: Case, package: Package) -> tuple[str | None, str | None]:
    """SHA-256 of the fitted model's file, as it was sent before and now."""
    before, after = Submission.model_validate(last.submission).artifact, package.submission.artifact
    kept = None
    if before is not None:
        found = select(SubmittedFile.sha256).where(SubmittedFile.case_id == last.id, SubmittedFile.path == before.path)
        kept = session.scalar(found)
    return kept, None if after is None else sha256(package.files[after.path]).hexdigest()


def _known_version(model: str, version: str) -> UserError:
    return UserError(
        f"{model} {version} was submitted before.",
        todo="Give the new submission a version of its own; or, where it is the same model on other rows, say under "
        "re_review why it is reviewed again.",
        file=_DECLARATION,
    )
