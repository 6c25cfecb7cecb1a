"""What people do about the conditions of an approval: send evidence, judge it, see the judgement or send it back."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session

from brookfall.core.evidence.words import CONDITION_STATES
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.core.judge.approval import lapsed_on
from brookfall.core.judge.condition_life import LIFE, ConditionAct, ConditionState
from brookfall.desk import people
from brookfall.desk.approvals import approval_of, approvals_today, as_core
from brookfall.desk.said import Kind, file_of, parts_of, told
from brookfall.desk.views import ApprovalView, ConditionView, SaidView
from brookfall.records import audit_log
from brookfall.records.approvals import ApprovalCondition, ConditionEntry, ConditionFile
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import today
from brookfall.records.people import Person

_DONE: dict[ConditionAct, str] = {
    "send": "sent evidence for a condition",
    "meet": "judged a condition met",
    "turn_down": "judged a condition not met",
    "see": "saw that a condition is met",
    "send_back": "sent a condition back to be judged",
    "comment": "commented on a condition",
}
_KIND = Kind[ConditionAct, ConditionState](
    "condition",
    LIFE,
    CONDITION_STATES,
    {
        "send": "send evidence for it",
        "meet": "judge that it is met",
        "turn_down": "judge that it is not met",
        "see": "see that it is met",
        "send_back": "send it back to be judged",
        "comment": "comment on it",
    },
)


class ConditionDone(BaseModel):
    """What is done about a condition, and what is said with it."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    act: Literal["send", "meet", "turn_down", "see", "send_back", "comment"]
    revision: int
    text: str = Field(default="", max_length=12_000)


def approval_view(session: Session, person: Person, case_id: int) -> ApprovalView | None:
    """The approval of a case with its term and its conditions; None where it was not approved."""
    case = people.case_for(session, person, case_id)
    approval = approval_of(session, case.id)
    if approval is None:
        return None
    stands = approvals_today(session, [case.model_id]).of_case(case.registered, case)
    return ApprovalView(
        signed=approval.signed,
        until=approval.until,
        standing=stands.standing,
        why=stands.why,
        conditions=[_view(person, case, one) for one in approval.conditions],
    )


def act_on(session: Session, person: Person, case_id: int, number: int, done: ConditionDone) -> ApprovalView:
    """Does it, and enters it beside the condition and in the record.

    Raises
    ------
    ForbiddenError
        It is not this person's, or not to be done as the condition stands.
    MissingError
        The case's approval has no condition of that number.
    StaleError
        Somebody did something about the condition since ``done.revision``.
    UserError
        Nothing was said where the act needs words.
    """
    case = people.case_for(session, person, case_id, lock=True)
    condition = _condition(session, case, number)
    _KIND.refuse(
        done.act, condition.state, parts_of(person, case), case, seen=done.revision, revision=condition.revision
    )
    if "countersigner" in LIFE[done.act].by and done.act != "comment":
        people.refuse_new_member(session, person, case)
    text = done.text.strip()
    if LIFE[done.act].reasoned and not text:
        raise UserError("Nothing is said with it.", todo="Write it; it stands beside the condition.")
    before = condition.state
    condition.state = LIFE.after(done.act, before)
    condition.revision += 1
    condition.entries.append(ConditionEntry(at=now(), person_id=person.id, act=done.act, text=text))
    audit_log.append(
        session, person, _DONE[done.act], f"{condition.number}: {condition.what}", case_id=case.id,
        before={"state": before}, after={"state": condition.state, "text": text},
    )  # fmt: skip
    session.flush()
    return _shown(session, person, case.id)


def attach(
    session: Session, person: Person, case_id: int, number: int, entry_id: int, sent: tuple[str, bytes]
) -> ApprovalView:
    """Keeps a file beside what this person said last of the condition; raises as :meth:`Kind.keep`."""
    case = people.case_for(session, person, case_id, lock=True)
    condition = _condition(session, case, number)
    says = LIFE.may("comment", condition.state, parts_of(person, case), case.state)
    to = (condition.entries, entry_id)
    entry, path, sha256 = _KIND.keep(session, person, case, sent, to, says=says, number=number)
    entry.files.append(ConditionFile(path=path, sha256=sha256, added=now()))
    session.flush()
    return _shown(session, person, case.id)


def file_bytes(
    session: Session, person: Person, case_id: int, number: int, entry_id: int, file_id: int
) -> tuple[str, bytes]:
    """A file that was sent with an entry: its name and its bytes, as they were kept."""
    case = people.case_for(session, person, case_id)
    return file_of(session, _KIND.entry_of(_condition(session, case, number).entries, entry_id), file_id)


def _shown(session: Session, person: Person, case_id: int) -> ApprovalView:
    view = approval_view(session, person, case_id)
    if view is None:
        raise MissingError("The case was not approved.", todo="Go back to the case.")
    return view


def _condition(session: Session, case: Case, number: int) -> ApprovalCondition:
    approval = approval_of(session, case.id)
    found = [one for one in approval.conditions if one.number == number] if approval else []
    if not found:
        raise MissingError("The approval has no such condition.", todo="Load the page again.")
    return found[0]


def _view(person: Person, case: Case, condition: ApprovalCondition) -> ConditionView:
    can = LIFE.acts_of(condition.state, parts_of(person, case), case.state)
    return ConditionView(
        number=condition.number,
        what=condition.what,
        who=condition.who,
        due=condition.due,
        state=condition.state,
        lapsed=_has_lapsed(condition),
        may=list(can),
        revision=condition.revision,
        entries=[SaidView(**told(one, condition.entries, person, says="comment" in can)) for one in condition.entries],
    )


def _has_lapsed(condition: ApprovalCondition) -> bool:
    stands = next(one for one in as_core(condition.approval).conditions if one.number == condition.number)
    return lapsed_on(stands, today()) is not None
