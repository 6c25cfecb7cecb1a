"""What befell a model, from its first submission to its withdrawal, in the order in which it did."""

import json
from collections.abc import Iterator, Sequence
from datetime import datetime, time

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.evidence.words import CONDITION_ACTS, DECISIONS
from brookfall.core.judge.approval import approval_stands
from brookfall.desk.approvals import as_core
from brookfall.desk.handling import WITHDREW
from brookfall.desk.views import ModelEvent
from brookfall.records.approvals import Approval
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case
from brookfall.records.config import day_of, today
from brookfall.records.findings_and_decisions import Decision
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person

_Told = tuple[datetime, Case | None, str, Person | None]
"""When, in which case, what, and by whom; by nobody where a date did it."""
_DID = {act: words for act, words in CONDITION_ACTS.items() if act != "comment"}


def time_line(
    session: Session, model: RegisteredModel, cases: Sequence[Case], approvals: Sequence[Approval]
) -> list[ModelEvent]:
    """What was sent, signed and done about conditions, and what lapsed; the first first."""
    by_id = {case.id: case for case in cases}
    told = [*_begun(cases), *_taken_away(session, by_id), *_signed(session, by_id), *_of_approvals(by_id, approvals)]
    if model.withdrawn is not None:
        told.append((model.withdrawn, None, f"withdrawn: {model.withdrawn_why}", model.owner))
    return [
        ModelEvent(
            day=day_of(at),
            version=case.version if case else None,
            case_id=case.id if case else None,
            what=what,
            by=by.name if by else None,
        )
        for at, case, what, by in sorted(told, key=lambda one: one[0])
    ]


def _begun(cases: Sequence[Case]) -> Iterator[_Told]:
    for case in reversed(cases):
        first = case.review == 1
        yield case.created, case, "submitted" if first else "re-review opened", case.owner if first else None


def _taken_away(session: Session, cases: dict[int, Case]) -> Iterator[_Told]:
    """The versions that their owner withdrew from review; the record has when, by whom and why."""
    gone = [case_id for case_id, case in cases.items() if case.state == "withdrawn"]
    entries = select(RecordEntry, Person).join(Person, Person.id == RecordEntry.person_id)
    entries = entries.where(RecordEntry.case_id.in_(gone), RecordEntry.act == WITHDREW)
    for entry, person in session.execute(entries) if gone else ():
        reason = json.loads(entry.after).get("reason", "")
        yield entry.at, cases[entry.case_id or 0], f"withdrawn from review: {reason}", person


def _signed(session: Session, cases: dict[int, Case]) -> Iterator[_Told]:
    signed = select(Decision).where(Decision.case_id.in_(cases), Decision.state == "accepted")
    for decision in session.scalars(signed.order_by(Decision.id)):
        if decision.answered is not None:
            words = f"{DECISIONS[decision.kind].lower()}, countersigned"
            yield decision.answered, cases[decision.case_id], words, decision.answerer


def _of_approvals(cases: dict[int, Case], approvals: Sequence[Approval]) -> Iterator[_Told]:
    for approval in approvals:
        case = cases[approval.case_id]
        for condition in approval.conditions:
            for entry in condition.entries:
                if entry.act in _DID:
                    yield entry.at, case, f"condition {condition.number}: {_DID[entry.act]}", entry.person
        stands = approval_stands(as_core(approval), today())
        if stands.since is not None:
            yield datetime.combine(stands.since, time.min), case, f"lapsed: {stands.why}", None
