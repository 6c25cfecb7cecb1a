"""Content-addressed bytes in chunks of at most 1 MiB, checked against their hash at every read."""

import hashlib
from pathlib import Path

from sqlalchemy import select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import MissingError
from brookfall.records import bulk_insert
from brookfall.records.cases import Blob, BlobChunk
from brookfall.records.disk_cache import cached_file, is_full, make_room, new_file

CHUNK = 1 << 20


class DamagedError(Exception):
    """Stored bytes do not have the hash they are known by."""


def put(session: Session, data: bytes) -> str:
    """Keeps the bytes once, whoever brings them; gives their SHA-256."""
    name = sha256(data)
    # Locked: nobody takes the bytes away before what rests on them is committed.
    blob = session.get(Blob, name, with_for_update={"read": True})
    if blob is None or blob.erased is not None:
        if blob is not None:
            blob.erased = None
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

    The file is hashed when this process first meets it, and again whenever it was written to since.

    Raises
    ------
    DamagedError
        The database's own bytes were altered.
    MissingError
        They were taken away after their term.
    OSError
        The cache's disk is full, and nothing is left in the cache that could make room.
    """
    cached = cached_file(name)
    if cached.is_file():
        seen = _signature(cached)
        if _HASHED.get(name) == seen or _digest(cached) == name:
            _HASHED[name] = seen
            return cached
    try:
        _fetch(session, name)
    except OSError as problem:
        if not is_full(problem) or not make_room(2 * session.get_one(Blob, name).size):
            raise
        _fetch(session, name)
    _HASHED[name] = _signature(cached)
    return cached


def _fetch(session: Session, name: str) -> None:
    """Writes the database's bytes of that hash into the cache."""
    state = hashlib.sha256()
    chunks = select(BlobChunk.data).where(BlobChunk.sha256 == name).order_by(BlobChunk.seq)
    with new_file(name) as stream:
        for chunk in session.scalars(chunks.execution_options(yield_per=8)):
            state.update(chunk)
            stream.write(chunk)
        if state.hexdigest() == name:
            return
        if is_erased(session, name):
            raise MissingError("These bytes were taken away after their term.", todo="The record says when, and why.")
        raise DamagedError(f"stored bytes {name} are damaged")


def is_erased(session: Session, name: str) -> bool:
    """Whether the bytes of that hash were taken away, and by no accident: none of them is there."""
    blob = session.get(Blob, name)
    some = select(BlobChunk.seq).where(BlobChunk.sha256 == name).limit(1)
    return blob is not None and blob.erased is not None and session.scalar(some) is None


def from_database(session: Session, name: str) -> bytes:
    """The bytes of that hash as the database has them now, past the cache; they may be damaged."""
    chunks = select(BlobChunk.data).where(BlobChunk.sha256 == name).order_by(BlobChunk.seq)
    return b"".join(session.scalars(chunks))


def size_if_whole(session: Session, name: str) -> int | None:
    """How many bytes of that hash the database holds; None where they are not there, or do not have it."""
    state, size = hashlib.sha256(), 0
    chunks = select(BlobChunk.data).where(BlobChunk.sha256 == name).order_by(BlobChunk.seq)
    for chunk in session.scalars(chunks.execution_options(yield_per=8)):
        state.update(chunk)
        size += len(chunk)
    return size if state.hexdigest() == name else None


_HASHED: dict[str, tuple[int, int, int]] = {}
"""Files of the cache that this process has hashed, with their signature then."""


def _signature(file: Path) -> tuple[int, int, int]:
    seen = file.stat()
    return seen.st_ino, seen.st_size, seen.st_mtime_ns


def _digest(file: Path) -> str:
    with file.open("rb") as stream:
        return hashlib.file_digest(stream, "sha256").hexdigest()
