"""Freezes what a decision rests on when it is proposed: what is signed is one short text that never changes."""

from collections.abc import Sequence

from sqlalchemy.orm import Session

from brookfall.core.evidence.decision import DecisionStatement, SignedCondition
from brookfall.core.foundation import digest
from brookfall.desk.report_contents import case_file_now, evidence_now, findings_now
from brookfall.records import blobs
from brookfall.records.cases import Case
from brookfall.records.findings_and_decisions import Decision


def freeze(
    session: Session, case: Case, decision: Decision, over: Sequence[str], departures: Sequence[str]
) -> DecisionStatement:
    """Keeps evidence, findings and facts of the case as they are now, and the statement that names them by hash.

    Parameters
    ----------
    over
        What an approval goes over, a line each.
    departures
        The limits that are not the policy's, a line each.
    """
    evidence = evidence_now(session, case)
    statement = DecisionStatement(
        model=case.model,
        version=case.version,
        tier=case.tier,
        kind=decision.kind,
        reasons=decision.reasons,
        conditions=tuple(SignedCondition.model_validate(condition) for condition in decision.conditions),
        over=tuple(over),
        departures=tuple(departures),
        package=case.package_sha256,
        plan=digest.of_json(evidence.plan.model_dump(mode="json")),
        evidence=blobs.put(session, evidence.to_json().encode()),
        findings=blobs.put(session, findings_now(session, case).to_json()),
        case=blobs.put(session, case_file_now(session, case).to_json()),
        proposed_by=decision.proposer.name,
        proposed=decision.proposed,
    )
    decision.statement_sha256 = blobs.put(session, statement.to_json())
    session.flush()
    return statement
