"""The API's description holds: requests made up from it get no answer that it does not describe."""

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from flask import Flask

from brookfall.api.session import CSRF_COOKIE
from brookfall.launch.house import House
from tests.api.conftest import Visitor
from tests.api.test_case import SignIn
from tests.api.test_tokens import secret_of
from tests.conftest import PROJECT, SOAK

FOLDER = Path(__file__).parent
SECONDS = {"iris": 20 * SOAK, "nell": 10 * SOAK}
NOT_ASKED = ("/api/tokens/{token_id}", "/api/session", "/api/password")
"""What would end the session that asks, or take its token: all that came after would be answered by 401."""
CHECKS = "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance"


@pytest.fixture(scope="module")
def address(app: Flask, stores: House) -> str:
    stores.start_web()
    return stores.address


def as_a_script(asking: Visitor) -> list[str]:
    """The headers of a request by a token that may do all that a token may."""
    return ["--header", f"Authorization: Bearer {secret_of(asking, 'made up requests')}"]


def as_a_browser(asking: Visitor) -> list[str]:
    """The headers of a request of somebody who is signed in."""
    cookies = {name: asking.client.get_cookie(name) for name in ("session", CSRF_COOKIE)}
    values = {name: cookie.value for name, cookie in cookies.items() if cookie is not None}
    sent = "; ".join(f"{name}={value}" for name, value in values.items())
    return ["--header", f"Cookie: {sent}", "--header", f"X-CSRF-Token: {values[CSRF_COOKIE]}"]


@pytest.mark.parametrize(("login", "headers"), [("iris", as_a_browser), ("nell", as_a_browser), ("nell", as_a_script)])
def test_made_up_requests_get_answers_as_described(
    visitor: SignIn, address: str, login: str, headers: Callable[[Visitor], list[str]]
) -> None:
    known = headers(visitor(login))
    done = subprocess.run(
        [
            *(sys.executable, "-m", "schemathesis.cli", "--config-file", str(FOLDER / "schemathesis.toml")),
            *("run", str(PROJECT / "docs" / "formats" / "openapi.json")),
            *(part for path in NOT_ASKED for part in ("--exclude-path", path)),
            *("--url", address, *known, "--checks", CHECKS),
            *("--max-time", str(SECONDS[login]), "--seed", "1", "--continue-on-failure", "--warnings", "off"),
        ],
        capture_output=True,
        text=True,
        timeout=600 * SOAK,
        check=False,
    )
    assert done.returncode == 0, done.stdout[-20_000:]
