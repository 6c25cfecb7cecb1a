"""The addresses of retention: until when decided cases keep their rows, and two people's word that they go."""

from flask import current_app
from flask_login import current_user, login_required
from pydantic import BaseModel, Field

from brookfall.api.blueprint import QUEUE, blueprint, shows
from brookfall.api.session import asking, guesses_counted, own_account
from brookfall.desk import retention
from brookfall.desk.retention import ErasureAnswer, ErasureProposal
from brookfall.desk.views import RetentionView
from brookfall.records.database import transaction

retention_api = blueprint("retention")


class RetentionPath(BaseModel):
    case_id: int = Field(ge=1, lt=1 << 63)


@retention_api.get("/retention", responses={200: RetentionView})
@login_required
@shows
def get_retention() -> RetentionView:
    with transaction() as session:
        return retention.retention_view(session, asking(session))


@retention_api.post("/retention/<int:case_id>/proposal", responses={200: RetentionView})
@login_required
@guesses_counted(own_account)
@shows
def post_proposal(path: RetentionPath, body: ErasureProposal) -> RetentionView:
    """An administrator proposes that the rows go."""
    with transaction() as session:
        return retention.propose(session, asking(session), path.case_id, body)


@retention_api.post("/retention/<int:case_id>/answer", responses={200: RetentionView})
@login_required
@guesses_counted(own_account)
@shows
def post_erasure_answer(path: RetentionPath, body: ErasureAnswer) -> RetentionView:
    """A countersigner agrees, and a worker takes them away; or declines."""
    retention.answer(int(current_user.id), path.case_id, body, current_app.extensions[QUEUE])
    with transaction() as session:
        return retention.retention_view(session, asking(session))
