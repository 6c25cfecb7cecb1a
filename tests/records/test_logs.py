"""The log is one object a line, says what each line was about, and quotes nobody's rows or secrets."""

import io
import json
import logging
import sys
from collections.abc import Iterator
from typing import Any

import pytest
from structlog.contextvars import bind_contextvars, clear_contextvars

from brookfall.core.check.bench import Bench
from brookfall.core.foundation.errors import UserError
from brookfall.core.retest.run import retest
from brookfall.records.logs import exception_told, log_in_json


@pytest.fixture
def written(monkeypatch: pytest.MonkeyPatch) -> Iterator[io.StringIO]:
    """What is logged meanwhile."""
    root, ours = logging.getLogger(), logging.getLogger("brookfall")
    handlers, level, level_of_ours = root.handlers, root.level, ours.level
    text = io.StringIO()
    clear_contextvars()
    monkeypatch.setattr(sys, "stderr", text)
    log_in_json()
    yield text
    root.handlers = handlers
    root.setLevel(level)
    ours.setLevel(level_of_ours)
    clear_contextvars()


def lines(text: io.StringIO) -> list[dict[str, Any]]:
    return [json.loads(line) for line in text.getvalue().splitlines()]


def test_a_line_says_when_where_and_what_it_was_about(written: io.StringIO) -> None:
    bind_contextvars(request="r-1", case=3)
    logging.getLogger("brookfall.desk.run").info("begun with %s fits", 7, extra={"run": 9})
    logging.getLogger("some.library").info("chatter")
    logging.getLogger("gunicorn.error").warning("worker gone\nand more")
    ours, theirs = lines(written)
    assert ours.pop("at").endswith("Z")
    assert ours == {
        "said": "begun with 7 fits",
        "level": "info",
        "logger": "brookfall.desk.run",
        "request": "r-1",
        "case": 3,
        "run": 9,
    }
    assert theirs["said"] == "worker gone\nand more", "one line, whatever is said"


def test_an_exception_of_ours_is_told_with_where_it_came_from(written: io.StringIO) -> None:
    try:
        try:
            raise ConnectionError("broker at 127.0.0.1:1 refused")
        except ConnectionError as problem:
            raise RuntimeError("no worker was woken") from problem
    except RuntimeError:
        logging.getLogger("brookfall.engine").exception("a fault")
    (line,) = lines(written)
    told = line["exception"]
    assert (told["kind"], told["says"]) == ("builtins.RuntimeError", "no worker was woken")
    assert told["from"]["says"] == "broker at 127.0.0.1:1 refused"
    assert any("test_logs.py" in frame for frame in told["at"])


def test_what_an_exception_could_quote_of_a_row_is_left_out(bench: Bench) -> None:
    def quote(*_: int) -> None:
        raise ValueError("could not convert string to float: 'Mabel Thorne'")

    with pytest.raises(ValueError, match="Mabel") as raised:
        retest(bench, progress=quote)
    told = exception_told(raised.value)
    assert "Mabel" not in json.dumps(told)
    assert told["kind"] == "builtins.ValueError"
    assert any("brookfall/core" in frame for frame in told["at"])


def test_what_somebody_typed_is_left_out() -> None:
    told = exception_told(UserError("The column 'Mabel Thorne' is not there.", todo="Choose another."))
    assert "says" not in told
