"""The addresses of what lies behind an exhibit: its rows, to look at and as a file; and its replay."""

from typing import Literal

from flask import Response, current_app
from flask_login import current_user, login_required
from pydantic import BaseModel, ConfigDict, Field

from brookfall.api.blueprint import QUEUE, blueprint, shows
from brookfall.api.session import asking
from brookfall.core.retest.rows_behind import Behind
from brookfall.core.submission.label_marks import LabelMark
from brookfall.desk import compare, labels, replays, trees
from brookfall.desk import rows_behind as desk
from brookfall.desk.views import BehindView, ComparisonView, MarksView, PathView, ReplayView, SuspectsView
from brookfall.records.database import transaction

evidence_api = blueprint("evidence")


class CasePath(BaseModel):
    case_id: int


class ExhibitPath(CasePath):
    number: int


class TreeRowPath(ExhibitPath):
    """Trees and rows are counted from 1."""

    tree: int
    row: int


class TreeFilePath(ExhibitPath):
    tree: int
    form: Literal["svg", "pdf"]


class ComparisonQuery(BaseModel):
    """Names of models, comma between; a part and a measure. What is not given is as the plan has it."""

    models: str = Field(default="", max_length=1_000)
    part: str | None = Field(default=None, max_length=200)
    measure: str | None = Field(default=None, max_length=60)


class BehindPath(CasePath):
    form: Literal["csv", "parquet"]


class MarksBody(BaseModel):
    """Labels marked, each instead of an earlier mark of its row, and rows whose marks are taken away."""

    model_config = ConfigDict(extra="forbid")

    marks: list[LabelMark] = Field(default_factory=list, max_length=20_000)
    cleared: list[int] = Field(default_factory=list, max_length=20_000)


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
    return _sent(file)


def _sent(file: desk.RowsFile) -> Response:
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


@evidence_api.get("/cases/<int:case_id>/suspects", responses={200: SuspectsView})
@login_required
@shows
def get_suspects(path: CasePath) -> SuspectsView:
    with transaction() as session:
        return labels.suspects_view(session, asking(session), path.case_id)


@evidence_api.post("/cases/<int:case_id>/marks", responses={200: MarksView})
@login_required
@shows
def post_marks(path: CasePath, body: MarksBody) -> MarksView:
    with transaction() as session:
        return labels.mark(session, asking(session), path.case_id, body.marks, body.cleared)


@evidence_api.get("/cases/<int:case_id>/suspects/<form>")
@login_required
def get_suspects_file(path: BehindPath) -> Response:
    with transaction() as session:
        file = labels.suspects_file(session, asking(session), path.case_id, path.form)
    return _sent(file)


@evidence_api.get(
    "/cases/<int:case_id>/exhibits/<int:number>/trees/<int:tree>/path/<int:row>", responses={200: PathView}
)
@login_required
@shows
def get_path(path: TreeRowPath) -> PathView:
    with transaction() as session:
        return trees.path_view(session, asking(session), path.case_id, path.number, path.tree, path.row)


@evidence_api.get("/cases/<int:case_id>/exhibits/<int:number>/trees/<int:tree>/<form>")
@login_required
def get_tree_file(path: TreeFilePath) -> Response:
    with transaction() as session:
        return _sent(trees.tree_drawing(session, asking(session), path.case_id, path.number, path.tree, path.form))


@evidence_api.get("/cases/<int:case_id>/comparison", responses={200: ComparisonView})
@login_required
@shows
def get_comparison(path: CasePath, query: ComparisonQuery) -> ComparisonView:
    """Models side by side on the rows that all of them have scored."""
    with transaction() as session:
        names = [name for name in query.models.split(",") if name]
        return compare.comparison(session, asking(session), path.case_id, query.part, query.measure, names)
