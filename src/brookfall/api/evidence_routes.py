"""The addresses of what lies behind an exhibit: its rows, to look at and as a file; and its replay."""

from typing import Literal

from flask import Response, current_app
from flask_login import current_user, login_required
from pydantic import BaseModel, ConfigDict, Field

from brookfall.api.blueprint import QUEUE, blueprint, shows
from brookfall.api.session import asking
from brookfall.core.behind import Behind
from brookfall.desk import behind as desk
from brookfall.desk import compare, replays
from brookfall.desk.views import BehindView, ComparisonView, ReplayView
from brookfall.records.database import transaction

evidence_api = blueprint("evidence")


class CasePath(BaseModel):
    case_id: int


class ExhibitPath(CasePath):
    number: int


class ComparisonQuery(BaseModel):
    """Names of models, comma between; a part and a measure. What is not given is as the plan has it."""

    models: str = Field(default="", max_length=1_000)
    part: str | None = Field(default=None, max_length=200)
    measure: str | None = Field(default=None, max_length=60)


class BehindPath(CasePath):
    form: Literal["csv", "parquet"]


class BehindBody(BaseModel):
    """Which rows, in which order, and the window of them."""

    model_config = ConfigDict(extra="forbid")

    behind: Behind
    offset: int = Field(default=0, ge=0)
    limit: int = Field(default=100, ge=1, le=200)
    sort: str | None = None
    falling: bool = False


@evidence_api.post("/cases/<int:case_id>/behind", responses={200: BehindView})
@login_required
@shows
def post_behind(path: CasePath, body: BehindBody) -> BehindView:
    """Reads rows; nothing is written."""
    with transaction() as session:
        return desk.behind_view(
            session,
            asking(session),
            path.case_id,
            body.behind,
            body.offset,
            body.limit,
            body.sort,
            falling=body.falling,
        )


@evidence_api.get("/cases/<int:case_id>/behind/<form>")
@login_required
def get_behind_file(path: BehindPath, query: Behind) -> Response:
    with transaction() as session:
        file = desk.behind_file(session, asking(session), path.case_id, query, path.form)
    response = Response(file.pieces, content_type=file.mimetype)
    response.headers["Content-Disposition"] = f'attachment; filename="{file.name}"'
    return response


@evidence_api.get("/cases/<int:case_id>/exhibits/<int:number>/replay", responses={200: ReplayView})
@login_required
@shows
def get_replay(path: ExhibitPath) -> ReplayView:
    with transaction() as session:
        return replays.replay_view(session, asking(session), path.case_id, path.number)


@evidence_api.post("/cases/<int:case_id>/exhibits/<int:number>/replay", responses={200: ReplayView})
@login_required
@shows
def post_replay(path: ExhibitPath) -> ReplayView:
    """Has the exhibit fitted and computed again by a worker, and compared bit for bit."""
    replays.ask_replay(int(current_user.id), path.case_id, path.number, current_app.extensions[QUEUE])
    with transaction() as session:
        return replays.replay_view(session, asking(session), path.case_id, path.number)


@evidence_api.delete("/cases/<int:case_id>/exhibits/<int:number>/replay", responses={200: ReplayView})
@login_required
@shows
def delete_replay(path: ExhibitPath) -> ReplayView:
    with transaction() as session:
        return replays.cancel_replay(session, asking(session), path.case_id, path.number)


@evidence_api.get("/cases/<int:case_id>/comparison", responses={200: ComparisonView})
@login_required
@shows
def get_comparison(path: CasePath, query: ComparisonQuery) -> ComparisonView:
    """Models side by side on the rows that all of them have scored."""
    with transaction() as session:
        names = [name for name in query.models.split(",") if name]
        return compare.comparison(session, asking(session), path.case_id, query.part, query.measure, names)
