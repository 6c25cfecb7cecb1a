"""The clean process with one task more: a child that tries what it may not do, and says how far it came."""

import os
import socket
from collections.abc import Callable
from pathlib import Path
from typing import Any

from brookfall.core.foundation.progress import Progress
from brookfall.sandbox import server
from brookfall.sandbox.tasks import TASKS, Answer

_HOME = Path.home()

ATTEMPTS: dict[str, Callable[[], object]] = {
    "the list of users": lambda: Path("/etc/passwd").read_bytes(),
    "the root of the disk": lambda: os.listdir("/"),  # noqa: PTH208 - what a child may not do
    "a home": lambda: os.listdir(_HOME),  # noqa: PTH208
    "another's environment": lambda: Path("/proc/1/environ").read_bytes(),
    "a file of its own": lambda: Path("/tmp/brookfall-child").write_bytes(b"x"),
    "a network": lambda: socket.create_connection(("127.0.0.1", 22), timeout=2),
    "another process": lambda: os.kill(os.getppid(), 0),
}


def look(given: dict[str, Any], buffers: list[bytearray], progress: Progress) -> Answer:
    found = {}
    for name, attempt in ATTEMPTS.items():
        try:
            attempt()
        except OSError as problem:
            found[name] = f"refused: {problem.strerror}"
        else:
            found[name] = "done"
    return found, []


if __name__ == "__main__":
    TASKS["look"] = look
    server.main()
