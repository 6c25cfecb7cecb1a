"""Approvals after their signature: their terms, how each stands today, what its people are told of beforehand."""

from collections.abc import Iterable, Sequence
from datetime import date

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, joinedload, selectinload

from brookfall.core.judge.approval import (
    Approval,
    ConditionStands,
    Decided,
    Stands,
    approval_stands,
    last_cases,
    model_stands,
    notices_of,
    version_stands,
    years_after,
)
from brookfall.core.judge.condition_life import ConditionAct, may
from brookfall.core.plan.revisions import read_plan
from brookfall.desk import people
from brookfall.desk.finding_life import parts_of
from brookfall.desk.views import EndingApproval, WaitingConditions
from brookfall.records import approvals as stored
from brookfall.records import audit_log
from brookfall.records.approvals import ApprovalCondition, ApprovalNotice, ConditionEntry
from brookfall.records.base import now
from brookfall.records.cases import Case
from brookfall.records.config import day_of, today
from brookfall.records.database import transaction
from brookfall.records.findings_and_decisions import Decision
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person

APPROVALS = ("approved", "approved_with_conditions")
"""The kinds of decision that approve."""
_LAPSED, _TOLD = "an approval lapsed", "told of a date to come"
_WHOLE = (
    joinedload(stored.Approval.case).joinedload(Case.registered),
    selectinload(stored.Approval.conditions).selectinload(ApprovalCondition.entries),
)


def begin(session: Session, case: Case, decision: Decision) -> None:
    """Begins the term of an approval on the day it was countersigned, and gives each condition its life."""
    if decision.kind not in APPROVALS or decision.answered is None:
        return
    signed = day_of(decision.answered)
    conditions = [
        ApprovalCondition(
            number=number, what=one["what"], who=one.get("who", ""), due=date.fromisoformat(one["due"]),
            state="open", revision=1,
        )
        for number, one in enumerate(decision.conditions, 1)
    ]  # fmt: skip
    until = years_after(signed, read_plan(case.plan).policy.approved_years)
    session.add(
        stored.Approval(decision_id=decision.id, case_id=case.id, signed=signed, until=until, conditions=conditions)
    )


def approval_of(session: Session, case_id: int) -> stored.Approval | None:
    """The approval of a case with its conditions and what was said of them; None where it was not approved."""
    query = select(stored.Approval).where(stored.Approval.case_id == case_id).options(*_WHOLE)
    return session.scalars(query.order_by(stored.Approval.id.desc())).first()


def as_core(approval: stored.Approval) -> Approval:
    """The approval as the rules read it."""
    return Approval(approval.signed, approval.until, tuple(_stands(one) for one in approval.conditions))


def stands_today(session: Session, models: Sequence[RegisteredModel]) -> dict[int, Stands]:
    """How each of these models stands today, by its id, in a handful of queries however many there are."""
    decided = _decided(session, [model.id for model in models])
    return {
        model.id: model_stands(decided.get(model.id, []), model.in_use, _withdrawn(model), today()) for model in models
    }


def versions_today(session: Session, model: RegisteredModel, versions: Iterable[str]) -> dict[str, Stands]:
    """How each of these versions of a model stands today."""
    decided = _decided(session, [model.id]).get(model.id, [])
    return {one: version_stands(one, decided, model.in_use, _withdrawn(model), today()) for one in versions}


def cases_today(session: Session, model: RegisteredModel, cases: Sequence[Case]) -> dict[int, Stands]:
    """How what was decided in each of these cases of a model stands today: as the version, where it was decided last
    there."""
    decided = _decided(session, [model.id]).get(model.id, [])
    signed, last = {one.case: one for one in decided}, last_cases(decided)
    found = {}
    for case in cases:
        if case.id in last or case.id not in signed:
            known = decided if case.id in last else []
            found[case.id] = version_stands(case.version, known, model.in_use, _withdrawn(model), today())
        else:
            later = next(one.signed for one in reversed(decided) if one.version == case.version)
            found[case.id] = Stands("superseded", f"it was decided again on {later:%-d %b %Y}")
    return found


def approvals_of(session: Session, model_ids: Sequence[int]) -> list[stored.Approval]:
    """Every approval of these models with its conditions, the oldest first."""
    query = select(stored.Approval).join(Case, Case.id == stored.Approval.case_id).options(*_WHOLE)
    found = session.scalars(query.where(Case.model_id.in_(model_ids)).order_by(stored.Approval.id))
    return list(found.all())


def conditions_met(session: Session, case_ids: Sequence[int]) -> dict[int, tuple[int, bool]]:
    """Of each of these cases that was approved, how many of its conditions are met, and whether it has lapsed."""
    query = select(stored.Approval).where(stored.Approval.case_id.in_(case_ids)).options(*_WHOLE)
    found = {}
    for approval in session.scalars(query.order_by(stored.Approval.id)):
        stands = approval_stands(as_core(approval), today())
        met = sum(one.met for one in as_core(approval).conditions)
        found[approval.case_id] = (met, stands.standing == "lapsed")
    return found


def waiting_conditions(session: Session, person: Person, cases: Sequence[Case]) -> list[WaitingConditions]:
    """The cases with conditions about which this person is the next to do something."""
    by_id = {case.id: case for case in cases if case.state == "decided"}
    query = select(ApprovalCondition, stored.Approval.case_id).join(stored.Approval)
    decided = _decided(session, list({case.model_id for case in by_id.values()}))
    last = frozenset().union(*(last_cases(of_model) for of_model in decided.values()))
    query = query.where(stored.Approval.case_id.in_(last & set(by_id)), ApprovalCondition.state != "seen")
    counts: dict[tuple[int, ConditionAct], list[date]] = {}
    for condition, case_id in session.execute(query.order_by(ApprovalCondition.due)):
        parts = parts_of(person, by_id[case_id])
        for state, next_act in _NEXT:
            if condition.state == state and may(next_act, condition.state, parts):
                counts.setdefault((case_id, next_act), []).append(condition.due)
    return [
        WaitingConditions(
            case_id=case_id, model=by_id[case_id].model, version=by_id[case_id].version, act=next_act,
            count=len(dues), due=min(dues),
        )
        for (case_id, next_act), dues in counts.items()
    ]  # fmt: skip


_NEXT: tuple[tuple[str, ConditionAct], ...] = (("open", "send"), ("sent", "meet"), ("met", "see"))
"""In each state who is the next to do what."""


def ending_approvals(session: Session, person: Person, cases: Sequence[Case]) -> list[EndingApproval]:
    """Approvals of versions that count, which have lapsed or are about to, for their owner and their reviewer."""
    mine = {
        case.id: case
        for case in cases
        if case.state == "decided" and (person.id == case.reviewer_id or people.belongs_to_case(person, case))
    }
    models = {case.model_id: case.registered for case in mine.values()}
    decided = _decided(session, list(models))
    query = select(stored.Approval).where(stored.Approval.case_id.in_(mine)).options(*_WHOLE)
    found = []
    for approval in session.scalars(query.order_by(stored.Approval.until, stored.Approval.id)):
        case = mine[approval.case_id]
        model = models[case.model_id]
        if case.id not in last_cases(decided.get(model.id, [])):
            continue
        stands = version_stands(
            case.version, decided.get(model.id, []), model.in_use, _withdrawn(model), today()
        )  # fmt: skip
        told = notices_of(as_core(approval), today())
        if people.belongs_to_case(person, case):
            # The dates of conditions are told to them where these wait for their evidence.
            told = tuple(name for name in told if not name.startswith("condition"))
        if stands.standing in ("superseded", "withdrawn", "not_approved") or not told:
            continue
        found.append(
            EndingApproval(
                case_id=case.id, model=case.model, model_key=model.key, version=case.version,
                standing=stands.standing, why=stands.why, until=approval.until,
            )
        )  # fmt: skip
    return found


def tell_what_is_due() -> None:
    """Enters once that an approval lapsed, or that a date of it comes near; a worker's clock asks for it."""
    day = today()
    with transaction() as session:
        # Whatever was said of an approval was said at some time before; the newest of a version counts.
        query = select(stored.Approval).options(*_WHOLE).order_by(stored.Approval.id)
        due = {one.id: notices_of(as_core(one), day) for one in session.scalars(query)}
        told = {(one.approval_id, one.name) for one in session.scalars(select(ApprovalNotice))}
    for approval_id, names in due.items():
        for name in names:
            if (approval_id, name) not in told:
                _tell(approval_id, name, day)


def _tell(approval_id: int, name: str, day: date) -> None:
    try:
        with transaction() as session:
            case_id = session.scalars(select(stored.Approval.case_id).where(stored.Approval.id == approval_id)).one()
            # The case first, as whoever acts on a condition locks it: what was found due may have been met since.
            session.get_one(Case, case_id, with_for_update=True)
            approval = session.get_one(stored.Approval, approval_id, options=_WHOLE)
            if name not in notices_of(as_core(approval), day):
                return
            session.add(ApprovalNotice(approval_id=approval_id, name=name, at=now()))
            session.flush()
            stands = approval_stands(as_core(approval), day)
            audit_log.append(
                session, None, _LAPSED if name == "lapsed" else _TOLD, f"{approval.case.model} {approval.case.version}",
                case_id=case_id, after={"about": name, "why": stands.why, "until": approval.until.isoformat()},
            )  # fmt: skip
    except IntegrityError as problem:
        # Another worker told it in the same moment.
        if "approval_notice" not in str(problem.orig):
            raise


def _decided(session: Session, model_ids: Sequence[int]) -> dict[int, list[Decided]]:
    """What was signed of the versions of each model, the oldest first."""
    approvals = {one.decision_id: as_core(one) for one in approvals_of(session, model_ids)}
    query = select(Decision.id, Decision.answered, Case.model_id, Case.version, Case.id)
    query = query.join(Case, Case.id == Decision.case_id)
    query = query.where(Case.model_id.in_(model_ids), Decision.state == "accepted")
    found: dict[int, list[Decided]] = {}
    for decision_id, answered, model_id, version, case_id in session.execute(
        query.order_by(Decision.answered, Decision.id)
    ):
        if answered is not None:
            approval = approvals.get(decision_id)
            found.setdefault(model_id, []).append(Decided(version, day_of(answered), approval, case_id))
    return found


def _stands(condition: ApprovalCondition) -> ConditionStands:
    return ConditionStands(condition.number, condition.due, condition.state, _answered(condition.entries))


def _answered(entries: Sequence[ConditionEntry]) -> tuple[tuple[date, date | None], ...]:
    """From which day to which day evidence, or a judgement that it is met, stood."""
    stood: list[tuple[date, date | None]] = []
    for entry in entries:
        is_answered = bool(stood) and stood[-1][1] is None
        if entry.act in ("send", "meet") and not is_answered:
            stood.append((day_of(entry.at), None))
        elif entry.act == "turn_down" and is_answered:
            stood[-1] = (stood[-1][0], day_of(entry.at))
    return tuple(stood)


def _withdrawn(model: RegisteredModel) -> date | None:
    return None if model.withdrawn is None else day_of(model.withdrawn)
