"""The addresses of the house's policies."""

from flask import Response, make_response
from flask_login import login_required
from pydantic import BaseModel, ConfigDict, Field

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking, guesses_counted, own_account
from brookfall.core.judge.house_policy import HousePolicy
from brookfall.desk import policies, policy_effect, requirements
from brookfall.desk.policies import PolicyAnswer, PolicyProposal
from brookfall.desk.views import PoliciesPage, PolicyEffect, PolicyPage, RequirementsView
from brookfall.records.database import transaction

policy_api = blueprint("policies")

_AS_YAML = {"description": "The file", "content": {"application/yaml": {"schema": {"type": "object"}}}}


class _Body(BaseModel):
    model_config = ConfigDict(extra="forbid")


class NewDraftBody(_Body):
    from_id: int = Field(ge=0, lt=1 << 63, description="the policy that it begins as; 0 is the built-in one")


class DraftBody(_Body):
    revision: int = Field(ge=1, lt=1 << 31)
    note: str = Field(max_length=4000, description="what changes and why")
    policy: HousePolicy


class DraftFileBody(_Body):
    revision: int = Field(ge=1, lt=1 << 31)
    file: str = Field(min_length=1, max_length=200, description="its name")
    text: str = Field(max_length=1_000_000)


class PolicyPath(BaseModel):
    policy_id: int = Field(ge=0, lt=1 << 63)


class CasePath(BaseModel):
    case_id: int = Field(ge=1, lt=1 << 63)


class RevisionQuery(BaseModel):
    revision: int = Field(ge=1, lt=1 << 31)


@policy_api.get("/policies", responses={200: PoliciesPage})
@login_required
@shows
def get_policies() -> PoliciesPage:
    """Every policy that was signed, which is in force, and the draft for who may see it."""
    with transaction() as session:
        return policies.policies_page(session, asking(session))


@policy_api.post("/policies", responses={200: PolicyPage})
@login_required
@shows
def post_policy(body: NewDraftBody) -> PolicyPage:
    """For administrators: begins a draft."""
    with transaction() as session:
        return policies.draft(session, asking(session), body.from_id)


@policy_api.get("/policies/<int:policy_id>", responses={200: PolicyPage})
@login_required
@shows
def get_policy(path: PolicyPath) -> PolicyPage:
    """A policy, whole, with what it changes; 0 is the built-in one."""
    with transaction() as session:
        return policies.policy_page(session, asking(session), path.policy_id)


@policy_api.put("/policies/<int:policy_id>", responses={200: PolicyPage})
@login_required
@shows
def put_policy(path: PolicyPath, body: DraftBody) -> PolicyPage:
    """Saves what the draft says."""
    with transaction() as session:
        return policies.change(session, asking(session), path.policy_id, body.revision, body.note, body.policy)


@policy_api.put("/policies/<int:policy_id>/file", responses={200: PolicyPage})
@login_required
@shows
def put_policy_file(path: PolicyPath, body: DraftFileBody) -> PolicyPage:
    """The draft says what a YAML file says; an error is told with its line."""
    with transaction() as session:
        return policies.change_by_file(session, asking(session), path.policy_id, body.revision, body.file, body.text)


@policy_api.put("/policies/<int:policy_id>/requirements", responses={200: PolicyPage})
@login_required
@shows
def put_policy_requirements(path: PolicyPath, body: DraftFileBody) -> PolicyPage:
    """Takes the outside requirements of a YAML file into the draft, in the place of those of the same name."""
    with transaction() as session:
        return policies.take_requirements(session, asking(session), path.policy_id, body.revision, body.file, body.text)


@policy_api.get("/policies/<int:policy_id>/file", responses={200: _AS_YAML})
@login_required
def get_policy_file(path: PolicyPath) -> Response:
    """The policy as a YAML file: of what was signed, the very text."""
    with transaction() as session:
        text = policies.policy_text(session, asking(session), path.policy_id)
    response = make_response(text)
    response.headers["Content-Type"] = "application/yaml; charset=utf-8"
    response.headers["Content-Disposition"] = 'attachment; filename="policy.yaml"'
    return response


@policy_api.get("/policies/<int:policy_id>/effect", responses={200: PolicyEffect})
@login_required
@shows
def get_policy_effect(path: PolicyPath) -> PolicyEffect:
    """What the policy would have changed in the cases of the last year."""
    with transaction() as session:
        return policy_effect.policy_effect(session, asking(session), path.policy_id)


@policy_api.post("/policies/<int:policy_id>/propose", responses={200: PolicyPage})
@login_required
@guesses_counted(own_account)
@shows
def post_policy_proposal(path: PolicyPath, body: PolicyProposal) -> PolicyPage:
    """An administrator signs the draft."""
    with transaction() as session:
        return policies.propose(session, asking(session), path.policy_id, body)


@policy_api.post("/policies/<int:policy_id>/answer", responses={200: PolicyPage})
@login_required
@guesses_counted(own_account)
@shows
def post_policy_answer(path: PolicyPath, body: PolicyAnswer) -> PolicyPage:
    """A countersigner signs it too, or sends it back."""
    with transaction() as session:
        return policies.answer(session, asking(session), path.policy_id, body)


@policy_api.delete("/policies/<int:policy_id>", responses={200: PoliciesPage})
@login_required
@shows
def delete_policy(path: PolicyPath, query: RevisionQuery) -> PoliciesPage:
    """Lets the draft go."""
    with transaction() as session:
        return policies.discard(session, asking(session), path.policy_id, query.revision)


@policy_api.get("/cases/<int:case_id>/requirements", responses={200: RequirementsView})
@login_required
@shows
def get_requirements(path: CasePath) -> RequirementsView:
    """What the case's policy lists as asked from outside, what answers each, and what is open."""
    with transaction() as session:
        return requirements.requirements_view(session, asking(session), path.case_id)
