"""What goes between parent and child: a header of JSON, then the buffers it gives the sizes of. Nothing is pickled."""

import json
import socket
import struct
import time
from collections.abc import Iterable
from typing import Any

_LENGTH = struct.Struct(">Q")
MAX_HEADER = 256_000_000
"""Bytes of a header: the levels of every column are in it."""

Buffer = bytes | bytearray | memoryview


class EndedError(Exception):
    """The other end is gone, or sends what is no frame."""


def send(link: socket.socket, header: dict[str, Any], buffers: Iterable[Buffer] = ()) -> None:
    """Sends one frame; OSError when the other end is gone."""
    held = [memoryview(one) for one in buffers]
    text = json.dumps({**header, "sizes": [one.nbytes for one in held]}, ensure_ascii=False).encode()
    link.sendall(_LENGTH.pack(len(text)) + text)
    for one in held:
        link.sendall(one)


def receive(link: socket.socket, at_most: int, deadline: float | None = None) -> tuple[dict[str, Any], list[bytearray]]:
    """The next frame, whose buffers hold ``at_most`` bytes together.

    EndedError when there is none; TimeoutError once ``deadline`` (of ``time.monotonic``) has passed, however slowly
    the other end goes on.
    """
    (length,) = _LENGTH.unpack(_exactly(link, _LENGTH.size, deadline))
    if length > MAX_HEADER:
        raise EndedError(f"a header of {length} bytes")
    try:
        header = json.loads(_exactly(link, length, deadline))
    except ValueError as problem:
        raise EndedError(str(problem)) from problem
    sizes = _sizes_of(header)
    if sum(sizes) > at_most:
        raise EndedError(f"buffers of {sum(sizes)} bytes")
    return header, [_exactly(link, size, deadline) for size in sizes]


def _sizes_of(header: object) -> list[int]:
    sizes = header.pop("sizes", None) if isinstance(header, dict) else None
    if not isinstance(sizes, list) or not all(isinstance(size, int) and size >= 0 for size in sizes):
        raise EndedError("a header without the sizes of its buffers")
    return sizes


def _exactly(link: socket.socket, size: int, deadline: float | None) -> bytearray:
    data = bytearray(size)
    view, have = memoryview(data), 0
    while have < size:
        if deadline is not None:
            link.settimeout(max(deadline - time.monotonic(), 0.001))
        got = link.recv_into(view[have:])
        if got == 0:
            raise EndedError(f"{have} of {size} bytes")
        have += got
    return data
