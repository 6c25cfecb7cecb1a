"""The addresses beside the fairness audit's exhibits: groups made otherwise, pairs of proxies, drafts of findings."""

from flask_login import login_required
from pydantic import BaseModel, RootModel

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking
from brookfall.core.check.groups.draft_findings import DraftedFinding
from brookfall.desk import fairness
from brookfall.desk.fairness import Regrouping
from brookfall.desk.views import ExhibitView, ProxyPairView
from brookfall.records.database import transaction

fairness_api = blueprint("fairness")


class CasePath(BaseModel):
    case_id: int


class ExhibitPath(CasePath):
    number: int


class ProxyPairs(RootModel[list[ProxyPairView]]):
    pass


class DraftedFindings(RootModel[list[DraftedFinding]]):
    pass


@fairness_api.post("/cases/<int:case_id>/exhibits/<int:number>/regrouped", responses={200: ExhibitView})
@login_required
@shows
def post_regrouped(path: ExhibitPath, body: Regrouping) -> ExhibitView:
    """The exhibit as it would be with other groups, on the same scores; nothing is written."""
    with transaction() as session:
        return fairness.regrouped(session, asking(session), path.case_id, path.number, body)


@fairness_api.get("/cases/<int:case_id>/proxies/pairs", responses={200: ProxyPairs})
@login_required
@shows
def get_proxy_pairs(path: CasePath) -> ProxyPairs:
    with transaction() as session:
        return ProxyPairs(fairness.proxy_pairs(session, asking(session), path.case_id))


@fairness_api.get("/cases/<int:case_id>/findings/drafted", responses={200: DraftedFindings})
@login_required
@shows
def get_drafted(path: CasePath) -> DraftedFindings:
    with transaction() as session:
        return DraftedFindings(fairness.drafted_findings(session, asking(session), path.case_id))
