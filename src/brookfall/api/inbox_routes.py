"""The addresses of a person's inbox: what waits for them, and what others did meanwhile."""

from flask import Response
from flask_login import login_required
from pydantic import BaseModel, Field

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking
from brookfall.desk import inbox
from brookfall.desk.views import ChangesView, InboxView
from brookfall.records.database import transaction

inbox_api = blueprint("inbox")


class InboxPage(BaseModel):
    page: int = Field(default=1, ge=1, le=100_000)


@inbox_api.get("/inbox", responses={200: InboxView})
@login_required
@shows
def get_inbox(query: InboxPage) -> InboxView:
    """What waits for the person, the oldest first."""
    with transaction() as session:
        return inbox.inbox(session, asking(session), query.page)


@inbox_api.get("/inbox/changes", responses={200: ChangesView})
@login_required
@shows
def get_changes(query: InboxPage) -> ChangesView:
    """What others did in the cases that the person has a part in, the newest first."""
    with transaction() as session:
        return inbox.changes(session, asking(session), query.page)


@inbox_api.post("/inbox/look", responses={204: None})
@login_required
def post_look() -> Response:
    """The person has looked at what changed until now."""
    with transaction() as session:
        inbox.look(session, asking(session))
    return Response(status=204)
