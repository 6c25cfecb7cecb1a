"""The files of a draft as they come in: piece by piece, each hashed on the way in and again when read."""

import io

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.records import bulk_insert
from brookfall.records.blobs import CHUNK, DamagedError
from brookfall.records.drafts import DraftFile, DraftPiece


def add(session: Session, file: DraftFile, data: bytes) -> None:
    """Puts bytes behind those that came before."""
    cut = ((file.received + start, data[start : start + CHUNK]) for start in range(0, len(data), CHUNK))
    rows = ((file.id, at, sha256(piece), piece) for at, piece in cut)
    bulk_insert.insert(session, "INSERT INTO draft_piece (file_id, start, sha256, data) VALUES (?, ?, ?, ?)", rows)
    file.received += len(data)


def read(session: Session, file: DraftFile, most: int | None = None) -> bytes:
    """What has come of a file, or only the pieces that begin in its first ``most`` bytes; DamagedError when altered."""
    wanted = select(DraftPiece.sha256, DraftPiece.data).where(DraftPiece.file_id == file.id)
    if most is not None:
        wanted = wanted.where(DraftPiece.start < most)
    held = io.BytesIO()
    for name, data in session.execute(wanted.order_by(DraftPiece.start).execution_options(yield_per=8)):
        if sha256(data) != name:
            raise DamagedError(f"a piece of {file.path} is damaged")
        held.write(data)
    return held.getvalue()


def forget(session: Session, file: DraftFile) -> None:
    """Takes away what has come of a file, which begins anew."""
    session.execute(delete(DraftPiece).where(DraftPiece.file_id == file.id))
    file.received = 0
