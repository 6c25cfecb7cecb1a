"""Deviations: after the plan was locked, plan, roles and data are opened again only with a reason, and locked anew."""

from collections.abc import Sequence

from pydantic import TypeAdapter
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import UserError
from brookfall.core.plan.facts import plan_changes
from brookfall.core.plan.revisions import read_plan
from brookfall.core.submission.difference import roles_changes
from brookfall.core.table.change import Change
from brookfall.core.table.roles import Roles
from brookfall.desk import people
from brookfall.desk.data_changes import set_changes
from brookfall.desk.docket import latest_run
from brookfall.desk.views import DeviationView
from brookfall.records import audit_log
from brookfall.records.cases import Case, Deviation
from brookfall.records.clock import now
from brookfall.records.people import Person

_PLAN: TypeAdapter[dict[str, object]] = TypeAdapter(dict[str, object])
_CHANGES: TypeAdapter[tuple[Change, ...]] = TypeAdapter(tuple[Change, ...])


def open_deviation(session: Session, person: Person, case_id: int, reason: str) -> Case:
    """Opens plan, roles and data for a change with this reason. UserError while a run goes on or none is due."""
    case = people.reviewed_case(session, person, case_id)
    if case.plan_locked is None:
        raise UserError("The plan is not locked, so a change is no deviation.", todo="Just change it.")
    if case.deviating:
        raise UserError("A deviation is open already.", todo="Lock the plan again first, or take that one back.")
    if not reason.strip():
        raise UserError("Nothing says why.", todo="Write the reason; the report shows it.")
    run = latest_run(session, case_id)
    if run is not None and run.state == "running":
        raise UserError("A run is going on.", todo="Wait for it or cancel it.")
    number = (session.scalar(select(func.max(Deviation.number)).where(Deviation.case_id == case_id)) or 0) + 1
    session.add(
        Deviation(
            case_id=case.id,
            number=number,
            reason=reason.strip(),
            by_id=person.id,
            opened=now(),
            before=_state(case),
            said=[],
        )
    )
    case.deviating = True
    audit_log.append(session, person, "opened a deviation", f"{number}: {reason.strip()}", case_id=case.id)
    session.flush()
    return case


def close_deviation(session: Session, person: Person, case: Case) -> None:
    """Locks the plan again. A deviation in which nothing was changed leaves no trace but in the record."""
    deviation = _open_one(session, case)
    said = list(_said(deviation.before, _state(case)))
    case.deviating = False
    if said:
        deviation.closed, deviation.after, deviation.said = now(), _state(case), said
    else:
        session.delete(deviation)
    audit_log.append(
        session,
        person,
        "closed a deviation" if said else "closed a deviation without a change",
        f"{deviation.number}: {deviation.reason}",
        case_id=case.id,
        before=deviation.before,
        after={**_state(case), "said": said},
    )
    session.flush()


def take_back(session: Session, person: Person, case_id: int) -> Case:
    """Puts plan, roles and data back to what they were when the open deviation began, and locks them."""
    case = people.reviewed_case(session, person, case_id)
    if not case.deviating:
        raise UserError("No deviation is open.", todo="There is nothing to take back.")
    before = _open_one(session, case).before
    if case.added != before["added"]:
        raise UserError(
            "Tables beside the rows were added or taken away.", todo="Undo that on the Data page first, or lock it in."
        )
    if case.changes != before["changes"]:
        set_changes(session, person, case_id, _CHANGES.validate_python(before["changes"]), case.roles_revision)
    case.plan, case.roles = before["plan"], before["roles"]
    case.plan_revision += 1
    case.roles_revision += 1
    close_deviation(session, person, case)
    return case


def deviations_of(session: Session, case: Case) -> list[DeviationView]:
    """Every deviation of a case, oldest first; of the open one what has been changed so far."""
    found: Sequence[Deviation] = session.scalars(
        select(Deviation).where(Deviation.case_id == case.id).order_by(Deviation.number)
    ).all()
    return [
        DeviationView(
            number=one.number,
            reason=one.reason,
            by=one.by.name,
            opened=one.opened,
            closed=one.closed,
            said=list(one.said) if one.closed else list(_said(one.before, _state(case))),
        )
        for one in found
    ]


def _open_one(session: Session, case: Case) -> Deviation:
    return session.scalars(select(Deviation).where(Deviation.case_id == case.id, Deviation.closed.is_(None))).one()


def _state(case: Case) -> dict[str, object]:
    return {"plan": case.plan, "roles": case.roles, "changes": case.changes, "added": case.added}


def _said(before: dict[str, object], after: dict[str, object]) -> list[str]:
    plans = [read_plan(_PLAN.validate_python(state["plan"])) for state in (before, after)]
    roles = [Roles.model_validate(state["roles"]) for state in (before, after)]
    tables = [[change.said for change in _CHANGES.validate_python(state["changes"])] for state in (before, after)]
    added = [[str(entry["name"]) for entry in _entries(state["added"])] for state in (before, after)]
    return [
        *plan_changes(plans[0], plans[1]),
        *roles_changes(roles[0], roles[1]),
        *(f"done to the table: {said}" for said in tables[1] if said not in tables[0]),
        *(f"no longer done to the table: {said}" for said in tables[0] if said not in tables[1]),
        *(f"table added: {name}" for name in added[1] if name not in added[0]),
        *(f"table taken away: {name}" for name in added[0] if name not in added[1]),
    ]


def _entries(added: object) -> list[dict[str, object]]:
    return list(added) if isinstance(added, list) else []
