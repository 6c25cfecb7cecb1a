"""Who is asking: sessions, CSRF, throttling."""

from flask import Flask, Response, request
from flask_limiter import Limiter
from flask_limiter.util import get_remote_address
from flask_login import LoginManager, UserMixin, current_user
from flask_wtf.csrf import CSRFProtect, generate_csrf
from sqlalchemy.orm import Session

from brookfall.api.problems import problem
from brookfall.desk import people
from brookfall.records.people import Person

csrf = CSRFProtect()
limiter = Limiter(get_remote_address, strategy="moving-window")
_login = LoginManager()

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


def asking(session: Session) -> Person:
    """The person whose request this is."""
    return people.person_of(session, int(current_user.id))
