"""Other versions of a model, as versions in use that one may be set against."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.plan.plan import InUse
from brookfall.core.submission.schema import Submission
from brookfall.records.cases import Case
from brookfall.records.tables import column_names


def versions_to_compare(session: Session, model_id: int, outcome: str, but: int | None) -> list[InUse]:
    """The versions of a model that have a recipe, newest first, each with its features; that of one case is left out,
    however often it was reviewed."""
    query = select(Case).where(Case.model_id == model_id, Case.outcome == outcome, Case.review == 1)
    own = session.scalar(select(Case.version).where(Case.id == but))
    found = []
    for case in session.scalars(query.order_by(Case.id.desc())):
        recipe = Submission.model_validate(case.submission).recipe
        if case.version != own and recipe is not None:
            features = _features(session, case)
            found.append(InUse(version=case.version, recipe=recipe, features=features))
    return found


def in_use_of(session: Session, model_id: int, declared: Submission, in_use: str | None) -> InUse | None:
    """The version that the owner says is in use, else the newest, where it can be refitted; the reviewer may name
    another."""
    if declared.recipe is None:
        return None
    others = versions_to_compare(session, model_id, declared.model.outcome, None)
    found = [one for one in others if one.version != declared.model.version]
    return next((one for one in found if one.version == in_use), next(iter(found), None))


def _features(session: Session, case: Case) -> tuple[str, ...]:
    """What the version learns from, as its owner declared it: names of the submitted table's columns."""
    roles = Submission.model_validate(case.submission).data[0].roles
    return roles.features_among(column_names(session, case.id))
