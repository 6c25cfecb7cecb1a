"""Content-addressed bytes in chunks of at most 1 MiB, checked against their hash at every read."""

import hashlib
import os
import tempfile
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.records import bulk_insert
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
        bulk_insert.insert(session, "INSERT IGNORE INTO blob_chunk (sha256, seq, data) VALUES (?, ?, ?)", chunks)
    return name


def get(session: Session, name: str) -> bytes:
    """The bytes of that hash, from this machine's cache or the database; DamagedError when they were altered."""
    data = local(session, name).read_bytes()
    if sha256(data) != name:
        raise DamagedError(f"stored bytes {name} are damaged")
    return data


def local(session: Session, name: str) -> Path:
    """A file of this machine's cache that holds the bytes of that hash; fetched when it is not there, or spoilt.

    The file is hashed when this process first meets it, and again whenever it was written to since. DamagedError when
    the database's own bytes were altered.
    """
    cached = config().cache_dir / name[:2] / name
    if cached.is_file():
        seen = _signature(cached)
        if _HASHED.get(name) == seen or _digest(cached) == name:
            _HASHED[name] = seen
            return cached
    cached.parent.mkdir(parents=True, exist_ok=True)
    descriptor, temporary = tempfile.mkstemp(dir=cached.parent)
    state = hashlib.sha256()
    chunks = select(BlobChunk.data).where(BlobChunk.sha256 == name).order_by(BlobChunk.seq)
    with os.fdopen(descriptor, "wb") as stream:
        for chunk in session.scalars(chunks.execution_options(yield_per=8)):
            state.update(chunk)
            stream.write(chunk)
    if state.hexdigest() != name:
        Path(temporary).unlink()
        raise DamagedError(f"stored bytes {name} are damaged")
    os.replace(temporary, cached)  # noqa: PTH105 - atomic, so no reader sees half a file
    _HASHED[name] = _signature(cached)
    return cached


_HASHED: dict[str, tuple[int, int, int]] = {}
"""Files of the cache that this process has hashed, with their signature then."""


def _signature(file: Path) -> tuple[int, int, int]:
    seen = file.stat()
    return seen.st_ino, seen.st_size, seen.st_mtime_ns


def _digest(file: Path) -> str:
    with file.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()
