"""The addresses of findings, of what is done about them, and of the files sent with that."""

from flask import Response, current_app
from flask_login import current_user, login_required
from pydantic import BaseModel, Field, RootModel

from brookfall.api.attached import kept_file, sent_file
from brookfall.api.blueprint import QUEUE, blueprint, shows
from brookfall.api.idempotency import once
from brookfall.api.session import asking
from brookfall.desk import case_people, finding_life, findings, people, retests
from brookfall.desk.finding_life import FindingDone
from brookfall.desk.findings import FindingText
from brookfall.desk.views import CasePeopleView, FindingView, OtherVersion
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


class RetestBody(BaseModel):
    """``version`` to test; without one that which the owner said mends it."""

    revision: int
    version: str | None = Field(default=None, max_length=200)


class RetestPath(CasePath):
    retest_id: int


class OtherVersions(RootModel[list[OtherVersion]]):
    pass


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
    """The file as it was kept."""
    with transaction() as session:
        person = asking(session)
        name, data = finding_life.file_bytes(
            session, person, path.case_id, path.finding_id, path.entry_id, path.file_id
        )
    return kept_file(name, data)


@finding_api.put(
    "/cases/<int:case_id>/findings/<int:finding_id>/entries/<int:entry_id>/read", responses={200: FindingView}
)
@login_required
@shows
def put_finding_read(path: FindingEntryPath) -> FindingView:
    """The person has read a comment that is addressed to them."""
    with transaction() as session:
        person = asking(session)
        finding = finding_life.read(session, person, path.case_id, path.finding_id, path.entry_id)
        return findings.finding_view(session, person, finding)


@finding_api.post("/cases/<int:case_id>/findings/<int:finding_id>/retest", responses={200: FindingView})
@login_required
@shows
def post_retest(path: FindingPath, body: RetestBody) -> FindingView:
    """Has what the finding cites run on another version by a worker, and set beside what it was."""
    person_id, queue = int(current_user.id), current_app.extensions[QUEUE]
    retests.ask_retest(person_id, path.case_id, path.finding_id, body.revision, body.version, queue)
    return _seen(path)


@finding_api.delete("/cases/<int:case_id>/findings/<int:finding_id>/retest", responses={200: FindingView})
@login_required
@shows
def delete_retest(path: FindingPath) -> FindingView:
    with transaction() as session:
        retests.cancel_retest(session, asking(session), path.case_id, path.finding_id)
    return _seen(path)


def _seen(path: FindingPath) -> FindingView:
    with transaction() as session:
        return findings.one_finding(session, asking(session), path.case_id, path.finding_id)


@finding_api.get("/cases/<int:case_id>/retests/<int:retest_id>/evidence")
@login_required
def get_retest_evidence(path: RetestPath) -> Response:
    """The evidence file of a retest, from which the command line computes it again."""
    with transaction() as session:
        name, data = retests.evidence_file(session, asking(session), path.case_id, path.retest_id)
    return kept_file(name, data)


@finding_api.get("/cases/<int:case_id>/people", responses={200: CasePeopleView})
@login_required
@shows
def get_case_people(path: CasePath) -> CasePeopleView:
    """Who can be asked to mend what is found, and to whom comments can be addressed."""
    with transaction() as session:
        return case_people.case_people(session, asking(session), path.case_id)


@finding_api.get("/cases/<int:case_id>/versions", responses={200: OtherVersions})
@login_required
@shows
def get_other_versions(path: CasePath) -> OtherVersions:
    """The other versions of the model that a finding of this case can be retested on, the last sent first."""
    with transaction() as session:
        case = people.case_for(session, asking(session), path.case_id)
        found = retests.other_versions(session, case)
        return OtherVersions([OtherVersion(case_id=one.id, version=one.version) for one in found])
