"""Signing in: by a password, and by a code besides where a person has a second factor."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import CodeWantedError
from brookfall.desk import people, second_factor
from brookfall.records import security_log
from brookfall.records.people import Person


def sign_in(session: Session, login: str, password: str, code: str = "", address: str = "") -> Person | None:
    """The person, or None, with an entry in the security log. A login that nobody has, or whose person was disabled,
    takes as long as a wrong password.

    Raises
    ------
    CodeWantedError
        The password is right, and nothing says the code that is wanted besides.
    """
    person = _by(session, login.strip())
    right = people.is_password(person, password) and person is not None and person.disabled is None
    detail = "disabled" if person is not None and person.disabled is not None else ""
    if right and person is not None and second_factor.is_on(session, person):
        if not code.strip():
            raise CodeWantedError(
                "The password is right; a code is wanted too.",
                todo="Type the one that your authenticator shows, or a recovery code.",
            )
        right = second_factor.check(session, person, code, address)
        detail = "" if right else "wrong code"
    what: security_log.What = "signed in" if right else "refused to sign in"
    security_log.enter(session, what, login=login, person=person, address=address, detail=detail)
    return person if right else None


def _by(session: Session, login: str) -> Person | None:
    """Whose login it is, as it is typed or else in small letters, as logins are given out."""
    found = session.scalars(select(Person).where(Person.login.in_({login, login.lower()}))).all()
    return next((one for one in found if one.login == login), found[0] if found else None)
