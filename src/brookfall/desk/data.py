"""The Data step: what the columns hold, and the role of each."""

from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import StaleError, UserError
from brookfall.core.plan.revisions import read_plan
from brookfall.core.submission.added import Added
from brookfall.core.submission.schema import Data, Submission
from brookfall.core.table.roles import Roles, check_roles, target_of, times_of, weights_of
from brookfall.desk import people
from brookfall.desk.bench import changes_of, entries_of
from brookfall.desk.views import ColumnView, DataView, ReadFile
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.people import Person
from brookfall.records.tables import get_table, stored_columns, stored_rows


def data_view(session: Session, person: Person, case_id: int) -> DataView:
    """The columns with their profiles and roles, and what is wrong with the roles, if anything is."""
    case = people.case_for(session, person, case_id)
    stored = stored_columns(session, case.id, version=case.table_version)
    changes = changes_of(case)
    roles, plan = Roles.model_validate(case.roles), read_plan(case.plan)
    return DataView(
        revision=case.roles_revision,
        locked=case.is_locked,
        file=_file(case),
        files=[_read_file(entry) for entry in entries_of(case)],
        fingerprint=case.table_fingerprint,
        n_rows=case.n_rows,
        submitted_rows=stored_rows(session, case.id),
        roles=roles,
        changes=list(changes),
        changes_said=[change.said for change in changes],
        beside={
            entry.name: [column.name for column in stored_columns(session, case.id, entry.name)]
            for entry in entries_of(case)
            if entry.kind == "sample"
        },
        target_observed=plan.target_observed,
        grounds=list(plan.policy.grounds),
        columns=[
            ColumnView(
                name=column.name,
                ground=plan.policy.listed.by_name(column.name),
                kind=column.kind,
                words=column.profile["words"],
                missing=column.profile["missing"],
                distinct=column.profile["distinct"],
                n=column.profile["n"],
                description=column.profile.get("description", ""),
                bars=column.profile["bars"],
            )
            for column in stored
        ],
        problem=None if case.rows_taken else _problem(session, case, roles),
    )


def _read_file(entry: Data) -> ReadFile:
    added = isinstance(entry, Added)
    return ReadFile(
        name=entry.name, path=entry.path, kind=entry.kind, words=entry.read.words, how=entry.read, added=added
    )


def set_roles(session: Session, person: Person, case_id: int, roles: Roles, revision: int) -> DataView:
    """Saves the roles. StaleError when somebody saved since ``revision``; UserError when the plan is locked."""
    case = people.reviewed_case(session, person, case_id)
    if case.is_locked:
        raise UserError("The plan is locked, so the roles can't change.", todo="Open a deviation first.")
    if case.roles_revision != revision:
        raise StaleError(
            "The roles were changed since you opened this page.", todo="Nothing was overwritten; load the page again."
        )
    table = get_table(session, case.id, version=case.table_version)
    check_roles(roles, table, _file(case), refits=Submission.model_validate(case.submission).refits)
    before, after = case.roles, roles.model_dump(mode="json")
    if before != after:
        case.roles, case.roles_revision = after, revision + 1
        audit_log.append_change(session, person, "changed roles", before, after, case_id=case.id)
    session.flush()
    return data_view(session, person, case_id)


def _problem(session: Session, case: Case, roles: Roles) -> str | None:
    named = {name for _, name in roles.named()} | {roles.target}
    table = get_table(session, case.id, named, version=case.table_version)
    file, outcome = _file(case), Submission.model_validate(case.submission).model.outcome
    try:
        target_of(table, roles, outcome, file)
        weights_of(table, roles, file)
        times_of(table, roles, file)
    except UserError as problem:
        return str(problem)
    return None


def _file(case: Case) -> str:
    return Submission.model_validate(case.submission).data[0].path
