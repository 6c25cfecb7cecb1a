"""A case beside its review: released, handed over, put off, given priority, taken back from a proposal, withdrawn."""

from datetime import date

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.evidence.words import CASE_STATES
from brookfall.core.foundation.errors import ForbiddenError, StaleError, UserError
from brookfall.core.judge.case_life import LIFE, CaseAct, CaseState, Priority
from brookfall.desk import people, run
from brookfall.desk.judges import judges_of
from brookfall.desk.said import Kind, parts_of
from brookfall.desk.views import HandedOver, HandlingView, HeldCase, HoldsView, LeftCase, NamedPerson
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import today
from brookfall.records.findings_and_decisions import Decision
from brookfall.records.people import Person

_KIND = Kind[CaseAct, CaseState](
    "case",
    LIFE,
    CASE_STATES,
    {
        "release": "release it",
        "hand_over": "hand it over",
        "reschedule": "give it another date",
        "prioritise": "give it another priority",
        "take_back": "take the proposal back",
        "withdraw": "withdraw it",
    },
)
WITHDREW = "withdrew the case"
_DONE: dict[CaseAct, str] = {
    "release": "released the case",
    "hand_over": "handed the case over",
    "reschedule": "gave the case another date",
    "prioritise": "gave the case another priority",
    "take_back": "took the proposal back",
    "withdraw": WITHDREW,
}


class CaseDone(BaseModel):
    """What is done about a case, and why. ``to`` signs in as the new reviewer; ``due`` is the new date, none where it
    has none any more; ``state`` is how the case stood when the person looked."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    act: CaseAct
    state: CaseState
    reason: str = Field(max_length=4_000)
    to: str = Field(default="", max_length=80)
    due: date | None = None
    priority: Priority | None = None


def handling_view(session: Session, person: Person, case_id: int) -> HandlingView:
    """What this person may do about the case, and to whom they may give it."""
    case = people.case_for(session, person, case_id)
    acts = acts_of(person, case)
    given = candidates(session, case) if "hand_over" in acts else []
    return HandlingView(
        acts=acts, due=case.due, priority=case.priority,
        reviewers=[NamedPerson(login=one.login, name=one.name) for one in given],
    )  # fmt: skip


def acts_of(person: Person, case: Case) -> list[CaseAct]:
    """What this person may do about the case as it stands."""
    return list(LIFE.acts_of(case.state, parts_of(person, case), case.state))


def candidates(session: Session, case: Case) -> list[Person]:
    """Who may be given the case: reviewers who do not belong to its model and have judged nothing of it, by name."""
    judged = judges_of(session, case)
    everybody = session.scalars(select(Person).where(Person.disabled.is_(None)).order_by(Person.name)).all()
    return [
        one
        for one in everybody
        if "reviewer" in one.roles
        and one.id != case.reviewer_id
        and one.id not in judged
        and not people.belongs_to_case(one, case)
    ]


def act_on(session: Session, person: Person, case_id: int, done: CaseDone) -> Case:
    """Does it, and enters it in the record with its reason.

    Raises
    ------
    ForbiddenError
        It is not this person's, or not to be done as the case stands.
    StaleError
        The case stands otherwise than ``done.state``.
    UserError
        Nothing says why; the date is past; or nobody who may review the case goes by that login.
    """
    case = people.case_for(session, person, case_id, lock=True)
    if done.state != case.state:
        raise StaleError(
            f"The case is {CASE_STATES[case.state]} since you opened it.",
            todo="Nothing was changed; load the page again.",
        )
    _KIND.refuse(done.act, case.state, parts_of(person, case), case, seen=0, revision=0)
    return _do(session, person, case, done)


def _do(session: Session, person: Person, case: Case, done: CaseDone) -> Case:
    if not done.reason.strip():
        raise UserError("Nothing says why.", todo="Write the reason; the record keeps it.")
    before, after = _change(session, person, case, done)
    case.state = LIFE.after(done.act, case.state)
    audit_log.append(
        session, person, _DONE[done.act], f"{case.model} {case.version}", case_id=case.id,
        before=before, after={**after, "reason": done.reason.strip()},
    )  # fmt: skip
    session.flush()
    return case


def hand_over_all(session: Session, person: Person, of_id: int, to: str, reason: str) -> HandedOver:
    """Hands every case that a reviewer has in review to another, each as :func:`act_on` does, and tells which can't be.

    An administrator may, of any reviewer: somebody has to when one leaves.

    Raises
    ------
    UserError
        Nothing says why, or there is no such reviewer.
    """
    if not reason.strip():
        raise UserError("Nothing says why.", todo="Write the reason; the record keeps it.")
    other = session.scalar(select(Person).where(Person.login == to.strip(), Person.disabled.is_(None)))
    if other is None or "reviewer" not in other.roles:
        raise UserError(f"No reviewer signs in as '{to.strip()}'.", todo="Choose one of the list.")
    for_house = "administrator" in person.roles
    seen = select(Case) if for_house else people.visible_cases(person)
    mine = seen.where(Case.reviewer_id == of_id, Case.state == "in_review").order_by(Case.id)
    done = CaseDone(act="hand_over", state="in_review", reason=reason, to=to)
    handed, left = [], []
    for case in session.scalars(mine.with_for_update() if for_house else mine).unique().all():
        name = f"{case.model} {case.version}"
        try:
            with session.begin_nested():
                if for_house:
                    _refuse_own(person, case)
                    _do(session, person, case, done)
                else:
                    act_on(session, person, case.id, done)
        except (ForbiddenError, UserError, StaleError) as problem:
            left.append(LeftCase(case_id=case.id, case=name, why=str(problem)))
        else:
            handed.append(name)
    return HandedOver(handed=handed, left=left)


def _refuse_own(person: Person, case: Case) -> None:
    if people.belongs_to_case(person, case):
        raise ForbiddenError("It is of a model that you belong to.", todo="Ask another administrator.")


def who_holds_what(session: Session, person: Person) -> list[HoldsView]:
    """What each reviewer has in review, of what the person sees; those with the most overdue first."""
    if not people.sees_all(person):
        raise ForbiddenError("Who holds what is for those who see every case.", todo="Nothing was changed.")
    cases = session.scalars(select(Case).where(Case.state.in_(("in_review", "proposed"))).order_by(Case.id)).all()
    held: dict[int, list[Case]] = {}
    for case in cases:
        if case.reviewer_id is not None:
            held.setdefault(case.reviewer_id, []).append(case)
    everybody = session.scalars(select(Person).order_by(Person.name)).all()
    day = today()
    found = [
        HoldsView(
            id=one.id, login=one.login, name=one.name, away=one.disabled is not None,
            in_review=sum(case.state == "in_review" for case in held.get(one.id, [])),
            proposed=sum(case.state == "proposed" for case in held.get(one.id, [])),
            overdue=sum(case.due is not None and case.due < day for case in held.get(one.id, [])),
            next_due=min((case.due for case in held.get(one.id, []) if case.due is not None), default=None),
            cases=[HeldCase(case_id=case.id, case=f"{case.model} {case.version}") for case in held.get(one.id, [])],
        )
        for one in everybody
        if one.id in held or ("reviewer" in one.roles and one.disabled is None)
    ]  # fmt: skip
    return sorted(found, key=lambda one: (-one.overdue, -one.in_review, one.name))


def _change(
    session: Session, person: Person, case: Case, done: CaseDone
) -> tuple[dict[str, object], dict[str, object]]:
    """What an act changes beside the state, as it was and as it is."""
    if done.act == "hand_over":
        other = next((one for one in candidates(session, case) if one.login == done.to.strip()), None)
        if other is None:
            raise UserError(
                f"Nobody who may review this case signs in as '{done.to.strip()}'.",
                todo="Choose a reviewer who does not belong to its model and has judged nothing of it.",
            )
        people.refuse_new_member(session, other, case)
        was_with = None if case.reviewer_id is None else people.person_of(session, case.reviewer_id).name
        case.give_to(other)
        return {"reviewer": was_with}, {"reviewer": other.name}
    if done.act == "reschedule":
        if done.due is not None and done.due < today():
            raise UserError(f"{done.due:%-d %b %Y} is past.", todo="Give a date to come, or none.")
        before, case.due = case.due, done.due
        return {"due": before and before.isoformat()}, {"due": done.due and done.due.isoformat()}
    if done.act == "prioritise":
        if done.priority is None:
            raise UserError("It is not said which priority.", todo="Choose high, normal or low.")
        was, case.priority = case.priority, done.priority
        return {"priority": was}, {"priority": done.priority}
    if done.act == "release":
        case.reviewer_id = None
        return {"reviewer": person.name}, {"reviewer": None}
    if done.act == "take_back":
        proposed = select(Decision).where(Decision.case_id == case.id, Decision.state == "proposed")
        decision = session.scalars(proposed.with_for_update()).one()
        decision.state, decision.answered_by, decision.answered = "sent_back", person.id, now()
        decision.comment = f"Taken back by its reviewer: {done.reason.strip()}"
        return {"state": "proposed"}, {"state": "in_review", "statement": decision.statement_sha256}
    run.stop(session, person, case)
    return {"state": case.state}, {"state": "withdrawn"}
