"""This machine's cache of stored bytes, a file a blob by its SHA-256. Where its disk is full it makes itself room."""

import errno
import os
import re
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import IO

from brookfall.records.config import config

_NAME = re.compile("[0-9a-f]{64}")
_FULL = (errno.ENOSPC, errno.EDQUOT)


def is_full(problem: OSError) -> bool:
    """Whether an error says that a disk has no room left."""
    return problem.errno in _FULL


def cached_file(name: str) -> Path:
    """Where this machine's copy of the bytes of that hash lies, or would."""
    return config().cache_dir / name[:2] / name


@contextmanager
def new_file(name: str) -> Iterator[IO[bytes]]:
    """A file to write the bytes of that hash into; it takes their place in the cache when all is well, or is gone."""
    cached = cached_file(name)
    cached.parent.mkdir(parents=True, exist_ok=True)
    descriptor, temporary = tempfile.mkstemp(dir=cached.parent)
    try:
        with os.fdopen(descriptor, "wb") as stream:
            yield stream
        os.replace(temporary, cached)  # noqa: PTH105 - atomic, so no reader sees half a file
    finally:
        Path(temporary).unlink(missing_ok=True)


def make_room(size: int) -> bool:
    """Takes away the copies that nobody has read for longest, until ``size`` bytes are gone; whether any went.

    Who has one of them open reads on: the system keeps a file until it is closed.
    """
    gone = 0
    for _, held, file in sorted(_copies()):
        if gone >= size:
            break
        file.unlink(missing_ok=True)
        gone += held
    return gone > 0


def _copies() -> Iterator[tuple[float, int, Path]]:
    """When each copy was last read, how large it is, and where it lies."""
    for file in config().cache_dir.glob("??/*"):
        with suppress(FileNotFoundError):
            seen = file.stat()
            if _NAME.fullmatch(file.name):
                yield seen.st_atime, seen.st_size, file
