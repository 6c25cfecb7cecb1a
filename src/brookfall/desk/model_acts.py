"""What its people do with a model: send a version of it, say who belongs to it and what is in use, withdraw it."""

import re
from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session
from sqlalchemy.orm.exc import StaleDataError

from brookfall.core.check.standard_plan import by_the_policy_of, known_checks
from brookfall.core.foundation.errors import ForbiddenError, MissingError, StaleError, UserError
from brookfall.core.foundation.wording import listed
from brookfall.core.plan.revisions import read_plan
from brookfall.core.submission.schema import Model, Submission
from brookfall.desk import people
from brookfall.desk.approvals import approvals_today
from brookfall.desk.inventory import TIER, may_set_tier, model_page, visible
from brookfall.desk.judges import judges_of
from brookfall.desk.set_up import first_plan
from brookfall.desk.teams import by_name
from brookfall.desk.views import ModelPage
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import Person

_MOST_KEYS = 10_000


def model_for(session: Session, person: Person, declared: Model) -> RegisteredModel:
    """The model that a submission of this person is a version of: the one it names, or theirs of that name, or a new
    one.

    UserError when it names a key that is none of theirs, another name than its model's, or a name that several have.
    """
    # One submission of a person at a time: two first versions of one name are versions of one model.
    session.get(Person, person.id, with_for_update=True)
    mine = session.scalars(select(RegisteredModel).where(people.belongs(person)).order_by(RegisteredModel.id)).all()
    if declared.key is not None:
        return _by_key(mine, declared)
    named = [model for model in mine if model.name == declared.name]
    if len(named) > 1:
        keys = listed([f"{model.key} (of {model.owner.name})" for model in named])
        raise UserError(
            f"You belong to {len(named)} models called {declared.name}: {keys}.",
            todo="Say which of them this is a version of, by the key of the model.",
            file="submission.yaml: model.key",
        )
    return named[0] if named else _new_model(session, person, declared.name)


def add_member(session: Session, person: Person, key: str, login: str) -> ModelPage:
    """Somebody with the role owner belongs to the model from now on: sees its cases, and may send versions of it.

    Raises
    ------
    ForbiddenError
        The person is not the model's owner.
    UserError
        Nobody who may submit models has that login, they belong to it already, or they reviewed or countersigned a
        version of it: nobody holds two roles on one case.
    """
    model = _own(session, person, key)
    other = session.scalar(select(Person).where(Person.login == login.strip()))
    if other is None or "owner" not in other.roles or other.disabled is not None:
        raise UserError(
            f"Nobody who may submit models signs in as '{login.strip()}'.", todo="Give the name they sign in with."
        )
    if other.id in model.people_ids:
        raise UserError(f"{other.name} belongs to {model.name} already.", todo="Nothing was changed.")
    # Locked, and so as they are now: nobody takes or countersigns one of them meanwhile.
    cases = session.scalars(select(Case).where(Case.model_id == model.id).with_for_update()).all()
    judged = [case.version for case in cases if other.id in {*case.reviewed_by, *judges_of(session, case)}]
    if judged:
        raise UserError(
            f"{other.name} reviewed or countersigned {model.name} {judged[0]}, and nobody holds two roles on one case.",
            todo="Choose somebody else.",
        )
    model.members.append(other)
    _entered(session, person, model, "added a member of the model", other)
    return model_page(session, person, key)


def remove_member(session: Session, person: Person, key: str, person_id: int) -> ModelPage:
    """Somebody belongs to the model no longer; what they sent stays. MissingError when they did not."""
    model = _own(session, person, key)
    other = next((member for member in model.members if member.id == person_id), None)
    if other is None:
        raise MissingError("This person is no member of the model.", todo="Load the page again.")
    model.members.remove(other)
    _entered(session, person, model, "removed a member of the model", other)
    return model_page(session, person, key)


def say_team(session: Session, person: Person, key: str, team: str | None) -> ModelPage:
    """Which team the model is of, or none: its owner's word. UserError where no such team can be chosen."""
    model = _own(session, person, key)
    before = model.team.name if model.team else None
    if team != before:
        model.team = None if team is None else by_name(session, team)
        session.flush()
        audit_log.append(
            session,
            person,
            "said which team a model is of",
            f"{model.name} ({model.key})",
            before={"team": before},
            after={"team": team},
        )
    return model_page(session, person, key)


def say_in_use(session: Session, person: Person, key: str, version: str | None) -> ModelPage:
    """Which version is in use, or none: the word of who belongs to the model, and of a version only whose approval
    has not lapsed."""
    model = visible(session, person, key, lock=True)
    if person.id not in model.people_ids:
        raise ForbiddenError("Which version is in use is its owner's word.", todo="Nothing was changed.")
    if version is not None:
        case = session.scalar(select(Case).where(Case.model_id == model.id, Case.version == version))
        if case is None:
            raise MissingError(f"{model.name} has no version {version}.", todo="Load the page again.")
        if why := approvals_today(session, [model.id]).why_not_used(model, version):
            raise UserError(
                f"{model.name} {version} {why}, so it can't be in use.", todo="Choose a version that is approved."
            )
    if version != model.in_use:
        audit_log.append(
            session,
            person,
            "said which version is in use",
            f"{model.name} ({model.key})",
            before={"in_use": model.in_use},
            after={"in_use": version},
        )
        model.in_use = version
    return model_page(session, person, key)


def set_tier(session: Session, person: Person, key: str, tier: int, reason: str) -> ModelPage:
    """A countersigner gives the model another tier: every version that is sent from now on has it, whatever it
    declares, and so has each case whose plan was not locked, with that tier's limits.

    Raises
    ------
    ForbiddenError
        The person is no countersigner, or belongs to the model.
    UserError
        No reason is given, or the model has that tier.
    """
    model = visible(session, person, key, lock=True)
    if not may_set_tier(person, model):
        raise ForbiddenError("The tier is changed by a countersigner who does not belong to it.", todo="Ask one.")
    if not reason.strip():
        raise UserError("Nothing says why it is of another tier.", todo="Write the reason; the record keeps it.")
    if model.tier == tier:
        raise UserError(f"{model.name} is of tier {tier} already.", todo="Nothing was changed.")
    cases = select(Case).where(Case.model_id == model.id, Case.state.in_(("waiting", "in_review")))
    moved = session.scalars(cases.where(Case.plan_locked.is_(None)).order_by(Case.id).with_for_update()).all()
    before, model.tier = model.tier, tier
    for case in moved:
        if case.tier != tier:
            standard = first_plan(session, model.id, Submission.model_validate(case.submission), model.in_use, tier)
            # Nobody has chosen anything yet in a case that waits.
            waits = case.state == "waiting"
            plan = standard if waits else by_the_policy_of(read_plan(case.plan), standard)
            case.tier, case.plan = tier, known_checks(plan).model_dump(mode="json")
            case.plan_revision += 1
    after = {"tier": tier, "cases": [case.version for case in moved], "reason": reason.strip()}
    audit_log.append(session, person, TIER, f"{model.name} ({model.key})", before={"tier": before}, after=after)
    session.flush()
    return model_page(session, person, key)


def withdraw(session: Session, person: Person, key: str, reason: str | None) -> ModelPage:
    """The owner withdraws the model, which is then used no more, or with None takes it up again.

    Raises
    ------
    ForbiddenError
        The person is not the model's owner.
    UserError
        No reason is given, or it is withdrawn already, or was not.
    """
    model = _own(session, person, key)
    if (model.withdrawn is None) == (reason is None):
        raise UserError(
            f"{model.name} {'is not withdrawn' if reason is None else 'is withdrawn already'}.",
            todo="Nothing was changed; load the page again.",
        )
    if reason is not None and not reason.strip():
        raise UserError("Nothing says why it is withdrawn.", todo="Write the reason; it stands on the model's page.")
    before = {"in_use": model.in_use, "withdrawn_why": model.withdrawn_why}
    model.withdrawn = None if reason is None else now()
    model.withdrawn_why = None if reason is None else reason.strip()
    model.in_use = None
    audit_log.append(
        session, person, "took up a model again" if reason is None else "withdrew a model",
        f"{model.name} ({model.key})", before=before, after={"in_use": None, "withdrawn_why": model.withdrawn_why},
    )  # fmt: skip
    return model_page(session, person, key)


def _by_key(mine: Sequence[RegisteredModel], declared: Model) -> RegisteredModel:
    model = next((one for one in mine if one.key == declared.key), None)
    if model is None:
        raise UserError(
            f"No model that you belong to has the key '{declared.key}'.",
            todo="Take the key from the model's page, or leave it out for a new model.",
            file="submission.yaml: model.key",
        )
    if model.name != declared.name:
        raise UserError(
            f"The model with the key {model.key} is called {model.name}, not {declared.name}.",
            todo="Give the name it has, or leave the key out for a new model.",
            file="submission.yaml: model.name",
        )
    return model


def _new_model(session: Session, person: Person, name: str) -> RegisteredModel:
    words = re.sub(r"[^a-z0-9]+", "-", name.lower()).strip("-")[:60] or "model"
    for number in range(1, _MOST_KEYS):
        key = words if number == 1 else f"{words}-{number}"
        model = RegisteredModel(key=key, name=name, owner_id=person.id, members=[], created=now())
        try:
            with session.begin_nested():
                session.add(model)
        except IntegrityError as problem:
            # Somebody else's model has the key, perhaps since a moment ago; the next number is tried.
            if "uq_model_key" not in str(problem.orig):
                raise
            continue
        return model
    raise UserError(f"{_MOST_KEYS} models are called {name}.", todo="Give the model another name.")


def _own(session: Session, person: Person, key: str) -> RegisteredModel:
    model = visible(session, person, key, lock=True)
    if model.owner_id != person.id:
        raise ForbiddenError(
            f"Only {model.owner.name}, its owner, says who belongs to it.", todo="Nothing was changed."
        )
    return model


def _entered(session: Session, person: Person, model: RegisteredModel, act: str, other: Person) -> None:
    try:
        session.flush()
    except (IntegrityError, StaleDataError) as problem:
        # What was read is of when this request began; another window did the same in between.
        raise StaleError(
            f"Who belongs to {model.name} was changed meanwhile.", todo="Nothing was changed; load the page again."
        ) from problem
    after = {"login": other.login, "members": [member.login for member in model.members]}
    audit_log.append(session, person, act, f"{model.name} ({model.key}): {other.name}", after=after)
