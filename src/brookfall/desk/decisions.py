"""The decision: proposed by the reviewer, accepted or sent back by another person, and then frozen."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.check.check import HIGH_STAKES
from brookfall.core.evidence.words import QUESTIONS
from brookfall.core.foundation.errors import ForbiddenError, StaleError, UserError
from brookfall.core.judge.finding_life import REPORTED, STANDS
from brookfall.core.plan.departures import departures
from brookfall.core.plan.revisions import read_plan
from brookfall.core.submission.schema import Submission
from brookfall.desk import people
from brookfall.desk.approvals import APPROVALS, begin
from brookfall.desk.case_people import answerable
from brookfall.desk.conditions import approval_view
from brookfall.desk.deviations import deviations_of
from brookfall.desk.docket import latest_run, mark_of
from brookfall.desk.findings import findings_view
from brookfall.desk.overrulings import overruled_of
from brookfall.desk.policies import refuse_without_second_factor
from brookfall.desk.renditions import enter, frozen_decision
from brookfall.desk.report_contents import statement_of
from brookfall.desk.requirements import requirements_of
from brookfall.desk.signing import freeze
from brookfall.desk.statements import marks_of_statements, statements_view
from brookfall.desk.views import Condition, DecisionPage, DecisionView, QuestionView
from brookfall.desk.written import Words
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import today
from brookfall.records.contents import stale_checks
from brookfall.records.exhibits import heads_of
from brookfall.records.findings_and_decisions import Decision, Finding
from brookfall.records.people import Person

_CRITICAL = 4


class Proposal(BaseModel):
    """What the reviewer signs."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Literal["approved", "approved_with_conditions", "returned_for_rework", "not_approved"]
    reasons: Words
    conditions: list[Condition] = Field(default_factory=list)
    despite: str = Field(default="", description="why it is approved over what stands outside or is critical")
    password: str


class Answer(BaseModel):
    """What the countersigner signs."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    accept: bool
    statement_sha256: str | None = Field(
        default=None, description="the statement that was read; needed to accept where there is one"
    )
    comment: str = ""
    password: str


def decision_page(session: Session, person: Person, case_id: int) -> DecisionPage:
    """The seven answers with their standings, open findings, and what stands in the way of a decision."""
    case = people.case_for(session, person, case_id)
    run = latest_run(session, case_id)
    heads = list(heads_of(session, run.id)) if run else []
    in_writing = marks_of_statements(session, [case])[case.id] if heads else []
    questions = []
    for number, question in QUESTIONS.items():
        of_question = [head for head in heads if head.question == number]
        marked = [(head.standing, head.open) for head in of_question]
        marked += [(standing, 0) for question_of, standing in in_writing if question_of == number]
        questions.append(
            QuestionView(
                number=number,
                question=question,
                standing=mark_of(marked) if marked else None,
                answers=[f"Exhibit {head.number}, {head.title.lower()}: {head.headline}" for head in of_question],
            )
        )
    decisions = session.scalars(select(Decision).where(Decision.case_id == case_id).order_by(Decision.id.desc()))
    frozen = frozen_decision(session, case)
    return DecisionPage(
        questions=questions,
        statements=[one for one in statements_view(session, person, case_id) if not one.withdrawn],
        findings=[finding for finding in findings_view(session, person, case_id) if finding.state in REPORTED],
        departures=overrides_of(session, case),
        deviations=deviations_of(session, case),
        decisions=[_view(decision) for decision in decisions],
        blockers=_blockers(session, case),
        needs_reason=_needs_reason(session, person, case),
        statement=statement_of(session, frozen) if frozen else None,
        statement_sha256=frozen.statement_sha256 if frozen else None,
        approval=approval_view(session, person, case_id),
        answerable=answerable(session, case),
        approved_years=read_plan(case.plan).policy.approved_years,
    )


def propose(session: Session, person: Person, case_id: int, proposal: Proposal) -> DecisionPage:
    """The reviewer proposes; the case then waits for a countersigner. Takes the password again."""
    case = people.reviewed_case(session, person, case_id)
    people.check_password(person, proposal.password)
    refuse_without_second_factor(session, person, "reviewer")
    if blockers := _blockers(session, case):
        raise UserError(blockers[0], todo="Nothing was signed.")
    if proposal.kind == "approved_with_conditions" and not proposal.conditions:
        raise UserError("No condition is given.", todo="Write at least one, with its date, or approve without.")
    if proposal.kind != "approved_with_conditions" and proposal.conditions:
        raise UserError("This decision takes no conditions.", todo="Remove them, or approve with conditions.")
    _refuse_conditions(session, proposal, case)
    over = _over(session, person, case, proposal.kind)
    if over and not proposal.despite.strip():
        raise UserError(f"It would be approved over this: {over[0]}", todo="Write the reason why, in its field.")
    despite = f"\n\nApproved despite what is outside or unsettled: {proposal.despite}" if over else ""
    decision = Decision(
        case_id=case.id,
        kind=proposal.kind,
        reasons=proposal.reasons + despite,
        conditions=[condition.model_dump(mode="json", exclude_defaults=True) for condition in proposal.conditions],
        state="proposed",
        proposed_by=person.id,
        proposed=now(),
        comment="",
    )
    session.add(decision)
    session.flush()
    freeze(session, case, decision, over, overrides_of(session, case))
    case.state = "proposed"
    audit_log.append(
        session,
        person,
        "proposed a decision",
        proposal.kind,
        case_id=case.id,
        after={
            **proposal.model_dump(mode="json", exclude={"password"}),
            "statement": decision.statement_sha256,
        },
    )
    session.flush()
    return decision_page(session, person, case_id)


def _refuse_conditions(session: Session, proposal: Proposal, case: Case) -> None:
    """UserError where the date of one is past, or who has to meet it does not belong to the model."""
    names = answerable(session, case)
    for condition in proposal.conditions:
        if condition.who and condition.who not in names:
            raise UserError(
                f"{condition.who} does not belong to the model, so can't be asked to meet a condition.",
                todo="Choose one of its people, a team, or nobody by name.",
            )
        if condition.due < today():
            raise UserError(
                f"The condition '{condition.what}' was due on {condition.due:%-d %b %Y}, which is past.",
                todo="Give it a date to come.",
            )


def countersign(session: Session, person: Person, case_id: int, answer: Answer) -> DecisionPage:
    """Another person signs the statement, which ends the case, or sends it back with a comment.

    Raises
    ------
    StaleError
        The statement is not the one that was read.
    """
    case = people.case_for(session, person, case_id, lock=True)
    if not people.may_countersign(person, case):
        raise ForbiddenError(_why_not(person, case), todo="Nothing was signed.")
    people.refuse_new_member(session, person, case)
    people.check_password(person, answer.password)
    refuse_without_second_factor(session, person, "countersigner")
    if not answer.accept and not answer.comment.strip():
        raise UserError("Nothing says why it goes back.", todo="Write a comment for the reviewer.")
    decision = session.scalars(
        select(Decision).where(Decision.case_id == case.id, Decision.state == "proposed").with_for_update()
    ).one()
    if answer.accept and decision.statement_sha256 is None:
        # It was proposed before there were statements, so this one freezes what it rests on.
        freeze(session, case, decision, _over(session, person, case, decision.kind), overrides_of(session, case))
    elif answer.accept and answer.statement_sha256 != decision.statement_sha256:
        raise StaleError(
            "The decision was proposed anew since you read it.", todo="Nothing was signed; read it again, then sign."
        )
    decision.state = "accepted" if answer.accept else "sent_back"
    decision.answered_by, decision.answered, decision.comment = person.id, now(), answer.comment
    case.state = "decided" if answer.accept else "in_review"
    if answer.accept:
        case.countersigner_id = person.id
        begin(session, case, decision)
    audit_log.append(
        session,
        person,
        "countersigned" if answer.accept else "sent the decision back",
        decision.kind,
        case_id=case.id,
        before={"state": "proposed"},
        after={"state": case.state, "comment": answer.comment, "statement": decision.statement_sha256},
    )
    session.flush()
    if answer.accept:
        enter(session, case)
    return decision_page(session, person, case_id)


def _blockers(session: Session, case: Case) -> list[str]:
    run = latest_run(session, case.id)
    if run is None:
        return ["Nothing has been run, so there is no evidence to decide on."]
    if run.state == "running":
        return ["A run is going on; wait for it or cancel it."]
    if run.state == "cancelled":
        return ["The last run was cancelled; run the plan to its end."]
    if case.deviating:
        return ["A deviation is open; lock the plan again and run what changed, or take it back."]
    if stale_checks(session, case, run):
        return ["Some exhibits are of an earlier plan; run what changed."]
    claims = Submission.model_validate(case.submission).claims
    if claims and not any(head.name == "claims" and head.state == "done" for head in heads_of(session, run.id)):
        how_many = "The claim has" if len(claims) == 1 else f"The {len(claims)} claims have"
        return [f"{how_many} no verdict: take the check of claims into the plan, and run it."]
    drafts = select(Finding.number).where(Finding.case_id == case.id, Finding.state == "draft").order_by(Finding.number)
    for number in session.scalars(drafts):
        return [f"Finding {number} is a draft: send it to the owner, or withdraw it."]
    return []


_AGAINST = {"outside": "stands outside its limit", "unsettled": "is unsettled: these rows can't tell"}
"""What an approval goes over, and so has to say why."""
_AGAINST_IN_WRITING = {"outside": "says that it does not hold", "unsettled": "leaves it unsettled"}


def _over(session: Session, person: Person, case: Case, kind: str) -> list[str]:
    """What a decision of this kind goes over."""
    return _needs_reason(session, person, case) if kind in APPROVALS else []


def _needs_reason(session: Session, person: Person, case: Case) -> list[str]:
    run = latest_run(session, case.id)
    heads = heads_of(session, run.id) if run else []
    taken_as = {one.exhibit: one.taken_as for one in overruled_of(session, case)}
    against = [
        f"Exhibit {head.number}, {head.title.lower()}, {words}."
        for standing, words in _AGAINST.items()
        for head in heads
        if head.standing == standing and head.number not in taken_as
    ]
    against += [
        f"Exhibit {head.number}, {head.title.lower()}, stands {head.standing} and is taken as outside."
        for head in heads
        if taken_as.get(head.number) == "outside"
    ]
    if case.tier in HIGH_STAKES:
        against += [
            f"Exhibit {head.number}, {head.title.lower()}, is within with {head.open} open: "
            f"{head.lines[0] if head.lines else head.headline}"
            for head in heads
            if head.standing == "within" and head.open and head.number not in taken_as
        ]
    statements = [one for one in statements_view(session, person, case.id) if not one.withdrawn]
    written = [
        f"Statement {one.number}, {one.title.lower()}, {_AGAINST_IN_WRITING[one.standing]}."
        for one in statements
        if one.standing in _AGAINST_IN_WRITING
    ]
    missing = [f"The statement on {one.title.lower()} is due and not written." for one in statements if one.id is None]
    critical = [
        f"Finding {finding.number} is critical: {finding.title}."
        for finding in findings_view(session, person, case.id)
        if finding.severity == _CRITICAL and finding.state in STANDS
    ]
    asked = [
        f"{one.of}, {one.id}, is open: {'; '.join(one.missing)}."
        for one in requirements_of(session, case, signing=True)
        if one.missing
    ]
    return against + written + missing + critical + asked


def overrides_of(session: Session, case: Case) -> list[str]:
    """Every limit of the plan that is not the policy's and every standing that is overruled, with the reason."""
    limits = [f"{one.words}: {one.reason or 'no reason was given'}" for one in departures(read_plan(case.plan))]
    return limits + [one.words for one in overruled_of(session, case)]


def _why_not(person: Person, case: Case) -> str:
    if case.state != "proposed":
        return "No decision is proposed on this case."
    if person.id in case.reviewed_by:
        return "You reviewed this case, so you can't countersign it."
    if people.belongs_to_case(person, case):
        return "You belong to this model, so you can't countersign it."
    return "Only a person with the role countersigner countersigns."


def _view(decision: Decision) -> DecisionView:
    return DecisionView(
        id=decision.id,
        kind=decision.kind,
        reasons=decision.reasons,
        conditions=[Condition.model_validate(condition) for condition in decision.conditions],
        state=decision.state,
        proposed_by=decision.proposer.name,
        proposed=decision.proposed,
        answered_by=decision.answerer.name if decision.answerer else None,
        answered=decision.answered,
        comment=decision.comment,
    )
