"""Who is asking: sessions, tokens and what they are for, CSRF, and how often a password may be guessed."""

from collections.abc import Callable
from functools import wraps
from typing import ParamSpec

from flask import Flask, Request, Response, request
from flask import session as cookie
from flask_limiter import Limiter, RateLimitExceeded
from flask_limiter.util import get_remote_address
from flask_login import LoginManager, UserMixin, current_user, login_user, logout_user
from flask_wtf.csrf import CSRFProtect, generate_csrf
from limits import parse
from redis.exceptions import RedisError
from sqlalchemy.orm import Session
from structlog.contextvars import bind_contextvars

from brookfall.api.operations import METRICS
from brookfall.api.problems import problem
from brookfall.core.foundation.errors import WrongPasswordError
from brookfall.desk import people, sessions, tokens
from brookfall.records import security_log
from brookfall.records.database import committed, transaction
from brookfall.records.people import Person

csrf = CSRFProtect()
limiter = Limiter(get_remote_address, strategy="moving-window")
_login = LoginManager()

_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
CSRF_COOKIE = "brookfall_csrf"
_SIGN_IN = "/api/session"
_OF_SESSIONS_ALONE = (
    "/api/tokens", "/api/security-log", "/api/password", "/api/people", "/api/sessions", "/api/second-factor",
)  # fmt: skip
"""Addresses that no token opens: who finds a token must not make another, or learn who signs in from where."""

_ONE_A_MINUTE = parse("1 per minute")

P = ParamSpec("P")


class SignedIn(UserMixin):  # type: ignore[misc] # the library has no types
    """The person of a session, which goes by its secret; or of a token, which is for some things only."""

    def __init__(
        self,
        person_id: int,
        *,
        secret: str = "",
        scopes: frozenset[str] | None = None,
        person: Person | None = None,
    ) -> None:
        self.id = person_id
        self.person = person
        self.secret = secret
        self.scopes = scopes

    def get_id(self) -> str:
        """What the cookie keeps."""
        return self.secret


def guard(app: Flask) -> None:
    """Puts sessions, CSRF and throttling in front of an application."""
    _login.init_app(app)
    csrf.init_app(app)
    limiter.init_app(app)

    # A browser sends its cookies for whoever asks it to, so its requests carry a CSRF token; a script sends its
    # own token itself, and no page of another site can. Who sends one is known by it alone, whatever the cookie says.
    app.config["WTF_CSRF_CHECK_DEFAULT"] = False

    @app.before_request
    def _check_csrf() -> None:
        if request.method not in _SAFE and (bearer() is None or _signs_in()):
            csrf.protect()

    @app.before_request
    def _stay_in_scope() -> Response | None:
        if bearer() is None or not current_user.is_authenticated or _within(current_user.scopes):
            return None
        todo = "Sign in with a browser, or use a token that is for it."
        return problem(403, "Not by this token", "This token is not for that.", todo=todo)

    @_login.request_loader
    def _by_token(_: Request) -> SignedIn | None:
        secret = bearer()
        if secret is None or request.path == METRICS:
            return None
        with transaction() as session:
            found = tokens.bearer_of(session, secret)
            if found is None and not _noted("token"):
                security_log.enter(session, "refused a token", login="", person=None, address=address())
        # That a token was used is no part of what is asked for.
        committed.set(0)
        return None if found is None else _known(SignedIn(found[0], scopes=found[1]))

    @_login.user_loader
    def _by_session(secret: str) -> SignedIn | None:
        if bearer() is not None:
            return None
        with transaction() as session:
            person = sessions.person_by(session, secret)
        committed.set(0)
        return None if person is None else _known(SignedIn(person.id, secret=secret, person=person))

    @_login.unauthorized_handler
    def _unauthorized() -> Response:
        return problem(401, "Not signed in", "This needs a person who is signed in.", todo="Sign in.")

    @app.errorhandler(RateLimitExceeded)
    def _throttled(_: RateLimitExceeded) -> Response:
        who = _typed_login() or (f"person {current_user.id}" if current_user.is_authenticated else "")
        if not _noted(who):
            with transaction() as session:
                security_log.enter(session, "throttled", login=who, person=None, address=address())
        return problem(429, "Too often", "Too many tries within a minute.", todo="Wait a minute, then try again.")

    @app.after_request
    def _hand_out_csrf(response: Response) -> Response:
        if request.endpoint != "static" and not request.path.startswith("/assets/"):
            secure = bool(app.config["SESSION_COOKIE_SECURE"])
            response.set_cookie(CSRF_COOKIE, generate_csrf(), samesite="Strict", secure=secure)
        return response


def _known(asking: SignedIn) -> SignedIn:
    """Who asks, for the log too."""
    bind_contextvars(person=asking.id)
    return asking


def enter_session(secret: str, person_id: int) -> None:
    """This browser's cookie is that of a new session; nothing of the one before stays in it."""
    cookie.clear()
    login_user(SignedIn(person_id, secret=secret))


def leave_session(session: Session) -> None:
    """Ends the session on the server, and takes the cookie away."""
    person = asking(session)
    sessions.end(session, current_user.secret)
    security_log.enter(session, "signed out", login=person.login, person=person, address=address())
    logout_user()
    cookie.clear()


def secret_of_cookie() -> str | None:
    """The secret of the session that this browser has, whether it still goes on or not."""
    return cookie.get("_user_id")


def guesses_counted(account: Callable[[], str]) -> Callable[[Callable[P, Response]], Callable[P, Response]]:
    """An address that takes a password: ten guesses a minute an account and 300 an address, counted before the answer.

    A right password sets the account's count back; ``account`` names whose password it is.
    """

    def decorate(view: Callable[P, Response]) -> Callable[P, Response]:
        @limiter.limit("300 per minute")
        @limiter.limit("10 per minute", key_func=account)
        @wraps(view)
        def counted(*args: P.args, **kwargs: P.kwargs) -> Response:
            try:
                response = view(*args, **kwargs)
            except WrongPasswordError:
                with transaction() as session:
                    person = asking(session)
                    what: security_log.What = "refused a signature"
                    security_log.enter(session, what, login=person.login, person=person, address=address())
                raise
            if response.status_code < 400:
                _forget(account())
            return response

        return counted

    return decorate


def typed_account() -> str:
    """Whose password a sign-in guesses."""
    return f"login {_typed_login().lower()}"


def own_account() -> str:
    """Whose password a signature guesses."""
    return f"person {current_user.id}" if current_user.is_authenticated else get_remote_address()


def bearer() -> str | None:
    """The secret of the personal token that the request carries, if any."""
    kind, _, secret = request.headers.get("Authorization", "").partition(" ")
    return secret.strip() if kind.lower() == "bearer" and secret.strip() else None


def address() -> str:
    """Where the request comes from."""
    return request.remote_addr or ""


def asking(session: Session) -> Person:
    """The person whose request this is; who was read with the session is not read again."""
    if current_user.person is not None:
        return session.merge(current_user.person, load=False)
    return people.person_of(session, int(current_user.id))


def _within(scopes: frozenset[str] | None) -> bool:
    if scopes is None:
        return True
    if request.path.startswith(_OF_SESSIONS_ALONE):
        return False
    if request.method == "GET" and request.path == _SIGN_IN:
        return True
    submits = request.path.startswith("/api/drafts") or (request.method == "POST" and request.path == "/api/cases")
    return "submit" in scopes if submits else request.method in _SAFE and "read" in scopes


def _signs_in() -> bool:
    return request.method == "POST" and request.path == _SIGN_IN


def _typed_login() -> str:
    body = request.get_json(silent=True) if _signs_in() else None
    login = body.get("login") if isinstance(body, dict) else None
    return login[:80] if isinstance(login, str) else ""


def _forget(account: str) -> None:
    for one in limiter.current_limits:
        if account in one.request_args:
            limiter.limiter.clear(one.limit, *one.request_args)


def _noted(who: str) -> bool:
    """Whether the log has had such a line from this address within a minute: a flood must not fill it."""
    try:
        return not limiter.limiter.hit(_ONE_A_MINUTE, "security log", who, address())
    except RedisError:
        return True
