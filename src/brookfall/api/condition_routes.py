"""The addresses of an approval's conditions, of what is done about them, and of the files sent with that."""

from flask import Response
from flask_login import login_required
from pydantic import BaseModel, Field

from brookfall.api.attached import kept_file, sent_file
from brookfall.api.blueprint import blueprint, shows
from brookfall.api.idempotency import once
from brookfall.api.session import asking
from brookfall.desk import conditions
from brookfall.desk.conditions import ConditionDone
from brookfall.desk.views import ApprovalView
from brookfall.records.database import transaction

condition_api = blueprint("conditions")


class ConditionPath(BaseModel):
    case_id: int
    number: int = Field(ge=1, lt=1 << 31)


class ConditionEntryPath(ConditionPath):
    entry_id: int = Field(ge=1, lt=1 << 63)


class ConditionFilePath(ConditionEntryPath):
    file_id: int = Field(ge=1, lt=1 << 63)


@condition_api.post("/cases/<int:case_id>/conditions/<int:number>/acts", responses={200: ApprovalView})
@login_required
@shows
def post_condition_act(path: ConditionPath, body: ConditionDone) -> ApprovalView:
    """Sends evidence, judges it, sees the judgement or sends it back, or says something of the condition."""
    with transaction() as session:
        person = asking(session)
        return once(
            session, person, ApprovalView, lambda: conditions.act_on(session, person, path.case_id, path.number, body)
        )


@condition_api.post(
    "/cases/<int:case_id>/conditions/<int:number>/entries/<int:entry_id>/files", responses={200: ApprovalView}
)
@login_required
@shows
def post_condition_file(path: ConditionEntryPath) -> ApprovalView:
    """Multipart: one part ``file``, kept as it is beside what the person said last."""
    sent = sent_file()
    with transaction() as session:
        return conditions.attach(session, asking(session), path.case_id, path.number, path.entry_id, sent)


@condition_api.get("/cases/<int:case_id>/conditions/<int:number>/entries/<int:entry_id>/files/<int:file_id>")
@login_required
def get_condition_file(path: ConditionFilePath) -> Response:
    """The file as it was kept."""
    with transaction() as session:
        name, data = conditions.file_bytes(
            session, asking(session), path.case_id, path.number, path.entry_id, path.file_id
        )
    return kept_file(name, data)
