"""A request, its answer and its lines in the log have a number in common, and no line has a secret or a row."""

import logging
from collections.abc import Callable

import pytest
from flask import Flask
from structlog.contextvars import get_contextvars

from brookfall.demo.seed import PASSWORD
from brookfall.desk import docket
from brookfall.launch.house import House
from tests.api.conftest import Visitor
from tests.api.test_case import taken
from tests.api.test_tokens import secret_of

SignIn = Callable[[str], Visitor]


class Noted(logging.Handler):
    """Lines, each with what was bound when it was written."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: list[dict[str, object]] = []

    def emit(self, record: logging.LogRecord) -> None:
        self.lines.append({**vars(record), **get_contextvars(), "text": self.format(record)})


@pytest.fixture
def noted(monkeypatch: pytest.MonkeyPatch) -> Noted:
    handler, logger = Noted(), logging.getLogger("brookfall")
    monkeypatch.setattr(logger, "handlers", [handler])
    monkeypatch.setattr(logger, "level", logging.INFO)
    logger.manager._clear_cache()  # type: ignore[attr-defined] # the level was set without its setter
    return handler


def test_a_request_is_logged_with_its_number_person_and_case(visitor: SignIn, noted: Noted) -> None:
    iris, base = taken(visitor, "logged")
    noted.lines.clear()
    answer = iris.client.get(f"{base}/run", headers={"X-Request-ID": "from-the-proxy-1"})
    assert answer.headers["X-Request-ID"] == "from-the-proxy-1"
    (line,) = [one for one in noted.lines if one["msg"] == "answered"]
    assert (line["request"], line["rule"], line["status"]) == ("from-the-proxy-1", "/api/cases/<int:case_id>/run", 200)
    assert str(line["case"]) == base.rpartition("/")[2]
    assert isinstance(line["person"], int)
    assert isinstance(line["ms"], int)


@pytest.mark.parametrize("given", ["", "short", "x" * 65, "two words"])
def test_a_number_that_can_t_be_one_is_replaced(visitor: SignIn, given: str) -> None:
    said = visitor("iris").client.get("/api/cases", headers={"X-Request-ID": given}).headers["X-Request-ID"]
    assert said != given
    assert len(said) == 32


def test_a_fault_names_the_line_it_was_logged_in(
    visitor: SignIn, noted: Noted, monkeypatch: pytest.MonkeyPatch
) -> None:
    def fall(*_: object) -> None:
        raise RuntimeError("a fault of the test's own")

    iris = visitor("iris")
    monkeypatch.setattr(docket, "docket", fall)
    answer = iris.ask("GET", "/api/cases")
    assert answer.status_code == 500
    number = answer.headers["X-Request-ID"]
    assert f"it was logged as {number}" in answer.json["detail"]
    assert [one["request"] for one in noted.lines if one["msg"] == "a fault"] == [number]


def test_no_secret_is_logged(visitor: SignIn, app: Flask, stores: House, noted: Noted) -> None:
    iris = visitor("iris")
    token = secret_of(iris, "not to be logged")
    iris.client.get("/api/cases", headers={"Authorization": f"Bearer {token}"})
    iris.ask("POST", "/api/session", {"login": "iris", "password": "a wrong guess at it"})
    cookie = iris.client.get_cookie("session")
    assert cookie is not None
    assert len(noted.lines) > 3
    for secret in (PASSWORD, token, "a wrong guess at it", cookie.value):
        assert not any(secret in str(line) for line in noted.lines)
