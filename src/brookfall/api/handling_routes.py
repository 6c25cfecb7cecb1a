"""The addresses at which a case is handed on, put off, taken back or withdrawn."""

from flask_login import login_required
from pydantic import BaseModel

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking
from brookfall.desk import handling
from brookfall.desk.docket import case_view
from brookfall.desk.handling import CaseDone
from brookfall.desk.views import CaseView, HandlingView
from brookfall.records.database import transaction

handling_api = blueprint("handling")


class HandledPath(BaseModel):
    case_id: int


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
