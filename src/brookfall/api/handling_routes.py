"""The addresses at which a case is handed on, put off, taken back or withdrawn."""

from flask_login import login_required
from pydantic import BaseModel, Field, RootModel

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking
from brookfall.desk import handling
from brookfall.desk.docket import case_view
from brookfall.desk.handling import CaseDone
from brookfall.desk.views import CaseView, HandedOver, HandlingView, HoldsView
from brookfall.records.database import transaction

handling_api = blueprint("handling")


class HandledPath(BaseModel):
    case_id: int


class HandOverBody(BaseModel):
    """``of``: the reviewer whose cases in review go to the one who signs in as ``to``."""

    of: int
    to: str = Field(max_length=80)
    reason: str = Field(max_length=4_000)


class WhoHolds(RootModel[list[HoldsView]]):
    pass


@handling_api.get("/holding", responses={200: WhoHolds})
@login_required
@shows
def get_holding() -> WhoHolds:
    """What each reviewer has in hand."""
    with transaction() as session:
        return WhoHolds(handling.who_holds_what(session, asking(session)))


@handling_api.post("/holding/hand-over", responses={200: HandedOver})
@login_required
@shows
def post_hand_over(body: HandOverBody) -> HandedOver:
    """Hands every case that a reviewer has in review to another, as far as each may be."""
    with transaction() as session:
        return handling.hand_over_all(session, asking(session), body.of, body.to, body.reason)


@handling_api.get("/cases/<int:case_id>/handling", responses={200: HandlingView})
@login_required
@shows
def get_handling(path: HandledPath) -> HandlingView:
    """What the person may do about the case beside its review, and to whom it may be given."""
    with transaction() as session:
        return handling.handling_view(session, asking(session), path.case_id)


@handling_api.post("/cases/<int:case_id>/handling", responses={200: CaseView})
@login_required
@shows
def post_handling(path: HandledPath, body: CaseDone) -> CaseView:
    """Releases the case, hands it over, gives it another date or priority, takes a proposal back, or withdraws it."""
    with transaction() as session:
        person = asking(session)
        case = handling.act_on(session, person, path.case_id, body)
        return case_view(session, person, case.id)
