"""The addresses of statements and of the files beside them."""

from flask import Response
from flask_login import login_required
from pydantic import BaseModel, Field, RootModel

from brookfall.api.attached import kept_file, sent_file
from brookfall.api.blueprint import blueprint, shows
from brookfall.api.idempotency import once
from brookfall.api.session import asking
from brookfall.desk import statements as desk
from brookfall.desk.statements import StatementText
from brookfall.desk.views import StatementView
from brookfall.records.database import transaction

statement_api = blueprint("statements")


class CasePath(BaseModel):
    case_id: int


class StatementPath(CasePath):
    statement_id: int


class FilePath(StatementPath):
    file_id: int


class StatementBody(BaseModel):
    revision: int = 0
    statement: StatementText


class RevisionQuery(BaseModel):
    revision: int = Field(description="that of the statement as it was read")


class Statements(RootModel[list[StatementView]]):
    pass


@statement_api.get("/cases/<int:case_id>/statements", responses={200: Statements})
@login_required
@shows
def get_statements(path: CasePath) -> Statements:
    """Written ones, and those that the plan asks for and nobody has written."""
    with transaction() as session:
        return Statements(desk.statements_view(session, asking(session), path.case_id))


@statement_api.post("/cases/<int:case_id>/statements", responses={200: StatementView})
@login_required
@shows
def post_statement(path: CasePath, body: StatementBody) -> StatementView:
    with transaction() as session:
        person = asking(session)
        return once(session, person, StatementView, lambda: desk.write(session, person, path.case_id, body.statement))


@statement_api.put("/cases/<int:case_id>/statements/<int:statement_id>", responses={200: StatementView})
@login_required
@shows
def put_statement(path: StatementPath, body: StatementBody) -> StatementView:
    with transaction() as session:
        return desk.edit(session, asking(session), path.case_id, path.statement_id, body.statement, body.revision)


@statement_api.post("/cases/<int:case_id>/statements/<int:statement_id>/files", responses={200: StatementView})
@login_required
@shows
def post_statement_file(path: StatementPath, query: RevisionQuery) -> StatementView:
    """Multipart: one part ``file``, kept as it is."""
    sent = sent_file()
    with transaction() as session:
        return desk.attach(session, asking(session), path.case_id, path.statement_id, sent, query.revision)


@statement_api.get("/cases/<int:case_id>/statements/<int:statement_id>/files/<int:file_id>")
@login_required
def get_statement_file(path: FilePath) -> Response:
    """The file as it was kept."""
    with transaction() as session:
        name, data = desk.file_bytes(session, asking(session), path.case_id, path.statement_id, path.file_id)
    return kept_file(name, data)


@statement_api.delete(
    "/cases/<int:case_id>/statements/<int:statement_id>/files/<int:file_id>", responses={200: StatementView}
)
@login_required
@shows
def delete_statement_file(path: FilePath, query: RevisionQuery) -> StatementView:
    with transaction() as session:
        return desk.take_away(session, asking(session), path.case_id, path.statement_id, path.file_id, query.revision)
