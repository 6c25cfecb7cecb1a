"""The addresses of the decision, of its countersignature, of the report, and of what can be taken along."""

from flask import Response, current_app
from flask_login import current_user, login_required
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from brookfall.api.attached import kept_file
from brookfall.api.blueprint import QUEUE, blueprint, shows
from brookfall.api.idempotency import once
from brookfall.api.session import asking, guesses_counted, own_account
from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.validation import first_problem
from brookfall.core.judge.report_form import Language, Length, Paper, ReportOrder
from brookfall.desk import bundle, decisions, docket, re_review, renditions
from brookfall.desk.decisions import Answer, Proposal
from brookfall.desk.renditions import Format
from brookfall.desk.views import CaseView, DecisionPage, ReportView
from brookfall.records.database import transaction

decision_api = blueprint("decision")

_KINDS: dict[Format, str] = {
    "html": "text/html; charset=utf-8",
    "pdf": "application/pdf",
    "json": "application/json",
    "statement": "application/json",
}


class CasePath(BaseModel):
    case_id: int


class ReReviewBody(BaseModel):
    """``reason``: why the version is reviewed again."""

    model_config = ConfigDict(extra="forbid")

    reason: str = Field(max_length=4_000)


class SubmittedQuery(BaseModel):
    path: str = Field(max_length=500, description="as the package names it")


class ReportPath(CasePath):
    form: Format


class ReportQuery(BaseModel):
    """What report is asked for; what is not said is as the house has it. ``parts`` with commas between, in order."""

    length: Length = "whole"
    language: Language | None = None
    paper: Paper | None = None
    parts: str = Field(default="", max_length=400)

    @property
    def order(self) -> ReportOrder:
        """ReportOrder of it; UserError where a part is none."""
        parts = tuple(one.strip() for one in self.parts.split(",")) if self.parts else None
        try:
            return ReportOrder.model_validate(self.model_dump(exclude={"parts"}) | {"parts": parts})
        except ValidationError as problem:
            raise UserError(
                f"There is no such part of a report: {first_problem(problem)[1]}.",
                todo="Nothing was made; name parts as the page of the report does.",
            ) from problem


@decision_api.get("/cases/<int:case_id>/decision", responses={200: DecisionPage})
@login_required
@shows
def get_decision(path: CasePath) -> DecisionPage:
    with transaction() as session:
        return decisions.decision_page(session, asking(session), path.case_id)


@decision_api.post("/cases/<int:case_id>/decision", responses={200: DecisionPage})
@login_required
@guesses_counted(own_account)
@shows
def post_decision(path: CasePath, body: Proposal) -> DecisionPage:
    with transaction() as session:
        return decisions.propose(session, asking(session), path.case_id, body)


@decision_api.post("/cases/<int:case_id>/countersignature", responses={200: DecisionPage})
@login_required
@guesses_counted(own_account)
@shows
def post_countersignature(path: CasePath, body: Answer) -> DecisionPage:
    """Signs the statement or sends it back; a worker renders the report afterwards."""
    with transaction() as session:
        page = decisions.countersign(session, asking(session), path.case_id, body)
    if body.accept:
        renditions.ask_report(int(current_user.id), path.case_id, current_app.extensions[QUEUE])
    return page


@decision_api.post("/cases/<int:case_id>/re-review", responses={200: CaseView})
@login_required
@shows
def post_re_review(path: CasePath, body: ReReviewBody) -> CaseView:
    """Opens another case on the version that this one approved, and shows that."""
    with transaction() as session:
        person = asking(session)

        def opened() -> CaseView:
            made = re_review.open_re_review(session, person, path.case_id, body.reason)
            return docket.case_view(session, person, made.id)

        return once(session, person, CaseView, opened)


@decision_api.get("/cases/<int:case_id>/report", responses={200: ReportView})
@login_required
@shows
def get_report(path: CasePath, query: ReportQuery) -> ReportView:
    """How the report stands: asked for, under way, rendered."""
    with transaction() as session:
        return renditions.report_view(session, asking(session), path.case_id, query.order)


@decision_api.post("/cases/<int:case_id>/report", responses={200: ReportView})
@login_required
@shows
def post_report(path: CasePath, query: ReportQuery) -> ReportView:
    """Has the report rendered as the case is now, unless that was done; nothing is made twice."""
    renditions.ask_report(int(current_user.id), path.case_id, current_app.extensions[QUEUE], query.order)
    with transaction() as session:
        return renditions.report_view(session, asking(session), path.case_id, query.order)


@decision_api.get("/cases/<int:case_id>/bundle")
@login_required
def get_bundle(path: CasePath) -> Response:
    """The evidence bundle: a zip of all that there is of the case, which the command line verifies by itself."""
    with transaction() as session:
        name, data = bundle.evidence_bundle(session, asking(session), path.case_id)
    return kept_file(name, data)


@decision_api.get("/cases/<int:case_id>/package")
@login_required
def get_package(path: CasePath) -> Response:
    """The package as it was sent, as a zip."""
    with transaction() as session:
        name, data = bundle.submitted_package(session, asking(session), path.case_id)
    return kept_file(name, data)


@decision_api.get("/cases/<int:case_id>/submitted")
@login_required
def get_submitted_file(path: CasePath, query: SubmittedQuery) -> Response:
    """A file of the package, as it was sent."""
    with transaction() as session:
        name, data = bundle.submitted_file(session, asking(session), path.case_id, query.path)
    return kept_file(name, data)


@decision_api.get("/cases/<int:case_id>/report/<form>")
@login_required
def get_report_pages(path: ReportPath, query: ReportQuery) -> Response:
    """The pages rendered last, the evidence file (json), or the very text that was signed (statement)."""
    with transaction() as session:
        body = renditions.report_bytes(session, asking(session), path.case_id, path.form, query.order)
    response = Response(body, content_type=_KINDS[path.form])
    # A report carries its own style and no script; it is shown in a frame of our own pages.
    response.headers["Content-Security-Policy"] = (
        "default-src 'none'; style-src 'unsafe-inline'; img-src data:; font-src data:; frame-ancestors 'self'; sandbox"
        if path.form == "html"
        else "default-src 'none'"
    )
    return response
