"""Models: the inventory, and the page of one: how each stands today, its versions, what befell it."""

import json
from collections import Counter
from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import ColumnElement, func, or_, select
from sqlalchemy.orm import InstrumentedAttribute, Session, selectinload

from brookfall.core.foundation.errors import MissingError
from brookfall.core.judge.finding_life import UNSETTLED
from brookfall.desk import people, re_review
from brookfall.desk.approvals import approvals_of, approvals_today
from brookfall.desk.docket import HEADS, lines_of
from brookfall.desk.teams import open_names
from brookfall.desk.time_line import time_line
from brookfall.desk.views import BelongsView, ConditionShort, ModelLine, ModelPage, ModelsView, TierView, VersionView
from brookfall.records.approvals import ApprovalCondition
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case
from brookfall.records.findings_and_decisions import Finding
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person

TIER = "changed the tier of a model"
"""As the record has it."""


PAGE = 50


class ModelsQuery(BaseModel):
    """Which models: a ``page`` of 50, all without one; those with ``words`` in their name or key, or whose owner has;
    ``mine`` those that one belongs to."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    page: int | None = Field(default=None, ge=1, le=100_000)
    words: str = Field(default="", max_length=200)
    mine: bool = False


def inventory(session: Session, person: Person, wanted: ModelsQuery) -> ModelsView:
    """The models whose cases the person may see, by name: those that were asked for."""
    asked = select(RegisteredModel).where(RegisteredModel.id.in_(select(Case.model_id)))
    if wanted.mine or not people.sees_all(person):
        asked = asked.where(people.belongs(person))
    if words := wanted.words.strip():
        owner = select(Person.id).where(Person.id == RegisteredModel.owner_id, _has(Person.name, words))
        named = or_(_has(RegisteredModel.name, words), _has(RegisteredModel.key, words))
        asked = asked.where(or_(named, owner.exists()))
    total = session.scalar(select(func.count()).select_from(asked.subquery())) or 0
    query = asked.order_by(RegisteredModel.name, RegisteredModel.id)
    query = query.options(selectinload(RegisteredModel.owner), selectinload(RegisteredModel.members))
    if wanted.page is not None:
        query = query.limit(PAGE).offset(PAGE * (wanted.page - 1))
    return ModelsView(models=_lines(session, person, session.scalars(query).all()), total=total)


def _has(column: InstrumentedAttribute[str], words: str) -> ColumnElement[bool]:
    """That the words are in it, whether written large or small."""
    return func.lower(column).contains(words.lower(), autoescape=True)


def _lines(session: Session, person: Person, models: Sequence[RegisteredModel]) -> list[ModelLine]:
    counted = select(Case.model_id, func.max(Case.id), func.count(Case.version.distinct())).group_by(Case.model_id)
    found = session.execute(counted.where(Case.model_id.in_([model.id for model in models])))
    newest, counts = {}, {}
    for model_id, case_id, count in found:
        newest[model_id], counts[model_id] = case_id, count
    cases = session.scalars(select(Case).where(Case.id.in_(newest.values())).options(*HEADS)).all()
    known = approvals_today(session, {model.id for model in models})
    lines = {line.id: line for line in lines_of(session, person, list(cases), known)}
    stands = {model.id: known.of_model(model) for model in models}
    unsettled = _unsettled(session, [model.id for model in models])
    return [
        ModelLine(
            key=model.key,
            name=model.name,
            owner=model.owner.name,
            members=[member.name for member in model.members],
            in_use=model.in_use,
            versions=counts[model.id],
            newest=lines[newest[model.id]],
            mine=person.id in model.people_ids,
            standing=stands[model.id].standing,
            why=stands[model.id].why,
            counts=stands[model.id].version,
            review=stands[model.id].until,
            conditions=known.unmet(model.id),
            findings=unsettled[model.id],
        )
        for model in models
    ]


def model_page(session: Session, person: Person, key: str) -> ModelPage:
    """A model with its versions, the newest first, and its people. MissingError where the person may not see it."""
    model = visible(session, person, key)
    cases = session.scalars(select(Case).where(Case.model_id == model.id).order_by(Case.id.desc())).all()
    known = approvals_today(session, [model.id])
    today_ = {case.id: known.of_case(model, case) for case in cases}
    stands = known.of_model(model)
    approvals = approvals_of(session, model.id)
    conditions = {one.case_id: [_short(condition) for condition in one.conditions] for one in approvals}
    lines = {line.id: line for line in lines_of(session, person, list(cases), known)}
    may_be_used = dict.fromkeys(case.version for case in cases if not known.why_not_used(model, case.version))
    return ModelPage(
        key=model.key,
        name=model.name,
        owner=_as_person(model.owner),
        members=[_as_person(member) for member in model.members],
        team=model.team.name if model.team else None,
        teams=open_names(session) if model.owner_id == person.id else [],
        created=model.created,
        in_use=model.in_use,
        approved=list(may_be_used),
        standing=stands.standing,
        why=stands.why,
        counts=stands.version,
        review=stands.until,
        withdrawn=model.withdrawn,
        withdrawn_why=model.withdrawn_why,
        versions=[
            VersionView(
                line=lines[case.id],
                standing=None if (none := _without_standing(case)) else today_[case.id].standing,
                why=none or today_[case.id].why,
                until=today_[case.id].until,
                conditions=conditions.get(case.id, []),
            )
            for case in cases
        ],
        events=time_line(session, model, cases, approvals),
        may_change_people=model.owner_id == person.id,
        may_say_in_use=person.id in model.people_ids and model.withdrawn is None,
        may_withdraw=model.owner_id == person.id,
        tier=_tier(session, model),
        may_set_tier=may_set_tier(person, model),
        re_reviewable=[
            case.id
            for case in cases
            if case.rows_taken is None and re_review.may_ask(person, case) and not re_review.why_not(session, case)
        ],
    )


def may_set_tier(person: Person, model: RegisteredModel) -> bool:
    """Whether the person may give the model another tier."""
    return "countersigner" in person.roles and person.id not in model.people_ids and model.withdrawn is None


def _tier(session: Session, model: RegisteredModel) -> TierView | None:
    """The tier by a countersigner's word; who, when and why as the record has it."""
    if model.tier is None:
        return None
    said = select(RecordEntry).where(RecordEntry.act == TIER, RecordEntry.subject == f"{model.name} ({model.key})")
    entry = session.scalars(said.order_by(RecordEntry.id.desc()).limit(1)).one()
    return TierView(tier=model.tier, by=entry.who, at=entry.at, reason=json.loads(entry.after)["reason"])


def visible(session: Session, person: Person, key: str, *, lock: bool = False) -> RegisteredModel:
    """The model of that key; MissingError where this person may not see it. ``lock`` holds it until the commit."""
    query = select(RegisteredModel).where(RegisteredModel.key == key)
    model = session.scalar(query.with_for_update() if lock else query)
    if model is None or not (people.sees_all(person) or person.id in model.people_ids):
        raise MissingError("There is no such model, or it is not yours to see.", todo="Go back to the models.")
    return model


def _unsettled(session: Session, model_ids: Sequence[int]) -> Counter[int]:
    """By model, about how many findings somebody has still to do something."""
    query = select(Case.model_id, func.count()).select_from(Finding).join(Case, Case.id == Finding.case_id)
    query = query.where(Case.model_id.in_(model_ids), Finding.state.in_(UNSETTLED))
    return Counter(dict(session.execute(query.group_by(Case.model_id)).all()))


def _without_standing(case: Case) -> str:
    """Why a case has no standing of its own; empty where it has. Until a re-review is decided what was signed before
    counts; what was withdrawn from review never does."""
    if case.state == "withdrawn":
        return "withdrawn from review"
    return "under review again" if case.review > 1 and case.state != "decided" else ""


def _short(condition: ApprovalCondition) -> ConditionShort:
    return ConditionShort(number=condition.number, what=condition.what, due=condition.due, state=condition.state)


def _as_person(person: Person) -> BelongsView:
    return BelongsView(id=person.id, login=person.login, name=person.name)
