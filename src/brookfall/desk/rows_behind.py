"""The rows behind a cell of a confusion matrix or a bin of a chart: to look at, and as a file."""

import re
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from sqlalchemy.orm import Session

from brookfall.core.candidate.candidate import IN_USE
from brookfall.core.check.bench import ARTIFACT, RECIPE, SCORES, Bench
from brookfall.core.check.shared.threshold_sentence import read_at
from brookfall.core.evidence.chart import RowsOf
from brookfall.core.foundation import digest, wording
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.core.measure.scored import Scored
from brookfall.core.recipe.families import families
from brookfall.core.retest.rows_behind import Behind, Found, needs_behind, rows_behind, scored_of
from brookfall.core.table.table import Column, Table
from brookfall.core.table.write import csv_of, parquet_of
from brookfall.desk import people
from brookfall.desk.bench import bench_of
from brookfall.desk.screening import in_order
from brookfall.desk.views import BehindView, ChosenThreshold
from brookfall.records import ledger
from brookfall.records.cases import Case
from brookfall.records.contents import layout_key
from brookfall.records.people import Person
from brookfall.records.recent import last_few
from brookfall.records.tables import get_table

Form = Literal["csv", "parquet"]
_MOST_ROWS = 200


@dataclass(frozen=True)
class RowsFile:
    """A file of rows: its name, its kind, and its bytes piece by piece."""

    name: str
    mimetype: str
    pieces: Iterator[bytes]


def behind_view(
    session: Session,
    person: Person,
    case_id: int,
    behind: Behind,
    offset: int,
    limit: int,
    sort: str | None = None,
    *,
    falling: bool = False,
) -> BehindView:
    """A window of the rows, as they read, after what the model said of them; in the table's order, or by a column.

    MissingError where the fits that it rests on are not made yet.
    """
    case = people.case_for(session, person, case_id)
    key, found = _found(session, case, behind)
    table = get_table(session, case.id, version=case.table_version)
    whole = found.at(np.arange(0)).with_rows(table)
    if sort is not None and sort not in whole:
        raise UserError(f"There is no column '{sort}'.", todo="Sort by a column of the table.", column=sort)
    order = _order(digest.of_json([key, sort, falling]), table, found, whole, sort, falling=falling)
    shown = order[offset : offset + min(limit, _MOST_ROWS)]
    window = found.at(shown).with_rows(table)
    return BehindView(
        total=len(found.positions),
        of=case.n_rows,
        columns=list(window.names),
        places=(found.positions[shown] + 1).tolist(),
        rows=[list(row) for row in zip(*_cells(window, len(found.said)), strict=True)],
        said=len(found.said),
        title=_title(behind),
    )


def _cells(window: Table, said: int) -> list[list[str | None]]:
    """The cells as they read; what a model said to six digits, as no one reads more on a screen."""
    return [
        [f"{value:.6g}" for value in column.values] if place < said and column.kind == "number" else column.texts()
        for place, column in enumerate(window.columns)
    ]


def behind_file(session: Session, person: Person, case_id: int, behind: Behind, form: Form) -> RowsFile:
    """All these rows as a file, the place of each in the table first."""
    case = people.case_for(session, person, case_id)
    _, found = _found(session, case, behind)
    table = found.with_rows(get_table(session, case.id, version=case.table_version))
    places = found.positions + 1
    name = file_name(case, _title(behind), form)
    if form == "csv":
        return RowsFile(name, "text/csv; charset=utf-8", csv_of(table, places))
    return RowsFile(name, "application/vnd.apache.parquet", iter([parquet_of(table, places)]))


def file_name(case: Case, of: str, form: str) -> str:
    """What a file of rows of a case is called."""
    words = re.sub(r"[^a-z0-9]+", "-", f"{case.model} {case.version} {of}".lower()).strip("-")
    return f"{words[:120]}.{form}"


def _found(session: Session, case: Case, behind: Behind) -> tuple[str, Found]:
    key = digest.of_json([layout_key(case), behind.model_dump(mode="json")])
    return key, _find(key, session, case, behind)


@last_few(6)
def _find(_key: str, session: Session, case: Case, behind: Behind) -> Found:
    bench = bench_of(session, case)
    return rows_behind(bench, _kept(session, bench, behind), behind)


def _kept(session: Session, bench: Bench, of: RowsOf) -> ledger.StoredLedger:
    needs = needs_behind(bench, of)
    kept = ledger.load(session, needs)
    if any((need.fit.key, need.reading.key) not in kept.readings for need in needs):
        raise MissingError(
            "The fits that gave these scores are not there for this plan.", todo="Run what changed, then open it again."
        )
    return kept


def read_threshold(session: Session, case: Case, of: RowsOf, chosen: ChosenThreshold) -> str:
    """What a threshold decides, in a sentence; MissingError where the fits that it rests on are not made yet."""
    bench = bench_of(session, case)
    judged = scored_of(bench, _kept(session, bench, of), of)
    if not isinstance(judged.scored, Scored):
        raise UserError("Only a yes/no outcome has a threshold.", todo="Leave the threshold out.")
    return read_at(judged.scored, judged.part, chosen.threshold, chosen.miss_cost, bench.plan.policy.level)


@last_few(6)
def _order(
    _key: str, table: Table, found: Found, whole: Table, sort: str | None, *, falling: bool
) -> NDArray[np.int64]:
    places = np.arange(len(found.positions), dtype=np.int64)
    if sort is None:
        return places
    at = whole.names.index(sort)
    column: Column = found.said[at] if at < len(found.said) else table.column(sort).take(found.positions)
    return in_order(places, column, falling=falling)


def _title(behind: Behind) -> str:
    model = {
        RECIPE: "refitted here",
        ARTIFACT: "the fitted model",
        SCORES: "supplied scores",
        IN_USE: "the version in use",
    }.get(behind.model)
    named = model or (families()[behind.model].words if behind.model in families() else behind.model)
    said = [f"{behind.part.replace('_', '-')} rows ({named})"]
    if behind.outcome is not None:
        said.append(f"outcome {behind.outcome}")
    if behind.decided is not None:
        at = "" if behind.threshold is None else f" at {behind.threshold:g}"
        said.append(f"decided {behind.decided}{at}")
    if behind.score_from is not None or behind.score_to is not None:
        low, high = (None if end is None else wording.number(end, 4) for end in (behind.score_from, behind.score_to))
        said.append(f"scored from {low or 'the least'} to {high or 'the most'}")
    return ", ".join(said)
