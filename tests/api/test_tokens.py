"""Personal tokens: made once, used by scripts, revoked; and submitting from the command line."""

from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

import pytest
from click.testing import CliRunner
from flask import Flask

from brookfall.cli import main
from brookfall.desk.views import TokenView
from brookfall.launch.house import House
from tests.api.conftest import Visitor
from tests.conftest import files_of, rows_csv
from tests.core.test_package import zipped

SignIn = Callable[[str], Visitor]


@pytest.fixture(scope="module")
def address(app: Flask, workers: House) -> str:
    workers.start_web()
    return workers.address


def secret_of(visitor: Visitor, name: str = "nightly") -> str:
    response = visitor.ask("POST", "/api/tokens", {"name": name})
    assert response.status_code == 200, response.text
    return response.json["secret"]


def bearing(app: Flask, secret: str, method: str, path: str, **more: Any) -> tuple[int, dict[str, Any]]:
    """A request as a script sends it: no cookie, no CSRF token."""
    headers = {"Authorization": f"Bearer {secret}"}
    answer = app.test_client().open(path, method=method, headers=headers, **more)
    return answer.status_code, dict(answer.json or {})


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


def test_a_cookie_without_a_csrf_token_is_still_refused(visitor: SignIn) -> None:
    nell = visitor("nell")
    assert nell.client.post("/api/tokens", json={"name": "forged"}).status_code == 400
    assert (
        nell.client.post("/api/tokens", json={"name": "forged"}, headers={"Authorization": "Basic x"}).status_code
        == 400
    )


def test_there_are_not_too_many(visitor: SignIn) -> None:
    wren = visitor("wren")
    for number in range(20):
        secret_of(wren, f"token {number}")
    refused = wren.ask("POST", "/api/tokens", {"name": "one more"})
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
    sent = TokenView(id=1, name="script", created=datetime(2026, 11, 28, 9, 30), used=None, revoked=None)
    assert '"created":"2026-11-28T09:30:00Z"' in sent.model_dump_json()
