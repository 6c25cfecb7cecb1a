"""Every address of the API. Each opens a transaction, asks the desk, and sends what it shows."""

from typing import Literal

from flask import Response, current_app, jsonify, make_response, request
from flask_login import login_required, login_user, logout_user
from pydantic import BaseModel, ConfigDict, Field, RootModel
from sqlalchemy import text

from brookfall.api.blueprint import QUEUE, blueprint, shows
from brookfall.api.dates import date_of
from brookfall.api.problems import problem
from brookfall.api.session import SignedIn, asking, limiter
from brookfall.core.foundation.errors import UserError
from brookfall.core.retest.screening.rows_of_issue import Where
from brookfall.core.submission.files import files_of_zip, safe_path
from brookfall.core.table.change import Change
from brookfall.core.table.roles import Roles
from brookfall.desk import (
    added_tables,
    data,
    data_changes,
    decisions,
    docket,
    findings,
    notes,
    people,
    record,
    run,
    screening,
    submit,
    tokens,
    vocabulary,
)
from brookfall.desk.decisions import Answer, Proposal
from brookfall.desk.findings import FindingText
from brookfall.desk.views import (
    CaseView,
    ChainView,
    ChangeEffect,
    ColumnPage,
    DataView,
    DecisionPage,
    DocketView,
    ExhibitView,
    FindingView,
    LookView,
    MarginView,
    MatrixView,
    NewToken,
    PersonView,
    RecordView,
    RowsView,
    TokenView,
    View,
    Vocabulary,
)
from brookfall.records.database import transaction

api = blueprint("api")

AT_ONCE = 32_000_000
"""Bytes of one request."""


class Credentials(BaseModel):
    model_config = ConfigDict(extra="forbid")

    login: str
    password: str


class TokenBody(BaseModel):
    name: str = Field(min_length=1, max_length=200)


class TokenPath(BaseModel):
    token_id: int


class CasePath(BaseModel):
    case_id: int


class ExhibitPath(CasePath):
    number: int


class FindingPath(CasePath):
    finding_id: int


class ReportPath(CasePath):
    form: Literal["html", "pdf", "json"]


class RolesBody(BaseModel):
    revision: int
    roles: Roles


class FindingBody(BaseModel):
    revision: int = 0
    finding: FindingText


class MarginBody(BaseModel):
    text: str = Field(max_length=100_000)
    set_aside: list[int] = Field(max_length=500)


class RecordQuery(BaseModel):
    case_id: int | None = None
    page: int = Field(default=1, ge=1)


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


class CaseId(View):
    case_id: int


class Health(View):
    status: str


class Tokens(RootModel[list[TokenView]]):
    pass


class Findings(RootModel[list[FindingView]]):
    pass


def refused(response: Response) -> bool:
    """Only a refusal counts against whoever guesses passwords; a busy office is not throttled."""
    return response.status_code in (401, 403)


@api.get("/health", responses={200: Health})
@shows
def health() -> Health:
    with transaction() as session:
        session.execute(text("SELECT 1"))
    return Health(status="ok")


@api.post("/session", responses={200: PersonView})
@limiter.limit("10 per minute", deduct_when=refused)
def sign_in(body: Credentials) -> Response:
    with transaction() as session:
        person = people.sign_in(session, body.login, body.password)
        if person is None:
            return problem(401, "Not signed in", "The name or the password is not right.", todo="Try again.")
        login_user(SignedIn(person.id))
        return jsonify(people.person_view(person).model_dump())


@api.get("/session", responses={200: PersonView})
@login_required
@shows
def who_am_i() -> PersonView:
    with transaction() as session:
        return people.person_view(asking(session))


@api.delete("/session", responses={204: None})
@login_required
def sign_out() -> Response:
    logout_user()
    return make_response("", 204)


@api.get("/tokens", responses={200: Tokens})
@login_required
@shows
def get_tokens() -> Tokens:
    with transaction() as session:
        return Tokens(tokens.tokens_view(session, asking(session)))


@api.post("/tokens", responses={200: NewToken})
@login_required
@shows
def post_token(body: TokenBody) -> NewToken:
    with transaction() as session:
        return tokens.make(session, asking(session), body.name)


@api.delete("/tokens/<int:token_id>", responses={200: Tokens})
@login_required
@shows
def delete_token(path: TokenPath) -> Tokens:
    with transaction() as session:
        return Tokens(tokens.revoke(session, asking(session), path.token_id))


@api.get("/cases", responses={200: DocketView})
@login_required
@shows
def get_docket() -> DocketView:
    with transaction() as session:
        return docket.docket(session, asking(session))


@api.post("/cases", responses={200: CaseId})
@login_required
@shows
def post_case() -> CaseId:
    """Multipart: one ``package`` (.zip), or any number of ``file`` parts named by their paths; ``due`` if wished.

    For a small package, read while the sender waits; a draft takes a large one, piece by piece.
    """
    limit = 4 * AT_ONCE
    archive = request.files.get("package")
    if archive is not None:
        files = files_of_zip(archive.stream.read(), limit)
    else:
        files = {safe_path(part.filename or ""): part.stream.read() for part in request.files.getlist("file")}
    if not files:
        raise UserError("No file was sent.", todo="Send a package as .zip, or its files.")
    written = request.form.get("due", "")
    with transaction() as session:
        case = submit.submit(session, asking(session), files, date_of(written))
        return CaseId(case_id=case.id)


@api.get("/vocabulary", responses={200: Vocabulary})
@login_required
@shows
def get_vocabulary() -> Vocabulary:
    return vocabulary.vocabulary()


@api.get("/cases/<int:case_id>", responses={200: CaseView})
@login_required
@shows
def get_case(path: CasePath) -> CaseView:
    with transaction() as session:
        return docket.case_view(session, asking(session), path.case_id)


@api.post("/cases/<int:case_id>/take", responses={200: CaseView})
@login_required
@shows
def take_case(path: CasePath) -> CaseView:
    with transaction() as session:
        person = asking(session)
        docket.take(session, person, path.case_id)
        session.flush()
        return docket.case_view(session, person, path.case_id)


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


@api.get("/cases/<int:case_id>/findings", responses={200: Findings})
@login_required
@shows
def get_findings(path: CasePath) -> Findings:
    with transaction() as session:
        return Findings(findings.findings_view(session, asking(session), path.case_id))


@api.post("/cases/<int:case_id>/findings", responses={200: FindingView})
@login_required
@shows
def post_finding(path: CasePath, body: FindingBody) -> FindingView:
    with transaction() as session:
        return findings.write(session, asking(session), path.case_id, body.finding)


@api.put("/cases/<int:case_id>/findings/<int:finding_id>", responses={200: FindingView})
@login_required
@shows
def put_finding(path: FindingPath, body: FindingBody) -> FindingView:
    with transaction() as session:
        return findings.edit(session, asking(session), path.case_id, path.finding_id, body.finding, body.revision)


@api.get("/cases/<int:case_id>/decision", responses={200: DecisionPage})
@login_required
@shows
def get_decision(path: CasePath) -> DecisionPage:
    with transaction() as session:
        return decisions.decision_page(session, asking(session), path.case_id)


@api.post("/cases/<int:case_id>/decision", responses={200: DecisionPage})
@login_required
@limiter.limit("10 per minute", deduct_when=refused)
@shows
def post_decision(path: CasePath, body: Proposal) -> DecisionPage:
    with transaction() as session:
        return decisions.propose(session, asking(session), path.case_id, body)


@api.post("/cases/<int:case_id>/countersignature", responses={200: DecisionPage})
@login_required
@limiter.limit("10 per minute", deduct_when=refused)
@shows
def post_countersignature(path: CasePath, body: Answer) -> DecisionPage:
    with transaction() as session:
        return decisions.countersign(session, asking(session), path.case_id, body)


@api.get("/cases/<int:case_id>/report/<form>")
@login_required
def get_report(path: ReportPath) -> Response:
    """The signed bytes of a decided case, else a draft. JSON is the evidence file."""
    kinds = {"html": "text/html; charset=utf-8", "pdf": "application/pdf", "json": "application/json"}
    with transaction() as session:
        body = decisions.report_bytes(session, asking(session), path.case_id, path.form)
    response = Response(body, content_type=kinds[path.form])
    # A report carries its own style and no script; it is shown in a frame of our own pages.
    response.headers["Content-Security-Policy"] = (
        "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; frame-ancestors 'self'; sandbox"
        if path.form == "html"
        else "default-src 'none'"
    )
    return response


@api.get("/cases/<int:case_id>/margin", responses={200: MarginView})
@login_required
@shows
def get_margin(path: CasePath) -> MarginView:
    with transaction() as session:
        return notes.margin_view(session, asking(session), path.case_id)


@api.put("/cases/<int:case_id>/margin", responses={200: MarginView})
@login_required
@shows
def put_margin(path: CasePath, body: MarginBody) -> MarginView:
    with transaction() as session:
        return notes.save_margin(session, asking(session), path.case_id, body.text, body.set_aside)


@api.get("/record", responses={200: RecordView})
@login_required
@shows
def get_record(query: RecordQuery) -> RecordView:
    with transaction() as session:
        return record.record_view(session, asking(session), query.case_id, query.page)


@api.get("/record/verification", responses={200: ChainView})
@login_required
@shows
def verify_record() -> ChainView:
    with transaction() as session:
        return record.verify_view(session, asking(session))
