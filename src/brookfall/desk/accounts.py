"""Accounts: what an administrator sees and does of people. Of cases they see which they are, and no contents."""

import re
from collections import Counter
from collections.abc import Collection
from typing import TypeVar

from sqlalchemy import ColumnElement, Select, func, select
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import ForbiddenError, MissingError, UserError
from brookfall.desk import letters, password_links, people, second_factor, sessions
from brookfall.desk.views import AccountPage, AccountView, HeldCase, HeldModel, NamedPerson, NewLink, SignIn
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.inventory import RegisteredModel
from brookfall.records.people import BrowserSession, PasswordLink, Person, SecondFactor
from brookfall.records.security_log import SecurityEvent

T = TypeVar("T")

_LOGIN = re.compile(r"[a-z0-9][a-z0-9._@-]{1,79}")
_SIGN_INS = 10
WELCOME = "/welcome#"
"""Where a one-time link leads; what follows is never sent to the server by an address."""


def everybody(session: Session, person: Person) -> list[AccountView]:
    """Everybody who has an account, by name."""
    _refuse_others(person)
    return accounts_of_all(session)


def accounts_of_all(session: Session) -> list[AccountView]:
    """The same for who stands at the server itself."""
    return _views(session, session.scalars(select(Person).order_by(Person.name, Person.id)).all())


def account_page(session: Session, person: Person, of_id: int) -> AccountPage:
    """One account with what its person holds and where they signed in last."""
    _refuse_others(person)
    of = _of(session, of_id)
    (account,) = _views(session, [of])
    cases = session.scalars(select(Case).where(*_in_hand(of)).order_by(Case.id)).all()
    models = select(RegisteredModel).where(RegisteredModel.owner_id == of.id, RegisteredModel.withdrawn.is_(None))
    signed_in = select(SecurityEvent).where(SecurityEvent.person_id == of.id, SecurityEvent.what == "signed in")
    owned = session.scalars(models.order_by(RegisteredModel.name)).all()
    return AccountPage(
        account=account,
        cases=[HeldCase(case_id=one.id, case=f"{one.model} {one.version}") for one in cases],
        models=[HeldModel(key=one.key, name=one.name) for one in owned],
        sign_ins=[
            SignIn(at=one.at, address=one.address)
            for one in session.scalars(signed_in.order_by(SecurityEvent.id.desc()).limit(_SIGN_INS))
        ],
        mails=bool(of.mail) and config().mail_server is not None and config().public_url is not None,
        reviewers=_other_reviewers(session, of) if cases else [],
    )


def add(session: Session, by: Person | None, login: str, name: str, roles: Collection[str], mail: str = "") -> Person:
    """A new person, who gives themselves a password by a link. ``by`` is None at the command line.

    UserError where the login is taken or can't be one, a role is none, or there is no name.
    """
    if by is not None:
        _refuse_others(by)
    login, name = login.strip().lower(), name.strip()
    if not may_be_login(login):
        raise UserError(
            f"'{login}' can't be a name to sign in with.",
            todo="Use 2 to 80 small letters, digits and . _ @ -, a letter or digit first.",
        )
    if not name:
        raise UserError("The person has no name.", todo="Write the name that others read, and that signs.")
    if session.scalar(select(Person.id).where(Person.login == login)) is not None:
        raise UserError(f"Somebody signs in as '{login}' already.", todo="Choose another name to sign in with.")
    person = Person(
        login=login, name=name, password_hash="", roles=people.known_roles(roles), created=now(),
        mail=letters.checked_address(mail) or None,
    )  # fmt: skip
    session.add(person)
    session.flush()
    detail = f"{name} ({', '.join(person.roles)})"
    audit_log.append(session, by, "added a person", detail, after={"login": login})
    return person


def may_be_login(login: str) -> bool:
    """Whether somebody can sign in by this name."""
    return _LOGIN.fullmatch(login) is not None


def set_roles(session: Session, by: Person | None, of_id: int, roles: Collection[str]) -> Person:
    """What a person may do from now on.

    Raises
    ------
    UserError
        A role is none, none is left, or nobody would be left who is an administrator.
    """
    if by is not None:
        _refuse_others(by)
    of = _of(session, of_id, lock=True)
    wanted = people.known_roles(roles)
    if wanted == list(of.roles):
        return of
    if "administrator" not in wanted:
        _refuse_without_administrator(session, of)
    before, of.roles = list(of.roles), wanted
    audit_log.append(
        session, by, "changed a person's roles", of.name, before={"roles": before}, after={"roles": wanted}
    )
    session.flush()
    return of


def disable(session: Session, by: Person, of_id: int, reason: str) -> None:
    """Ends a person's sessions and tokens; see :func:`brookfall.desk.people.disable`."""
    _refuse_others(by)
    of = _of(session, of_id)
    if of.id == by.id:
        raise UserError("You can't disable yourself.", todo="Ask another administrator.")
    _refuse_without_administrator(session, of)
    people.disable(session, of.login, reason, by)


def enable(session: Session, by: Person, of_id: int) -> None:
    """Lets a person sign in again."""
    _refuse_others(by)
    people.enable(session, _of(session, of_id).login, by)


def new_link(session: Session, by: Person | None, of_id: int, base: str, *, mail: bool, address: str = "") -> NewLink:
    """A one-time link for a person, mailed to them, or shown this once to be handed to them.

    ``base`` is the address that the house is reached by. UserError where it can't be mailed.
    """
    if by is not None:
        _refuse_others(by)
    of = _of(session, of_id, lock=True)
    if mail and (not of.mail or config().mail_server is None):
        why = f"{of.name} has no mail address" if not of.mail else "This house sends no mail"
        raise UserError(f"{why}.", todo="Hand the link over by another way.")
    if mail and not base:
        raise UserError(
            "A letter needs the address of this house, and BROOKFALL_PUBLIC_URL is not set.",
            todo="Set it, or hand the link over by another way.",
        )
    link = f"{base.rstrip('/')}{WELCOME}{password_links.make(session, by, of, address)}"
    ends = now() + password_links.LASTS
    if not mail:
        return NewLink(link=link, mailed_to="", ends=ends)
    letters.write_link(session, of, link, ends)
    return NewLink(link="", mailed_to=of.mail or "", ends=ends)


def end_second_factor(session: Session, by: Person, of_id: int, address: str = "") -> None:
    """A person whose authenticator was lost signs in by their password alone."""
    _refuse_others(by)
    second_factor.take_away(session, by, _of(session, of_id), address)


def _views(session: Session, found: Collection[Person]) -> list[AccountView]:
    """Each with figures that one query for all gives."""
    ids = [one.id for one in found]
    last = _by_person(
        session,
        select(SecurityEvent.person_id, func.max(SecurityEvent.at))
        .where(SecurityEvent.what == "signed in", SecurityEvent.person_id.in_(ids))
        .group_by(SecurityEvent.person_id),
    )
    open_ones = select(BrowserSession).where(BrowserSession.ended.is_(None), BrowserSession.person_id.in_(ids))
    signed_in = Counter(one.person_id for one in session.scalars(open_ones) if sessions.ends(one) > now())
    in_hand = _by_person(
        session,
        select(Case.reviewer_id, func.count())
        .where(Case.state.in_(("in_review", "proposed")), Case.reviewer_id.in_(ids))
        .group_by(Case.reviewer_id),
    )
    links = _by_person(
        session,
        select(PasswordLink.person_id, func.max(PasswordLink.ends))
        .where(PasswordLink.used.is_(None), PasswordLink.ends > now(), PasswordLink.person_id.in_(ids))
        .group_by(PasswordLink.person_id),
    )
    seconds = set(session.scalars(select(SecondFactor.person_id).where(SecondFactor.confirmed.is_not(None))))
    return [
        AccountView(
            id=one.id, login=one.login, name=one.name, roles=list(one.roles), mail=one.mail or "", added=one.created,
            disabled=one.disabled, has_password=bool(one.password_hash), link_until=links.get(one.id),
            signed_in=last.get(one.id), sessions=signed_in[one.id],
            second_factor=one.id in seconds, in_hand=in_hand.get(one.id, 0),
        )
        for one in found
    ]  # fmt: skip


def _by_person(session: Session, query: Select[int | None, T]) -> dict[int | None, T]:
    """Of a query for a person and a figure the figure of each person."""
    return dict(session.execute(query).all())


def _other_reviewers(session: Session, of: Person) -> list[NamedPerson]:
    able = session.scalars(select(Person).where(Person.disabled.is_(None)).order_by(Person.name)).all()
    return [NamedPerson(login=one.login, name=one.name) for one in able if "reviewer" in one.roles and one.id != of.id]


def _in_hand(of: Person) -> tuple[ColumnElement[bool], ...]:
    return Case.reviewer_id == of.id, Case.state.in_(("in_review", "proposed"))


def _of(session: Session, of_id: int, *, lock: bool = False) -> Person:
    of = session.get(Person, of_id, with_for_update=lock)
    if of is None:
        raise MissingError("There is no such person.", todo="Load the page again.")
    return of


def _refuse_others(person: Person) -> None:
    if "administrator" not in person.roles:
        raise ForbiddenError("Accounts are the administrators'.", todo="Ask one of them.")


def _refuse_without_administrator(session: Session, but: Person) -> None:
    """UserError where nobody but this person could administer the house."""
    able = session.scalars(select(Person).where(Person.disabled.is_(None)).with_for_update()).all()
    if not any("administrator" in one.roles for one in able if one.id != but.id) and "administrator" in but.roles:
        raise UserError(f"{but.name} is the only administrator who can sign in.", todo="Make somebody else one first.")
