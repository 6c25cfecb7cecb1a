"""A case laid out on the core's bench: its stored table under the reviewer's roles and plan."""

from functools import partial

from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.check.bench import Bench
from brookfall.core.foundation import digest
from brookfall.core.plan.revisions import read_plan
from brookfall.core.recipe.fitted_model import FittedModelFile
from brookfall.core.submission.added import Added
from brookfall.core.submission.label_marks import LabelMark
from brookfall.core.submission.schema import Data, Submission
from brookfall.core.submission.subject import Subject, Submitted, subject_from
from brookfall.core.table.change import Change
from brookfall.core.table.roles import Roles
from brookfall.records import blobs
from brookfall.records.cases import Case, SubmittedFile
from brookfall.records.contents import layout_key
from brookfall.records.database import transaction
from brookfall.records.erasures import refuse_without_rows
from brookfall.records.recent import last_few
from brookfall.records.runs import Run
from brookfall.records.tables import get_table, table_names
from brookfall.sandbox.fitted_models import ConfinedModel

_ADDED: TypeAdapter[list[Added]] = TypeAdapter(list[Added])
_MARKS: TypeAdapter[list[LabelMark]] = TypeAdapter(list[LabelMark])
_CHANGES: TypeAdapter[list[Change]] = TypeAdapter(list[Change])


def bench_of(session: Session, case: Case) -> Bench:
    """UserError when the roles or the plan can't be carried out on these rows."""
    return Bench(subject_of_case(session, case), read_plan(case.plan), marks_of(case))


def bench_at_hand(session: Session, case: Case) -> Bench:
    """The bench of a case as it is now, kept in this process for who asks next: laying it out takes longer than most of
    what is asked of it. UserError as in `bench_of`, and where the rows were taken away."""
    refuse_without_rows(case)
    return _kept(digest.of_json([case.id, layout_key(case), case.changes, case.added, case.label_marks]), session, case)


@last_few(4)
def _kept(_key: str, session: Session, case: Case) -> Bench:
    return bench_of(session, case)


def marks_of(of: Case | Run) -> tuple[LabelMark, ...]:
    """What the reviewer says of single labels, by row; of a run, as it was when the run began."""
    return tuple(_MARKS.validate_python(of.label_marks))


def subject_of_case(session: Session, case: Case) -> Subject:
    """The case's table under the reviewer's roles and changes; UserError when these don't fit."""
    return subject_from(submitted(session, case), Roles.model_validate(case.roles), changes_of(case))


def submitted(session: Session, case: Case) -> Submitted:
    """What the owner sent and the reviewer added, read back."""
    declared = Submission.model_validate(case.submission).model_copy(update={"data": entries_of(case)})
    beside = {name: get_table(session, case.id, name=name) for name in table_names(session, case.id)}
    files = _prediction_files(session, case, declared)
    return Submitted(declared, get_table(session, case.id), beside, files, _artifact(session, case, declared))


def added_to(case: Case) -> tuple[Added, ...]:
    """The tables that the reviewer put beside the rows."""
    return tuple(_ADDED.validate_python(case.added))


def entries_of(case: Case) -> tuple[Data, ...]:
    """Every data file of the case: the submitted ones, then those that the reviewer added."""
    return (*Submission.model_validate(case.submission).data, *added_to(case))


def changes_of(case: Case) -> tuple[Change, ...]:
    """The changes that make the current version of the case's table."""
    return tuple(_CHANGES.validate_python(case.changes))


def _artifact(session: Session, case: Case, declared: Submission) -> FittedModelFile | None:
    """The fitted model, its bytes fetched when it is opened; one that was submitted before graphs were read is not
    run."""
    if declared.artifact is None:
        return None
    path = declared.artifact.path
    found = select(SubmittedFile.sha256).where(SubmittedFile.case_id == case.id, SubmittedFile.path == path)
    sha256, graph = session.scalars(found).one(), declared.artifact.graph
    opened = None if graph is None else ConfinedModel(partial(_bytes_of, sha256), declared.artifact)
    return FittedModelFile(path, sha256, graph, opened)


def _bytes_of(sha256: str) -> bytes:
    with transaction() as session:
        return blobs.get(session, sha256)


def _prediction_files(session: Session, case: Case, declared: Submission) -> dict[str, bytes]:
    """The files of supplied scores; scores in the data file itself are read from the stored table."""
    wanted = {entry.path for entry in declared.predictions} - {declared.data[0].path}
    query = select(SubmittedFile).where(SubmittedFile.case_id == case.id, SubmittedFile.path.in_(wanted))
    return {file.path: blobs.get(session, file.sha256) for file in session.scalars(query)}
