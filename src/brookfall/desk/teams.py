"""Teams: people under one name, made by administrators, named by models and by findings."""

from collections.abc import Sequence

from sqlalchemy import func, select
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Session, selectinload

from brookfall.core.foundation.errors import ForbiddenError, MissingError, UserError
from brookfall.desk.views import NamedPerson, TeamView
from brookfall.records import audit_log
from brookfall.records.clock import now
from brookfall.records.inventory import RegisteredModel, Team
from brookfall.records.people import Person


def teams_view(session: Session) -> list[TeamView]:
    """Every team, by name; those that were closed last."""
    query = select(Team).options(selectinload(Team.members)).order_by(Team.closed.is_not(None), Team.name)
    of_each = select(RegisteredModel.team_id, func.count()).group_by(RegisteredModel.team_id)
    models = dict(session.execute(of_each).all())
    return [
        TeamView(
            id=team.id,
            name=team.name,
            members=[NamedPerson(login=one.login, name=one.name) for one in team.members],
            models=models.get(team.id, 0),
            closed=team.closed,
        )
        for team in session.scalars(query)
    ]


def open_names(session: Session) -> list[str]:
    """The names of the teams that can be chosen, in order."""
    return list(session.scalars(select(Team.name).where(Team.closed.is_(None)).order_by(Team.name)))


def make(session: Session, by: Person, name: str, members: Sequence[str]) -> list[TeamView]:
    """A new team. UserError where the name is empty or taken, or nobody signs in as one of ``members``."""
    _refuse_others(by)
    team = Team(name=_name(name), made=now(), closed=None, members=_people(session, members))
    session.add(team)
    _flush(session, team)
    audit_log.append(session, by, "made a team", team.name, after=_as_kept(team))
    return teams_view(session)


def change(
    session: Session, by: Person, team_id: int, name: str, members: Sequence[str], *, closed: bool
) -> list[TeamView]:
    """A team's name, its members, and whether it can still be chosen; models that are of it stay so.

    Raises as :func:`make`; MissingError where there is no such team.
    """
    _refuse_others(by)
    team = session.get(Team, team_id, with_for_update=True)
    if team is None:
        raise MissingError("There is no such team.", todo="Load the page again.")
    before = _as_kept(team)
    team.name, team.members = _name(name), _people(session, members)
    if closed != (team.closed is not None):
        team.closed = now() if closed else None
    _flush(session, team)
    if before != _as_kept(team):
        audit_log.append(session, by, "changed a team", team.name, before=before, after=_as_kept(team))
    return teams_view(session)


def by_name(session: Session, name: str) -> Team:
    """The team of that name; UserError where there is none that can be chosen."""
    team = session.scalar(select(Team).where(Team.name == name, Team.closed.is_(None)))
    if team is None:
        raise UserError(
            f"There is no team called '{name}'.", todo="Choose one of the list; administrators make others."
        )
    return team


def _as_kept(team: Team) -> dict[str, object]:
    return {"name": team.name, "members": [one.login for one in team.members], "closed": team.closed is not None}


def _name(name: str) -> str:
    if not name.strip():
        raise UserError("The team has no name.", todo="Write one.")
    return name.strip()


def _people(session: Session, logins: Sequence[str]) -> list[Person]:
    found = {one.login: one for one in session.scalars(select(Person).where(Person.login.in_(logins)))}
    unknown = next((login for login in logins if login not in found), None)
    if unknown is not None:
        raise UserError(f"Nobody signs in as '{unknown}'.", todo="Choose people of the list.")
    return sorted(found.values(), key=lambda one: one.name)


def _flush(session: Session, team: Team) -> None:
    name = team.name
    try:
        session.flush()
    except IntegrityError as problem:
        raise UserError(f"There is a team called '{name}' already.", todo="Choose another name.") from problem


def _refuse_others(person: Person) -> None:
    if "administrator" not in person.roles:
        raise ForbiddenError("Teams are made by administrators.", todo="Ask one of them.")
