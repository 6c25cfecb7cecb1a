"""Signing in, CSRF, throttling, and the rule that nobody holds two roles on one case."""

import io
from collections.abc import Callable

from flask import Flask

from brookfall.api.session import limiter
from tests.api.conftest import Visitor
from tests.api.packages import submit
from tests.conftest import files_of

SignIn = Callable[[str], Visitor]


def test_a_stranger_sees_nothing(app: Flask) -> None:
    stranger = Visitor(app.test_client())
    for path in ("/api/cases", "/api/cases/1", "/api/record", "/api/session"):
        response = stranger.ask("GET", path)
        assert response.status_code == 401
        assert response.content_type == "application/problem+json"


def test_a_wrong_password_is_refused_and_the_cookie_is_safe(app: Flask) -> None:
    stranger = Visitor(app.test_client())
    refused = stranger.ask("POST", "/api/session", {"login": "iris", "password": "wrong"})
    assert refused.status_code == 401
    taken = stranger.ask("POST", "/api/session", {"login": "iris", "password": "hollinmoor-demo"})
    cookie = next(value for name, value in taken.headers if name == "Set-Cookie" and value.startswith("session="))
    assert "HttpOnly" in cookie
    assert "SameSite=Lax" in cookie


def test_a_request_without_the_token_is_refused(visitor: SignIn) -> None:
    response = visitor("iris").client.post("/api/cases/1/take")
    assert response.status_code == 400
    assert response.json["title"] == "The page is too old"


def test_guessing_is_throttled(app: Flask) -> None:
    limiter.enabled = True
    try:
        guesser = Visitor(app.test_client())
        codes = [
            guesser.ask("POST", "/api/session", {"login": "iris", "password": str(i)}).status_code for i in range(14)
        ]
        assert 429 in codes
    finally:
        limiter.reset()
        limiter.enabled = False


def test_pages_carry_a_strict_policy(app: Flask) -> None:
    policy = app.test_client().get("/").headers["Content-Security-Policy"]
    assert "script-src 'self'" in policy
    assert "unsafe-inline" not in policy.split("script-src")[1].split(";")[0]


def test_only_an_owner_submits(visitor: SignIn) -> None:
    response = submit(visitor("iris"), files_of())
    assert response.status_code == 403


def test_only_a_reviewer_takes_and_only_once(visitor: SignIn) -> None:
    case = submit(visitor("nell"), files_of(), version="roles").json["case_id"]
    assert visitor("nell").ask("POST", f"/api/cases/{case}/take").status_code == 403
    assert visitor("ada").ask("POST", f"/api/cases/{case}/take").status_code == 403
    assert visitor("iris").ask("POST", f"/api/cases/{case}/take").status_code == 200
    assert visitor("tom").ask("POST", f"/api/cases/{case}/take").status_code == 403
    refused = visitor("tom").ask("POST", f"/api/cases/{case}/run")
    assert refused.status_code == 403
    assert "Another reviewer" in refused.json["detail"]


def test_an_owner_sees_only_their_own(visitor: SignIn, app: Flask) -> None:
    from brookfall.desk.people import add_person
    from brookfall.records.database import transaction

    with transaction() as session:
        add_person(session, "otto", "Otto Reed", "hollinmoor-demo", ("owner", "reviewer", "countersigner"))
        add_person(session, "olga", "Olga Reed", "hollinmoor-demo", ("owner",))
    case = submit(visitor("otto"), files_of(), version="otto").json["case_id"]
    assert visitor("olga").ask("GET", f"/api/cases/{case}").status_code == 404
    assert visitor("olga").get("/api/cases")["cases"] == []
    assert visitor("ada").ask("GET", f"/api/cases/{case}").status_code == 200
    # Otto is a reviewer and a countersigner too, but not of his own model.
    own = visitor("otto").ask("POST", f"/api/cases/{case}/take")
    assert own.status_code == 403
    assert "You belong to this model" in own.json["detail"]


def test_an_auditor_changes_nothing(visitor: SignIn) -> None:
    ada = visitor("ada")
    data = ada.get("/api/cases/1/data")
    body = {"revision": data["revision"], "roles": data["roles"]}
    assert ada.ask("PUT", "/api/cases/1/roles", body).status_code == 403
    upload = ada.ask("POST", "/api/cases", data={"package": (io.BytesIO(b"x"), "x.zip")})
    assert upload.status_code in (403, 422)
