"""What the web server refuses before the application sees it."""

import json
import socket

import httpx
import pytest

from brookfall.api.problems import PROBLEM_TYPE
from brookfall.launch.house import House


@pytest.fixture(scope="module")
def address(stores: House) -> str:
    stores.start_web()
    return stores.address


def test_an_address_too_long_is_told_as_a_problem(address: str) -> None:
    answer = httpx.get(f"{address}/api/tokens", params={"q": "x" * 9000})
    assert answer.status_code == 414
    assert answer.headers["content-type"] == PROBLEM_TYPE
    assert "longer than 8190 bytes" in answer.json()["detail"]
    assert answer.json()["todo"]


def test_a_long_address_is_read(address: str) -> None:
    assert httpx.get(f"{address}/api/tokens", params={"q": "x" * 6000}).status_code == 401


def test_headers_too_large_are_told_as_a_problem(address: str) -> None:
    answer = httpx.get(f"{address}/api/tokens", headers={"Cookie": "x" * 9000})
    assert (answer.status_code, answer.headers["content-type"]) == (431, PROBLEM_TYPE)
    assert "cookies" in answer.json()["todo"]


@pytest.mark.parametrize(
    "sent",
    [
        b"GET / HTTP/1.1\r\nHost: here\r\nbad header\r\n\r\n",
        b"GET /\r\n\r\n",
        b"POST /api/session HTTP/1.1\r\nHost: here\r\nTransfer-Encoding: upside-down\r\n\r\n",
        b"POST /api/session HTTP/1.1\r\nHost: here\r\nContent-Length: minus one\r\n\r\n",
        b"\x16\x03\x01\x02\x00\x01\x00\x01\xfc\x03\x03\r\n\r\n",
    ],
)
def test_what_is_no_request_is_told_as_a_problem(address: str, sent: bytes) -> None:
    port = int(address.rsplit(":", 1)[1])
    with socket.create_connection(("127.0.0.1", port), timeout=10) as asking:
        asking.sendall(sent)
        said = asking.makefile("rb").read()
    head, body = said.split(b"\r\n\r\n", 1)
    assert head.startswith(b"HTTP/1.1 400 "), head
    assert f"Content-Type: {PROBLEM_TYPE}".encode() in head
    assert json.loads(body)["status"] == 400
