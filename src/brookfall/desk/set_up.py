"""The set-up of a case: what it begins from. A next version begins from roles and plan as the last review left them."""

from collections.abc import Iterator

from pydantic import TypeAdapter
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import by_the_policy_of, known_checks, standard_plan
from brookfall.core.evidence.change_words import changes
from brookfall.core.foundation.errors import UserError
from brookfall.core.plan.plan import Plan
from brookfall.core.plan.revisions import read_plan
from brookfall.core.submission.difference import roles_changes
from brookfall.core.submission.schema import Submission
from brookfall.core.submission.stated_capacity import stated_capacity
from brookfall.core.submission.subject import Submitted, subject_from
from brookfall.core.table.carried_roles import carried_roles
from brookfall.core.table.change import Change
from brookfall.core.table.roles import Roles
from brookfall.desk import people
from brookfall.desk.bench import submitted
from brookfall.desk.policies import house_now
from brookfall.desk.versions import in_use_of
from brookfall.desk.views import BegunView, SetUpVersion, SetUpView, ValueChangeView
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.people import Person
from brookfall.records.tables import column_names, drop_table, get_table

_CHANGES: TypeAdapter[list[Change]] = TypeAdapter(list[Change])


def first_plan(session: Session, model_id: int, declared: Submission, in_use: str | None, tier: int) -> Plan:
    """The standard plan of a tier for what a submission declares, by the policy in force."""
    roles, stated = declared.data[0].roles, stated_capacity(declared.model)
    return standard_plan(
        tier,
        outcome=declared.model.outcome,
        given_parts=roles.part is not None,
        grouped=(roles.group or roles.occasion) is not None,
        timed=roles.time is not None,
        observed=roles.observed is not None,
        scores_alone=declared.scores_alone,
        house=house_now(session),
        in_use=in_use_of(session, model_id, declared, in_use),
        capacity=None if stated is None else stated.percent,
    )


def plan_by_policy_in_force(session: Session, case: Case) -> None:
    """A case that nobody has planned yet is planned under the policy in force as its reviewer takes it."""
    plan = read_plan(case.plan)
    if case.plan_locked is not None or case.plan_revision > 1 or not _is_new(session, plan, case):
        return
    declared = Submission.model_validate(case.submission)
    standard = first_plan(session, case.model_id, declared, case.registered.in_use, case.tier)
    taken = standard if case.begun_from is None else by_the_policy_of(plan, standard)
    case.plan = known_checks(taken).model_dump(mode="json")


def _is_new(session: Session, plan: Plan, case: Case) -> bool:
    """Whether another policy is in force than the one that a plan was made under."""
    house = house_now(session)
    return plan.house != (None if house is None else house.policy(case.tier, case.outcome))


def set_up_view(session: Session, person: Person, case_id: int) -> SetUpView:
    """What the case began from and what differs from that since; and what it could begin from instead."""
    case = people.case_for(session, person, case_id)
    begun = session.get(Case, case.begun_from) if case.begun_from is not None else None
    may = people.may_review(person, case) and not case.is_locked and case.plan_locked is None
    return SetUpView(
        begun=None if begun is None else _begun(begun, case),
        from_=[_version(one) for one in _reviewed_before(session, case)] if may else [],
        may_begin=may,
    )


def begin_from(session: Session, person: Person, case_id: int, other_id: int | None) -> None:
    """Roles and plan of the case become those of an earlier review of the model; with None the standard ones.

    What of them can't be carried out on these rows is left out: the plan first, then the roles. What the owner
    declares otherwise than before is the owner's. Nothing else is taken over: changes of the data are of other rows,
    and statements are judgements of another version, which are shown where they are to be written anew.

    Raises
    ------
    UserError
        The plan was locked, or that case is no earlier review of this model.
    """
    case = people.reviewed_case(session, person, case_id)
    if case.plan_locked is not None:
        raise UserError("The plan was locked, so what it begins from can't change.", todo="Open a deviation instead.")
    declared = Submission.model_validate(case.submission)
    standard = first_plan(session, case.model_id, declared, case.registered.in_use, case.tier)
    roles, plan = declared.data[0].roles, standard
    if other_id is not None:
        other = next((one for one in _reviewed_before(session, case) if one.id == other_id), None)
        if other is None:
            raise UserError("That case is no earlier review of this model.", todo="Choose one of the list.")
        roles, plan = _as_far_as_they_fit(session, case, other, standard)
    before = {"roles": case.roles, "plan": case.plan, "changes": case.changes, "table": case.table_fingerprint}
    case.roles, case.plan = roles.model_dump(mode="json"), known_checks(plan).model_dump(mode="json")
    case.roles_revision, case.plan_revision = case.roles_revision + 1, case.plan_revision + 1
    case.begun_from = other_id
    if case.table_version > 1:
        drop_table(session, case.id, version=case.table_version)
        came = get_table(session, case.id)
        case.table_fingerprint, case.n_rows = came.fingerprint, came.n_rows
    case.changes, case.table_version = [], 1
    after = {"roles": case.roles, "plan": case.plan, "changes": [], "table": case.table_fingerprint}
    subject = "the standard plan" if other_id is None else _words(session.get_one(Case, other_id))
    audit_log.append(session, person, "began from a set-up", subject, case_id=case.id, before=before, after=after)
    session.flush()


def begin_from_last(session: Session, person: Person, case: Case) -> None:
    """As :func:`begin_from` with the last review of the model that was decided, where there is one."""
    decided = [one for one in _reviewed_before(session, case) if one.state == "decided"]
    if decided and case.plan_locked is None and case.begun_from is None and case.review == 1:
        begin_from(session, person, case.id, decided[0].id)


def begin_as(session: Session, case: Case, other: Case) -> None:
    """A new case begins with roles and plan of another, as far as its rows take them."""
    roles, plan = _as_far_as_they_fit(session, case, other, read_plan(case.plan))
    case.roles, case.plan = roles.model_dump(mode="json"), known_checks(plan).model_dump(mode="json")
    case.begun_from = other.id


def _as_far_as_they_fit(session: Session, case: Case, other: Case, standard: Plan) -> tuple[Roles, Plan]:
    """Roles and plan of the other case; what of them these rows don't take is as the owner declares, or standard."""
    came = submitted(session, case)
    declared = Submission.model_validate(case.submission).data[0].roles
    return next(_that_fit(came, _ways(session, case, other, came, standard)), (declared, standard))


def _ways(session: Session, case: Case, other: Case, came: Submitted, standard: Plan) -> Iterator[tuple[Roles, Plan]]:
    """Roles and plan from all of the other review's to as little of it as need be."""
    declared = tuple(Submission.model_validate(one.submission).data[0].roles for one in (other, case))
    names = column_names(session, other.id), came.table.names
    roles = carried_roles(Roles.model_validate(other.roles), (declared[0], declared[1]), names)
    plan = _carried_plan(read_plan(other.plan), other, case, standard)
    yield roles, plan
    yield roles, standard
    yield declared[1], plan


def _carried_plan(plan: Plan, other: Case, case: Case, standard: Plan) -> Plan:
    """The plan for another version: against the version in use now, and by the policy in force of its own tier."""
    if case.outcome != other.outcome:
        return standard
    kept = plan.model_copy(update={"in_use": standard.in_use, "threshold": standard.threshold})
    same = other.tier == case.tier and kept.house == standard.house
    return kept if same else by_the_policy_of(kept, standard)


def _that_fit(came: Submitted, ways: Iterator[tuple[Roles, Plan]]) -> Iterator[tuple[Roles, Plan]]:
    for roles, plan in ways:
        try:
            Bench(subject_from(came, roles), plan).split.parts  # noqa: B018 - laid out when it is asked for
        except UserError:
            continue
        yield roles, plan


def _reviewed_before(session: Session, case: Case) -> list[Case]:
    """The other cases of the model that were sent before this one and whose plan was locked, the last first."""
    found = select(Case).where(Case.model_id == case.model_id, Case.id < case.id, Case.plan_locked.is_not(None))
    return list(session.scalars(found.where(Case.state != "withdrawn").order_by(Case.id.desc())))


def _begun(begun: Case, case: Case) -> BegunView:
    before, after = read_plan(begun.plan).model_dump(mode="json"), read_plan(case.plan).model_dump(mode="json")
    return BegunView(
        **_version(begun).model_dump(),
        roles=list(roles_changes(Roles.model_validate(begun.roles), Roles.model_validate(case.roles))),
        plan=[ValueChangeView(what=one.what, before=one.before, after=one.after) for one in changes(before, after)],
        left_changes=len(_CHANGES.validate_python(begun.changes)) if not case.changes else 0,
    )


def _version(case: Case) -> SetUpVersion:
    return SetUpVersion(case_id=case.id, version=case.version, review=case.review)


def _words(case: Case) -> str:
    return f"{case.model} {case.version}{'' if case.review == 1 else f', review {case.review}'}"
