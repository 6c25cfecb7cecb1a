"""The addresses of accounts: people as administrators see them, one-time links, own sessions, the second factor."""

from flask import Response, make_response, request
from flask_login import current_user, login_required
from pydantic import BaseModel, ConfigDict, Field, RootModel

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import address, asking, guesses_counted, limiter, own_account
from brookfall.desk import accounts, password_links, passwords, people, second_factor, sessions, teams
from brookfall.desk.views import (
    AccountPage,
    AccountView,
    LinkView,
    NewAuthenticator,
    NewLink,
    PasswordRating,
    RecoveryCodes,
    SecondFactorView,
    SessionView,
    TeamView,
)
from brookfall.records.config import config
from brookfall.records.database import transaction

account_api = blueprint("account")


class _Body(BaseModel):
    model_config = ConfigDict(extra="forbid")


class NewPersonBody(_Body):
    login: str = Field(max_length=80)
    name: str = Field(max_length=200)
    roles: list[str] = Field(max_length=10)
    mail: str = Field(default="", max_length=320)


class RolesOfBody(_Body):
    roles: list[str] = Field(max_length=10)


class DisableBody(_Body):
    reason: str = Field(max_length=4_000)


class LinkBody(_Body):
    mail: bool = Field(description="mailed to the person, or else shown this once")


class SecretBody(_Body):
    secret: str = Field(max_length=200)


class UseLinkBody(SecretBody):
    password: str = Field(max_length=1000)


class RatingBody(_Body):
    password: str = Field(max_length=1000)
    secret: str = Field(default="", max_length=200, description="of the one-time link of who is not signed in")


class OwnPasswordBody(_Body):
    password: str = Field(max_length=1000)


class CodeBody(_Body):
    code: str = Field(max_length=40)


class PersonPath(BaseModel):
    person_id: int = Field(ge=1, lt=1 << 63)


class SessionPath(BaseModel):
    session_id: str = Field(pattern=r"^[0-9a-f]{16}$")


class TeamBody(_Body):
    name: str = Field(max_length=120)
    members: list[str] = Field(max_length=500, description="the names that they sign in with")


class ChangedTeamBody(TeamBody):
    closed: bool = Field(description="chosen no more")


class TeamPath(BaseModel):
    team_id: int = Field(ge=1, lt=1 << 63)


class Teams(RootModel[list[TeamView]]):
    pass


class People(RootModel[list[AccountView]]):
    pass


class Sessions(RootModel[list[SessionView]]):
    pass


@account_api.get("/people", responses={200: People})
@login_required
@shows
def get_people() -> People:
    """For administrators: everybody who has an account."""
    with transaction() as session:
        return People(accounts.everybody(session, asking(session)))


@account_api.post("/people", responses={200: AccountPage})
@login_required
@shows
def post_person(body: NewPersonBody) -> AccountPage:
    """Adds a person, who has no password until they use a one-time link."""
    with transaction() as session:
        by = asking(session)
        added = accounts.add(session, by, body.login, body.name, body.roles, body.mail)
        return accounts.account_page(session, by, added.id)


@account_api.get("/people/<int:person_id>", responses={200: AccountPage})
@login_required
@shows
def get_person(path: PersonPath) -> AccountPage:
    with transaction() as session:
        return accounts.account_page(session, asking(session), path.person_id)


@account_api.put("/people/<int:person_id>/roles", responses={200: AccountPage})
@login_required
@shows
def put_roles_of(path: PersonPath, body: RolesOfBody) -> AccountPage:
    with transaction() as session:
        by = asking(session)
        accounts.set_roles(session, by, path.person_id, body.roles)
        return accounts.account_page(session, by, path.person_id)


@account_api.post("/people/<int:person_id>/disable", responses={200: AccountPage})
@login_required
@shows
def post_disable(path: PersonPath, body: DisableBody) -> AccountPage:
    """Ends the person's sessions and tokens; what they hold is listed."""
    with transaction() as session:
        by = asking(session)
        accounts.disable(session, by, path.person_id, body.reason)
        return accounts.account_page(session, by, path.person_id)


@account_api.post("/people/<int:person_id>/enable", responses={200: AccountPage})
@login_required
@shows
def post_enable(path: PersonPath) -> AccountPage:
    with transaction() as session:
        by = asking(session)
        accounts.enable(session, by, path.person_id)
        return accounts.account_page(session, by, path.person_id)


@account_api.post("/people/<int:person_id>/link", responses={200: NewLink})
@login_required
@shows
def post_link(path: PersonPath, body: LinkBody) -> NewLink:
    """A one-time link by which the person chooses a password; links of theirs from before end."""
    # A letter never carries an address that whoever asks could have made up.
    base = config().public_url or ("" if body.mail else request.host_url)
    with transaction() as session:
        return accounts.new_link(session, asking(session), path.person_id, base, mail=body.mail, address=address())


@account_api.delete("/people/<int:person_id>/second-factor", responses={200: AccountPage})
@login_required
@shows
def delete_second_factor_of(path: PersonPath) -> AccountPage:
    """Of a person who lost their authenticator and its recovery codes."""
    with transaction() as session:
        by = asking(session)
        accounts.end_second_factor(session, by, path.person_id, address())
        return accounts.account_page(session, by, path.person_id)


@account_api.get("/teams", responses={200: Teams})
@login_required
@shows
def get_teams() -> Teams:
    with transaction() as session:
        return Teams(teams.teams_view(session))


@account_api.post("/teams", responses={200: Teams})
@login_required
@shows
def post_team(body: TeamBody) -> Teams:
    """An administrator makes a team."""
    with transaction() as session:
        return Teams(teams.make(session, asking(session), body.name, body.members))


@account_api.put("/teams/<int:team_id>", responses={200: Teams})
@login_required
@shows
def put_team(path: TeamPath, body: ChangedTeamBody) -> Teams:
    """An administrator names a team anew, changes its members, or closes it."""
    with transaction() as session:
        by = asking(session)
        return Teams(teams.change(session, by, path.team_id, body.name, body.members, closed=body.closed))


@account_api.post("/password-link", responses={200: LinkView})
@limiter.limit("30 per minute")
@shows
def post_link_look(body: SecretBody) -> LinkView:
    """Whose one-time link it is. The secret is no part of an address, which would stand in logs."""
    with transaction() as session:
        return password_links.look(session, body.secret)


@account_api.put("/password-link", responses={204: None})
@limiter.limit("30 per minute")
def put_password_by_link(body: UseLinkBody) -> Response:
    """A person's password by their one-time link; they sign in with it then."""
    with transaction() as session:
        password_links.use(session, body.secret, body.password, address())
    return make_response("", 204)


@account_api.post("/password-rating", responses={200: PasswordRating})
@limiter.limit("120 per minute")
@shows
def post_rating(body: RatingBody) -> PasswordRating:
    """How hard a password is to guess, before it is chosen; it is neither kept nor logged."""
    with transaction() as session:
        if current_user.is_authenticated:
            return passwords.rate(body.password, people.known_of(asking(session)))
        link = password_links.look(session, body.secret)
        return passwords.rate(body.password, (link.login, *link.name.split()))


@account_api.get("/sessions", responses={200: Sessions})
@login_required
@shows
def get_sessions() -> Sessions:
    """Where one is signed in."""
    with transaction() as session:
        return Sessions(sessions.own(session, asking(session), current_user.secret))


@account_api.delete("/sessions/<string:session_id>", responses={200: Sessions})
@login_required
@shows
def delete_session(path: SessionPath) -> Sessions:
    """Ends one of one's own sessions."""
    with transaction() as session:
        person = asking(session)
        sessions.end_one(session, person, path.session_id, address())
        return Sessions(sessions.own(session, person, current_user.secret))


@account_api.get("/second-factor", responses={200: SecondFactorView})
@login_required
@shows
def get_second_factor() -> SecondFactorView:
    with transaction() as session:
        return second_factor.view(session, asking(session))


@account_api.post("/second-factor", responses={200: NewAuthenticator})
@login_required
@guesses_counted(own_account)
@shows
def post_second_factor(body: OwnPasswordBody) -> NewAuthenticator:
    """Begins a second factor; it counts once a code of it is confirmed."""
    with transaction() as session:
        return second_factor.begin(session, asking(session), body.password)


@account_api.put("/second-factor", responses={200: RecoveryCodes})
@login_required
@guesses_counted(own_account)
@shows
def put_second_factor(body: CodeBody) -> RecoveryCodes:
    """Confirms the second factor that was begun."""
    with transaction() as session:
        return second_factor.confirm(session, asking(session), body.code, address())


@account_api.post("/second-factor/end", responses={200: SecondFactorView})
@login_required
@guesses_counted(own_account)
@shows
def post_second_factor_end(body: OwnPasswordBody) -> SecondFactorView:
    """Takes one's own second factor away."""
    with transaction() as session:
        person = asking(session)
        people.check_password(person, body.password, "Nothing was changed")
        second_factor.take_away(session, person, person, address())
        return second_factor.view(session, person)
