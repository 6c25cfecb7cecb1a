"""The addresses of drafts: a submission put together, sent piece by piece, and taken in by a worker."""

from datetime import date

from flask import Response, current_app, make_response, request
from flask_login import login_required
from pydantic import BaseModel, ConfigDict, Field, JsonValue, RootModel

from brookfall.api.blueprint import QUEUE, blueprint, shows
from brookfall.api.idempotency import once
from brookfall.api.session import asking
from brookfall.core.table.read_options import HowRead
from brookfall.desk import drafts
from brookfall.desk.views import DraftFileView, DraftView, Preview
from brookfall.records.database import transaction

drafts_api = blueprint("drafts")


class DraftPath(BaseModel):
    draft_id: int


class BriefBody(BaseModel):
    """``brief`` is kept as it is and given back; what is submitted is the files."""

    model_config = ConfigDict(extra="forbid")

    brief: dict[str, JsonValue] = {}
    due: date | None = None
    revision: int = 0


class NewDraft(BaseModel):
    """``added_to``: the case under review that a file is added to, by its reviewer; none for a submission.

    The brief of such a file is what a package would declare of it: name, kind, key, read. With ``scored`` the file
    holds new rows, which models of that case score; its brief says by which ``models``, the ``coverage``, the ``seed``.
    """

    model_config = ConfigDict(extra="forbid")

    brief: dict[str, JsonValue] = {}
    due: date | None = None
    added_to: int | None = None
    scored: bool = False


class PieceQuery(BaseModel):
    """Which file the bytes belong to, how large it is altogether, and the place of the first of them."""

    path: str = Field(min_length=1, max_length=500)
    size: int = Field(ge=0)
    offset: int = Field(ge=0)
    stamp: str = Field(default="", max_length=100)
    sha256: str | None = None


class FileQuery(BaseModel):
    path: str


class PreviewBody(BaseModel):
    path: str
    how: HowRead = HowRead()


class Drafts(RootModel[list[DraftView]]):
    pass


@drafts_api.get("/drafts", responses={200: Drafts})
@login_required
@shows
def get_drafts() -> Drafts:
    with transaction() as session:
        return Drafts(drafts.drafts_view(session, asking(session)))


@drafts_api.post("/drafts", responses={200: DraftView})
@login_required
@shows
def post_draft(body: NewDraft) -> DraftView:
    with transaction() as session:
        person = asking(session)
        return once(session, person, DraftView, lambda: drafts.begin(session, person, **dict(body)))


@drafts_api.get("/drafts/<int:draft_id>", responses={200: DraftView})
@login_required
@shows
def get_draft(path: DraftPath) -> DraftView:
    with transaction() as session:
        return drafts.draft_view(session, asking(session), path.draft_id)


@drafts_api.put("/drafts/<int:draft_id>", responses={200: DraftView})
@login_required
@shows
def put_draft(path: DraftPath, body: BriefBody) -> DraftView:
    with transaction() as session:
        return drafts.save_brief(session, asking(session), path.draft_id, body.brief, body.due, body.revision)


@drafts_api.delete("/drafts/<int:draft_id>", responses={204: None})
@login_required
def delete_draft(path: DraftPath) -> Response:
    with transaction() as session:
        drafts.drop(session, asking(session), path.draft_id)
    return make_response("", 204)


@drafts_api.put("/drafts/<int:draft_id>/files", responses={200: DraftFileView})
@login_required
@shows
def put_piece(path: DraftPath, query: PieceQuery) -> DraftFileView:
    """The body is the bytes themselves, at most 8 MiB; a cut request leaves nothing of its piece."""
    piece = DraftFileView(path=query.path, size=query.size, received=query.offset, stamp=query.stamp)
    data = request.get_data()
    with transaction() as session:
        return drafts.add_piece(session, asking(session), path.draft_id, piece, data, query.sha256)


@drafts_api.delete("/drafts/<int:draft_id>/files", responses={200: DraftView})
@login_required
@shows
def delete_draft_file(path: DraftPath, query: FileQuery) -> DraftView:
    with transaction() as session:
        return drafts.drop_file(session, asking(session), path.draft_id, query.path)


@drafts_api.post("/drafts/<int:draft_id>/preview", responses={200: Preview})
@login_required
@shows
def post_preview(path: DraftPath, body: PreviewBody) -> Preview:
    """How a file would be read; nothing is changed."""
    with transaction() as session:
        return drafts.preview_file(session, asking(session), path.draft_id, body.path, body.how)


@drafts_api.post("/drafts/<int:draft_id>/submission", responses={200: DraftView})
@login_required
@shows
def post_submission(path: DraftPath) -> DraftView:
    """Hands the draft to a worker; ask for the draft until it is done, or says why not."""
    with transaction() as session:
        sent = drafts.send(session, asking(session), path.draft_id)
    current_app.extensions[QUEUE].intake(sent.id)
    return sent


@drafts_api.delete("/drafts/<int:draft_id>/submission", responses={200: DraftView})
@login_required
@shows
def delete_submission(path: DraftPath) -> DraftView:
    """Stops the taking in."""
    with transaction() as session:
        return drafts.withdraw(session, asking(session), path.draft_id)
