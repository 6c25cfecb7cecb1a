"""The addresses of the plan: saved, compared, as a file, opened again by a deviation; and of the run that follows."""

from flask import Response, current_app
from flask_login import current_user, login_required
from pydantic import BaseModel, ConfigDict, Field, RootModel

from brookfall.api.blueprint import QUEUE, blueprint, shows
from brookfall.api.session import asking
from brookfall.core.plan.plan import Plan
from brookfall.desk import deviations, plan_files, run, time_estimate
from brookfall.desk import plan as plans
from brookfall.desk.views import ComparedPlan, EstimateView, OtherPlan, PlanView, RunView
from brookfall.records.database import transaction

plan_api = blueprint("plan")


class CasePath(BaseModel):
    case_id: int


class OtherPath(CasePath):
    other_id: int


class PlanBody(BaseModel):
    revision: int
    plan: Plan


class PlanNameBody(BaseModel):
    """What the plan is called, in a line, and a note on it."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(default="", max_length=120)
    note: str = Field(default="", max_length=5_000)


class ReasonBody(BaseModel):
    model_config = ConfigDict(extra="forbid")

    reason: str = Field(max_length=5_000)


class PlanFileBody(BaseModel):
    """The text of a plan's file, and its name for messages."""

    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=300)
    text: str = Field(max_length=1_000_000)


class OtherPlans(RootModel[list[OtherPlan]]):
    pass


@plan_api.get("/cases/<int:case_id>/plan", responses={200: PlanView})
@login_required
@shows
def get_plan(path: CasePath) -> PlanView:
    with transaction() as session:
        return plans.plan_view(session, asking(session), path.case_id, current_app.extensions[QUEUE])


@plan_api.put("/cases/<int:case_id>/plan", responses={200: PlanView})
@login_required
@shows
def put_plan(path: CasePath, body: PlanBody) -> PlanView:
    with transaction() as session:
        queue = current_app.extensions[QUEUE]
        return plans.set_plan(session, asking(session), path.case_id, body.plan, body.revision, queue)


@plan_api.put("/cases/<int:case_id>/plan/name", responses={200: PlanView})
@login_required
@shows
def put_plan_name(path: CasePath, body: PlanNameBody) -> PlanView:
    with transaction() as session:
        queue = current_app.extensions[QUEUE]
        return plans.name_plan(session, asking(session), path.case_id, body.name, body.note, queue)


@plan_api.get("/cases/<int:case_id>/run", responses={200: RunView})
@login_required
@shows
def get_run(path: CasePath) -> RunView:
    with transaction() as session:
        return run.run_view(session, asking(session), path.case_id)


@plan_api.post("/cases/<int:case_id>/run", responses={200: RunView})
@login_required
@shows
def post_run(path: CasePath) -> RunView:
    run.lock_and_run(int(current_user.id), path.case_id, current_app.extensions[QUEUE])
    with transaction() as session:
        return run.run_view(session, asking(session), path.case_id)


@plan_api.delete("/cases/<int:case_id>/run", responses={200: RunView})
@login_required
@shows
def cancel_run(path: CasePath) -> RunView:
    with transaction() as session:
        return run.cancel(session, asking(session), path.case_id)


@plan_api.post("/cases/<int:case_id>/deviation", responses={200: PlanView})
@login_required
@shows
def post_deviation(path: CasePath, body: ReasonBody) -> PlanView:
    """Opens plan, roles and data after locking, for a reason that the report shows."""
    with transaction() as session:
        person = asking(session)
        deviations.open_deviation(session, person, path.case_id, body.reason)
        return plans.plan_view(session, person, path.case_id, current_app.extensions[QUEUE])


@plan_api.delete("/cases/<int:case_id>/deviation", responses={200: PlanView})
@login_required
@shows
def delete_deviation(path: CasePath) -> PlanView:
    """Takes the open deviation back: everything is as before it, and locked."""
    with transaction() as session:
        person = asking(session)
        deviations.take_back(session, person, path.case_id)
        return plans.plan_view(session, person, path.case_id, current_app.extensions[QUEUE])


@plan_api.get("/cases/<int:case_id>/plan/estimate", responses={200: EstimateView})
@login_required
@shows
def get_estimate(path: CasePath) -> EstimateView:
    """About how long the fits will take; asked again while a worker makes small trial fits."""
    with transaction() as session:
        return time_estimate.estimate_view(session, asking(session), path.case_id, current_app.extensions[QUEUE])


@plan_api.get("/cases/<int:case_id>/plan/file")
@login_required
def get_plan_file(path: CasePath) -> Response:
    """The plan as YAML, to be given to the command line or to another case."""
    with transaction() as session:
        name, text = plan_files.plan_file(session, asking(session), path.case_id)
    response = Response(text, content_type="application/yaml; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return response


@plan_api.post("/cases/<int:case_id>/plan/file", responses={200: ComparedPlan})
@login_required
@shows
def post_plan_file(path: CasePath, body: PlanFileBody) -> ComparedPlan:
    """Reads a plan's file and says what it would change; nothing is written."""
    with transaction() as session:
        return plan_files.plan_of_file(session, asking(session), path.case_id, body.name, body.text)


@plan_api.get("/cases/<int:case_id>/plan/others", responses={200: OtherPlans})
@login_required
@shows
def get_other_plans(path: CasePath) -> OtherPlans:
    with transaction() as session:
        return OtherPlans(plan_files.other_plans(session, asking(session), path.case_id))


@plan_api.get("/cases/<int:case_id>/plan/others/<int:other_id>", responses={200: ComparedPlan})
@login_required
@shows
def get_other_plan(path: OtherPath) -> ComparedPlan:
    with transaction() as session:
        return plan_files.compare(session, asking(session), path.case_id, path.other_id)
