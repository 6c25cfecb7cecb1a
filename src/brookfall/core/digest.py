"""Content hashes: the one way anything in Brookfall is fingerprinted."""

import hashlib
import json

import numpy as np
from numpy.typing import NDArray


def sha256(data: bytes) -> str:
    return hashlib.sha256(data).hexdigest()


def canonical(value: object) -> bytes:
    """The one JSON text of a value: sorted keys, no spaces, no NaN (ValueError)."""
    return json.dumps(value, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False).encode()


def of_json(value: object) -> str:
    return sha256(canonical(value))


def of_rows(rows: NDArray[np.int64]) -> str:
    """SHA-256 of row positions as little-endian int64, in the order given."""
    return sha256(np.ascontiguousarray(rows, dtype="<i8").tobytes())


def seed_from(*parts: int | str) -> np.random.SeedSequence:
    """A seed sequence keyed by content, so that no result depends on the order of execution."""
    text = "\x00".join(str(part) for part in parts).encode()
    return np.random.SeedSequence(int.from_bytes(hashlib.sha256(text).digest()[:16], "little"))
