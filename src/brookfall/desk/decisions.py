"""The decision: proposed by the reviewer, accepted or sent back by another person, and then frozen."""

from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.check.check import HIGH_STAKES
from brookfall.core.evidence.words import QUESTIONS
from brookfall.core.foundation.errors import ForbiddenError, UserError
from brookfall.core.plan.departures import departures
from brookfall.core.plan.revisions import read_plan
from brookfall.core.submission.schema import Submission
from brookfall.desk import people
from brookfall.desk.deviations import deviations_of
from brookfall.desk.docket import latest_run, mark_of
from brookfall.desk.findings import findings_view
from brookfall.desk.views import Condition, DecisionPage, DecisionView, QuestionView
from brookfall.records import audit_log, blobs
from brookfall.records.base import now
from brookfall.records.cases import Case
from brookfall.records.contents import stale_checks
from brookfall.records.exhibits import heads_of
from brookfall.records.findings_and_decisions import Decision, SignedReport
from brookfall.records.people import Person
from brookfall.report.build import build_report

_APPROVALS = ("approved", "approved_with_conditions")
_CRITICAL = 4


class Proposal(BaseModel):
    """What the reviewer signs."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    kind: Literal["approved", "approved_with_conditions", "returned_for_rework", "not_approved"]
    reasons: str = Field(min_length=1)
    conditions: list[Condition] = Field(default_factory=list)
    despite: str = Field(default="", description="why it is approved over what stands outside or is critical")
    password: str


class Answer(BaseModel):
    """What the countersigner signs."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    accept: bool
    comment: str = ""
    password: str


def decision_page(session: Session, person: Person, case_id: int) -> DecisionPage:
    """The seven answers with their standings, open findings, and what stands in the way of a decision."""
    case = people.case_for(session, person, case_id)
    run = latest_run(session, case_id)
    heads = list(heads_of(session, run.id)) if run else []
    questions = []
    for number, question in QUESTIONS.items():
        of_question = [head for head in heads if head.question == number]
        questions.append(
            QuestionView(
                number=number,
                question=question,
                standing=mark_of((head.standing, head.open) for head in of_question) if of_question else None,
                answers=[f"Exhibit {head.number}, {head.title.lower()}: {head.headline}" for head in of_question],
            )
        )
    decisions = session.scalars(select(Decision).where(Decision.case_id == case_id).order_by(Decision.id.desc()))
    reports = session.scalars(select(SignedReport).where(SignedReport.case_id == case_id))
    return DecisionPage(
        questions=questions,
        findings=[finding for finding in findings_view(session, person, case_id) if not finding.withdrawn],
        departures=departures_of(case),
        deviations=deviations_of(session, case),
        decisions=[_view(decision) for decision in decisions],
        blockers=_blockers(session, case),
        needs_reason=_needs_reason(session, person, case),
        reports={report.format: report.sha256 for report in reports},
    )


def propose(session: Session, person: Person, case_id: int, proposal: Proposal) -> DecisionPage:
    """The reviewer proposes; the case then waits for a countersigner. Takes the password again."""
    case = people.reviewed_case(session, person, case_id)
    people.check_password(person, proposal.password)
    if blockers := _blockers(session, case):
        raise UserError(blockers[0], todo="Nothing was signed.")
    if proposal.kind == "approved_with_conditions" and not proposal.conditions:
        raise UserError("No condition is given.", todo="Write at least one, with its date, or approve without.")
    if proposal.kind != "approved_with_conditions" and proposal.conditions:
        raise UserError("This decision takes no conditions.", todo="Remove them, or approve with conditions.")
    over = _needs_reason(session, person, case) if proposal.kind in _APPROVALS else []
    if over and not proposal.despite.strip():
        raise UserError(f"It would be approved over this: {over[0]}", todo="Write the reason why, in its field.")
    despite = f"\n\nApproved despite what is outside or unsettled: {proposal.despite}" if over else ""
    decision = Decision(
        case_id=case.id,
        kind=proposal.kind,
        reasons=proposal.reasons + despite,
        conditions=[condition.model_dump(mode="json") for condition in proposal.conditions],
        state="proposed",
        proposed_by=person.id,
        proposed=now(),
        comment="",
    )
    session.add(decision)
    case.state = "proposed"
    audit_log.append(
        session,
        person,
        "proposed a decision",
        proposal.kind,
        case_id=case.id,
        after=proposal.model_dump(mode="json", exclude={"password"}),
    )
    session.flush()
    return decision_page(session, person, case_id)


def countersign(session: Session, person: Person, case_id: int, answer: Answer) -> DecisionPage:
    """Another person accepts, which freezes the case and its report, or sends it back with a comment."""
    case = people.case_for(session, person, case_id, lock=True)
    if not people.may_countersign(person, case):
        raise ForbiddenError(_why_not(person, case), todo="Nothing was signed.")
    people.check_password(person, answer.password)
    if not answer.accept and not answer.comment.strip():
        raise UserError("Nothing says why it goes back.", todo="Write a comment for the reviewer.")
    decision = session.scalars(
        select(Decision).where(Decision.case_id == case.id, Decision.state == "proposed").with_for_update()
    ).one()
    decision.state = "accepted" if answer.accept else "sent_back"
    decision.answered_by, decision.answered, decision.comment = person.id, now(), answer.comment
    case.state = "decided" if answer.accept else "in_review"
    if answer.accept:
        case.countersigner_id = person.id
    audit_log.append(
        session,
        person,
        "countersigned" if answer.accept else "sent the decision back",
        decision.kind,
        case_id=case.id,
        before={"state": "proposed"},
        after={"state": case.state, "comment": answer.comment},
    )
    session.flush()
    session.refresh(case)
    session.refresh(decision)
    if answer.accept:
        _keep_report(session, person, case)
    return decision_page(session, person, case_id)


def _keep_report(session: Session, person: Person, case: Case) -> None:
    report = build_report(session, case)
    hashes = {}
    for form, data in (("html", report.html), ("pdf", report.pdf), ("json", report.json)):
        hashes[form] = blobs.put(session, data)
        session.add(SignedReport(case_id=case.id, format=form, sha256=hashes[form], created=now()))
    audit_log.append(session, person, "kept the signed report", ", ".join(hashes), case_id=case.id, after=hashes)


def report_bytes(session: Session, person: Person, case_id: int, form: Literal["html", "pdf", "json"]) -> bytes:
    """The signed report of a decided case; of any other a draft, made now and marked as one."""
    case = people.case_for(session, person, case_id)
    signed = session.scalar(select(SignedReport).where(SignedReport.case_id == case_id, SignedReport.format == form))
    if signed is not None:
        return blobs.get(session, signed.sha256)
    return build_report(session, case, only=form).of(form)


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
    return []


_AGAINST = {"outside": "stands outside its limit", "unsettled": "is unsettled: these rows can't tell"}
"""What an approval goes over, and so has to say why."""


def _needs_reason(session: Session, person: Person, case: Case) -> list[str]:
    run = latest_run(session, case.id)
    heads = heads_of(session, run.id) if run else []
    against = [
        f"Exhibit {head.number}, {head.title.lower()}, {words}."
        for standing, words in _AGAINST.items()
        for head in heads
        if head.standing == standing
    ]
    if case.tier in HIGH_STAKES:
        against += [
            f"Exhibit {head.number}, {head.title.lower()}, is within with {head.open} open: "
            f"{head.lines[0] if head.lines else head.headline}"
            for head in heads
            if head.standing == "within" and head.open
        ]
    critical = [
        f"Finding {finding.number} is critical: {finding.title}."
        for finding in findings_view(session, person, case.id)
        if finding.severity == _CRITICAL and not finding.withdrawn
    ]
    return against + critical


def departures_of(case: Case) -> list[str]:
    """Every limit of the plan that is not the policy's, with the reason that was given."""
    return [f"{one.words}: {one.reason or 'no reason was given'}" for one in departures(read_plan(case.plan))]


def _why_not(person: Person, case: Case) -> str:
    if case.state != "proposed":
        return "No decision is proposed on this case."
    if person.id == case.reviewer_id:
        return "You reviewed this case, so you can't countersign it."
    if person.id == case.owner_id:
        return "You submitted this model, so you can't countersign it."
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
