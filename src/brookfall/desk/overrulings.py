"""Overrides: standings that a reviewer overrules, with a reason; and a list of these and of departures from limits."""

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.evidence.limit import Standing
from brookfall.core.evidence.overruling import Overruled, OverruledAs
from brookfall.core.foundation.errors import ForbiddenError, MissingError, UserError
from brookfall.core.plan.departures import departures
from brookfall.core.plan.revisions import read_plan
from brookfall.desk import people
from brookfall.desk.docket import latest_run
from brookfall.desk.views import OverrideLine, OverridesPage, OverruledView, OverrulingsView
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.exhibits import heads_of
from brookfall.records.overrulings import Overruling, content_of, that_hold
from brookfall.records.people import Person
from brookfall.records.runs import Run


class NewOverruling(BaseModel):
    """What an exhibit is to be taken as, and why."""

    model_config = ConfigDict(extra="forbid")

    exhibit: int = Field(ge=1, lt=1 << 31)
    taken_as: OverruledAs
    reason: str = Field(max_length=4000)


def overruled_of(session: Session, case: Case) -> list[Overruled]:
    """The standings of a case that are overruled now, by exhibit."""
    return [found for found, _ in _held(session, case)]


def overrulings_view(session: Session, person: Person, case_id: int) -> OverrulingsView:
    """The standings of a case that are overruled now."""
    case = people.case_for(session, person, case_id)
    return OverrulingsView(
        overruled=[
            OverruledView(
                id=kept.id, exhibit=one.exhibit, title=one.title, standing=one.standing, taken_as=one.taken_as,
                reason=one.reason, by=one.by, at=one.at,
            )
            for one, kept in _held(session, case)
        ],
        may_overrule=people.may_review(person, case),
    )  # fmt: skip


def overrule(session: Session, person: Person, case_id: int, said: NewOverruling) -> OverrulingsView:
    """The reviewer takes an exhibit otherwise than it stands; what was computed stays beside it.

    Raises
    ------
    ForbiddenError
        The person is not reviewing the case.
    MissingError
        The last run has no such exhibit.
    UserError
        The run is not done, the exhibit has no standing or that one, or nothing says why.
    """
    case = people.reviewed_case(session, person, case_id)
    run = latest_run(session, case.id)
    if run is None or run.state != "done":
        raise UserError("The run is not done.", todo="Wait until every exhibit is there.")
    head = next((one for one in heads_of(session, run.id) if one.number == said.exhibit), None)
    if head is None:
        raise MissingError(f"The last run has no exhibit {said.exhibit}.", todo="Load the page again.")
    if head.standing is None:
        raise UserError("Nothing of this exhibit is judged.", todo="What you judge of it is a statement: write one.")
    if head.standing == said.taken_as:
        raise UserError(f"It stands {said.taken_as} already.", todo="Nothing was changed.")
    if not said.reason.strip():
        raise UserError("Nothing says why it is overruled.", todo="Write the reason; the report shows it.")
    before = that_hold(session, case.id, run).get(head.name)
    if before is not None:
        before.taken_back = now()
    made = Overruling(
        case_id=case.id, run_id=run.id, name=head.name, content=content_of(session, run.id, head.name),
        standing=head.standing, taken_as=said.taken_as, reason=said.reason.strip(), by_id=person.id, at=now(),
    )  # fmt: skip
    session.add(made)
    audit_log.append(
        session, person, "overruled a standing", f"exhibit {head.number}, {head.title.lower()}", case_id=case.id,
        before={"standing": head.standing}, after={"taken_as": said.taken_as, "reason": made.reason},
    )  # fmt: skip
    session.flush()
    return overrulings_view(session, person, case_id)


def take_back(session: Session, person: Person, case_id: int, overruling_id: int) -> OverrulingsView:
    """The exhibit is taken as it stands again. MissingError where nothing of it is overruled."""
    case = people.reviewed_case(session, person, case_id)
    for one, kept in _held(session, case):
        if kept.id == overruling_id:
            kept.taken_back = now()
            audit_log.append(
                session, person, "took an overruling back", f"exhibit {one.exhibit}, {one.title.lower()}",
                case_id=case.id, before={"taken_as": one.taken_as}, after={"standing": one.standing.value},
            )  # fmt: skip
            session.flush()
            return overrulings_view(session, person, case_id)
    raise MissingError("Nothing of this exhibit is overruled.", todo="Load the page again.")


def overrides_page(session: Session, person: Person) -> OverridesPage:
    """Every departure from a limit and every overruled standing, of the newest case first.

    ForbiddenError for who does not read every case.
    """
    if not people.sees_all(person):
        raise ForbiddenError("Overrides are listed for who reads every case.", todo="")
    lines: list[OverrideLine] = []
    departing = func.json_length(func.json_extract(Case.plan, "$.overrides")) > 0
    overruled = select(Overruling.case_id).where(Overruling.taken_back.is_(None))
    query = select(Case).where((departing & Case.plan_locked.is_not(None)) | Case.id.in_(overruled))
    for case in session.scalars(query.order_by(Case.id.desc())):
        of_case = {"case_id": case.id, "model": case.model, "version": case.version, "tier": case.tier}
        locked_by = people.person_of(session, case.plan_locked_by).name if case.plan_locked_by else ""
        if case.plan_locked is not None:
            lines += [
                OverrideLine(
                    kind="limit", on=one.what, was=one.policy, instead=one.plan, by=locked_by, at=None,
                    reason=one.reason, **of_case,
                )
                for one in departures(read_plan(case.plan))
            ]  # fmt: skip
        lines += [
            OverrideLine(
                kind="standing", on=f"exhibit {one.exhibit}, {one.title.lower()}", was=one.standing,
                instead=one.taken_as, by=one.by, at=one.at, reason=one.reason, **of_case,
            )
            for one in overruled_of(session, case)
        ]  # fmt: skip
    return OverridesPage(lines=lines)


def _held(session: Session, case: Case) -> list[tuple[Overruled, Overruling]]:
    """What is overruled of the last run, by exhibit, with how it is kept."""
    run: Run | None = latest_run(session, case.id)
    kept = that_hold(session, case.id, run)
    if run is None or not kept:
        return []
    found = []
    for head in heads_of(session, run.id):
        one = kept.get(head.name)
        if one is not None and head.standing == one.standing:
            told = Overruled(
                exhibit=head.number, check=head.name, title=head.title, standing=Standing(one.standing),
                taken_as=one.taken_as, reason=one.reason, by=one.by.name, at=one.at,
            )  # fmt: skip
            found.append((told, one))
    return found
