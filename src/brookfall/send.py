"""Sends a package to a Brookfall over HTTP, as a script does."""

import io
import json
import zipfile
from urllib.error import HTTPError, URLError
from urllib.parse import urlsplit
from urllib.request import Request, urlopen
from uuid import uuid4

from brookfall.core.errors import UserError

_PATIENCE = 600
"""Seconds; a large package is checked before the answer comes."""


def send_package(files: dict[str, bytes], url: str, token: str, due: str | None = None) -> int:
    """The id of the new case. UserError with what the server said, or when it did not answer.

    The files go as one zip, so that the hash of the package there is the one here.
    """
    if urlsplit(url).scheme not in ("http", "https"):
        raise UserError(f"'{url}' is no web address.", todo="Give one such as http://127.0.0.1:8000.")
    boundary = uuid4().hex
    parts = [_part(boundary, 'name="package"; filename="package.zip"', _zipped(files))]
    if due:
        parts.append(_part(boundary, 'name="due"', due.encode()))
    body = b"".join([*parts, f"--{boundary}--\r\n".encode()])
    headers = {"Authorization": f"Bearer {token}", "Content-Type": f"multipart/form-data; boundary={boundary}"}
    request = Request(f"{url.rstrip('/')}/api/cases", body, headers, method="POST")  # noqa: S310 - http or https, above
    try:
        with urlopen(request, timeout=_PATIENCE) as answer:  # noqa: S310 - the same
            return int(json.loads(answer.read())["case_id"])
    except HTTPError as refusal:
        raise _told(refusal) from refusal
    except (URLError, TimeoutError, ValueError, KeyError) as problem:
        raise UserError(
            f"{url} did not answer as a Brookfall does ({problem}).", todo="Check the address."
        ) from problem


def _part(boundary: str, disposition: str, data: bytes) -> bytes:
    return f"--{boundary}\r\nContent-Disposition: form-data; {disposition}\r\n\r\n".encode() + data + b"\r\n"


def _zipped(files: dict[str, bytes]) -> bytes:
    stream = io.BytesIO()
    with zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for path, data in sorted(files.items()):
            archive.writestr(path, data)
    return stream.getvalue()


def _told(refusal: HTTPError) -> UserError:
    try:
        said = json.loads(refusal.read())
        return UserError(said["detail"], todo=said.get("todo") or "Nothing was kept.", file=said.get("where") or None)
    except (ValueError, KeyError, TypeError):
        return UserError(f"The server refused with status {refusal.code}.", todo="Check the address and the token.")
