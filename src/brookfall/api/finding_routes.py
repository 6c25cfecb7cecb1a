"""The addresses of findings, of what is done about them, and of the files sent with that."""

from flask import Response
from flask_login import login_required
from pydantic import BaseModel, RootModel

from brookfall.api.attached import kept_file, sent_file
from brookfall.api.blueprint import blueprint, shows
from brookfall.api.idempotency import once
from brookfall.api.session import asking
from brookfall.desk import finding_life, findings
from brookfall.desk.finding_life import FindingDone
from brookfall.desk.findings import FindingText
from brookfall.desk.views import FindingView
from brookfall.records.database import transaction

finding_api = blueprint("findings")


class CasePath(BaseModel):
    case_id: int


class FindingPath(CasePath):
    finding_id: int


class FindingBody(BaseModel):
    revision: int = 0
    finding: FindingText


class NewFindingBody(BaseModel):
    """A finding that is sent to the owner, or kept as a draft, the reviewer's alone."""

    finding: FindingText
    draft: bool = False


class FindingEntryPath(FindingPath):
    entry_id: int


class FindingFilePath(FindingEntryPath):
    file_id: int


class Findings(RootModel[list[FindingView]]):
    pass


@finding_api.get("/cases/<int:case_id>/findings", responses={200: Findings})
@login_required
@shows
def get_findings(path: CasePath) -> Findings:
    with transaction() as session:
        return Findings(findings.findings_view(session, asking(session), path.case_id))


@finding_api.post("/cases/<int:case_id>/findings", responses={200: FindingView})
@login_required
@shows
def post_finding(path: CasePath, body: NewFindingBody) -> FindingView:
    with transaction() as session:
        person = asking(session)
        return once(
            session,
            person,
            FindingView,
            lambda: findings.write(session, person, path.case_id, body.finding, as_draft=body.draft),
        )


@finding_api.put("/cases/<int:case_id>/findings/<int:finding_id>", responses={200: FindingView})
@login_required
@shows
def put_finding(path: FindingPath, body: FindingBody) -> FindingView:
    with transaction() as session:
        return findings.edit(session, asking(session), path.case_id, path.finding_id, body.finding, body.revision)


@finding_api.post("/cases/<int:case_id>/findings/<int:finding_id>/acts", responses={200: FindingView})
@login_required
@shows
def post_finding_act(path: FindingPath, body: FindingDone) -> FindingView:
    """Sends, answers, closes, accepts, reopens or withdraws a finding, or says something of it."""
    with transaction() as session:
        person = asking(session)

        def done() -> FindingView:
            finding = finding_life.act_on(session, person, path.case_id, path.finding_id, body)
            return findings.finding_view(session, person, finding)

        return once(session, person, FindingView, done)


@finding_api.post(
    "/cases/<int:case_id>/findings/<int:finding_id>/entries/<int:entry_id>/files", responses={200: FindingView}
)
@login_required
@shows
def post_finding_file(path: FindingEntryPath) -> FindingView:
    """Multipart: one part ``file``, kept as it is beside what the person said last."""
    sent = sent_file()
    with transaction() as session:
        person = asking(session)
        finding = finding_life.attach(session, person, path.case_id, path.finding_id, path.entry_id, sent)
        return findings.finding_view(session, person, finding)


@finding_api.get("/cases/<int:case_id>/findings/<int:finding_id>/entries/<int:entry_id>/files/<int:file_id>")
@login_required
def get_finding_file(path: FindingFilePath) -> Response:
    """The file as it was kept, to be saved; a browser never shows it as a page."""
    with transaction() as session:
        person = asking(session)
        name, data = finding_life.file_bytes(
            session, person, path.case_id, path.finding_id, path.entry_id, path.file_id
        )
    return kept_file(name, data)
