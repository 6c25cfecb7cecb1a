"""Changes to a case's table: what one would do is shown first; done, it makes a new version of the table."""

import numpy as np
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import StaleError, UserError
from brookfall.core.table.change import Change, apply
from brookfall.core.table.profile import profile_column
from brookfall.core.table.roles import Roles, check_roles
from brookfall.core.table.table import Column, Table
from brookfall.desk import people
from brookfall.desk.bench import submitted
from brookfall.desk.views import ChangeEffect, ColumnEffect
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.people import Person
from brookfall.records.tables import drop_table, get_table, put_table

_EXAMPLES = 5


def effect(session: Session, person: Person, case_id: int, changes: tuple[Change, ...]) -> ChangeEffect:
    """What these changes, in place of those made so far, would do to the table as it is now. Nothing is kept."""
    case = people.case_for(session, person, case_id)
    came = submitted(session, case)
    changed = apply(came.table, changes, came.beside)
    now = get_table(session, case.id, version=case.table_version)
    fewer = changed.table.n_rows != now.n_rows
    return ChangeEffect(
        said=[change.said for change in changes],
        rows_before=now.n_rows,
        rows_after=changed.table.n_rows,
        columns=_column_effects(now, changed.table, compare_cells=not fewer),
    )


def _column_effects(before: Table, after: Table, *, compare_cells: bool) -> list[ColumnEffect]:
    found = []
    for column in after.columns:
        old = before.column(column.name) if column.name in before else None
        if old is not None and old.digest() == column.digest():
            continue
        if old is not None and not compare_cells and old.kind == column.kind:
            continue
        found.append(
            ColumnEffect(
                name=column.name,
                before=None if old is None else profile_column(old).words,
                after=profile_column(column).words,
                examples=_examples(old, column) if compare_cells else [],
            )
        )
    gone = [name for name in before.names if name not in after]
    return found + [
        ColumnEffect(name=name, before=profile_column(before.column(name)).words, after=None, examples=[])
        for name in gone
    ]


def _examples(before: Column | None, after: Column) -> list[tuple[str | None, str | None]]:
    """Distinct cells before and after, where they differ; those that become gaps come first."""
    news = after.texts()
    olds = [None] * len(news) if before is None else before.texts()
    pairs = dict.fromkeys((old, new) for old, new in zip(olds, news, strict=True) if old != new)
    return sorted(pairs, key=lambda pair: pair[1] is not None)[:_EXAMPLES]


def set_changes(session: Session, person: Person, case_id: int, changes: tuple[Change, ...], revision: int) -> Case:
    """Makes these the changes of the case's table, as a new version; none at all gives back what was submitted.

    Roles go with it: a column that came in is protected where it was made of one that is, or joined, and ignored
    otherwise; one that is gone loses its role. StaleError when somebody saved since ``revision``; UserError once the
    plan is locked, or where a change can't be made.
    """
    case = people.reviewed_case(session, person, case_id)
    if case.is_locked:
        raise UserError("The plan is locked, so the data can't change.", todo="Open a deviation first.")
    if case.roles_revision != revision:
        raise StaleError(
            "The data were changed since you opened this page.", todo="Nothing was overwritten; load the page again."
        )
    came = submitted(session, case)
    changed = apply(came.table, changes, came.beside)
    _refuse_none_left(changed.rows)
    roles = _roles_after(Roles.model_validate(case.roles), came.table, changed.table, changes)
    check_roles(roles, changed.table, came.declared.data[0].path, refits=came.declared.refits)
    before = {"changes": case.changes, "roles": case.roles, "table": case.table_fingerprint}
    if case.table_version > 1:
        drop_table(session, case.id, version=case.table_version)
    version = case.table_version + 1 if changes else 1
    if changes:
        put_table(session, case.id, changed.table, version=version)
    case.changes = [change.model_dump(mode="json") for change in changes]
    case.table_version, case.roles, case.roles_revision = version, roles.model_dump(mode="json"), revision + 1
    case.table_fingerprint, case.n_rows = changed.table.fingerprint, changed.table.n_rows
    after = {"changes": case.changes, "roles": case.roles, "table": case.table_fingerprint}
    audit_log.append_change(session, person, "changed the table", before, after, case_id=case.id)
    session.flush()
    return case


def _refuse_none_left(rows: "np.ndarray[tuple[int], np.dtype[np.int64]]") -> None:
    if not len(rows):
        raise UserError("No row would be left.", todo="Nothing was changed.")


def _roles_after(roles: Roles, submitted_table: Table, table: Table, changes: tuple[Change, ...]) -> Roles:
    guarded = set(roles.protected)
    added = [name for name in table.names if name not in submitted_table]
    new = [name for name in added if name not in {*roles.protected, *roles.ignore} and name != roles.target]
    made_of = {change.name: change.column for change in changes if change.kind == "bands"}
    joined = {name for change in changes if change.kind == "join_sample" for name in change.columns}
    protected = [name for name in new if name in joined or made_of.get(name) in guarded]
    # Bands are audited in place of the number that they were made of.
    replaced = {made_of[name] for name in protected if name in made_of}
    kept = [name for name in roles.protected if name in table and name not in replaced]
    aside = {name for name in replaced if name not in roles.also_features}
    features = roles.features
    # Bands are of the ground of what they were made of.
    ties = roles.grounds | {name: roles.grounds[of] for name, of in made_of.items() if of in roles.grounds}
    return roles.model_copy(
        update={
            "protected": (*kept, *protected),
            "grounds": {name: ground for name, ground in ties.items() if name in table},
            "spoken": {name: forms for name, forms in roles.spoken.items() if name in table},
            "ignore": (
                *(name for name in roles.ignore if name in table and name not in aside),
                *(name for name in new if name not in protected),
                *(sorted(aside) if features is None else ()),
            ),
            "also_features": tuple(name for name in roles.also_features if name in table and name not in replaced),
            "identifier": tuple(name for name in roles.identifier if name in table),
            "features": None if features is None else tuple(name for name in features if name in table),
        }
    )
