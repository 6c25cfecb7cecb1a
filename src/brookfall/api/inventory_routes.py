"""The addresses of models: the inventory, a model's page, who belongs to it, which version is in use,
and its withdrawal."""

from flask_login import login_required
from pydantic import BaseModel, ConfigDict, Field

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking
from brookfall.desk import inventory, model_acts, version_changes
from brookfall.desk.inventory import ModelsQuery
from brookfall.desk.views import BetweenVersions, ModelPage, ModelsView
from brookfall.records.database import transaction

inventory_api = blueprint("inventory")


class ModelPath(BaseModel):
    model_key: str = Field(max_length=80)


class MemberPath(ModelPath):
    person_id: int = Field(ge=1, lt=1 << 63)


class MemberBody(BaseModel):
    """``login``: the name that the new member signs in with."""

    model_config = ConfigDict(extra="forbid")

    login: str = Field(min_length=1, max_length=80)


class InUseBody(BaseModel):
    """``version``: which is in use; none where none is."""

    model_config = ConfigDict(extra="forbid")

    version: str | None = Field(max_length=40)


class TeamOfBody(BaseModel):
    """``team``: the name of the team that the model is of; none where it is of none."""

    model_config = ConfigDict(extra="forbid")

    team: str | None = Field(max_length=120)


class WithdrawalBody(BaseModel):
    """``reason``: why the model is withdrawn; none to take it up again."""

    model_config = ConfigDict(extra="forbid")

    reason: str | None = Field(max_length=4_000)


class TierBody(BaseModel):
    """``tier``: the model's from now on, whatever its versions declare."""

    model_config = ConfigDict(extra="forbid")

    tier: int = Field(ge=1, le=3)
    reason: str = Field(max_length=4_000)


class BetweenQuery(BaseModel):
    before: int = Field(ge=1, description="the case of one version")
    after: int = Field(ge=1, description="the case of the other")


@inventory_api.get("/models", responses={200: ModelsView})
@login_required
@shows
def get_models(query: ModelsQuery) -> ModelsView:
    """A page of the models that one may see, narrowed; all of them without a page."""
    with transaction() as session:
        return inventory.inventory(session, asking(session), query)


@inventory_api.get("/models/<string:model_key>", responses={200: ModelPage})
@login_required
@shows
def get_model(path: ModelPath) -> ModelPage:
    with transaction() as session:
        return inventory.model_page(session, asking(session), path.model_key)


@inventory_api.post("/models/<string:model_key>/members", responses={200: ModelPage})
@login_required
@shows
def post_member(path: ModelPath, body: MemberBody) -> ModelPage:
    with transaction() as session:
        return model_acts.add_member(session, asking(session), path.model_key, body.login)


@inventory_api.delete("/models/<string:model_key>/members/<int:person_id>", responses={200: ModelPage})
@login_required
@shows
def delete_member(path: MemberPath) -> ModelPage:
    with transaction() as session:
        return model_acts.remove_member(session, asking(session), path.model_key, path.person_id)


@inventory_api.put("/models/<string:model_key>/in-use", responses={200: ModelPage})
@login_required
@shows
def put_in_use(path: ModelPath, body: InUseBody) -> ModelPage:
    with transaction() as session:
        return model_acts.say_in_use(session, asking(session), path.model_key, body.version)


@inventory_api.put("/models/<string:model_key>/withdrawal", responses={200: ModelPage})
@login_required
@shows
def put_withdrawal(path: ModelPath, body: WithdrawalBody) -> ModelPage:
    with transaction() as session:
        return model_acts.withdraw(session, asking(session), path.model_key, body.reason)


@inventory_api.put("/models/<string:model_key>/team", responses={200: ModelPage})
@login_required
@shows
def put_team_of(path: ModelPath, body: TeamOfBody) -> ModelPage:
    with transaction() as session:
        return model_acts.say_team(session, asking(session), path.model_key, body.team)


@inventory_api.put("/models/<string:model_key>/tier", responses={200: ModelPage})
@login_required
@shows
def put_tier(path: ModelPath, body: TierBody) -> ModelPage:
    with transaction() as session:
        return model_acts.set_tier(session, asking(session), path.model_key, body.tier, body.reason)


@inventory_api.get("/models/<string:model_key>/changes", responses={200: BetweenVersions})
@login_required
@shows
def get_changes(path: ModelPath, query: BetweenQuery) -> BetweenVersions:
    """What two versions of the model differ in, and how the figures judged differ."""
    with transaction() as session:
        person = asking(session)
        inventory.visible(session, person, path.model_key)
        return version_changes.between(session, person, query.before, query.after)
