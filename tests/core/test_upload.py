"""Sending a package to a server that stumbles: what is lost is sent again, what is refused is told, nothing goes elsewhere."""

import io
import json
import threading
import zipfile
from collections.abc import Callable, Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlsplit

import pytest

from brookfall import upload
from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import UserError
from brookfall.upload import send_package

FILES = {"submission.yaml": b"brookfall: 1\n", "data/rows.csv": b"x,y\n1,2\n" * 4000}
Fault = Callable[[str, str], tuple[int, dict[str, Any]] | None]


class Made:
    """A server with one draft at most: what it was sent, and what it does instead when ``fault`` says so."""

    def __init__(self) -> None:
        self.asked: list[tuple[str, str]] = []
        self.tokens: set[str] = set()
        self.stamp = ""
        self.received = b""
        self.submitted = self.dropped = False
        self.fault: Fault = lambda method, path: None
        self.ends: dict[str, Any] = {"state": "done", "case_id": 7}

    def draft(self) -> dict[str, Any]:
        files = [{"stamp": self.stamp, "received": len(self.received)}] if self.stamp else []
        if self.submitted:
            return {"id": 3, "doing": "", "fault": None, "files": files, **self.ends}
        return {"id": 3, "state": "open", "due": None, "doing": "", "fault": None, "files": files}

    def answer(self, method: str, path: str, query: dict[str, list[str]], body: bytes) -> tuple[int, Any]:
        self.asked.append((method, path))
        if (instead := self.fault(method, path)) is not None:
            return instead
        if (method, path) == ("GET", "/api/drafts"):
            return 200, [self.draft()] if self.stamp else []
        if method == "PUT":
            assert sha256(body) == query["sha256"][0]
            self.stamp = query["stamp"][0]
            assert int(query["offset"][0]) == len(self.received)
            self.received += body
        if path.endswith("/submission"):
            self.submitted = True
        self.dropped = method == "DELETE"
        return 200, self.draft()


@pytest.fixture
def made(monkeypatch: pytest.MonkeyPatch) -> Iterator[tuple[Made, str]]:
    state = Made()

    class Handler(BaseHTTPRequestHandler):
        def _do(self) -> None:
            asked = urlsplit(self.path)
            body = self.rfile.read(int(self.headers.get("Content-Length") or 0))
            state.tokens.add(self.headers["Authorization"])
            status, said = state.answer(self.command, asked.path, parse_qs(asked.query), body)
            if status == 0:
                self.connection.close()
                return
            sent = json.dumps(said).encode()
            self.send_response(status)
            for name, value in (said.get("headers", {}) if isinstance(said, dict) else {}).items():
                self.send_header(name, value)
            self.send_header("Content-Length", str(len(sent)))
            self.end_headers()
            self.wfile.write(sent)

        do_GET = do_PUT = do_POST = do_DELETE = _do  # noqa: N815 - as the library calls them

        def log_message(self, *_: object) -> None:
            pass

    monkeypatch.setattr(upload, "PIECE", 64)
    monkeypatch.setattr("brookfall.upload.time.sleep", lambda _: None)
    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    yield state, f"http://127.0.0.1:{server.server_port}"
    server.shutdown()
    server.server_close()


def once(matching: str, status: int, said: dict[str, Any] | None = None) -> Fault:
    """The first request of that method or path fails so; the ones after it don't."""
    left = [1]

    def fault(method: str, path: str) -> tuple[int, dict[str, Any]] | None:
        if left and matching in (method, path):
            left.clear()
            return status, said or {}
        return None

    return fault


def test_a_package_goes_piece_by_piece_and_is_followed(made: tuple[Made, str]) -> None:
    state, url = made
    told: list[str] = []
    assert send_package(FILES, url + "/", "secret", told=told.append) == 7
    with zipfile.ZipFile(io.BytesIO(state.received)) as archive:
        assert {name: archive.read(name) for name in archive.namelist()} == FILES
    assert state.tokens == {"Bearer secret"}
    pieces = [path for method, path in state.asked if method == "PUT"]
    assert len(pieces) == -(-len(state.received) // 64)
    assert [line for line in told if line.startswith("sent ")][-1].split()[1] == f"{len(state.received) / 1e6:.1f}"


@pytest.mark.parametrize("status", [0, 500, 502, 503])
@pytest.mark.parametrize("matching", ["PUT", "/api/drafts/3/submission", "/api/drafts/3"])
def test_what_a_server_drops_is_sent_again(made: tuple[Made, str], matching: str, status: int) -> None:
    state, url = made
    state.fault = once(matching, status)
    assert send_package(FILES, url, "secret") == 7
    assert zipfile.is_zipfile(io.BytesIO(state.received))


def test_what_an_earlier_attempt_sent_is_not_sent_again(made: tuple[Made, str]) -> None:
    state, url = made
    sends = [0]

    def down_after_two(method: str, path: str) -> tuple[int, dict[str, Any]] | None:
        sends[0] += method == "PUT"
        return (503, {}) if method == "PUT" and sends[0] > 2 else None

    state.fault = down_after_two
    with pytest.raises(UserError, match="did not answer") as caught:
        send_package(FILES, url, "secret")
    assert "goes on where it stopped" in str(caught.value.todo)
    assert len(state.received) == 128
    state.fault = lambda method, path: None
    state.asked.clear()
    assert send_package(FILES, url, "secret") == 7
    assert sum(method == "PUT" for method, _ in state.asked) == -(-(len(state.received) - 128) // 64)
    assert ("POST", "/api/drafts") not in state.asked


def test_a_refusal_is_told_as_the_server_tells_it_and_not_tried_again(made: tuple[Made, str]) -> None:
    state, url = made
    said = {"detail": "By script 1 was submitted before.", "todo": "Raise the version.", "where": "submission.yaml"}
    state.fault = lambda method, path: (422, said) if path.endswith("/submission") else None
    with pytest.raises(UserError, match="submitted before") as caught:
        send_package(FILES, url, "secret")
    assert (caught.value.todo, caught.value.file) == ("Raise the version.", "submission.yaml")
    assert sum(path.endswith("/submission") for _, path in state.asked) == 1


def test_a_refusal_without_words_names_its_status(made: tuple[Made, str]) -> None:
    state, url = made
    state.fault = lambda method, path: (418, {})
    with pytest.raises(UserError, match="status 418"):
        send_package(FILES, url, "secret")


def test_a_token_follows_no_redirect_and_no_proxy(made: tuple[Made, str], monkeypatch: pytest.MonkeyPatch) -> None:
    state, url = made
    # A proxy that nobody answers at: sending would fail if it were asked.
    for name in ("HTTP_PROXY", "http_proxy", "ALL_PROXY", "all_proxy"):
        monkeypatch.setenv(name, "http://127.0.0.1:9")
    assert send_package(FILES, url, "secret") == 7
    state.fault = lambda method, path: (307, {"headers": {"Location": f"{url}/elsewhere"}})
    state.asked.clear()
    with pytest.raises(UserError, match="did not answer as a Brookfall does"):
        send_package(FILES, url, "secret")
    assert not any("elsewhere" in path for _, path in state.asked)


def test_a_draft_that_was_not_taken_in_is_told_and_thrown_away(made: tuple[Made, str]) -> None:
    state, url = made
    fault = {"detail": "data/rows.csv, row 52 has 2 cells.", "todo": "Mend the row.", "where": "data/rows.csv"}
    state.ends = {"state": "open", "fault": fault}
    with pytest.raises(UserError, match="row 52") as caught:
        send_package(FILES, url, "secret")
    assert caught.value.file == "data/rows.csv"
    assert state.dropped


@pytest.mark.parametrize("url", ["ftp://a", "127.0.0.1:8000", "file:///etc/passwd"])
def test_what_is_no_web_address_is_refused_before_anything_is_sent(url: str) -> None:
    with pytest.raises(UserError, match="is no web address"):
        send_package(FILES, url, "secret")


def test_an_address_without_a_server_is_told_at_once() -> None:
    with pytest.raises(UserError, match="did not answer") as caught:
        send_package(FILES, "http://127.0.0.1:9", "secret")
    assert "Check the address" in str(caught.value.todo)


def test_the_same_files_are_the_same_bytes_whenever_they_are_sent() -> None:
    backwards = dict(reversed(FILES.items()))
    assert upload._zipped(FILES) == upload._zipped(backwards)
