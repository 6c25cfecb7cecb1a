"""What a report says: read from a case as it is now, or from the texts that were frozen with a proposed decision."""

from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.evidence.decision import DecisionStatement
from brookfall.core.judge.finding_life import REPORTED
from brookfall.core.plan.revisions import read_plan
from brookfall.core.retest.evidence_file import Evidence, evidence_of, read_evidence
from brookfall.core.submission.added import Added
from brookfall.core.submission.label_marks import LabelMark
from brookfall.core.submission.schema import Submission
from brookfall.core.table.change import Change
from brookfall.core.table.roles import Roles
from brookfall.desk.docket import latest_run
from brookfall.desk.overrulings import overruled_of
from brookfall.desk.requirements import requirements_of
from brookfall.records import blobs
from brookfall.records.audit_log import GENESIS, RecordHead
from brookfall.records.cases import Case, Deviation, SubmittedFile
from brookfall.records.contents import exhibits_now
from brookfall.records.findings_and_decisions import Decision, Finding
from brookfall.records.people import Person
from brookfall.records.questions import OwnerQuestion
from brookfall.records.statements import as_evidence, statements_of_case
from brookfall.report.contents import (
    AttachedFile,
    CaseFile,
    Countersignature,
    DeviationText,
    FileLine,
    QuotedExhibit,
    QuotedRows,
    ReportContents,
    ReportedFinding,
    ReportedFindings,
    ReportedQuestion,
    SaidOfFinding,
    SaidOfQuestion,
    SentBack,
)


def evidence_now(session: Session, case: Case) -> Evidence:
    """The evidence file of a case as it stands."""
    run = latest_run(session, case.id)
    return evidence_of(
        case.package_sha256,
        read_plan(case.plan),
        Roles.model_validate(case.roles),
        tuple(exhibits_now(session, case, run)),
        tuple(TypeAdapter(list[Change]).validate_python(case.changes)),
        tuple(TypeAdapter(list[Added]).validate_python(case.added)),
        tuple(TypeAdapter(list[LabelMark]).validate_python(run.label_marks if run else [])),
        as_evidence(statements_of_case(session, case.id)),
        tuple(overruled_of(session, case)),
    )


def findings_now(session: Session, case: Case) -> ReportedFindings:
    """The findings that stand or were closed, the most severe first, each with what was said of it until now."""
    found = session.scalars(
        select(Finding)
        .where(Finding.case_id == case.id, Finding.state.in_(REPORTED))
        .order_by(Finding.severity.desc(), Finding.number)
    )
    return ReportedFindings(
        findings=tuple(
            ReportedFinding(
                number=one.number,
                severity=one.severity,
                title=one.title,
                what=one.what,
                why=one.why,
                action=one.action,
                action_owner=one.action_owner,
                due=one.due,
                cites=tuple(
                    QuotedExhibit(
                        exhibit=cite["exhibit"], title=cite["title"], quote=cite["quote"], read=cite.get("read")
                    )
                    for cite in one.cites
                    if "exhibit" in cite
                ),
                new_rows=tuple(
                    QuotedRows(number=cite["new_rows"], file=cite["title"], sha256=cite["sha256"], quote=cite["quote"])
                    for cite in one.cites
                    if "new_rows" in cite
                ),
                state=one.state,
                said=tuple(
                    SaidOfFinding(
                        at=entry.at,
                        by=entry.person.name if entry.person else None,
                        act=entry.act,
                        answer=entry.answer,
                        text=entry.text,
                        version=entry.version,
                        until=entry.until,
                        files=tuple(AttachedFile(path=file.path, sha256=file.sha256) for file in entry.files),
                    )
                    for entry in one.entries
                ),
            )
            for one in found
        )
    )


def case_file_now(session: Session, case: Case) -> CaseFile:
    """The case's own facts: what was submitted, by whom it was reviewed, what deviated, what was sent back."""
    head = session.get(RecordHead, 1)
    files = session.scalars(
        select(SubmittedFile).where(SubmittedFile.case_id == case.id).order_by(SubmittedFile.path)
    ).all()
    deviations = session.scalars(select(Deviation).where(Deviation.case_id == case.id).order_by(Deviation.number)).all()
    sent_back = session.scalars(
        select(Decision).where(Decision.case_id == case.id, Decision.state == "sent_back").order_by(Decision.id)
    ).all()
    locked_by = session.get(Person, case.plan_locked_by) if case.plan_locked_by else None
    return CaseFile(
        model=case.model,
        version=case.version,
        tier=case.tier,
        outcome=case.outcome,
        owner=case.owner.name,
        reviewer=case.reviewer.name if case.reviewer else None,
        submission=Submission.model_validate(case.submission),
        table_fingerprint=case.table_fingerprint,
        files=tuple(FileLine(path=one.path, sha256=one.sha256) for one in files),
        locked=case.plan_locked,
        locked_by=locked_by.name if locked_by else None,
        deviations=tuple(
            DeviationText(
                number=one.number,
                reason=one.reason,
                by=one.by.name,
                opened=one.opened,
                closed=one.closed,
                said=tuple(one.said),
            )
            for one in deviations
        ),
        sent_back=tuple(
            SentBack(
                kind=one.kind,
                proposed=one.proposed,
                by=one.answerer.name if one.answerer else "",
                comment=one.comment,
            )
            for one in sent_back
        ),
        questions=_questions_now(session, case),
        requirements=requirements_of(session, case, signing=True),
        record_entries=head.entries if head else 0,
        record_hash=head.hash if head else GENESIS,
    )


def _questions_now(session: Session, case: Case) -> tuple[ReportedQuestion, ...]:
    """What the owner was asked, and what was said of it until now."""
    query = select(OwnerQuestion).where(OwnerQuestion.case_id == case.id).order_by(OwnerQuestion.number)
    return tuple(
        ReportedQuestion(
            number=one.number,
            text=one.text,
            about=one.about["words"] if one.about else "",
            state=one.state,
            due=one.due,
            by=one.asked_by.name,
            asked=one.asked,
            said=tuple(
                SaidOfQuestion(
                    act=entry.act,
                    by=entry.person.name,
                    at=entry.at,
                    text=entry.text,
                    files=tuple(FileLine(path=file.path, sha256=file.sha256) for file in entry.files),
                )
                for entry in one.entries
            ),
        )
        for one in session.scalars(query)
    )


def contents_now(session: Session, case: Case) -> ReportContents:
    """All that a draft says."""
    return ReportContents(
        case=case_file_now(session, case), evidence=evidence_now(session, case), findings=findings_now(session, case)
    )


def frozen_contents(session: Session, decision: Decision) -> ReportContents:
    """All that the report of a signed decision says, from the texts that its statement names.

    Raises
    ------
    brookfall.records.blobs.DamagedError
        One of the texts does not have the hash it is named by.
    """
    statement = statement_of(session, decision)
    if statement is None:
        raise LookupError(f"decision {decision.id} was signed without a statement")
    signed = decision.state == "accepted" and decision.answerer is not None and decision.answered is not None
    return ReportContents(
        case=CaseFile.model_validate_json(blobs.get(session, statement.case)),
        evidence=read_evidence(blobs.get(session, statement.evidence).decode()),
        findings=ReportedFindings.model_validate_json(blobs.get(session, statement.findings)),
        statement=statement,
        countersigned=Countersignature(by=decision.answerer.name, at=decision.answered, comment=decision.comment)
        if signed and decision.answerer and decision.answered
        else None,
    )


def statement_of(session: Session, decision: Decision) -> DecisionStatement | None:
    """The statement that a decision's people signed; None of what was proposed before there were statements."""
    if decision.statement_sha256 is None:
        return None
    return DecisionStatement.model_validate_json(blobs.get(session, decision.statement_sha256))
