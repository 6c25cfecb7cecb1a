"""Which cases the docket lists, and in which order: what is asked for, as conditions of the query."""

from collections.abc import Iterator
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import ColumnElement, and_, func, or_, select

from brookfall.core.judge.case_life import PRIORITIES, STATES, CaseState
from brookfall.core.judge.finding_life import UNSETTLED
from brookfall.desk import people
from brookfall.records.cases import Case
from brookfall.records.config import today
from brookfall.records.findings_and_decisions import Finding, StoredExhibit
from brookfall.records.people import Person
from brookfall.records.runs import Run

PAGE = 50
_GRAVEST = select(func.max(Finding.severity)).where(Finding.case_id == Case.id, Finding.state.in_(UNSETTLED))
_SORTS: dict[str, Any] = {
    "model": Case.model,
    "tier": Case.tier,
    "owner": select(Person.name).where(Person.id == Case.owner_id).scalar_subquery(),
    "reviewer": select(Person.name).where(Person.id == Case.reviewer_id).scalar_subquery(),
    "due": Case.due,
    "priority": func.field(Case.priority, *reversed(PRIORITIES)),
    "state": func.field(Case.state, *STATES),
    "findings": _GRAVEST.scalar_subquery(),
}
Sort = Literal["model", "tier", "owner", "reviewer", "due", "priority", "state", "findings"]


class DocketQuery(BaseModel):
    """Which cases are listed, in which order, and which page of them; without a page all. ``standing`` is that of an
    exhibit of the latest run; ``sort`` puts cases without a value last, ``falling`` turns the order round."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    page: int | None = Field(default=None, ge=1, le=100_000)
    state: CaseState | None = None
    mine: bool = False
    reviewer: int | None = Field(default=None, ge=1)
    overdue: bool = False
    tier: int | None = Field(default=None, ge=1, le=3)
    outcome: Literal["binary", "multiclass", "number", "choice"] | None = None
    standing: Literal["within", "near", "outside", "unsettled"] | None = None
    sort: Sort | None = None
    falling: bool = False


def narrowed(person: Person, wanted: DocketQuery) -> Iterator[ColumnElement[bool]]:
    """What a listed case is, beside its state."""
    if wanted.mine:
        yield or_(people.is_part(person, "owner"), Case.reviewer_id == person.id)
    if wanted.reviewer is not None:
        yield Case.reviewer_id == wanted.reviewer
    if wanted.overdue:
        yield and_(Case.due < today(), Case.state.in_(("waiting", "in_review", "proposed")))
    if wanted.tier is not None:
        yield Case.tier == wanted.tier
    if wanted.outcome is not None:
        yield Case.outcome == wanted.outcome
    if wanted.standing is not None:
        latest = select(func.max(Run.id)).where(Run.case_id == Case.id).correlate(Case).scalar_subquery()
        yield (
            select(StoredExhibit.id)
            .where(StoredExhibit.run_id == latest, StoredExhibit.standing == wanted.standing)
            .exists()
        )


def order_of(wanted: DocketQuery) -> list[ColumnElement[Any]]:
    """In which order the cases are listed; those that are alike as they were submitted."""
    if wanted.sort is None:
        return [Case.id.desc() if wanted.falling else Case.id.asc()]
    by = _SORTS[wanted.sort]
    return [by.is_(None), by.desc() if wanted.falling else by.asc(), Case.id.asc()]
