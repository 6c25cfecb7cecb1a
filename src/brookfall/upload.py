"""Sends a package to a Brookfall over HTTP, as a script does: piece by piece, going on after a cut."""

import io
import time
import zipfile
from collections.abc import Callable
from typing import Any
from urllib.parse import quote, urlencode, urlsplit

import httpx

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import UserError

PIECE = 4 << 20
_PATIENCE = 60
"""Seconds for one answer."""

_TRIES = 6
_EPOCH = (1980, 1, 1, 0, 0, 0)
_PATH = "package.zip"


def send_package(
    files: dict[str, bytes], url: str, token: str, due: str | None = None, told: Callable[[str], None] = lambda _: None
) -> int:
    """The id of the new case. UserError with what the server said, or when it did not answer.

    The files go as one zip, so that the hash of the package there is the one here. What an earlier, broken attempt
    sent of the same files is not sent again.
    """
    if urlsplit(url).scheme not in ("http", "https"):
        raise UserError(f"'{url}' is no web address.", todo="Give one such as http://127.0.0.1:8000.")
    server = _Server(url.rstrip("/"), token)
    archive = _zipped(files)
    draft = _draft_for(server, sha256(archive), due)
    _send_pieces(server, draft, archive, told)
    server.ask("POST", f"/drafts/{draft}/submission")
    return _followed(server, draft, told)


class _Server:
    """A Brookfall, asked with a personal token; a lost connection is tried again."""

    def __init__(self, url: str, token: str) -> None:
        self._url = url
        headers = {"Authorization": f"Bearer {token}"}
        # No proxy of the environment's: a token goes to the address that was given, and to no other.
        self._client = httpx.Client(base_url=f"{url}/api", headers=headers, timeout=_PATIENCE, trust_env=False)

    def ask(self, method: str, path: str, body: object = None, data: bytes | None = None) -> Any:
        for attempt in range(_TRIES):
            try:
                return self._once(method, path, body, data)
            except (httpx.HTTPError, httpx.InvalidURL, ValueError) as problem:
                # An address that does not answer the first question is most likely the wrong one.
                if attempt == _TRIES - 1 or (method, path) == ("GET", "/drafts"):
                    raise UserError(
                        f"{self._url} did not answer as a Brookfall does ({problem}).",
                        todo="Check the address; sending again goes on where it stopped.",
                    ) from problem
                time.sleep(min(2**attempt / 4, 5))
        raise AssertionError

    def _once(self, method: str, path: str, body: object, data: bytes | None) -> Any:
        answer = self._client.request(method, path, content=data, json=body)
        if answer.is_client_error:
            raise _told(answer)
        answer.raise_for_status()
        return answer.json() if answer.content else None


def _draft_for(server: _Server, stamp: str, due: str | None) -> int:
    """The draft that has begun to get these bytes, or a new one."""
    for draft in server.ask("GET", "/drafts"):
        if draft["state"] == "open" and [file["stamp"] for file in draft["files"]] == [stamp] and draft["due"] == due:
            return int(draft["id"])
    return int(server.ask("POST", "/drafts", {"due": due, "brief": {"package": _PATH}})["id"])


def _send_pieces(server: _Server, draft: int, archive: bytes, told: Callable[[str], None]) -> None:
    stamp = sha256(archive)
    come = _received(server, draft, stamp)
    while come < len(archive):
        piece = archive[come : come + PIECE]
        place = {"path": _PATH, "size": len(archive), "offset": come, "stamp": stamp, "sha256": sha256(piece)}
        try:
            server.ask("PUT", f"/drafts/{draft}/files?{urlencode(place, quote_via=quote)}", data=piece)
        except UserError:
            # The answer to a piece that did arrive was lost: the server says how far it is.
            if _received(server, draft, stamp) == come:
                raise
        come = _received(server, draft, stamp)
        told(f"sent {come / 1e6:.1f} of {len(archive) / 1e6:.1f} MB")


def _received(server: _Server, draft: int, stamp: str) -> int:
    files = server.ask("GET", f"/drafts/{draft}")["files"]
    return next((int(file["received"]) for file in files if file["stamp"] == stamp), 0)


def _followed(server: _Server, draft: int, told: Callable[[str], None]) -> int:
    """Waits until a worker has taken the draft in."""
    said = ""
    while True:
        now = server.ask("GET", f"/drafts/{draft}")
        if now["state"] == "done":
            return int(now["case_id"])
        if now["state"] == "open":
            server.ask("DELETE", f"/drafts/{draft}")
            fault = now["fault"] or {"detail": "It was withdrawn.", "todo": "Send it again.", "where": ""}
            raise UserError(fault["detail"], todo=fault["todo"], file=fault["where"] or None)
        if now["doing"] != said:
            said = now["doing"]
            told(said)
        time.sleep(0.3)


def _zipped(files: dict[str, bytes]) -> bytes:
    """The same bytes for the same files, whenever it is made."""
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, data in sorted(files.items()):
            entry = zipfile.ZipInfo(path, _EPOCH)
            entry.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(entry, data)
    return stream.getvalue()


def _told(refusal: httpx.Response) -> UserError:
    try:
        said = refusal.json()
        return UserError(said["detail"], todo=said.get("todo") or "Nothing was kept.", file=said.get("where") or None)
    except (ValueError, KeyError, TypeError):
        text = f"The server refused with status {refusal.status_code}."
        return UserError(text, todo="Check the address and the token.")
