"""The addresses of questions to the owner, of what is done about them, and of the files sent with that."""

from flask import Response
from flask_login import login_required
from pydantic import BaseModel, Field

from brookfall.api.attached import kept_file, sent_file
from brookfall.api.blueprint import blueprint, shows
from brookfall.api.idempotency import once
from brookfall.api.session import asking
from brookfall.desk import questions
from brookfall.desk.questions import NewQuestion, QuestionDone
from brookfall.desk.views import AskedView, AskedViews
from brookfall.records.database import transaction

question_api = blueprint("questions")


class AskedOfPath(BaseModel):
    case_id: int


class AskedPath(AskedOfPath):
    number: int = Field(ge=1, lt=1 << 31)


class AskedEntryPath(AskedPath):
    entry_id: int = Field(ge=1, lt=1 << 63)


class AskedFilePath(AskedEntryPath):
    file_id: int = Field(ge=1, lt=1 << 63)


@question_api.get("/cases/<int:case_id>/questions", responses={200: AskedViews})
@login_required
@shows
def get_asked(path: AskedOfPath) -> AskedViews:
    """What the owner of the case was asked, and what was said of it."""
    with transaction() as session:
        return questions.questions_view(session, asking(session), path.case_id)


@question_api.post("/cases/<int:case_id>/questions", responses={200: AskedView})
@login_required
@shows
def post_asked(path: AskedOfPath, body: NewQuestion) -> AskedView:
    """Asks the owner something, of an exhibit, a column, a claim or the case as a whole."""
    with transaction() as session:
        person = asking(session)
        return once(session, person, AskedView, lambda: questions.ask(session, person, path.case_id, body))


@question_api.post("/cases/<int:case_id>/questions/<int:number>/acts", responses={200: AskedView})
@login_required
@shows
def post_asked_act(path: AskedPath, body: QuestionDone) -> AskedView:
    """Answers it, asks it again, settles or withdraws it, or says something of it."""
    with transaction() as session:
        person = asking(session)
        return once(
            session, person, AskedView, lambda: questions.act_on(session, person, path.case_id, path.number, body)
        )


@question_api.post(
    "/cases/<int:case_id>/questions/<int:number>/entries/<int:entry_id>/files", responses={200: AskedView}
)
@login_required
@shows
def post_asked_file(path: AskedEntryPath) -> AskedView:
    """Multipart: one part ``file``, kept as it is beside what the person said last."""
    sent = sent_file()
    with transaction() as session:
        return questions.attach(session, asking(session), path.case_id, path.number, path.entry_id, sent)


@question_api.get("/cases/<int:case_id>/questions/<int:number>/entries/<int:entry_id>/files/<int:file_id>")
@login_required
def get_asked_file(path: AskedFilePath) -> Response:
    """The file as it was kept."""
    with transaction() as session:
        name, data = questions.file_bytes(
            session, asking(session), path.case_id, path.number, path.entry_id, path.file_id
        )
    return kept_file(name, data)
