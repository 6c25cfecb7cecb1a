"""The addresses of the margin: a person's own notes on a case, and those that its validators share."""

from typing import Annotated

from flask_login import login_required
from pydantic import BaseModel, ConfigDict, Field

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.idempotency import once
from brookfall.api.session import asking
from brookfall.desk import notes
from brookfall.desk.views import MarginView, SharedNotesView
from brookfall.desk.written import Words
from brookfall.records.database import transaction

margin_api = blueprint("margin")


class CasePath(BaseModel):
    case_id: int


class MarginBody(BaseModel):
    text: str = Field(max_length=16_000)
    set_aside: list[int] = Field(max_length=500)
    revision: int = 0


class SharedNoteBody(BaseModel):
    model_config = ConfigDict(extra="forbid")

    text: Annotated[Words, Field(max_length=12_000)]


@margin_api.get("/cases/<int:case_id>/margin", responses={200: MarginView})
@login_required
@shows
def get_margin(path: CasePath) -> MarginView:
    with transaction() as session:
        return notes.margin_view(session, asking(session), path.case_id)


@margin_api.put("/cases/<int:case_id>/margin", responses={200: MarginView})
@login_required
@shows
def put_margin(path: CasePath, body: MarginBody) -> MarginView:
    with transaction() as session:
        return notes.save_margin(session, asking(session), path.case_id, body.text, body.set_aside, body.revision)


@margin_api.get("/cases/<int:case_id>/shared-notes", responses={200: SharedNotesView})
@login_required
@shows
def get_shared_notes(path: CasePath) -> SharedNotesView:
    """What the validators of the case share; nothing of it to who belongs to the model."""
    with transaction() as session:
        return notes.shared_notes(session, asking(session), path.case_id)


@margin_api.post("/cases/<int:case_id>/shared-notes", responses={200: SharedNotesView})
@login_required
@shows
def post_shared_note(path: CasePath, body: SharedNoteBody) -> SharedNotesView:
    with transaction() as session:
        person = asking(session)

        def shared() -> SharedNotesView:
            return notes.share_note(session, person, path.case_id, body.text)

        return once(session, person, SharedNotesView, shared)
