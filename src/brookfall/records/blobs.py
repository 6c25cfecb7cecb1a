"""Content-addressed bytes in chunks of at most 1 MiB, checked against their hash at every read."""

import os
import tempfile

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from brookfall.core.digest import sha256
from brookfall.records import bulk
from brookfall.records.cases import Blob, BlobChunk
from brookfall.records.config import config

CHUNK = 1 << 20


class DamagedError(Exception):
    """Stored bytes do not have the hash they are known by."""


def put(session: Session, data: bytes) -> str:
    """Keeps the bytes once, whoever brings them; gives their SHA-256."""
    name = sha256(data)
    if session.get(Blob, name) is None:
        session.execute(insert(Blob).values(sha256=name, size=len(data)).prefix_with("IGNORE"))
        starts = enumerate(range(0, len(data), CHUNK))
        chunks = ((name, seq, data[start : start + CHUNK]) for seq, start in starts)
        bulk.insert(session, "INSERT IGNORE INTO blob_chunk (sha256, seq, data) VALUES (?, ?, ?)", chunks)
    return name


def get(session: Session, name: str) -> bytes:
    """The bytes of that hash, from this machine's cache or the database; DamagedError when they were altered."""
    cached = config().cache_dir / name[:2] / name
    if cached.is_file():
        data = cached.read_bytes()
        if sha256(data) == name:
            return data
    chunks = session.scalars(select(BlobChunk.data).where(BlobChunk.sha256 == name).order_by(BlobChunk.seq))
    data = b"".join(chunks)
    if sha256(data) != name:
        raise DamagedError(f"stored bytes {name} are damaged")
    cached.parent.mkdir(parents=True, exist_ok=True)
    descriptor, temporary = tempfile.mkstemp(dir=cached.parent)
    with os.fdopen(descriptor, "wb") as stream:
        stream.write(data)
    os.replace(temporary, cached)  # noqa: PTH105 - atomic, so no reader sees half a file
    return data
