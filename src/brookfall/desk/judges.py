"""Who has judged a case as the second of two, and so can neither review it nor belong to its model."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.records.cases import Case
from brookfall.records.findings_and_decisions import Decision, Finding, FindingEntry


def judges_of(session: Session, case: Case) -> set[int]:
    """Who countersigned a decision of the case or sent one back, and who accepted a risk of it.

    A reviewer who took a proposal back has answered it too, and judged nothing as another.
    """
    accepted = select(FindingEntry.person_id).join(Finding, Finding.id == FindingEntry.finding_id)
    accepted = accepted.where(Finding.case_id == case.id, FindingEntry.act == "accept")
    answered = select(Decision.answered_by).where(Decision.case_id == case.id)
    found = {*session.scalars(accepted), *session.scalars(answered)}
    return {one for one in found if one is not None} - set(case.reviewed_by)
