"""Approvals after their signature: their terms, how each stands today, what its people are told of beforehand."""

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime

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
from brookfall.core.plan.revisions import read_plan
from brookfall.desk import people
from brookfall.desk.views import EndingApproval
from brookfall.records import approvals as stored
from brookfall.records import audit_log
from brookfall.records.approvals import ApprovalCondition, ApprovalNotice, ConditionEntry
from brookfall.records.cases import Case
from brookfall.records.clock import now
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


@dataclass(frozen=True)
class Approvals:
    """What was signed of some models, and how it stands today; read once, in as many statements however many there are.

    ``decided`` by model, the oldest first; ``by_case`` the approval of each case that was approved.
    """

    decided: dict[int, list[Decided]]
    by_case: dict[int, Approval]
    day: date

    def of_model(self, model: RegisteredModel) -> Stands:
        """How the model stands today."""
        return model_stands(self.decided.get(model.id, []), model.in_use, _withdrawn(model), self.day)

    def of_version(self, model: RegisteredModel, version: str) -> Stands:
        """How a version of the model stands today."""
        decided = self.decided.get(model.id, [])
        return version_stands(version, decided, model.in_use, _withdrawn(model), self.day)

    def of_case(self, model: RegisteredModel, case: Case) -> Stands:
        """How what was decided in a case of the model stands today: as the version, where it was decided last there."""
        decided = self.decided.get(model.id, [])
        if all(one.case != case.id for one in decided):
            return version_stands(case.version, [], model.in_use, _withdrawn(model), self.day)
        if self.counts(model.id, case.id):
            return self.of_version(model, case.version)
        later = next(one.signed for one in reversed(decided) if one.version == case.version)
        return Stands("superseded", f"it was decided again on {later:%-d %b %Y}")

    def why_not_used(self, model: RegisteredModel, version: str) -> str:
        """Why a version may not be put into use; empty where its last decision approved it and has not lapsed, whether
        or not another is in use now."""
        last = next((one for one in reversed(self.decided.get(model.id, [])) if one.version == version), None)
        if model.withdrawn is not None:
            return "was withdrawn"
        if last is None or last.approval is None:
            return "is not approved"
        stands = approval_stands(last.approval, self.day)
        return f"is approved no more, as {stands.why}" if stands.standing == "lapsed" else ""

    def unmet(self, model_id: int) -> int:
        """How many conditions of the model's approvals are not met; what was decided again counts no more."""
        counted = (self.by_case[one] for one in last_cases(self.decided.get(model_id, [])) if one in self.by_case)
        return sum(not condition.met for approval in counted for condition in approval.conditions)

    def counts(self, model_id: int, case_id: int) -> bool:
        """Whether the case has the last decision on its version."""
        return case_id in last_cases(self.decided.get(model_id, []))

    def met(self, case_id: int) -> tuple[int, bool]:
        """How many conditions of a case's approval are met, and whether it has lapsed; none and not, without one."""
        approval = self.by_case.get(case_id)
        if approval is None:
            return 0, False
        lapsed = approval_stands(approval, self.day).standing == "lapsed"
        return sum(one.met for one in approval.conditions), lapsed


def approvals_today(session: Session, model_ids: Collection[int]) -> Approvals:
    """What was signed of these models, and how it stands today."""
    query = select(Decision.answered, Case.model_id, Case.version, Case.id, *_TERMS)
    query = query.join(Case, Case.id == Decision.case_id).outerjoin(stored.Approval)
    query = query.where(Case.model_id.in_(model_ids), Decision.state == "accepted")
    rows = session.execute(query.order_by(Decision.answered, Decision.id)).all()
    conditions = _conditions(session, [row[-3] for row in rows if row[-3] is not None])
    decided: dict[int, list[Decided]] = {}
    by_case: dict[int, Approval] = {}
    for answered, model_id, version, case_id, approval_id, signed, until in rows:
        if answered is None:
            continue
        approval = None
        if approval_id is not None:
            approval = by_case[case_id] = Approval(signed, until, tuple(conditions.get(approval_id, ())))
        decided.setdefault(model_id, []).append(Decided(version, day_of(answered), approval, case_id))
    return Approvals(decided, by_case, today())


_TERMS = (stored.Approval.id, stored.Approval.signed, stored.Approval.until)


def _conditions(session: Session, approval_ids: Sequence[int]) -> dict[int, list[ConditionStands]]:
    """The conditions of some approvals, by approval, from the columns that the rules read."""
    if not approval_ids:
        return {}
    columns = (ApprovalCondition.id, ApprovalCondition.number, ApprovalCondition.due, ApprovalCondition.state)
    asked = select(ApprovalCondition.approval_id, *columns).where(ApprovalCondition.approval_id.in_(approval_ids))
    rows = session.execute(asked.order_by(ApprovalCondition.number)).all()
    entries: dict[int, list[tuple[str, datetime]]] = {}
    if rows:
        said = select(ConditionEntry.condition_id, ConditionEntry.act, ConditionEntry.at)
        said = said.where(ConditionEntry.condition_id.in_([row[1] for row in rows]))
        for condition_id, act, at in session.execute(said.order_by(ConditionEntry.id)):
            entries.setdefault(condition_id, []).append((act, at))
    conditions: dict[int, list[ConditionStands]] = {}
    for approval_id, condition_id, number, due, state in rows:
        stood = _answered(entries.get(condition_id, []))
        conditions.setdefault(approval_id, []).append(ConditionStands(number, due, state, stood))
    return conditions


def approvals_of(session: Session, model_id: int) -> list[stored.Approval]:
    """Every approval of a model with its conditions and what was said of them, the oldest first."""
    query = select(stored.Approval).join(Case, Case.id == stored.Approval.case_id).options(*_WHOLE)
    return list(session.scalars(query.where(Case.model_id == model_id).order_by(stored.Approval.id)))


def ending_approvals(person: Person, cases: Sequence[Case], known: Approvals) -> list[EndingApproval]:
    """Approvals of versions that count, which have lapsed or are about to, for their owner and their reviewer."""
    found = []
    for case in cases:
        approval = known.by_case.get(case.id)
        belongs = people.belongs_to_case(person, case)
        if approval is None or not (belongs or person.id == case.reviewer_id):
            continue
        told = notices_of(approval, known.day)
        if belongs:
            # The dates of conditions are told to them where these wait for their evidence.
            told = tuple(name for name in told if not name.startswith("condition"))
        stands = known.of_case(case.registered, case)
        if told and stands.standing in ("in_force", "conditional", "lapsed"):
            found.append(
                EndingApproval(
                    case_id=case.id, model=case.model, model_key=case.registered.key, version=case.version,
                    standing=stands.standing, why=stands.why, until=approval.until,
                )
            )  # fmt: skip
    return sorted(found, key=lambda one: (one.until, one.case_id))


def tell_what_is_due() -> None:
    """Enters once that an approval lapsed, or that a date of it comes near; a worker's clock asks for it."""
    day = today()
    with transaction() as session:
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


def _stands(condition: ApprovalCondition) -> ConditionStands:
    said = [(entry.act, entry.at) for entry in condition.entries]
    return ConditionStands(condition.number, condition.due, condition.state, _answered(said))


def _answered(said: Iterable[tuple[str, datetime]]) -> tuple[tuple[date, date | None], ...]:
    """From which day to which day evidence, or a judgement that it is met, stood; from the acts in their order."""
    stood: list[tuple[date, date | None]] = []
    for act, at in said:
        is_answered = bool(stood) and stood[-1][1] is None
        if act in ("send", "meet") and not is_answered:
            stood.append((day_of(at), None))
        elif act == "turn_down" and is_answered:
            stood[-1] = (stood[-1][0], day_of(at))
    return tuple(stood)


def _withdrawn(model: RegisteredModel) -> date | None:
    return None if model.withdrawn is None else day_of(model.withdrawn)
