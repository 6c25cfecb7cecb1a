"""The people of a case: who can be asked to do something about its model, and to whom comments are addressed."""

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.desk import people, teams
from brookfall.desk.said import parts_of
from brookfall.desk.views import CasePeopleView, NamedPerson
from brookfall.records.cases import Case
from brookfall.records.people import Person


def case_people(session: Session, person: Person, case_id: int) -> CasePeopleView:
    """Who can be asked to mend what is found, and to whom this person can address a comment."""
    case = people.case_for(session, person, case_id)
    others = [one for one in of_case(session, case) if one.id != person.id]
    return CasePeopleView(
        answerable=answerable(session, case),
        addressable=[NamedPerson(login=one.login, name=one.name) for one in others],
    )


def answerable(session: Session, case: Case) -> list[str]:
    """The people of the case's model, the team that it is of, who it is declared to be of, and the house's teams."""
    model = case.registered
    mine = [model.owner.name, *(one.name for one in model.members), *([model.team.name] if model.team else [])]
    return list(dict.fromkeys([*mine, str(case.submission["model"]["owner"]), *teams.open_names(session)]))


def of_case(session: Session, case: Case) -> list[Person]:
    """Everybody with a part in the case who can sign in, by name."""
    everybody = session.scalars(select(Person).where(Person.disabled.is_(None)).order_by(Person.name, Person.id))
    return [one for one in everybody if parts_of(one, case)]
