"""Signing in by the house's own OpenID Connect provider, and confirming there who it is that signs.

The addresses redirect a browser and are no part of the API. What the provider sends back is taken once, by the
browser that was sent there (state), for this request (nonce, PKCE) and this house (audience), signed by the
provider's own keys.
"""

import time
from typing import Any
from urllib.parse import urlencode

import requests
from authlib.common.errors import AuthlibBaseError
from authlib.integrations.flask_client import OAuth
from flask import Blueprint, Flask, redirect, request
from flask import session as cookie
from flask_login import current_user
from joserfc.errors import JoseError
from structlog import get_logger
from werkzeug import Response

from brookfall.api.session import address, asking, enter_session, secret_of_cookie
from brookfall.desk import provider, sessions, signing_codes
from brookfall.desk.provider import Told, Why
from brookfall.records.config import config
from brookfall.records.database import transaction

_NEXT, _BEGUN = "provider_next", "provider_begun"
_CONFIRMED = "/confirmed"
_PATIENCE_SECONDS = 10
_LEEWAY_SECONDS = 60
"""So far may the provider's clock be from ours."""

_log = get_logger(__name__)


def serve_provider(app: Flask) -> None:
    """Registers the addresses, where the house has a provider."""
    settings = config()
    if settings.provider_url is None:
        return
    oauth = OAuth(app)
    client = oauth.register(
        name="house",
        server_metadata_url=f"{settings.provider_url.rstrip('/')}/.well-known/openid-configuration",
        client_id=settings.provider_client_id,
        client_secret=settings.provider_client_secret,
        client_kwargs={
            "scope": "openid profile email",
            "code_challenge_method": "S256",
            "default_timeout": _PATIENCE_SECONDS,
        },
    )
    pages = Blueprint("provider", __name__, url_prefix="/provider")
    back = f"{str(settings.public_url).rstrip('/')}/provider/return"

    @pages.get("/sign-in")
    def _begin() -> Response:
        """To the provider, and from there to ``next``."""
        cookie.pop(_BEGUN, None)
        cookie[_NEXT] = _within(request.args.get("next", "/"))
        return _sent(client, back, "/")

    @pages.get("/confirm")
    def _confirm() -> Response:
        """To the provider, which asks anew who it is; from there to a page with a code to sign with."""
        if not current_user.is_authenticated:
            return redirect("/")
        cookie[_BEGUN] = int(time.time())
        return _sent(client, back, _CONFIRMED, prompt="login", max_age="0")

    @pages.get("/return")
    def _return() -> Response:
        """What the provider sends a browser back to."""
        begun, then = cookie.pop(_BEGUN, None), cookie.pop(_NEXT, "/")
        told = _told(client, begun)
        if not isinstance(told, Told):
            return _refused(told, "/" if begun is None else _CONFIRMED)
        return _signed_in(told, then) if begun is None else _confirmed(told)

    app.register_blueprint(pages)


def _sent(client: Any, back: str, page: str, **more: str) -> Response:
    # What was begun and never ended would fill the cookie in the end.
    for begun in [name for name in cookie if name.startswith(f"_state_{client.name}_")]:
        del cookie[begun]
    try:
        sent: Response = client.authorize_redirect(back, **more)
    except (AuthlibBaseError, requests.RequestException, ValueError, KeyError, RuntimeError) as problem:
        _log.warning("the provider can't be asked", problem=repr(problem))
        return _refused("failed", page)
    return sent


def _told(client: Any, begun: int | None) -> Told | Why:
    """Who the provider says it is; ``begun``: not before this moment, in seconds since 1970."""
    try:
        issuer = client.load_server_metadata()["issuer"]
        options = {
            "iss": {"essential": True, "value": issuer},
            "aud": {"essential": True, "value": client.client_id},
            "sub": {"essential": True},
        }
        claims = client.authorize_access_token(claims_options=options, leeway=_LEEWAY_SECONDS)["userinfo"]
        if begun is not None and int(claims["auth_time"]) < begun - _LEEWAY_SECONDS:
            raise ValueError("the provider did not ask anew who it is")
    except (AuthlibBaseError, JoseError, requests.RequestException, ValueError, KeyError, TypeError) as problem:
        _log.warning("the provider's word was not taken", problem=repr(problem))
        return "failed"
    return provider.told_by(claims) or "no_name"


def _signed_in(told: Told, then: str) -> Response:
    with transaction() as session:
        found = provider.sign_in(session, told, address())
        if isinstance(found, str):
            return _refused(found)
        secret, person_id = sessions.begin(session, found, address(), secret_of_cookie()), found.id
    enter_session(secret, person_id)
    return redirect(then)


def _confirmed(told: Told) -> Response:
    """A code to sign with, for the very person who is signed in."""
    if not current_user.is_authenticated:
        return redirect("/")
    with transaction() as session:
        person = asking(session)
        if person.subject_sha256 != told.subject:
            return _refused("other_person", _CONFIRMED)
        code = signing_codes.make(session, person, second_factor=told.second_factor)
    # After the # it is in no log of a server, and in no Referer.
    return redirect(f"{_CONFIRMED}#{code}")


def _refused(why: Why, page: str = "/") -> Response:
    """The page that has words for it."""
    return redirect(f"{page}?{urlencode({'refused': why})}")


def _within(address_: str) -> str:
    """An address of our own pages; the first of them for anything else."""
    inside = address_.startswith("/") and not address_.startswith(("//", "/\\"))
    return address_ if inside and address_.isprintable() else "/"
