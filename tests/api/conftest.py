"""A client of the API, signed in as one of the demo's people, on the tests' own database."""

from collections.abc import Callable
from typing import Any, Protocol, cast

import pytest
from argon2 import PasswordHasher
from flask import Flask
from flask.testing import FlaskClient
from werkzeug.datastructures import Headers

from brookfall.demo.seed import PASSWORD, seed
from brookfall.desk import people
from brookfall.launch.house import House


class Answer(Protocol):
    """What comes back; a test that reads ``json`` where there is none fails by itself."""

    status_code: int
    text: str
    data: bytes
    json: Any
    headers: Headers
    content_type: str | None
    mimetype: str | None

    def get_data(self, as_text: bool = ...) -> Any: ...


class Visitor:
    """A browser without a screen: keeps cookies, sends the CSRF token."""

    def __init__(self, client: FlaskClient) -> None:
        self.client = client
        self.client.get("/api/health")

    def ask(self, method: str, path: str, body: object = None, **more: Any) -> Answer:
        cookie = self.client.get_cookie("brookfall_csrf")
        headers = {"X-CSRF-Token": cookie.value if cookie else ""}
        sent: dict[str, Any] = {"json": body} if body is not None else {}
        return cast("Answer", self.client.open(path, method=method, headers=headers, **sent, **more))

    def get(self, path: str) -> Any:
        response = self.ask("GET", path)
        assert response.status_code == 200, response.text
        return response.json


people._hasher = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)
"""A third of a second of every sign-in would go to hashing; a hash tells the cost that it is checked at."""


@pytest.fixture(scope="session")
def app(stores: House) -> Flask:
    from brookfall.api.app import create_app
    from brookfall.api.session import limiter

    made = create_app()
    seed()
    limiter.enabled = False
    return made


@pytest.fixture(scope="module")
def state() -> dict[str, str]:
    """What the tests of a module make once and share."""
    return {}


@pytest.fixture
def visitor(app: Flask) -> Callable[[str], Visitor]:
    def sign_in(login: str) -> Visitor:
        visitor = Visitor(app.test_client())
        response = visitor.ask("POST", "/api/session", {"login": login, "password": PASSWORD})
        assert response.status_code == 200, response.text
        return visitor

    return sign_in
