"""The API's description holds: requests made up from it get no answer that it does not describe."""

import subprocess
import sys
from pathlib import Path

import pytest
from flask import Flask

from brookfall.launch.house import House
from tests.api.test_case import SignIn
from tests.api.test_tokens import secret_of
from tests.conftest import PROJECT, SOAK

FOLDER = Path(__file__).parent
SECONDS = {"iris": 20 * SOAK, "nell": 10 * SOAK}
CHECKS = "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance"


@pytest.fixture(scope="module")
def address(app: Flask, stores: House) -> str:
    stores.start_web()
    return stores.address


@pytest.mark.parametrize("login", ["iris", "nell"])
def test_made_up_requests_get_answers_as_described(visitor: SignIn, address: str, login: str) -> None:
    secret = secret_of(visitor(login), "made up requests")
    done = subprocess.run(
        [
            *(sys.executable, "-m", "schemathesis.cli", "--config-file", str(FOLDER / "schemathesis.toml")),
            *("run", str(PROJECT / "docs" / "formats" / "openapi.json")),
            # The token that asks would be revoked, and all that comes after answered by 401.
            *("--exclude-path", "/api/tokens/{token_id}"),
            *("--url", address, "--header", f"Authorization: Bearer {secret}", "--checks", CHECKS),
            *("--max-time", str(SECONDS[login]), "--seed", "1", "--continue-on-failure", "--warnings", "off"),
        ],
        capture_output=True,
        text=True,
        timeout=600 * SOAK,
        check=False,
    )
    assert done.returncode == 0, done.stdout[-20_000:]
