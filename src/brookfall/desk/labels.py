"""The label check's suspects with what the reviewer says of each: kept, wrong, or corrected; and their export."""

from collections.abc import Iterable

import numpy as np
from sqlalchemy.orm import Session

from brookfall.core.evidence.chart import SuspectList
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.core.submission.label_marks import LabelMark, problem_with
from brookfall.core.table.table import Column, Table, free_name
from brookfall.core.table.write import csv_of, parquet_of
from brookfall.desk import people
from brookfall.desk.bench import marks_of, subject_of_case
from brookfall.desk.docket import latest_run
from brookfall.desk.rows_behind import Form, RowsFile, file_name
from brookfall.desk.views import MarksView, SuspectsView
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.contents import exhibits_now
from brookfall.records.people import Person
from brookfall.records.tables import get_table

_MOST_MARKS = 20_000
_CHECK = "labels"


def suspects_view(session: Session, person: Person, case_id: int) -> SuspectsView:
    """The suspects of the latest run's label check with their rows as they read; MissingError before it is there."""
    case = people.case_for(session, person, case_id)
    listed, exhibit = _listed(session, case)
    table = get_table(session, case.id, version=case.table_version)

    def cells(series: str) -> list[list[str | None]]:
        rows = np.array(exhibit.series[series]["row"], dtype=np.int64) if series else np.zeros(0, dtype=np.int64)
        columns = [column.texts() for column in table.take(rows).columns]
        return [list(row) for row in zip(*columns, strict=True)] if len(rows) else []

    return SuspectsView(
        columns=list(table.names),
        rows=cells(listed.series),
        sample=cells(listed.sample),
        marks=list(marks_of(case)),
    )


def mark(session: Session, person: Person, case_id: int, marks: list[LabelMark], cleared: list[int]) -> MarksView:
    """Adds marks, replaces those of the same rows, and takes away the marks of ``cleared`` rows.

    UserError where a row or a label is not there. What is scored keeps its label whatever is said of it, so a mark is
    no deviation from the plan; the record keeps every one.
    """
    case = people.reviewed_case(session, person, case_id)
    subject = subject_of_case(session, case)
    for one in marks:
        problem = problem_with(one, subject)
        if problem is not None:
            raise UserError(problem, todo="Nothing was changed; load the page again.")
    before = {one.row: one for one in marks_of(case)}
    after = {row: one for row, one in before.items() if row not in set(cleared)} | {one.row: one for one in marks}
    if len(after) > _MOST_MARKS:
        raise UserError(f"More than {_MOST_MARKS} labels would be marked.", todo="Correct the data and submit anew.")
    if after != before:
        case.label_marks = _plain(after[row] for row in sorted(after))
        touched = sorted({row for row in {*before, *after} if before.get(row) != after.get(row)})
        audit_log.append(
            session,
            person,
            "marked labels",
            f"{len(touched)} row{'' if len(touched) == 1 else 's'}",
            case_id=case.id,
            before=_plain(before[row] for row in touched if row in before),
            after=_plain(after[row] for row in touched if row in after),
        )
    session.flush()
    return MarksView(marks=list(marks_of(case)))


def suspects_file(session: Session, person: Person, case_id: int, form: Form) -> RowsFile:
    """Every suspect as a file: its place in the table, its row, the suggestion, and what was said of it."""
    case = people.case_for(session, person, case_id)
    listed, exhibit = _listed(session, case)
    columns = exhibit.series[listed.series]
    rows = np.array(columns["row"], dtype=np.int64)
    subject = subject_of_case(session, case)
    said = {one.row: one for one in marks_of(case)}
    marks = [said.get(int(row)) for row in subject.submitted_rows(rows)]
    table = get_table(session, case.id, version=case.table_version).take(rows)
    names = set(table.names)

    def added(name: str, texts: list[str | None]) -> Column:
        levels = sorted({text for text in texts if text is not None})
        codes = [-1 if text is None else levels.index(text) for text in texts]
        return Column(free_name(name, names), "text", np.array(codes, dtype=np.int32), tuple(levels))

    whole = Table(
        (
            *table.columns,
            added("suggested", [_told(value, listed.classes) for value in columns["suggested"]]),
            Column(free_name("probability", names), "number", np.array(columns["probability"], dtype=np.float64)),
            added("mark", [None if one is None else one.verdict for one in marks]),
            added("corrected_to", [None if one is None else one.label for one in marks]),
        )
    )
    name = file_name(case, "suspect labels", form)
    if form == "csv":
        return RowsFile(name, "text/csv; charset=utf-8", csv_of(whole, rows + 1))
    return RowsFile(name, "application/vnd.apache.parquet", iter([parquet_of(whole, rows + 1)]))


def _listed(session: Session, case: Case) -> tuple[SuspectList, Exhibit]:
    found = exhibits_now(session, case, latest_run(session, case.id), check=_CHECK)
    exhibit = next((one for one in found if one.state in ("done", "stale")), None)
    listed = next((chart for chart in exhibit.charts if isinstance(chart, SuspectList)), None) if exhibit else None
    if exhibit is None or listed is None:
        raise MissingError("The labels have not been checked yet.", todo="Run the label check.")
    return listed, exhibit


def _told(value: float | None, classes: tuple[str, ...]) -> str | None:
    if value is None:
        return None
    return classes[int(value)] if classes else f"{value:.6g}"


def _plain(marks: Iterable[LabelMark]) -> list[dict[str, object]]:
    return [one.model_dump(mode="json", exclude_none=True) for one in marks]
