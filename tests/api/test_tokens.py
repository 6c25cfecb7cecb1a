"""Personal tokens: made once, used by scripts, revoked; and submitting from the command line."""

import hashlib
from collections.abc import Callable
from datetime import datetime, timedelta
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from flask import Flask
from sqlalchemy import select

from brookfall.cli import main
from brookfall.demo.seed import PASSWORD
from brookfall.desk.views import TokenView
from brookfall.launch.house import House
from brookfall.records.database import transaction
from brookfall.records.people import Token
from tests.api.conftest import Visitor
from tests.conftest import files_of, rows_csv
from tests.core.test_package import zipped

SignIn = Callable[[str], Visitor]


@pytest.fixture(scope="module")
def address(app: Flask, workers: House) -> str:
    workers.start_web()
    return workers.address


def secret_of(
    visitor: Visitor, name: str = "nightly", scopes: tuple[str, ...] = ("read", "submit"), **more: object
) -> str:
    response = visitor.ask("POST", "/api/tokens", {"name": name, "scopes": list(scopes), **more})
    assert response.status_code == 200, response.text
    return response.json["secret"]


def bearing(app: Flask, secret: str, method: str, path: str, **more: Any) -> tuple[int, Any]:
    """A request as a script sends it: no cookie, no CSRF token."""
    headers = {"Authorization": f"Bearer {secret}"}
    answer = app.test_client().open(path, method=method, headers=headers, **more)
    return answer.status_code, answer.json


def test_a_token_acts_for_its_person_until_it_is_revoked(visitor: SignIn, app: Flask) -> None:
    nell = visitor("nell")
    secret = secret_of(nell)
    assert bearing(app, secret, "GET", "/api/session")[1]["login"] == "nell"
    (token, *_) = nell.ask("GET", "/api/tokens").json
    assert token["name"] == "nightly"
    assert token["used"] is not None
    assert secret not in nell.ask("GET", "/api/tokens").text
    assert visitor("iris").ask("DELETE", f"/api/tokens/{token['id']}").status_code == 404
    assert nell.ask("DELETE", f"/api/tokens/{token['id']}").json[0]["revoked"] is not None
    assert bearing(app, secret, "GET", "/api/session")[0] == 401
    assert bearing(app, "made up", "GET", "/api/session")[0] == 401


def test_a_token_is_for_what_it_was_made_for_and_ends(visitor: SignIn, app: Flask) -> None:
    nell = visitor("nell")
    reading, submitting = secret_of(nell, "reads", ("read",)), secret_of(nell, "submits", ("submit",), days=1)
    assert bearing(app, reading, "GET", "/api/cases")[0] == 200
    assert bearing(app, reading, "POST", "/api/drafts", json={})[0] == 403
    assert bearing(app, submitting, "GET", "/api/cases")[0] == 403
    assert bearing(app, submitting, "GET", "/api/drafts")[0] == 200
    assert bearing(app, submitting, "GET", "/api/session")[1]["login"] == "nell"
    iris = secret_of(visitor("iris"), "both")
    for method, path, body in (
        ("GET", "/api/tokens", None),
        ("POST", "/api/tokens", {"name": "child", "scopes": ["read"]}),
        ("PUT", "/api/password", {"old": PASSWORD, "new": "another-password"}),
        ("DELETE", "/api/session", None),
        ("POST", "/api/cases/1/take", None),
        ("POST", "/api/cases/1/decision", {}),
        ("GET", "/api/security-log", None),
    ):
        status, told = bearing(app, iris, method, path, json=body)
        assert (status, told["detail"]) == (403, "This token is not for that."), path
    with transaction() as session:
        digest = hashlib.sha256(submitting.encode()).hexdigest()
        token = session.scalars(select(Token).where(Token.sha256 == digest)).one()
        assert token.ends - token.created == timedelta(days=1)
        token.ends = token.created
    assert bearing(app, submitting, "GET", "/api/drafts")[0] == 401
    assert nell.ask("POST", "/api/tokens", {"name": "for nothing", "scopes": []}).status_code == 422
    assert nell.ask("POST", "/api/tokens", {"name": "for ever", "scopes": ["read"], "days": 400}).status_code == 422


def test_a_made_up_token_does_not_stand_in_for_the_csrf_token(visitor: SignIn) -> None:
    nell = visitor("nell")
    junk = {"Authorization": "Bearer junk"}
    assert nell.client.post("/api/tokens", json={"name": "forged", "scopes": ["read"]}, headers=junk).status_code == 401
    assert nell.client.get("/api/session", headers=junk).status_code == 401, "one is known by the token alone"
    sent = {"login": "nell", "password": PASSWORD}
    assert nell.client.post("/api/session", json=sent, headers=junk).status_code == 400
    assert nell.client.get("/api/session").status_code == 200


def test_a_cookie_without_a_csrf_token_is_still_refused(visitor: SignIn) -> None:
    nell = visitor("nell")
    assert nell.client.post("/api/tokens", json={"name": "forged"}).status_code == 400
    assert (
        nell.client.post("/api/tokens", json={"name": "forged"}, headers={"Authorization": "Basic x"}).status_code
        == 400
    )


def test_there_are_not_too_many(visitor: SignIn) -> None:
    wren = visitor("wren")
    in_use = [token for token in wren.ask("GET", "/api/tokens").json if token["revoked"] is None]
    for number in range(len(in_use), 20):
        secret_of(wren, f"token {number}")
    refused = wren.ask("POST", "/api/tokens", {"name": "one more", "scopes": ["read"]})
    assert refused.status_code == 422
    assert "Revoke one" in refused.json["todo"]


def test_a_package_is_submitted_from_the_command_line(visitor: SignIn, address: str, tmp_path: Path) -> None:
    secret = secret_of(visitor("nell"), "command line")
    model = {"name": "By script", "version": "1", "tier": 3, "outcome": "binary", "purpose": "To see", "owner": "Us"}
    package = tmp_path / "package.zip"
    package.write_bytes(zipped(files_of(model=model)))
    asked = ["submit", str(package), "--url", address, "--token", secret, "--due", "2027-01-31"]
    first = CliRunner().invoke(main, asked)
    assert first.exit_code == 0, first.output
    case = visitor("ada").get(first.stdout.strip().replace(f"{address}/cases/", "/api/cases/"))
    assert (case["model"], case["due"]) == ("By script", "2027-01-31")
    again = CliRunner().invoke(main, asked)
    assert again.exit_code == 2
    assert "By script 1 was submitted before" in again.output


@pytest.mark.parametrize(
    ("url", "token", "words"),
    [
        ("{address}", "made up", "who is signed in"),
        ("http://127.0.0.1:9", "x", "did not answer"),
        ("ftp://a", "x", "is no web address"),
    ],
)
def test_what_hinders_submitting_is_said(address: str, tmp_path: Path, url: str, token: str, words: str) -> None:
    package = tmp_path / "package.zip"
    package.write_bytes(zipped(files_of()))
    done = CliRunner().invoke(main, ["submit", str(package), "--url", url.format(address=address), "--token", token])
    assert done.exit_code == 2
    assert words in done.output


def test_a_broken_package_is_refused_before_it_is_sent(tmp_path: Path) -> None:
    package = tmp_path / "package.zip"
    package.write_bytes(zipped(files_of(csv=rows_csv(50) + "1,2\n")))
    done = CliRunner().invoke(main, ["submit", str(package), "--url", "http://127.0.0.1:9", "--token", "x"])
    assert done.exit_code == 2
    assert "data/rows.csv, row 52" in done.output


def test_moments_are_sent_with_their_zone() -> None:
    made, ends = datetime(2026, 11, 28, 9, 30), datetime(2027, 2, 26, 9, 30)
    sent = TokenView(id=1, name="script", scopes=["read"], created=made, ends=ends, used=None, revoked=None)
    assert '"created":"2026-11-28T09:30:00Z"' in sent.model_dump_json()
