"""A case laid out on the core's bench: its stored table under the reviewer's roles and plan."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.bench import Bench
from brookfall.core.plan import Plan
from brookfall.core.subject import subject_from
from brookfall.core.submission.schema import Submission
from brookfall.core.table.roles import Roles
from brookfall.records import blobs
from brookfall.records.cases import Case, SubmittedFile
from brookfall.records.tables import get_table


def bench_of(session: Session, case: Case) -> Bench:
    """UserError when the roles or the plan can't be carried out on these rows."""
    declared = Submission.model_validate(case.submission)
    files = _prediction_files(session, case, declared)
    subject = subject_from(declared, get_table(session, case.id), files, Roles.model_validate(case.roles))
    return Bench(subject, Plan.model_validate(case.plan))


def _prediction_files(session: Session, case: Case, declared: Submission) -> dict[str, bytes]:
    """The files of supplied scores; scores in the data file itself are read from the stored table."""
    wanted = {entry.path for entry in declared.predictions} - {declared.data[0].path}
    query = select(SubmittedFile).where(SubmittedFile.case_id == case.id, SubmittedFile.path.in_(wanted))
    return {file.path: blobs.get(session, file.sha256) for file in session.scalars(query)}
