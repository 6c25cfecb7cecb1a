"""Every address of the API. Each opens a transaction, asks the desk, and sends what it shows."""

from collections.abc import Mapping
from functools import cache
from typing import Literal

from flask import current_app, request
from flask_login import login_required
from pydantic import BaseModel, Field, RootModel
from sqlalchemy import text

from brookfall.api.blueprint import QUEUE, blueprint, shows
from brookfall.api.dates import date_of
from brookfall.api.session import asking
from brookfall.core.check.methods import Method, methods
from brookfall.core.foundation.errors import UserError
from brookfall.core.retest.screening.rows_of_issue import Where
from brookfall.core.submission.files import safe_path
from brookfall.core.table.change import Change
from brookfall.core.table.roles import Roles
from brookfall.desk import (
    added_tables,
    data,
    data_changes,
    docket,
    run,
    screening,
    set_up,
    submit,
    vocabulary,
)
from brookfall.desk.docket_query import DocketQuery
from brookfall.desk.views import (
    CaseView,
    ChangeEffect,
    ColumnPage,
    DataView,
    DocketView,
    ExhibitView,
    LookView,
    MatrixView,
    RowsView,
    SetUpView,
    View,
    Vocabulary,
)
from brookfall.records.database import transaction

api = blueprint("api")

AT_ONCE = 32_000_000
"""Bytes of one request."""


class CasePath(BaseModel):
    case_id: int


class ExhibitPath(CasePath):
    number: int


class TakeQuery(BaseModel):
    """``begin``: from the standard roles and plan, or from those of the last decided review of the model."""

    begin: Literal["standard", "last"] = "standard"


class SetUpBody(BaseModel):
    """``case_id`` of an earlier review of the model, or none for the standard roles and plan."""

    case_id: int | None


class RolesBody(BaseModel):
    revision: int
    roles: Roles


class ChangesBody(BaseModel):
    revision: int
    changes: tuple[Change, ...] = Field(max_length=200)


class EffectBody(BaseModel):
    changes: tuple[Change, ...] = Field(max_length=200)


class RowsBody(BaseModel):
    """Which rows, in which order, and the window of them: a query too rich for an address."""

    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=200)
    where: Where | None = None
    sort: str | None = None
    falling: bool = False


class ColumnQuery(BaseModel):
    name: str
    by: str | None = None


class TableQuery(BaseModel):
    name: str


class Methods(RootModel[list[Method]]):
    pass


class CaseId(View):
    case_id: int


class Health(View):
    status: str


@api.get("/health", responses={200: Health})
@shows
def health() -> Health:
    with transaction() as session:
        session.execute(text("SELECT 1"))
    return Health(status="ok")


@api.get("/cases", responses={200: DocketView})
@login_required
@shows
def get_docket(query: DocketQuery) -> DocketView:
    """The cases that the person may see: all of them, or a page of those that were asked for."""
    with transaction() as session:
        return docket.docket(session, asking(session), query)


@api.post("/cases", responses={200: CaseId})
@login_required
@shows
def post_case() -> CaseId:
    """Multipart: one ``package`` (.zip), or any number of ``file`` parts named by their paths; ``due`` if wished.

    For a small package, read while the sender waits; a draft takes a large one, piece by piece.
    """
    archive = request.files.get("package")
    sent: Mapping[str, bytes] | bytes
    if archive is not None:
        sent = archive.stream.read()
    else:
        sent = {safe_path(part.filename or ""): part.stream.read() for part in request.files.getlist("file")}
    if not sent:
        raise UserError("No file was sent.", todo="Send a package as .zip, or its files.")
    written = request.form.get("due", "")
    with transaction() as session:
        case = submit.submit(session, asking(session), sent, date_of(written), max_bytes=4 * AT_ONCE)
        return CaseId(case_id=case.id)


@api.get("/vocabulary", responses={200: Vocabulary})
@login_required
@shows
def get_vocabulary() -> Vocabulary:
    return vocabulary.vocabulary()


@api.get("/methods", responses={200: Methods})
@login_required
@shows
def get_methods() -> Methods:
    """What every measure, check and family of this server says of itself."""
    return _methods()


@cache
def _methods() -> Methods:
    return Methods(list(methods()))


@api.get("/cases/<int:case_id>", responses={200: CaseView})
@login_required
@shows
def get_case(path: CasePath) -> CaseView:
    with transaction() as session:
        return docket.case_view(session, asking(session), path.case_id)


@api.post("/cases/<int:case_id>/take", responses={200: CaseView})
@login_required
@shows
def take_case(path: CasePath, query: TakeQuery) -> CaseView:
    with transaction() as session:
        person = asking(session)
        case = docket.take(session, person, path.case_id)
        session.flush()
        if query.begin == "last":
            set_up.begin_from_last(session, person, case)
        return docket.case_view(session, person, path.case_id)


@api.get("/cases/<int:case_id>/set-up", responses={200: SetUpView})
@login_required
@shows
def get_set_up(path: CasePath) -> SetUpView:
    """What the case began from, and what differs since."""
    with transaction() as session:
        return set_up.set_up_view(session, asking(session), path.case_id)


@api.post("/cases/<int:case_id>/set-up", responses={200: SetUpView})
@login_required
@shows
def post_set_up(path: CasePath, body: SetUpBody) -> SetUpView:
    """Roles and plan begin anew, from an earlier review of the model or from the standard ones."""
    with transaction() as session:
        person = asking(session)
        set_up.begin_from(session, person, path.case_id, body.case_id)
        return set_up.set_up_view(session, person, path.case_id)


@api.get("/cases/<int:case_id>/data", responses={200: DataView})
@login_required
@shows
def get_data(path: CasePath) -> DataView:
    with transaction() as session:
        return data.data_view(session, asking(session), path.case_id)


@api.put("/cases/<int:case_id>/roles", responses={200: DataView})
@login_required
@shows
def put_roles(path: CasePath, body: RolesBody) -> DataView:
    with transaction() as session:
        return data.set_roles(session, asking(session), path.case_id, body.roles, body.revision)


@api.get("/cases/<int:case_id>/look", responses={200: LookView})
@login_required
@shows
def get_look(path: CasePath) -> LookView:
    with transaction() as session:
        return screening.look_view(session, asking(session), path.case_id, current_app.extensions[QUEUE])


@api.post("/cases/<int:case_id>/rows", responses={200: RowsView})
@login_required
@shows
def post_rows(path: CasePath, body: RowsBody) -> RowsView:
    """Reads rows; nothing is written."""
    with transaction() as session:
        return screening.rows_view(
            session,
            asking(session),
            path.case_id,
            body.offset,
            body.limit,
            body.where,
            body.sort,
            falling=body.falling,
        )


@api.get("/cases/<int:case_id>/column", responses={200: ColumnPage})
@login_required
@shows
def get_column(path: CasePath, query: ColumnQuery) -> ColumnPage:
    with transaction() as session:
        return screening.column_page(session, asking(session), path.case_id, query.name, query.by)


@api.get("/cases/<int:case_id>/matrix", responses={200: MatrixView})
@login_required
@shows
def get_matrix(path: CasePath) -> MatrixView:
    with transaction() as session:
        return screening.matrix_view(session, asking(session), path.case_id)


@api.put("/cases/<int:case_id>/changes", responses={200: DataView})
@login_required
@shows
def put_changes(path: CasePath, body: ChangesBody) -> DataView:
    with transaction() as session:
        person = asking(session)
        data_changes.set_changes(session, person, path.case_id, body.changes, body.revision)
        return data.data_view(session, person, path.case_id)


@api.post("/cases/<int:case_id>/changes/effect", responses={200: ChangeEffect})
@login_required
@shows
def post_effect(path: CasePath, body: EffectBody) -> ChangeEffect:
    """What the changes would do; nothing is written."""
    with transaction() as session:
        return data_changes.effect(session, asking(session), path.case_id, body.changes)


@api.delete("/cases/<int:case_id>/tables", responses={200: DataView})
@login_required
@shows
def delete_table(path: CasePath, query: TableQuery) -> DataView:
    """Takes away a table that the reviewer added."""
    with transaction() as session:
        person = asking(session)
        added_tables.take_away(session, person, path.case_id, query.name)
        return data.data_view(session, person, path.case_id)


@api.get("/cases/<int:case_id>/exhibits/<int:number>", responses={200: ExhibitView})
@login_required
@shows
def get_exhibit(path: ExhibitPath) -> ExhibitView:
    with transaction() as session:
        return run.exhibit_view(session, asking(session), path.case_id, path.number)
