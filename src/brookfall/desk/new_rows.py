"""New rows: whoever reviews a case, or belongs to its model, has a file scored by several models.

The file and what was said of its rows are kept with the case's own rows, and go with them.
"""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.candidate.candidate import ARTIFACT, RECIPE
from brookfall.core.foundation import digest
from brookfall.core.foundation.errors import ForbiddenError, MissingError, UserError
from brookfall.core.foundation.validation import first_problem
from brookfall.core.new_rows.learned import families_for, refuse_models
from brookfall.core.new_rows.score import COVERAGE
from brookfall.core.recipe.families import families
from brookfall.core.submission.schema import Submission
from brookfall.core.table.infer import as_category
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.read_parquet import read_parquet
from brookfall.core.table.table import Column, Table
from brookfall.core.table.write import written_as
from brookfall.desk import people
from brookfall.desk.rows_behind import file_name
from brookfall.desk.screening import in_order
from brookfall.desk.views import (
    AskableModelView,
    CellOfRow,
    ExplainedModel,
    NewRowsView,
    ReasonView,
    SaidOfRowView,
    ScoredModelView,
    ScoredRowsView,
    ScoredRowView,
    ScoringResult,
    ScoringView,
)
from brookfall.records import audit_log, blobs
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.erasures import refuse_without_rows
from brookfall.records.people import Person
from brookfall.records.recent import last_few
from brookfall.records.scorings import Scoring

ASKED, SCORED = "asked for new rows to be scored", "scored new rows"
"""The acts; the entry of the first has the SHA-256 of the file, that of the second of the scored rows."""
Form = Literal["csv", "parquet", "xlsx"]
Only = Literal["all", "differ", "outside", "unsure", "changed", "wrong"]
_MIMETYPES: dict[Form, str] = {
    "csv": "text/csv; charset=utf-8",
    "parquet": "application/vnd.apache.parquet",
    "xlsx": "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet",
}
_MOST_MODELS = 6
_MOST_ROWS = 200
_MOST_UNPACKED = 8_000_000_000
_GOING = ("waiting", "leased")


class AskedOfRows(BaseModel):
    """What is asked of a file of new rows: by which models, and what sets and intervals shall cover."""

    model_config = ConfigDict(extra="forbid")

    models: tuple[str, ...] = Field(default=(RECIPE,), min_length=1, max_length=_MOST_MODELS)
    coverage: float = Field(default=COVERAGE, gt=0, lt=1)
    seed: int = Field(default=0, ge=0, lt=2**31)


@dataclass(frozen=True)
class ScoredRowsFile:
    """A file of scored rows."""

    name: str
    mimetype: str
    data: bytes


def may_score(person: Person, case: Case) -> bool:
    """Whether the person has new rows scored by the case's models: who reviews it, and who belongs to its model."""
    reviews = "reviewer" in person.roles and person.id in (case.reviewer_id, *case.reviewed_by)
    return case.rows_taken is None and (reviews or people.belongs_to_case(person, case))


def scored_case(session: Session, person: Person, case_id: int, *, lock: bool = False) -> Case:
    """The case, if this person may have new rows scored there; ForbiddenError says who may."""
    case = people.case_for(session, person, case_id, lock=lock)
    refuse_without_rows(case)
    if not may_score(person, case):
        raise ForbiddenError(
            "Who reviews the case, and who belongs to its model, has new rows scored here.",
            todo="Score the package by the command line.",
        )
    return case


def ask(session: Session, person: Person, case_id: int, brief: Mapping[str, object], files: dict[str, bytes]) -> int:
    """Enters a file of new rows to be scored; gives the id. UserError where it is asked for what can't be."""
    case = scored_case(session, person, case_id, lock=True)
    ((path, data),) = files.items()
    try:
        asked = AskedOfRows.model_validate(brief)
    except ValidationError as problem:
        place, message = first_problem(problem)
        words = f"{place}: {message}." if place else f"{message}."
        raise UserError(words, todo="Choose models, and a share between 0 and 1.", file=path) from problem
    declared = Submission.model_validate(case.submission)
    refuse_models(declared.model.outcome, _came(declared), asked.models)
    number = (session.scalar(select(func.max(Scoring.number)).where(Scoring.case_id == case.id)) or 0) + 1
    made = Scoring(
        case_id=case.id,
        number=number,
        by_id=person.id,
        file=path,
        file_sha256=blobs.put(session, data),
        layout=_layout(case),
        models=list(asked.models),
        coverage=asked.coverage,
        seed=asked.seed,
        asked=now(),
        state="waiting",
        attempts=0,
        done=0,
        needed=100,
        doing="waiting for a worker",
        said="",
    )
    session.add(made)
    session.flush()
    audit_log.append(
        session, person, ASKED, f"{path}, by {', '.join(asked.models)}", case_id=case.id,
        after={"number": number, "sha256": made.file_sha256, **asked.model_dump(mode="json")},
    )  # fmt: skip
    return made.id


def _came(declared: Submission) -> list[str]:
    """What was submitted that can be asked about new rows."""
    artifact = declared.artifact
    runs = artifact is not None and artifact.graph is not None and declared.model.outcome != "choice"
    return [name for name, there in ((RECIPE, declared.recipe is not None), (ARTIFACT, runs)) if there]


def new_rows_view(session: Session, person: Person, case_id: int) -> NewRowsView:
    """The files of new rows of a case, the newest first, and by which models others can be scored."""
    case = people.case_for(session, person, case_id)
    found = session.scalars(select(Scoring).where(Scoring.case_id == case.id).order_by(Scoring.number.desc()))
    may, models = may_score(person, case), []
    if may:
        declared = Submission.model_validate(case.submission)
        if declared.recipe is not None:
            models.append(AskableModelView(name=RECIPE, words="the submitted recipe"))
        if ARTIFACT in _came(declared):
            models.append(AskableModelView(name=ARTIFACT, words="the fitted model as submitted"))
        known = families_for(declared.model.outcome)
        models += [AskableModelView(name=name, words=families()[name].words) for name in known]
    return NewRowsView(may_score=may, models=models, scorings=[_view(case, one) for one in found])


def scoring_view(session: Session, person: Person, case_id: int, number: int) -> ScoringView:
    case = people.case_for(session, person, case_id)
    return _view(case, _scoring(session, case, number))


def cancel(session: Session, person: Person, case_id: int, number: int) -> ScoringView:
    """Ends a scoring that goes on; UserError where it does not."""
    case = scored_case(session, person, case_id, lock=True)
    one = session.scalars(
        select(Scoring).where(Scoring.case_id == case.id, Scoring.number == number).with_for_update()
    ).first()
    if one is None or one.state not in _GOING:
        raise UserError("These rows are not being scored.", todo="There is nothing to cancel.")
    one.state, one.finished, one.lease_until, one.said = "cancelled", now(), None, "It was cancelled."
    session.flush()
    return _view(case, one)


def rows_view(
    session: Session, person: Person, case_id: int, number: int, only: Only, offset: int, limit: int,
    sort: str | None = None, *, falling: bool = False,
) -> ScoredRowsView:  # fmt: skip
    """A window of the scored rows, as they read: what the models say, then the file's own columns."""
    name, result, table = _done(session, person, case_id, number)
    if sort is not None and sort not in table:
        raise UserError(f"There is no column '{sort}'.", todo="Sort by a column of the table.", column=sort)
    places = np.flatnonzero(_kept(f"{name} {only}", table, result, only))
    if sort is not None:
        places = in_order(places, table.column(sort), falling=falling)
    shown = places[offset : offset + min(limit, _MOST_ROWS)]
    names = table.names[1 : result.shown]
    window = table.select(names).take(shown)
    return ScoredRowsView(
        total=len(places),
        of=table.n_rows,
        columns=list(names),
        places=(shown + 1).tolist(),
        rows=[list(row) for row in zip(*(_cells(column) for column in window.columns), strict=True)],
        said=result.said - 1,
        counts={kind: int(_kept(f"{name} {kind}", table, result, kind).sum()) for kind in _KINDS},
    )


def row_view(session: Session, person: Person, case_id: int, number: int, row: int) -> ScoredRowView:
    """A scored row in full, with the reasons of every model that has some for it; rows are counted from 1."""
    _, result, table = _done(session, person, case_id, number)
    if not 1 <= row <= table.n_rows:
        raise MissingError(f"There is no row {row}.", todo=f"The file has {table.n_rows}.")
    one = table.take(np.array([row - 1]))
    cells = {name: _cells(one.column(name))[0] for name in table.names[: result.shown]}
    explained = {model.name: model for model in result.explained}
    return ScoredRowView(
        place=row,
        models=[_said_of_row(model, explained.get(model.name), one, cells) for model in result.models],
        own=[CellOfRow(column=name, cell=cells[name]) for name in table.names[result.said : result.shown]],
    )


def _said_of_row(
    model: ScoredModelView, explained: ExplainedModel | None, one: Table, cells: dict[str, str | None]
) -> SaidOfRowView:
    start = f"{model.name}."
    said = [
        CellOfRow(column=name.removeprefix(start), cell=cell) for name, cell in cells.items() if name.startswith(start)
    ]
    base = None if explained is None else float(one.column(explained.base).values[0])
    if explained is None or base is None or np.isnan(base):
        return SaidOfRowView(
            name=model.name, words=model.words, said=said, scale=None, exact=False, base=None, reasons=[]
        )
    reasons = [
        ReasonView(feature=feature, value=cells[explained.own[feature]], by=float(one.column(column).values[0]))
        for feature, column in explained.columns.items()
    ]
    reasons.sort(key=lambda reason: -abs(reason.by))
    return SaidOfRowView(
        name=model.name, words=model.words, said=said, scale=explained.scale, exact=explained.exact, base=base,
        reasons=reasons,
    )  # fmt: skip


def rows_file(session: Session, person: Person, case_id: int, number: int, form: Form) -> ScoredRowsFile:
    """The scored rows as a file: what ``brookfall score`` writes."""
    _, result, table = _done(session, person, case_id, number)
    case = people.case_for(session, person, case_id)
    said = table.select(table.names[: result.said])
    name = file_name(case, f"new rows {number} scored", form)
    return ScoredRowsFile(name, _MIMETYPES[form], written_as(said, f".{form}"))


def _layout(case: Case) -> str:
    """Names the rows and roles that models learn from, and where they decide."""
    decided = case.plan.get("decide_at")
    return digest.of_json([case.package_sha256, case.table_fingerprint, case.changes, case.roles, decided])


def how_read(case: Case) -> HowRead:
    """How the case's own rows were read: by its words for gaps new rows are read too."""
    return Submission.model_validate(case.submission).data[0].read


def _scoring(session: Session, case: Case, number: int) -> Scoring:
    one = session.scalars(select(Scoring).where(Scoring.case_id == case.id, Scoring.number == number)).first()
    if one is None:
        raise MissingError("There are no such new rows.", todo="Go back to the list.")
    return one


def _done(session: Session, person: Person, case_id: int, number: int) -> tuple[str, ScoringResult, Table]:
    """The SHA-256 of the scored rows, what is told of them, and the rows."""
    case = people.case_for(session, person, case_id)
    refuse_without_rows(case)
    one = _scoring(session, case, number)
    if one.table_sha256 is None or one.result is None:
        raise MissingError("These rows are not scored.", todo="Wait until they are, or have them scored again.")
    return one.table_sha256, ScoringResult.model_validate(one.result), _table(one.table_sha256, session)


@last_few(4)
def _table(name: str, session: Session) -> Table:
    return Table(tuple(read_parquet(blobs.get(session, name), "rows.parquet", HowRead(), _MOST_UNPACKED)[1]))


_KINDS: tuple[Only, ...] = ("all", "differ", "outside", "unsure", "changed", "wrong")


@last_few(24)
def _kept(_name: str, table: Table, result: ScoringResult, only: Only) -> NDArray[np.bool_]:
    """Which rows are meant; shape (m,)."""
    found = np.zeros(table.n_rows, dtype=np.bool_)
    if only == "all":
        return ~found
    names = [model.name for model in result.models]
    if only == "differ":
        first, *others = (f"{name}.decision" for name in names)
        for other in others:
            found |= _differ(table, first, other)
        return found
    for name in names:
        decision = f"{name}.decision"
        if only == "outside":
            found |= ~table.column(f"{name}.outside").missing
        elif only == "unsure" and f"{name}.set" in table:
            column = table.column(f"{name}.set")
            several = np.array(["|" in level for level in column.levels] + [False])
            found |= several[column.values.astype(np.int64)]
        elif only == "changed":
            found |= _differ(table, decision, f"{name}.by_itself")
        elif only == "wrong" and result.outcome is not None:
            found |= ~table.column(result.outcome).missing & _differ(table, decision, result.outcome)
    return found


def _differ(table: Table, one: str, other: str) -> NDArray[np.bool_]:
    """Where two columns hold other texts, however they are spelled; nowhere where one is not there, or is a number."""
    if one not in table or other not in table or table.column(one).kind == "number":
        return np.zeros(table.n_rows, dtype=np.bool_)
    known: dict[str, int] = {}
    codes = []
    for column in (as_category(table.column(name)) for name in (one, other)):
        places = [known.setdefault(level.casefold(), len(known)) for level in column.levels]
        codes.append(np.array([*places, -1])[column.values.astype(np.int64)])
    differing: NDArray[np.bool_] = codes[0] != codes[1]
    return differing


def _cells(column: Column) -> list[str | None]:
    """The cells as they read: numbers to six digits, as no one reads more on a screen."""
    if column.kind != "number":
        return column.texts()
    return [None if np.isnan(value) else f"{value:.6g}" for value in column.values]


def _view(case: Case, one: Scoring) -> ScoringView:
    return ScoringView(
        number=one.number,
        file=one.file,
        sha256=one.file_sha256,
        by=one.by.name,
        asked=one.asked,
        finished=one.finished,
        state=one.state,
        doing=one.doing,
        share=one.done / one.needed,
        said=one.said,
        coverage=one.coverage,
        models=list(one.models),
        changed_since=one.layout != _layout(case),
        result=None if one.result is None else ScoringResult.model_validate(one.result),
    )
