"""The addresses of templates: texts of findings and plans that the house keeps."""

from flask_login import login_required
from pydantic import BaseModel, ConfigDict, Field, RootModel

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking
from brookfall.desk import templates
from brookfall.desk.templates import FindingTemplate
from brookfall.desk.views import ComparedPlan, TemplatesView, TemplateView
from brookfall.records.database import transaction

template_api = blueprint("templates")


class TemplatePath(BaseModel):
    template_id: int = Field(ge=1, lt=1 << 63)


class CasePath(BaseModel):
    case_id: int = Field(ge=1, lt=1 << 63)


class HousePlanPath(CasePath):
    template_id: int = Field(ge=1, lt=1 << 63)


class FromExhibit(BaseModel):
    exhibit: int | None = Field(default=None, ge=1, lt=1 << 31)


class RevisionQuery(BaseModel):
    revision: int = Field(ge=1, lt=1 << 31)


class ChangedTemplateBody(BaseModel):
    model_config = ConfigDict(extra="forbid")

    revision: int = Field(ge=1, lt=1 << 31)
    text: FindingTemplate


class HousePlanBody(BaseModel):
    model_config = ConfigDict(extra="forbid")

    name: str = Field(min_length=1, max_length=120)


class Templates(RootModel[list[TemplateView]]):
    pass


@template_api.get("/templates", responses={200: TemplatesView})
@login_required
@shows
def get_templates() -> TemplatesView:
    """All that the house keeps."""
    with transaction() as session:
        return templates.templates_view(session, asking(session))


@template_api.post("/templates", responses={200: TemplatesView})
@login_required
@shows
def post_template(body: FindingTemplate) -> TemplatesView:
    """Keeps a text of a finding."""
    with transaction() as session:
        return templates.keep_finding(session, asking(session), body)


@template_api.put("/templates/<int:template_id>", responses={200: TemplatesView})
@login_required
@shows
def put_template(path: TemplatePath, body: ChangedTemplateBody) -> TemplatesView:
    with transaction() as session:
        return templates.change_finding(session, asking(session), path.template_id, body.revision, body.text)


@template_api.delete("/templates/<int:template_id>", responses={200: TemplatesView})
@login_required
@shows
def delete_template(path: TemplatePath, query: RevisionQuery) -> TemplatesView:
    """It is offered no more; what was begun from it stays."""
    with transaction() as session:
        return templates.close(session, asking(session), path.template_id, query.revision)


@template_api.get("/cases/<int:case_id>/finding-texts", responses={200: Templates})
@login_required
@shows
def get_finding_texts(path: CasePath, query: FromExhibit) -> Templates:
    """The texts that fit a finding from an exhibit, with all that the case can fill in; for its reviewer."""
    with transaction() as session:
        return Templates(templates.finding_texts(session, asking(session), path.case_id, query.exhibit))


@template_api.get("/cases/<int:case_id>/house-plans", responses={200: Templates})
@login_required
@shows
def get_house_plans(path: CasePath) -> Templates:
    """The plans of the house for this kind of outcome."""
    with transaction() as session:
        return Templates(templates.house_plans(session, asking(session), path.case_id))


@template_api.post("/cases/<int:case_id>/house-plans", responses={200: TemplatesView})
@login_required
@shows
def post_house_plan(path: CasePath, body: HousePlanBody) -> TemplatesView:
    """Keeps the plan of the case for others."""
    with transaction() as session:
        return templates.keep_plan(session, asking(session), path.case_id, body.name)


@template_api.get("/cases/<int:case_id>/house-plans/<int:template_id>", responses={200: ComparedPlan})
@login_required
@shows
def get_house_plan(path: HousePlanPath) -> ComparedPlan:
    """A plan of the house, and what taking it over would change here."""
    with transaction() as session:
        return templates.compare_plan(session, asking(session), path.case_id, path.template_id)
