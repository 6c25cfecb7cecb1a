"""Outside requirements of a case's policy: which are answered by what, and which are open."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.check.registry import checks
from brookfall.core.judge.requirements import AnsweredRequirement, Done, answered
from brookfall.core.plan.revisions import read_plan
from brookfall.desk import people
from brookfall.desk.docket import latest_run
from brookfall.desk.views import RequirementsView
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case
from brookfall.records.exhibits import heads_of
from brookfall.records.people import Person
from brookfall.records.statements import statements_of_case, that_stand

_SIGNED = frozenset({"proposed a decision", "countersigned"})
"""Acts that signing a decision does itself."""


def requirements_view(session: Session, person: Person, case_id: int) -> RequirementsView:
    """What is asked of the case from outside, and what of it answers that."""
    case = people.case_for(session, person, case_id)
    found = requirements_of(session, case)
    return RequirementsView(requirements=list(found), open=sum(bool(one.missing) for one in found))


def requirements_of(session: Session, case: Case, *, signing: bool = False) -> tuple[AnsweredRequirement, ...]:
    """Each requirement of the case's policy with what answers it; ``signing`` as it is once a decision is signed."""
    policy = read_plan(case.plan).policy
    if not policy.requirements:
        return ()
    run = latest_run(session, case.id)
    heads = heads_of(session, run.id) if run else []
    written = that_stand(statements_of_case(session, case.id))
    acts = set(session.scalars(select(RecordEntry.act).where(RecordEntry.case_id == case.id).distinct()))
    titles = {name: check.title for name, check in checks().items()}
    done = Done(
        exhibits={head.name: f"exhibit {head.number}, {head.title.lower()}" for head in heads if head.state == "done"},
        statements={one.name: f"statement {one.number}, {one.title.lower()}" for one in written if one.name},
        acts=acts | _SIGNED if signing else acts,
        titles=titles | {one.name: one.title for one in policy.statements},
    )
    return answered(policy.requirements, done)
