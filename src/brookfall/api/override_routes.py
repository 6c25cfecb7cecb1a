"""The addresses of overrides: standings that are overruled, and the list of them with departures from limits."""

from flask_login import login_required
from pydantic import BaseModel, Field

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking
from brookfall.desk import overrulings
from brookfall.desk.overrulings import NewOverruling
from brookfall.desk.views import OverridesPage, OverrulingsView
from brookfall.records.database import transaction

override_api = blueprint("overrides")


class CasePath(BaseModel):
    case_id: int = Field(ge=1, lt=1 << 63)


class OverrulingPath(CasePath):
    overruling_id: int = Field(ge=1, lt=1 << 63)


@override_api.get("/overrides", responses={200: OverridesPage})
@login_required
@shows
def get_overrides() -> OverridesPage:
    """For who reads every case: departures from limits and overruled standings of all cases."""
    with transaction() as session:
        return overrulings.overrides_page(session, asking(session))


@override_api.get("/cases/<int:case_id>/overrulings", responses={200: OverrulingsView})
@login_required
@shows
def get_overrulings(path: CasePath) -> OverrulingsView:
    with transaction() as session:
        return overrulings.overrulings_view(session, asking(session), path.case_id)


@override_api.post("/cases/<int:case_id>/overrulings", responses={200: OverrulingsView})
@login_required
@shows
def post_overruling(path: CasePath, body: NewOverruling) -> OverrulingsView:
    """The reviewer takes an exhibit otherwise than it stands, with the reason."""
    with transaction() as session:
        return overrulings.overrule(session, asking(session), path.case_id, body)


@override_api.delete("/cases/<int:case_id>/overrulings/<int:overruling_id>", responses={200: OverrulingsView})
@login_required
@shows
def delete_overruling(path: OverrulingPath) -> OverrulingsView:
    """The exhibit is taken as it stands again."""
    with transaction() as session:
        return overrulings.take_back(session, asking(session), path.case_id, path.overruling_id)
