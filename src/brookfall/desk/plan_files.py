"""Plans in and out: as a file, and set beside the plan of another case."""

import re

from sqlalchemy.orm import Session

from brookfall.core.check.standard_plan import fitting
from brookfall.core.foundation.errors import MissingError
from brookfall.core.plan.departures import under_policy_of
from brookfall.core.plan.facts import plan_changes
from brookfall.core.plan.plan import Plan
from brookfall.core.plan.revisions import read_plan
from brookfall.core.plan.yaml_file import plan_to_yaml
from brookfall.desk import people
from brookfall.desk.views import ComparedPlan, OtherPlan
from brookfall.records.cases import Case
from brookfall.records.people import Person
from brookfall.sandbox import sandbox

_MOST = 30


def plan_file(session: Session, person: Person, case_id: int) -> tuple[str, str]:
    """A name for the file, and the plan as YAML."""
    case = people.case_for(session, person, case_id)
    words = re.sub(r"[^a-z0-9]+", "-", f"{case.model} {case.version}".lower()).strip("-")
    return f"plan-{words or case.id}.yaml", plan_to_yaml(read_plan(case.plan))


def plan_of_file(session: Session, person: Person, case_id: int, name: str, text: str) -> ComparedPlan:
    """The plan of a file, fitted to the case's outcome, and what it would change here; nothing is written."""
    case = people.case_for(session, person, case_id)
    plan = fitting(sandbox.read_plan_file(text, name), case.outcome, name)
    return compared(name, plan, case)


def other_plans(session: Session, person: Person, case_id: int) -> list[OtherPlan]:
    """Other cases of this outcome that the person may see: earlier versions first, then the newest of others."""
    case = people.case_for(session, person, case_id)
    query = people.visible_cases(person).where(Case.outcome == case.outcome, Case.id != case.id)
    found = list(session.scalars(query.order_by(Case.id.desc())))
    found.sort(key=lambda other: other.model_id != case.model_id)
    return [
        OtherPlan(
            case_id=other.id,
            name=other.plan_name,
            model=other.model,
            version=other.version,
            locked=other.plan_locked is not None,
        )
        for other in found[:_MOST]
    ]


def compare(session: Session, person: Person, case_id: int, other_id: int) -> ComparedPlan:
    """The plan of another case, and what taking it over would change here."""
    case = people.case_for(session, person, case_id)
    other = people.case_for(session, person, other_id)
    title = f"{other.model} {other.version}"
    if other.outcome != case.outcome:
        raise MissingError(f"{title} has another kind of outcome.", todo="Choose a case with the same kind.")
    return compared(title, read_plan(other.plan), case)


def compared(title: str, plan: Plan, case: Case) -> ComparedPlan:
    """Of the other plan everything but its policy, which is this case's: its limits may depart from that now."""
    here = read_plan(case.plan)
    taken = under_policy_of(plan, here)
    return ComparedPlan(title=title, plan=taken, changes=list(plan_changes(here, taken)))
