"""The record: a page of it, the same as a file, and its chain verified."""

from tempfile import SpooledTemporaryFile
from typing import IO, Literal, cast

from flask import Response, send_file
from flask_login import login_required
from pydantic import Field

from brookfall.api.blueprint import blueprint, shows
from brookfall.api.session import asking
from brookfall.desk import record
from brookfall.desk.record import RecordQuery
from brookfall.desk.views import ChainView, RecordView
from brookfall.records.database import transaction

record_api = blueprint("record")

_IN_MEMORY = 8_000_000
"""Bytes of a file that are held in memory before it is put on the disk."""
_TYPES = {"csv": "text/csv", "jsonl": "application/jsonl"}
_FILE = {
    "description": "The entries as a file",
    "content": {kind: {"schema": {"type": "string"}} for kind in _TYPES.values()},
}


class RecordPageQuery(RecordQuery):
    page: int = Field(default=1, ge=1, le=1_000_000)


class RecordFileQuery(RecordQuery):
    form: Literal["csv", "jsonl"]


@record_api.get("/record", responses={200: RecordView})
@login_required
@shows
def get_record(query: RecordPageQuery) -> RecordView:
    with transaction() as session:
        return record.record_view(session, asking(session), query, query.page)


@record_api.get("/record/file", responses={200: _FILE})
@login_required
def get_record_file(query: RecordFileQuery) -> Response:
    """The entries as CSV or as JSON lines, whole before its first byte is sent."""
    held = SpooledTemporaryFile(max_size=_IN_MEMORY)  # noqa: SIM115 - Flask closes it when it is sent.
    with transaction() as session:
        for piece in record.record_file(session, asking(session), query, query.form):
            held.write(piece)
    held.seek(0)
    name = f"record.{query.form}"
    return send_file(cast("IO[bytes]", held), mimetype=_TYPES[query.form], as_attachment=True, download_name=name)


@record_api.get("/record/verification", responses={200: ChainView})
@login_required
@shows
def verify_record() -> ChainView:
    with transaction() as session:
        return record.verify_view(session, asking(session))
