"""People: signing in, and who may do what on which case. The rules are kept here and nowhere else."""

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import ForbiddenError, MissingError, UserError
from brookfall.desk.views import PersonView
from brookfall.records import audit_log
from brookfall.records.base import now
from brookfall.records.cases import Case
from brookfall.records.people import Person

ROLES = ("owner", "reviewer", "countersigner", "auditor", "administrator")
_SEES_ALL = {"reviewer", "countersigner", "auditor", "administrator"}

_hasher = PasswordHasher()
_NOBODY = _hasher.hash("nobody has this password")


def add_person(session: Session, login: str, name: str, password: str, roles: tuple[str, ...]) -> Person:
    """A new person; UserError for an unknown role or a password under ten characters."""
    unknown = [role for role in roles if role not in ROLES]
    if unknown:
        raise UserError(f"'{unknown[0]}' is not a role.", todo=f"Roles are {', '.join(ROLES)}.")
    if len(password) < 10:
        raise UserError("The password is shorter than ten characters.", todo="Choose a longer one.")
    person = Person(login=login, name=name, password_hash=_hasher.hash(password), roles=list(roles), created=now())
    session.add(person)
    session.flush()
    audit_log.append(session, None, "added a person", f"{name} ({', '.join(roles)})", after={"login": login})
    return person


def sign_in(session: Session, login: str, password: str) -> Person | None:
    """The person, or None. A login that nobody has takes as long as a wrong password."""
    person = session.scalar(select(Person).where(Person.login == login))
    try:
        _hasher.verify(person.password_hash if person else _NOBODY, password)
    except (VerificationError, InvalidHashError):
        return None
    return person


def check_password(person: Person, password: str) -> None:
    """Signing takes the password again; ForbiddenError when it is wrong."""
    try:
        _hasher.verify(person.password_hash, password)
    except (VerificationError, InvalidHashError):
        raise ForbiddenError("The password is not right.", todo="Nothing was signed; type it again.") from None


def person_of(session: Session, person_id: int) -> Person:
    person = session.get(Person, person_id)
    if person is None:
        raise MissingError("This person is not known here.", todo="Sign in again.")
    return person


def person_view(person: Person) -> PersonView:
    return PersonView(id=person.id, login=person.login, name=person.name, roles=list(person.roles))


def may_see(person: Person, case: Case) -> bool:
    """Owners see their own cases; everybody else who has a role sees all."""
    return bool(_SEES_ALL & set(person.roles)) or case.owner_id == person.id


def may_take(person: Person, case: Case) -> bool:
    return "reviewer" in person.roles and case.state == "waiting" and not _involved(person, case)


def may_review(person: Person, case: Case) -> bool:
    return case.state == "in_review" and case.reviewer_id == person.id


def may_countersign(person: Person, case: Case) -> bool:
    return "countersigner" in person.roles and case.state == "proposed" and not _involved(person, case)


def _involved(person: Person, case: Case) -> bool:
    """Nobody holds two roles on one case: who submitted can't review, who reviewed can't countersign."""
    return person.id in (case.owner_id, case.reviewer_id)


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
    if case.state == "waiting":
        return "The case has no reviewer yet."
    if case.owner_id == person.id:
        return "You submitted this model, so you can't review it."
    return "Another reviewer has this case."
