"""The addresses of new rows: what was scored in a case, the rows, and as a file. They are sent as drafts are."""

from typing import Literal

from flask import Response
from flask_login import login_required
from pydantic import BaseModel, Field

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking
from brookfall.desk import new_rows
from brookfall.desk.views import NewRowsView, ScoredRowsView, ScoredRowView, ScoringView
from brookfall.records.database import transaction

new_rows_api = blueprint("new_rows")


class CaseOfRowsPath(BaseModel):
    case_id: int


class ScoringPath(CaseOfRowsPath):
    number: int


class ScoringFilePath(ScoringPath):
    form: new_rows.Form


class ScoredRowPath(ScoringPath):
    """Rows are counted from 1."""

    row: int = Field(ge=1, le=10**12)


class ScoredRowsQuery(BaseModel):
    """Which rows, in which order, and the window of them."""

    only: new_rows.Only = "all"
    offset: int = Field(default=0, ge=0, le=10**12)
    limit: int = Field(default=100, ge=1, le=200)
    sort: str | None = Field(default=None, max_length=500)
    order: Literal["rising", "falling"] = "rising"


@new_rows_api.get("/cases/<int:case_id>/new-rows", responses={200: NewRowsView})
@login_required
@shows
def get_new_rows(path: CaseOfRowsPath) -> NewRowsView:
    with transaction() as session:
        return new_rows.new_rows_view(session, asking(session), path.case_id)


@new_rows_api.get("/cases/<int:case_id>/new-rows/<int:number>", responses={200: ScoringView})
@login_required
@shows
def get_scoring(path: ScoringPath) -> ScoringView:
    with transaction() as session:
        return new_rows.scoring_view(session, asking(session), path.case_id, path.number)


@new_rows_api.delete("/cases/<int:case_id>/new-rows/<int:number>", responses={200: ScoringView})
@login_required
@shows
def delete_scoring(path: ScoringPath) -> ScoringView:
    """Ends a scoring that goes on; what was asked stays in the list."""
    with transaction() as session:
        return new_rows.cancel(session, asking(session), path.case_id, path.number)


@new_rows_api.get("/cases/<int:case_id>/new-rows/<int:number>/rows", responses={200: ScoredRowsView})
@login_required
@shows
def get_scored_rows(path: ScoringPath, query: ScoredRowsQuery) -> ScoredRowsView:
    with transaction() as session:
        return new_rows.rows_view(
            session,
            asking(session),
            path.case_id,
            path.number,
            query.only,
            query.offset,
            query.limit,
            query.sort,
            falling=query.order == "falling",
        )


@new_rows_api.get("/cases/<int:case_id>/new-rows/<int:number>/rows/<int:row>", responses={200: ScoredRowView})
@login_required
@shows
def get_scored_row(path: ScoredRowPath) -> ScoredRowView:
    """A row in full, with why each model says what it says."""
    with transaction() as session:
        return new_rows.row_view(session, asking(session), path.case_id, path.number, path.row)


@new_rows_api.get("/cases/<int:case_id>/new-rows/<int:number>/<form>")
@login_required
def get_scored_file(path: ScoringFilePath) -> Response:
    """The scored rows as a file, as ``brookfall score`` writes them."""
    with transaction() as session:
        file = new_rows.rows_file(session, asking(session), path.case_id, path.number, path.form)
    response = Response(file.data, content_type=file.mimetype)
    response.headers["Content-Disposition"] = f'attachment; filename="{file.name}"'
    return response
