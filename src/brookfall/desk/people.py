"""People: signing in, and who may do what on which case. The rules are kept here and nowhere else."""

from collections.abc import Collection, Iterable

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import ColumnElement, Select, and_, false, func, not_, or_, select, true, update
from sqlalchemy.orm import Session, object_session, selectinload

from brookfall.core.evidence.acts import VALIDATORS_ALONE
from brookfall.core.foundation.errors import ForbiddenError, MissingError, UserError, WrongPasswordError
from brookfall.core.judge.life import Part
from brookfall.desk import sessions, signing_codes
from brookfall.desk.passwords import SHORTEST, refuse_weak
from brookfall.desk.views import PersonView
from brookfall.records import audit_log, security_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.inventory import ModelMember, RegisteredModel
from brookfall.records.people import PasswordLink, Person
from brookfall.records.roles import ROLES

_SEES_ALL = {"reviewer", "countersigner", "auditor"}

_hasher = PasswordHasher()
_NOBODY = _hasher.hash("nobody has this password")


def add_person(session: Session, login: str, name: str, password: str, roles: tuple[str, ...]) -> Person:
    """A new person; UserError for an unknown role or a password under ten characters."""
    hashed = _hasher.hash(_long_enough(password))
    person = Person(login=login, name=name, password_hash=hashed, roles=known_roles(roles), created=now())
    session.add(person)
    session.flush()
    audit_log.append(session, None, "added a person", f"{name} ({', '.join(roles)})", after={"login": login})
    return person


def known_roles(roles: Collection[str]) -> list[str]:
    """The roles in their order; UserError where one is none, or there is none."""
    unknown = sorted(set(roles) - set(ROLES))
    if unknown or not roles:
        what = f"'{unknown[0]}' is not a role." if unknown else "The person has no role."
        raise UserError(what, todo=f"Roles are {', '.join(ROLES)}.")
    return [role for role in ROLES if role in roles]


def known_of(person: Person) -> tuple[str, ...]:
    """What a guess at this person's password would begin with."""
    return (person.login, *person.name.split(), *([person.mail] if person.mail else []))


def set_password(person: Person, password: str) -> None:
    """The person's password from now on; whether it is good enough was asked before."""
    person.password_hash = _hasher.hash(password)


def is_password(person: Person | None, password: str) -> bool:
    """Whether it is the person's. Nobody's takes as long, and that of who has none yet."""
    try:
        _hasher.verify((person and person.password_hash) or _NOBODY, password)
    except (VerificationError, InvalidHashError):
        return False
    return person is not None and bool(person.password_hash)


def check_password(person: Person, password: str, undone: str = "Nothing was signed") -> None:
    """Signing takes the password again, or a code that the house's provider led to; ForbiddenError when it is wrong.

    Without local accounts a password that somebody had before signs nothing.
    """
    session = object_session(person)
    if session is not None and person.subject_sha256 is not None and signing_codes.use(session, person, password):
        return
    right = is_password(person, password)
    if not (right and config().local_accounts):
        if not has_password(person):
            raise WrongPasswordError(
                "That you are who you are was not confirmed, or more than five minutes ago.",
                todo=f"{undone}; confirm it again by {config().provider_name}.",
            )
        raise WrongPasswordError("The password is not right.", todo=f"{undone}; type it again.")


def change_password(session: Session, person: Person, old: str, new: str, *, keep: str, address: str = "") -> None:
    """A person's own new password; their other sessions end, the one with the secret ``keep`` goes on.

    Raises
    ------
    ForbiddenError
        The old one is not right.
    UserError
        The new one is too short, too easily guessed, or no other.
    """
    check_password(person, old, "Nothing was changed")
    if new == old:
        raise UserError("The new password is the old one.", todo="Choose another.")
    set_password(person, refuse_weak(new, known_of(person)))
    sessions.end_all(session, person, but=keep)
    security_log.enter(session, "changed a password", login=person.login, person=person, address=address)


def disable(session: Session, login: str, reason: str, by: Person | None = None) -> Person:
    """Ends a person's sessions and tokens, and lets them sign in no more. What they did and hold stays.

    ``by`` is None at the command line.

    Raises
    ------
    MissingError
        Nobody has that login.
    UserError
        They are disabled already, or no reason is given.
    """
    person = person_by_login(session, login)
    if person.disabled is not None:
        raise UserError(f"{person.name} is disabled since {person.disabled:%-d %b %Y}.", todo="Nothing was done.")
    if not reason.strip():
        raise UserError("Nothing says why.", todo="Give a reason; the record keeps it.")
    person.disabled = now()
    sessions.end_all(session, person, tokens=True)
    end_links(session, person)
    audit_log.append(session, by, "disabled a person", person.name, after={"reason": reason.strip()})
    security_log.enter(session, "disabled a person", login=person.login, person=person, address="", detail=reason)
    return person


def end_links(session: Session, person: Person) -> None:
    """Ends the one-time links of a person that were not used."""
    unused = (PasswordLink.person_id == person.id, PasswordLink.used.is_(None), PasswordLink.ends > now())
    session.execute(update(PasswordLink).where(*unused).values(ends=now()))


def enable(session: Session, login: str, by: Person | None = None) -> Person:
    """Lets a person sign in again, with the password they had. UserError where they can."""
    person = person_by_login(session, login)
    if person.disabled is None:
        raise UserError(f"{person.name} is not disabled.", todo="Nothing was done.")
    person.disabled = None
    audit_log.append(session, by, "enabled a person", person.name)
    security_log.enter(session, "enabled a person", login=person.login, person=person, address="")
    return person


def person_by_login(session: Session, login: str) -> Person:
    """The person, locked; MissingError where nobody signs in so."""
    person = session.scalar(select(Person).where(Person.login == login).with_for_update())
    if person is None:
        raise MissingError(f"Nobody signs in as '{login}'.", todo="Give the name they sign in with.")
    return person


def _long_enough(password: str) -> str:
    if len(password) < SHORTEST:
        raise UserError("The password is shorter than ten characters.", todo="Choose a longer one.")
    return password


def person_of(session: Session, person_id: int) -> Person:
    person = session.get(Person, person_id)
    if person is None:
        raise MissingError("This person is not known here.", todo="Sign in again.")
    return person


def person_view(person: Person) -> PersonView:
    return PersonView(
        id=person.id,
        login=person.login,
        name=person.name,
        roles=list(person.roles),
        reads_all=sees_all(person),
        confirms_by=config().provider_name if config().provider_url and person.subject_sha256 else None,
        has_password=has_password(person),
    )


def has_password(person: Person) -> bool:
    """Whether the person can sign in and sign by a password of Brookfall's."""
    return bool(person.password_hash) and config().local_accounts


def sees_all(person: Person) -> bool:
    """Whether the person may read every case, and so the record as a whole."""
    return bool(_SEES_ALL & set(person.roles))


def may_read(person: Person) -> ColumnElement[bool]:
    """Which entries of the record about cases that a person sees are for them, as a condition of a query."""
    return true() if sees_all(person) else audit_log.RecordEntry.act.not_in(sorted(VALIDATORS_ALONE))


def may_see(person: Person, case: Case) -> bool:
    """Owners see the cases of models they belong to; reviewers, countersigners and auditors all; administrators no
    case's contents."""
    return sees_all(person) or person.id in case.registered.people_ids


def belongs(person: Person) -> ColumnElement[bool]:
    """The condition that a person is owner or member of a model."""
    as_member = select(ModelMember.model_id).where(ModelMember.person_id == person.id)
    return or_(RegisteredModel.owner_id == person.id, RegisteredModel.id.in_(as_member))


def visible_cases(person: Person) -> Select[Case]:
    """The cases that :func:`may_see` allows, as a query."""
    query = select(Case).options(selectinload(Case.registered).selectinload(RegisteredModel.members))
    return query.where(visible(person))


def visible(person: Person) -> ColumnElement[bool]:
    """What :func:`may_see` says, as a condition of a query on cases."""
    return true() if sees_all(person) else _of_own_models(person)


def waits_for(person: Person) -> ColumnElement[bool]:
    """That the case is one to take, to review or to countersign for the person, as a condition of a query."""
    takes: ColumnElement[bool] = false()
    if "reviewer" in person.roles:
        takes = and_(Case.state == "waiting", not_(is_part(person, "owner")))
    reviews = and_(Case.state == "in_review", Case.reviewer_id == person.id)
    return or_(takes, reviews, and_(Case.state == "proposed", is_part(person, "countersigner")))


def is_part(person: Person, part: Part) -> ColumnElement[bool]:
    """What :func:`brookfall.desk.said.parts_of` says, as a condition of a query on cases."""
    belongs_ = or_(Case.owner_id == person.id, _of_own_models(person))
    if part == "owner":
        return belongs_
    if part not in person.roles:
        return false()
    return Case.reviewer_id == person.id if part == "reviewer" else not_(or_(belongs_, ever_reviewed(person)))


def is_any(person: Person, parts: Iterable[Part]) -> ColumnElement[bool]:
    """That the person has one of these parts in the case, as a condition of a query."""
    return or_(*(is_part(person, part) for part in sorted(parts)))


def ever_reviewed(person: Person) -> ColumnElement[bool]:
    """That the person reviews the case or once did, as a condition of a query."""
    return func.json_contains(Case.reviewed_by, str(person.id)) == 1


def _of_own_models(person: Person) -> ColumnElement[bool]:
    return Case.model_id.in_(select(RegisteredModel.id).where(belongs(person)))


def may_take(person: Person, case: Case) -> bool:
    return "reviewer" in person.roles and case.state == "waiting" and not belongs_to_case(person, case)


def may_review(person: Person, case: Case) -> bool:
    return case.state == "in_review" and case.reviewer_id == person.id


def may_replay(person: Person, case: Case) -> bool:
    """A replay on the server is a reviewer's; auditors and owners replay from the evidence, by the command line."""
    return "reviewer" in person.roles and may_see(person, case) and case.rows_taken is None


def may_countersign(person: Person, case: Case) -> bool:
    return case.state == "proposed" and is_second(person, case)


def is_second(person: Person, case: Case) -> bool:
    """Whether the person may judge as the second of two: a countersigner who neither reviewed nor belongs to it."""
    return "countersigner" in person.roles and not _involved(person, case)


def _involved(person: Person, case: Case) -> bool:
    """Nobody holds two roles on one case: whoever belongs to the model or submitted it can't review, and who reviewed
    can't countersign."""
    return belongs_to_case(person, case) or person.id in case.reviewed_by


def refuse_new_member(session: Session, person: Person, case: Case) -> None:
    """ForbiddenError where the person was made a member of the case's model while they were about to judge it.

    A lock reads what is there now; a plain read what was there when this transaction began.
    """
    of_model = select(ModelMember.person_id).where(ModelMember.model_id == case.model_id)
    if person.id in session.scalars(of_model.with_for_update(read=True)).all():
        raise ForbiddenError("You belong to this model, so you can't judge it.", todo="Nothing was changed.")


def belongs_to_case(person: Person, case: Case) -> bool:
    """Whether the person submitted the case, or belongs to its model."""
    return person.id == case.owner_id or person.id in case.registered.people_ids


def case_for(session: Session, person: Person, case_id: int, *, lock: bool = False) -> Case:
    """The case if this person may see it; MissingError otherwise. ``lock`` holds it until the commit."""
    case = session.get(Case, case_id, with_for_update=lock)
    if case is None or not may_see(person, case):
        raise MissingError("There is no such case, or it is not yours to see.", todo="Go back to the docket.")
    return case


def reviewed_case(session: Session, person: Person, case_id: int) -> Case:
    """The case, locked, if this person is reviewing it now; ForbiddenError says why not."""
    case = case_for(session, person, case_id, lock=True)
    if not may_review(person, case):
        raise ForbiddenError(_why_not_reviewing(person, case), todo="Nothing was changed.")
    return case


def _why_not_reviewing(person: Person, case: Case) -> str:
    if case.state == "decided":
        return "The case is decided; what was signed never changes."
    if case.state == "proposed":
        return "A decision is proposed; the case waits for the countersigner."
    if case.state == "withdrawn":
        return "The case was withdrawn by its owner."
    if case.state == "waiting":
        return "The case has no reviewer yet."
    if belongs_to_case(person, case):
        return "You belong to this model, so you can't review it."
    return "Another reviewer has this case."
