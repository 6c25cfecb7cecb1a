"""What waits for a person, the oldest first, with the one place where it is ended; and what others did meanwhile."""

from collections.abc import Iterable
from datetime import date, datetime, timedelta
from functools import cache
from typing import Any, Literal, TypeAlias

from sqlalchemy import ColumnElement, Select, and_, func, or_, select, tuple_
from sqlalchemy.orm import InstrumentedAttribute, Session, aliased, load_only

from brookfall.core.judge import condition_life, finding_life, question_life
from brookfall.core.judge.condition_life import MET, ConditionAct, ConditionState
from brookfall.core.judge.finding_life import FindingAct, FindingState
from brookfall.core.judge.life import Step
from brookfall.core.judge.question_life import QuestionAct, QuestionState
from brookfall.desk import people, policies, retention
from brookfall.desk.approvals import approvals_today, ending_approvals
from brookfall.desk.views import ChangesView, InboxItem, InboxView, WhatChanged
from brookfall.records.approvals import Approval, ApprovalCondition, ConditionEntry
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import today
from brookfall.records.findings_and_decisions import Decision, Finding, FindingEntry, Mention
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person
from brookfall.records.questions import OwnerQuestion, OwnerQuestionEntry

PAGE = 50
_Counted: TypeAlias = Select[int, str, str, int, date | None, datetime]
_BEFOREHAND = timedelta(days=60)
"""So long before its dates an approval is looked at; what is then told is for ``notices_of`` to say."""

_QUESTIONS: tuple[tuple[QuestionState, QuestionAct, str], ...] = (
    ("asked", "answer", "for your answer"),
    ("answered", "settle", "to be read by you: the owner has answered"),
)
_FINDINGS: tuple[tuple[FindingState, FindingAct, str], ...] = (
    ("open", "answer", "for your answer"),
    ("answered", "close", "to be judged: the owner has answered"),
)
_CONDITIONS: tuple[tuple[ConditionState, ConditionAct, str], ...] = (
    ("open", "send", "for your evidence"),
    ("sent", "meet", "to be judged: the owner has sent evidence"),
    ("met", "see", "to be seen by you: the reviewer judged it met"),
)
"""In each state who is the next to do what, and for what it then waits."""


def inbox(session: Session, person: Person, page: int = 1) -> InboxView:
    """What waits for this person, the oldest first, a page of it."""
    items = waiting_items(session, person)
    return InboxView(
        items=items[PAGE * (page - 1) : PAGE * page],
        total=len(items),
        cases=[one for one in items if one.about == "case"][:3],
        waiting=sum(one.about == "case" for one in items),
        others=[one for one in items if one.about != "case"][:3],
        erasures=retention.notices(session, person),
        policy=policies.waits_for_signature(session, person),
    )


def waiting_items(session: Session, person: Person) -> list[InboxItem]:
    """All that waits for this person, the oldest first."""
    return sorted(
        [
            *_cases(session, person),
            *_questions(session, person),
            *_findings(session, person),
            *_mentions(session, person),
            *_conditions(session, person),
            *_approvals(session, person),
        ],
        key=lambda one: (one.since, one.case_id, one.about),
    )


def changes(session: Session, person: Person, page: int = 1) -> ChangesView:
    """What others did in the cases that this person has a part in, the newest first."""
    mine = select(Case.id).where(people.visible(person), has_part(person))
    of_others = RecordEntry.person_id.is_distinct_from(person.id)
    query = select(RecordEntry).where(RecordEntry.case_id.in_(mine), of_others, people.may_read(person))
    total = session.scalar(select(func.count()).select_from(query.subquery())) or 0
    entries = session.scalars(query.order_by(RecordEntry.id.desc()).limit(PAGE).offset(PAGE * (page - 1))).all()
    of_cases = select(Case.id, Case.model, Case.version).where(Case.id.in_({one.case_id for one in entries}))
    named = {case_id: (model, version) for case_id, model, version in session.execute(of_cases)}
    return ChangesView(
        seen=person.looked,
        total=total,
        changes=[
            WhatChanged(
                id=one.id, at=one.at, who=one.who, act=one.act, subject=one.subject, case_id=one.case_id or 0,
                model=named[one.case_id or 0][0], version=named[one.case_id or 0][1],
            )
            for one in entries
        ],
    )  # fmt: skip


def look(session: Session, person: Person) -> None:
    """The person has looked at what changed until now."""
    session.get_one(Person, person.id).looked = now()


def has_part(person: Person) -> ColumnElement[bool]:
    """The condition that a person has a part in a case: belongs to it, reviewed it, or countersigned it."""
    return or_(people.is_part(person, "owner"), people.ever_reviewed(person), Case.countersigner_id == person.id)


def _cases(session: Session, person: Person) -> Iterable[InboxItem]:
    """Cases to take, to review, or to countersign."""
    proposed = select(func.max(Decision.proposed)).where(Decision.case_id == Case.id, Decision.state == "proposed")
    query = select(Case.id, Case.model, Case.version, Case.state, Case.due, Case.created, proposed.scalar_subquery())
    query = query.where(people.visible(person), people.waits_for(person))
    for case_id, model, version, state, due, created, at in session.execute(query):
        act = {"waiting": "take", "in_review": "review", "proposed": "countersign"}[state]
        yield InboxItem(
            case_id=case_id, model=model, version=version, about="case", act=act, count=1, due=due,
            since=at or created, waits=_CASES[act], place="brief" if act == "take" else "",
        )  # fmt: skip


_CASES = {"take": "waits for a reviewer", "review": "is with you", "countersign": "waits for your countersignature"}


def _questions(session: Session, person: Person) -> Iterable[InboxItem]:
    said = select(func.max(OwnerQuestionEntry.at)).where(OwnerQuestionEntry.question_id == OwnerQuestion.id)
    since = func.coalesce(said.scalar_subquery(), OwnerQuestion.asked)
    for state, act, waits in _QUESTIONS:
        query = _left_to(person, question_life.LIFE[act], OwnerQuestion, OwnerQuestion.due, since).where(
            OwnerQuestion.state == state
        )
        yield from _items(session, person, query, "question", act, waits, "brief#questions")


def _findings(session: Session, person: Person) -> Iterable[InboxItem]:
    said = select(func.max(FindingEntry.at)).where(FindingEntry.finding_id == Finding.id)
    since = func.coalesce(said.scalar_subquery(), Finding.created)
    # Whichever comes first: the day of the mending, or that of the answer.
    due = func.least(func.coalesce(Finding.due, Finding.answer_by), func.coalesce(Finding.answer_by, Finding.due))
    for state, act, waits in _FINDINGS:
        query = _left_to(person, finding_life.LIFE[act], Finding, due, since).where(Finding.state == state)
        yield from _items(session, person, query, "finding", act, waits, "findings")


def _mentions(session: Session, person: Person) -> Iterable[InboxItem]:
    """Comments on findings that are addressed to the person and were not read yet."""
    query = _counted(Finding.due, FindingEntry.at).join(Finding, Finding.case_id == Case.id)
    query = query.join(FindingEntry, FindingEntry.finding_id == Finding.id)
    query = query.join(Mention, Mention.entry_id == FindingEntry.id)
    query = query.where(Mention.person_id == person.id, Mention.read.is_(None))
    waits = "to be read by you: a comment is addressed to you"
    yield from _items(session, person, query, "finding", "read", waits, "findings")


def _left_to(
    person: Person,
    step: Step[Any],
    thing: type[Finding] | type[OwnerQuestion],
    due: ColumnElement[date | None] | InstrumentedAttribute[date | None],
    since: ColumnElement[datetime],
) -> _Counted:
    """The things of cases in which the person may do this next."""
    query = _counted(due, since).join(thing, thing.case_id == Case.id)
    return query.where(Case.state.in_(step.cases), people.is_any(person, step.by))


def _conditions(session: Session, person: Person) -> Iterable[InboxItem]:
    """Of conditions those of the last decision on a version: what was decided again waits for nobody."""
    said = select(func.max(ConditionEntry.at)).where(ConditionEntry.condition_id == ApprovalCondition.id)
    since = func.coalesce(said.scalar_subquery(), func.timestamp(Approval.signed))
    for state, act, waits in _CONDITIONS:
        step = condition_life.LIFE[act]
        query = _counted(ApprovalCondition.due, since).join(Approval, Approval.case_id == Case.id)
        query = query.join(ApprovalCondition, ApprovalCondition.approval_id == Approval.id)
        query = query.where(
            ApprovalCondition.state == state, Case.state.in_(step.cases), people.is_any(person, step.by), _counts()
        )
        yield from _items(session, person, query, "condition", act, waits, "decision")


def _counts(case: type[Case] = Case) -> ColumnElement[bool]:
    """That a decided case is the last decided review of its version, as ``last_cases`` of the core has it."""
    return tuple_(case.model_id, case.version, case.review).in_(_last_decided())


@cache
def _last_decided() -> Select[int, str, int]:
    """Of each version of a model the last review that was decided. It is of no other query's row: so the database
    makes it once, whatever it believes of its tables."""
    decided = aliased(Case)
    last = select(decided.model_id, decided.version, func.max(decided.review))
    last = last.join(Decision, Decision.case_id == decided.id).where(Decision.state == "accepted")
    return last.group_by(decided.model_id, decided.version)


def _approvals(session: Session, person: Person) -> Iterable[InboxItem]:
    """Approvals that lapsed or are about to, for who belongs to them or reviewed them."""
    soon = today() + _BEFOREHAND
    due = select(ApprovalCondition.id).where(ApprovalCondition.approval_id == Approval.id)
    due = due.where(ApprovalCondition.due <= soon, ApprovalCondition.state.not_in(MET))
    query = people.visible_cases(person).options(load_only(*_READ)).join(Approval, Approval.case_id == Case.id)
    query = query.join(RegisteredModel, RegisteredModel.id == Case.model_id)
    query = query.where(people.is_any(person, ("owner", "reviewer")), _counts(), _is_current())
    cases = session.scalars(query.where(or_(Approval.until <= soon, due.exists())).order_by(Case.id)).unique().all()
    known = approvals_today(session, {case.model_id for case in cases})
    for one in ending_approvals(person, cases, known):
        yield InboxItem(
            case_id=one.case_id, model=one.model, version=one.version, about="approval", act="ask_re_review", count=1,
            due=one.until, since=datetime.combine(min(one.until, known.day), datetime.min.time()),
            waits=_ENDS[one.standing].format(why=one.why, until=f"{one.until:%-d %b %Y}"),
            place=f"/models/{one.model_key}",
        )  # fmt: skip


_READ = (Case.id, Case.model_id, Case.model, Case.version, Case.owner_id, Case.reviewer_id)
"""What is read of a case whose approval ends."""


def _is_current() -> ColumnElement[bool]:
    """That the model was not withdrawn, and that the version is in use or no other was approved on a later day: all
    others are superseded, and nobody is told of their ends. Whether these are, ``ending_approvals`` says."""
    of_last_day = tuple_(Case.model_id, Approval.signed).in_(_last_approved())
    return and_(RegisteredModel.withdrawn.is_(None), or_(RegisteredModel.in_use == Case.version, of_last_day))


@cache
def _last_approved() -> Select[int, date]:
    """Of each model the day on which a version was approved last, of decisions that count."""
    other, later = aliased(Case), aliased(Approval)
    last = select(other.model_id, func.max(later.signed)).join(later, later.case_id == other.id)
    return last.where(_counts(other)).group_by(other.model_id)


_ENDS = {
    "lapsed": "has lapsed: {why}",
    "conditional": "is conditional: {why}",
    "in_force": "ends on {until}",
}


def _counted(
    due: ColumnElement[date | None] | InstrumentedAttribute[date | None] | InstrumentedAttribute[date],
    since: ColumnElement[datetime] | InstrumentedAttribute[datetime],
) -> _Counted:
    """Of each case how many there are, the first day by which one is due, and since when the oldest waits."""
    return (
        select(Case.id, Case.model, Case.version, func.count(), func.min(due), func.min(since))
        .group_by(Case.id)
        .order_by(Case.id)
    )


def _items(
    session: Session,
    person: Person,
    query: _Counted,
    about: Literal["question", "finding", "condition"],
    act: str,
    waits: str,
    place: str,
) -> Iterable[InboxItem]:
    for case_id, model, version, count, due, since in session.execute(query.where(people.visible(person))):
        yield InboxItem(
            case_id=case_id, model=model, version=version, about=about, act=act, count=count, due=due, since=since,
            waits=f"{'waits' if count == 1 else 'wait'} {waits}", place=place,
        )  # fmt: skip
