"""Files that people attach to what they write: how they come, and how they are handed out again."""

from io import BytesIO
from pathlib import PurePosixPath

from flask import Response, request, send_file

from brookfall.core.foundation.errors import UserError
from brookfall.desk.attached import MAX_BYTES

_BEGINS: dict[str, tuple[bytes, str]] = {
    ".pdf": (b"%PDF-", "application/pdf"),
    ".png": (b"\x89PNG\r\n\x1a\n", "image/png"),
    ".jpg": (b"\xff\xd8\xff", "image/jpeg"),
    ".jpeg": (b"\xff\xd8\xff", "image/jpeg"),
}
"""How files of a name begin that a browser can show, and what they are then shown as."""
_TEXT = {".txt", ".md", ".csv", ".tsv", ".yaml", ".yml", ".json"}
_SAVED = "application/octet-stream"


def sent_file() -> tuple[str, bytes]:
    """The name and the bytes of the part ``file`` of a multipart request; UserError where there is none."""
    part = request.files.get("file")
    if part is None:
        raise UserError("No file was sent.", todo="Choose one.")
    return part.filename or "", part.stream.read(MAX_BYTES + 1)


def kept_file(name: str, data: bytes) -> Response:
    """A file as it was kept. A browser shows what is text, a picture or a PDF by name and by bytes, and saves the rest.

    It has no rights of this origin: no script runs in it, and nothing is loaded by it.
    """
    kind = _shown_as(name, data)
    response = send_file(BytesIO(data), mimetype=kind, as_attachment=kind == _SAVED, download_name=name)
    # A browser's own reader of PDFs does not work in a sandbox; what a PDF holds never runs in our origin.
    response.headers["Content-Security-Policy"] = (
        "default-src 'none'; object-src 'self'; style-src 'unsafe-inline'"
        if kind == "application/pdf"
        else "default-src 'none'; style-src 'unsafe-inline'; sandbox"
    )
    return response


def _shown_as(name: str, data: bytes) -> str:
    suffix = PurePosixPath(name).suffix.lower()
    if suffix in _BEGINS:
        begin, kind = _BEGINS[suffix]
        return kind if data.startswith(begin) else _SAVED
    return "text/plain" if suffix in _TEXT and _is_text(data) else _SAVED


def _is_text(data: bytes) -> bool:
    try:
        return "\0" not in data.decode()
    except UnicodeDecodeError:
        return False
