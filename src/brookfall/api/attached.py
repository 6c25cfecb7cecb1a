"""Files that people attach to what they write: how they come, and how they are handed out again."""

from io import BytesIO

from flask import Response, request, send_file

from brookfall.core.foundation.errors import UserError
from brookfall.desk.attached import MAX_BYTES


def sent_file() -> tuple[str, bytes]:
    """The name and the bytes of the part ``file`` of a multipart request; UserError where there is none."""
    part = request.files.get("file")
    if part is None:
        raise UserError("No file was sent.", todo="Choose one.")
    return part.filename or "", part.stream.read(MAX_BYTES + 1)


def kept_file(name: str, data: bytes) -> Response:
    """A file as it was kept, to be saved; a browser never shows it as a page."""
    response = send_file(BytesIO(data), mimetype="application/octet-stream", as_attachment=True, download_name=name)
    response.headers["Content-Security-Policy"] = "default-src 'none'; sandbox"
    return response
