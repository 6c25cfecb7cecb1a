"""What changed between two versions of a model: files, columns, roles, recipe and claims, and the figures judged."""

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import UserError
from brookfall.core.retest.before_and_after import exhibits_side_by_side
from brookfall.core.submission.difference import Version, version_changes
from brookfall.core.submission.schema import Submission
from brookfall.desk import people
from brookfall.desk.views import BetweenVersions
from brookfall.records.cases import Case, SubmittedFile
from brookfall.records.contents import exhibits_now
from brookfall.records.people import Person
from brookfall.records.runs import Run
from brookfall.records.tables import stored_columns, stored_rows


def between(session: Session, person: Person, before_id: int, after_id: int) -> BetweenVersions:
    """What two cases of a model differ in; exhibits only where both were run; UserError where they are of two."""
    before, after = (people.case_for(session, person, case_id) for case_id in (before_id, after_id))
    if before.model_id != after.model_id or before.id == after.id:
        raise UserError("These are not two versions of one model.", todo="Choose two on the model's page.")
    runs = [_last_run(session, case) for case in (before, after)]
    shown = [exhibits_now(session, case, run) for case, run in zip((before, after), runs, strict=True)]
    without = [case.version for case, run in zip((before, after), runs, strict=True) if run is None]
    return BetweenVersions(
        before=before.version,
        after=after.version,
        changes=list(version_changes(version_of(session, before), version_of(session, after))),
        exhibits=list(exhibits_side_by_side(shown[0], shown[1])),
        not_run=without,
    )


def version_of(session: Session, case: Case) -> Version:
    """What was submitted, as it can be compared with what was before or after."""
    paths = select(SubmittedFile.path, SubmittedFile.sha256).where(SubmittedFile.case_id == case.id)
    columns = stored_columns(session, case.id)
    return Version(
        declared=Submission.model_validate(case.submission),
        files={path: sha for path, sha in session.execute(paths) if path != "submission.yaml"},
        columns={column.name: column.kind for column in columns},
        rows=stored_rows(session, case.id),
    )


def _last_run(session: Session, case: Case) -> Run | None:
    last = select(func.max(Run.id)).where(Run.case_id == case.id, Run.state != "running")
    return session.get(Run, session.scalar(last) or 0)
