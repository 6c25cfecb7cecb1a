"""Content hashes: the one way anything in Brookfall is fingerprinted."""

import hashlib
import json

import numpy as np
from numpy.typing import NDArray


def sha256(data: bytes) -> str:
    """SHA-256 of bytes, as hexadecimal text.

    >>> sha256(b"brook")[:8]
    'b7962428'
    """
    return hashlib.sha256(data).hexdigest()


def canonical(value: object) -> bytes:
    """The one JSON text of a value: sorted keys, no spaces, no NaN (ValueError).

    >>> canonical({"b": 1, "a": [0.5, None]})
    b'{"a":[0.5,null],"b":1}'
    """
    return json.dumps(value, sort_keys=True, separators=(",", ":"), ensure_ascii=False, allow_nan=False).encode()


def of_json(value: object) -> str:
    """SHA-256 of the one JSON text of a value.

    >>> of_json({"b": 1, "a": 2}) == of_json({"a": 2, "b": 1})
    True
    """
    return sha256(canonical(value))


def of_rows(rows: NDArray[np.int64]) -> str:
    """SHA-256 of row positions as little-endian int64, in the order given.

    >>> of_rows(np.array([0, 1])) == of_rows(np.array([1, 0]))
    False
    """
    return sha256(np.ascontiguousarray(rows, dtype="<i8").tobytes())


def seed_from(*parts: int | str) -> np.random.SeedSequence:
    """A seed sequence keyed by content, so that no result depends on the order of execution.

    >>> seed_from("folds", 7).entropy == seed_from("folds", 7).entropy
    True
    >>> seed_from("folds", 7).entropy == seed_from("folds", 8).entropy
    False
    """
    text = "\x00".join(str(part) for part in parts).encode()
    return np.random.SeedSequence(int.from_bytes(hashlib.sha256(text).digest()[:16], "little"))
