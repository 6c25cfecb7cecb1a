"""Looking at the data: what hangs together, what is wrong, a column's page, all pairs at once, the rows themselves."""

from typing import Literal, Protocol

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from brookfall.core.check.groups.protected_groups import ground_as
from brookfall.core.foundation import digest
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.core.judge.grounds import Grounds
from brookfall.core.measure.association import KIND_WORDS, kind_of, strengths
from brookfall.core.measure.interval import proportion
from brookfall.core.plan.plan import Plan
from brookfall.core.plan.revisions import read_plan
from brookfall.core.retest.screening.issues import Sample
from brookfall.core.retest.screening.rows_of_issue import Where, rows_where
from brookfall.core.retest.screening.screen import Look, look_at
from brookfall.core.table.infer import as_category
from brookfall.core.table.profile import Bins, bins_of, count_in
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Column, Table
from brookfall.desk import people
from brookfall.desk.bench import added_to, entries_of, subject_of_case
from brookfall.desk.views import ColumnPage, GroupOfColumn, LookView, MatrixView, RowsView
from brookfall.records.cases import Case, KeptLook
from brookfall.records.database import transaction
from brookfall.records.erasures import refuse_without_rows
from brookfall.records.people import Person
from brookfall.records.recent import last_few
from brookfall.records.tables import column_names, get_table, stored_columns

AT_ONCE = 2_000_000
"""Cells that are looked at while somebody waits; a larger table is looked at by a worker."""

_MOST_COLUMNS = 120
_MOST_ROWS = 200
_MOST_GROUPS = 8
_MOST_SPOKEN = 20
_VERSION = 2
"""Goes up when what is looked for changes, so that what was kept is found anew."""


class Lookers(Protocol):
    """Hands looking to a worker; a lost message only means that the next request asks again."""

    def look(self, case_id: int) -> None: ...


def look_view(session: Session, person: Person, case_id: int, lookers: Lookers) -> LookView:
    """What was seen, or that it is being looked at."""
    case = people.case_for(session, person, case_id)
    refuse_without_rows(case)
    kept = session.get(KeptLook, (case.id, _key(case)))
    if kept is None and case.n_rows * len(stored_columns(session, case.id, version=case.table_version)) > AT_ONCE:
        lookers.look(case.id)
        return LookView(ready=False, fault=None, look=None)
    if kept is None:
        kept = _look(session, case)
    look = None if kept.content is None else Look.model_validate(kept.content)
    return LookView(ready=True, fault=kept.fault, look=look)


def look_and_keep(case_id: int) -> None:
    """Looks at a case's table as it is now, in a worker, unless that was done."""
    with transaction() as session:
        case = session.get_one(Case, case_id)
        if session.get(KeptLook, (case.id, _key(case))) is None:
            _look(session, case)


def _look(session: Session, case: Case) -> KeptLook:
    grounds = read_plan(case.plan).policy.listed
    content, fault = None, None
    try:
        content = look_at(subject_of_case(session, case), grounds, _samples(session, case)).model_dump(mode="json")
    except UserError as problem:
        fault = str(problem)
    # Two may look at once: the second finds the same, and changes nothing.
    return session.merge(KeptLook(case_id=case.id, key=_key(case), content=content, fault=fault))


def _samples(session: Session, case: Case) -> dict[str, Sample]:
    return {
        entry.name: Sample(get_table(session, case.id, name=entry.name), str(entry.key))
        for entry in entries_of(case)
        if entry.kind == "sample"
    }


def _key(case: Case) -> str:
    grounds = read_plan(case.plan).policy.listed
    roles = {name: value for name, value in case.roles.items() if name != "spoken"}
    added = [one.sha256 for one in added_to(case)]
    return digest.of_json(
        [_VERSION, case.table_fingerprint, roles, case.submission["recipe"], case.outcome, _in_full(grounds), added]
    )


def _in_full(grounds: Grounds) -> list[object]:
    """The grounds, each with what the house knows it by where it does: without that, as they were always kept."""
    return [[name, grounds.own[name].model_dump()] if name in grounds.own else name for name in grounds.names]


def rows_view(
    session: Session,
    person: Person,
    case_id: int,
    offset: int,
    limit: int,
    where: Where | None = None,
    sort: str | None = None,
    *,
    falling: bool = False,
) -> RowsView:
    """A window of the rows, as they read, with the place of each in the table (1 is the first data row)."""
    case = people.case_for(session, person, case_id)
    version = case.table_version
    names = column_names(session, case.id, version=version)
    if sort is not None and sort not in names:
        raise UserError(f"There is no column '{sort}'.", todo="Sort by a column of the table.", column=sort)
    table = get_table(session, case.id, version=version)
    key = digest.of_json([case.table_fingerprint, where and where.model_dump(mode="json"), sort, falling])
    chosen = _chosen(key, table, where, sort, falling=falling)
    shown = chosen[offset : offset + min(limit, _MOST_ROWS)]
    window = table.take(shown)
    cells = [column.texts() for column in window.columns]
    return RowsView(
        total=len(chosen),
        of=case.n_rows,
        columns=names,
        places=(shown + 1).tolist(),
        rows=[list(row) for row in zip(*cells, strict=True)],
    )


@last_few(6)
def _chosen(_key: str, table: Table, where: Where | None, sort: str | None, *, falling: bool) -> NDArray[np.int64]:
    chosen = np.arange(table.n_rows, dtype=np.int64) if where is None else rows_where(table, where)
    return chosen if sort is None else in_order(chosen, table.column(sort), falling=falling)


def in_order(rows: NDArray[np.int64], column: Column, *, falling: bool) -> NDArray[np.int64]:
    """By the column, gaps last either way, rows that say the same in their own order."""
    values = column.values[rows].astype(np.float64)
    gaps = column.missing[rows]
    return rows[np.lexsort((-values if falling else values, gaps))]


def column_page(session: Session, person: Person, case_id: int, name: str, by: str | None) -> ColumnPage:
    """A column's distribution and gaps over all rows, and over the groups of another column (at most eight)."""
    case = people.case_for(session, person, case_id)
    version, roles = case.table_version, Roles.model_validate(case.roles)
    stored = {column.name: column for column in stored_columns(session, case.id, version=version)}
    if name not in stored or (by is not None and by not in stored):
        raise MissingError(f"There is no column '{name if name not in stored else by}'.", todo="Go back to the data.")
    column = get_table(session, case.id, {name}, version=version).column(name)
    splits = [one for one in (roles.part, roles.target, *roles.protected) if one and one != name and one in stored]
    groups = {"all rows": np.arange(case.n_rows, dtype=np.int64)}
    if by is not None and by != name:
        groups |= _groups(get_table(session, case.id, {by}, version=version).column(by))
    bins = bins_of(column)
    return ColumnPage(
        name=name,
        kind=column.kind,
        words=stored[name].profile["words"],
        description=stored[name].profile.get("description", ""),
        quantiles=list(stored[name].profile["quantiles"]),
        by=by,
        splits=splits,
        labels=list(bins.labels),
        fill_by=_fill_by(case, column),
        levels=_levels_audited(column, read_plan(case.plan), roles),
        groups=[_group(label, column, rows, bins) for label, rows in groups.items()],
    )


def _fill_by(case: Case, column: Column) -> Literal["median", "mean", "mode"]:
    """As the recipe fills in a gap of a number; words have their most frequent one."""
    if column.kind != "number":
        return "mode"
    recipe = case.submission.get("recipe") or {}
    way = recipe.get("preprocess", {}).get("missing")
    return way if way in ("mean", "mode") else "median"


def _levels_audited(column: Column, plan: Plan, roles: Roles) -> list[str]:
    """The levels of a protected column as the plan takes them, at most ``_MOST_SPOKEN``; not that none is recorded."""
    if column.name not in roles.protected:
        return []
    ground = ground_as(column, plan, roles.grounds)
    return [level for place, level in enumerate(ground.levels) if place != ground.gap][:_MOST_SPOKEN]


def _group(label: str, column: Column, rows: NDArray[np.int64], bins: Bins) -> GroupOfColumn:
    taken = column.take(rows)
    gaps = proportion(int(taken.missing.sum()), len(rows))
    low, high = gaps.interval(0.95) or (None, None)
    return GroupOfColumn(
        label=label,
        n=len(rows),
        counts=count_in(taken, bins),
        missing=int(taken.missing.sum()),
        missing_low=low,
        missing_high=high,
    )


def _groups(by: Column) -> dict[str, NDArray[np.int64]]:
    coded = as_category(by)
    if len(coded.levels) > 50 and by.kind == "number":
        middle = float(np.nanmedian(by.values))
        low = np.flatnonzero(by.values <= middle)
        return {f"{by.name} ≤ {middle:g}": low, f"{by.name} > {middle:g}": np.flatnonzero(by.values > middle)}
    counts = np.bincount(coded.values[coded.values >= 0].astype(np.int64), minlength=len(coded.levels))
    largest = np.sort(np.argsort(-counts, kind="stable")[:_MOST_GROUPS])
    return {f"{by.name} {coded.levels[code]}": np.flatnonzero(coded.values == code) for code in largest}


def matrix_view(session: Session, person: Person, case_id: int) -> MatrixView:
    """How strongly every two columns go together; identifiers and what is ignored are left out."""
    case = people.case_for(session, person, case_id)
    roles = Roles.model_validate(case.roles)
    left_out = {*roles.identifier, *roles.ignore}
    table = get_table(session, case.id, version=case.table_version)
    names = [name for name in table.names if name not in left_out]
    shown = Table(tuple(table.column(name) for name in names[:_MOST_COLUMNS]))
    found = _strengths(digest.of_json([case.table_fingerprint, shown.names]), shown)
    measures = [[KIND_WORDS[kind_of(one, other)] for other in shown.columns] for one in shown.columns]
    return MatrixView(
        names=list(shown.names),
        strengths=[[None if np.isnan(value) else round(float(value), 4) for value in row] for row in found],
        measures=measures,
        n=case.n_rows,
        left_out=len(names) - len(shown.names),
    )


@last_few(6)
def _strengths(_key: str, table: Table) -> NDArray[np.float64]:
    """Of a million rows by fifty columns it takes five seconds."""
    return strengths(table.columns)
