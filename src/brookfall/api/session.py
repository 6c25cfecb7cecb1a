"""Who is asking: sessions, CSRF, throttling."""

from flask import Flask, Request, Response, request
from flask_limiter import Limiter
from flask_limiter.util import get_remote_address
from flask_login import LoginManager, UserMixin, current_user
from flask_wtf.csrf import CSRFProtect, generate_csrf
from sqlalchemy.orm import Session

from brookfall.api.problems import problem
from brookfall.desk import people, tokens
from brookfall.records.database import transaction
from brookfall.records.people import Person

csrf = CSRFProtect()
limiter = Limiter(get_remote_address, strategy="moving-window")
_login = LoginManager()

_SAFE = frozenset({"GET", "HEAD", "OPTIONS"})
CSRF_COOKIE = "brookfall_csrf"


class SignedIn(UserMixin):  # type: ignore[misc] # the library has no types
    """The person of a session, by id alone."""

    def __init__(self, person_id: int) -> None:
        self.id = person_id


def guard(app: Flask) -> None:
    """Puts sessions, CSRF and throttling in front of an application."""
    _login.init_app(app)
    csrf.init_app(app)
    limiter.init_app(app)

    # A browser sends its cookies for whoever asks it to, so its requests carry a CSRF token; a script sends its
    # own token itself, and no page of another site can.
    app.config["WTF_CSRF_CHECK_DEFAULT"] = False

    @app.before_request
    def _check_csrf() -> None:
        if bearer() is None and request.method not in _SAFE:
            csrf.protect()

    @_login.request_loader
    def _by_token(_: Request) -> SignedIn | None:
        secret = bearer()
        if secret is None:
            return None
        with transaction() as session:
            person_id = tokens.person_by(session, secret)
        return None if person_id is None else SignedIn(person_id)

    @_login.user_loader
    def _load(person_id: str) -> SignedIn:
        return SignedIn(int(person_id))

    @_login.unauthorized_handler
    def _unauthorized() -> Response:
        return problem(401, "Not signed in", "This needs a person who is signed in.", todo="Sign in.")

    @app.after_request
    def _hand_out_csrf(response: Response) -> Response:
        if request.endpoint != "static" and not request.path.startswith("/assets/"):
            secure = bool(app.config["SESSION_COOKIE_SECURE"])
            response.set_cookie(CSRF_COOKIE, generate_csrf(), samesite="Strict", secure=secure)
        return response


def bearer() -> str | None:
    """The secret of the personal token that the request carries, if any."""
    kind, _, secret = request.headers.get("Authorization", "").partition(" ")
    return secret.strip() if kind.lower() == "bearer" and secret.strip() else None


def asking(session: Session) -> Person:
    """The person whose request this is."""
    return people.person_of(session, int(current_user.id))
