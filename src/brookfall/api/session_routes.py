"""The addresses of signing in and out, of one's password and tokens, and of the security log."""

from flask import Response, jsonify, make_response
from flask_login import current_user, login_required
from pydantic import BaseModel, ConfigDict, Field, RootModel

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.problems import problem
from brookfall.api.session import (
    address,
    asking,
    enter_session,
    guesses_counted,
    leave_session,
    own_account,
    secret_of_cookie,
    typed_account,
)
from brookfall.core.foundation.errors import CodeWantedError
from brookfall.desk import letters, people, security, sessions, tokens
from brookfall.desk.sign_in import sign_in as sign_in_by
from brookfall.desk.tokens import Scope
from brookfall.desk.views import LetterView, MailView, NewToken, PersonView, SecurityLogView, SignInWays, TokenView
from brookfall.records.config import config
from brookfall.records.database import transaction
from brookfall.records.people import MailWhen

session_api = blueprint("session")


class Credentials(BaseModel):
    model_config = ConfigDict(extra="forbid")

    login: str = Field(max_length=80)
    password: str = Field(max_length=1000)
    code: str = Field(default="", max_length=40, description="of the second factor, where the person has one")


class PasswordBody(BaseModel):
    model_config = ConfigDict(extra="forbid")

    old: str = Field(max_length=1000)
    new: str = Field(max_length=1000)


class TokenBody(BaseModel):
    name: str = Field(min_length=1, max_length=200)
    scopes: list[Scope] = Field(min_length=1, max_length=2, description="what it is for")
    days: int = Field(default=90, ge=1, le=365, description="until it ends")


class MailBody(BaseModel):
    model_config = ConfigDict(extra="forbid")

    address: str = Field(max_length=320)
    when: MailWhen


class Letters(RootModel[list[LetterView]]):
    pass


class TokenPath(BaseModel):
    token_id: int


class Tokens(RootModel[list[TokenView]]):
    pass


class LogQuery(BaseModel):
    page: int = Field(default=1, ge=1, le=1_000_000)


@session_api.get("/sign-in", responses={200: SignInWays})
@shows
def get_sign_in() -> SignInWays:
    """How people sign in here, for who has not yet."""
    settings = config()
    return SignInWays(provider=settings.provider_name if settings.provider_url else None, local=settings.local_accounts)


@session_api.post("/session", responses={200: PersonView})
@guesses_counted(typed_account)
def sign_in(body: Credentials) -> Response:
    if not config().local_accounts:
        todo = f"Sign in by {config().provider_name}."
        return problem(403, "Not by a password", "Nobody has a password here.", todo=todo)
    with transaction() as session:
        try:
            person = sign_in_by(session, body.login, body.password, body.code, address())
        except CodeWantedError as wanted:
            return problem(401, "A code is wanted", wanted.what, "code", wanted.todo)
        if person is None:
            wrong = "The name, the password or the code" if body.code else "The name or the password"
            return problem(401, "Not signed in", f"{wrong} is not right.", todo="Try again.")
        secret = sessions.begin(session, person, address(), secret_of_cookie())
        view, person_id = people.person_view(person), person.id
    enter_session(secret, person_id)
    return jsonify(view.model_dump())


@session_api.get("/session", responses={200: PersonView})
@login_required
@shows
def who_am_i() -> PersonView:
    with transaction() as session:
        return people.person_view(asking(session))


@session_api.delete("/session", responses={204: None})
@login_required
def sign_out() -> Response:
    with transaction() as session:
        leave_session(session)
    return make_response("", 204)


@session_api.put("/password", responses={204: None})
@login_required
@guesses_counted(own_account)
def put_password(body: PasswordBody) -> Response:
    """One's own new password. Every other session of one's own ends."""
    with transaction() as session:
        person = asking(session)
        people.change_password(session, person, body.old, body.new, keep=current_user.secret, address=address())
    return make_response("", 204)


@session_api.get("/mail", responses={200: MailView})
@login_required
@shows
def get_mail() -> MailView:
    with transaction() as session:
        return letters.mail_view(asking(session))


@session_api.put("/mail", responses={200: MailView})
@login_required
@shows
def put_mail(body: MailBody) -> MailView:
    """Where one is mailed, and whether at once, once a day or never."""
    with transaction() as session:
        return letters.choose(session, asking(session), body.address, body.when)


@session_api.get("/letters", responses={200: Letters})
@login_required
@shows
def get_letters(query: LogQuery) -> Letters:
    """The letters written to whoever asks, the newest first."""
    with transaction() as session:
        return Letters(letters.letters_view(session, asking(session), query.page))


@session_api.get("/tokens", responses={200: Tokens})
@login_required
@shows
def get_tokens() -> Tokens:
    with transaction() as session:
        return Tokens(tokens.tokens_view(session, asking(session)))


@session_api.post("/tokens", responses={200: NewToken})
@login_required
@shows
def post_token(body: TokenBody) -> NewToken:
    with transaction() as session:
        return tokens.make(session, asking(session), body.name, body.scopes, body.days, address())


@session_api.delete("/tokens/<int:token_id>", responses={200: Tokens})
@login_required
@shows
def delete_token(path: TokenPath) -> Tokens:
    with transaction() as session:
        return Tokens(tokens.revoke(session, asking(session), path.token_id, address()))


@session_api.get("/security-log", responses={200: SecurityLogView})
@login_required
@shows
def get_security_log(query: LogQuery) -> SecurityLogView:
    """For administrators: who signed in from where, and who was refused."""
    with transaction() as session:
        return security.log_view(session, asking(session), query.page)
