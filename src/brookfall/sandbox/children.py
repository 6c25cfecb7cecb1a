"""The process that children are forked from, as its parent has it. It imports nothing large, so that it can be started
before anything else is imported."""

import json
import os
import socket
import subprocess
import sys
import threading
from collections.abc import Sequence
from contextlib import suppress

from brookfall.sandbox.limits import Limits

_THREADS = ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS", "MKL_NUM_THREADS")
_KEPT = ("PATH", "LANG", "PYTHONPATH")
_COMMAND = [sys.executable, "-P", "-B", "-m", "brookfall.sandbox.server"]
"""Without the folder it is started in on its path: that is the root of the disk, which a child may not read. What it
compiles is not kept: a child may write no file."""


class Server:
    """The process that children are forked from, started when it is first needed and again when it has died."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._control: socket.socket | None = None
        self._process: subprocess.Popen[bytes] | None = None
        self._pid = os.getpid()

    def start(self) -> None:
        """Starts the process, so that it is there when it is first needed."""
        with self._lock:
            self._running()

    def link(self, limits: Limits, libraries: Sequence[str] = ()) -> socket.socket:
        """A socket to a new child with these limits, which loads these libraries before it gives up the disk."""
        asked = {"seconds": limits.seconds, "memory": limits.memory, "libraries": list(libraries)}
        order = json.dumps(asked).encode()
        with self._lock:
            for attempt in (1, 2):
                mine, theirs = socket.socketpair()
                try:
                    socket.send_fds(self._running(), [order], [theirs.fileno()])
                except OSError:
                    mine.close()
                    self._forget()
                    if attempt == 2:
                        raise
                else:
                    return mine
                finally:
                    theirs.close()
        raise AssertionError("unreachable")

    def _running(self) -> socket.socket:
        # A process forked from this one has a server of its own.
        if self._pid != os.getpid():
            self._control, self._process, self._pid = None, None, os.getpid()
        if self._control is None or self._process is None or self._process.poll() is not None:
            self._forget()
            mine, theirs = socket.socketpair()
            self._process = subprocess.Popen(  # noqa: S603 - our own command
                _COMMAND,
                stdin=theirs.fileno(),
                stdout=subprocess.DEVNULL,
                env=_environment(),
                cwd="/",
                start_new_session=True,
            )
            theirs.close()
            self._control = mine
        return self._control

    def _forget(self) -> None:
        if self._control is not None:
            self._control.close()
        if self._process is not None:
            with suppress(ProcessLookupError):
                self._process.kill()
            self._process.wait()
        self._control = self._process = None


def _environment() -> dict[str, str]:
    """A fixed list: nothing that the parent knows by its environment reaches a child."""
    kept = {name: os.environ[name] for name in _KEPT if name in os.environ}
    return {**kept, **dict.fromkeys(_THREADS, "1"), "ARROW_DEFAULT_MEMORY_POOL": "system", "PYTHONHASHSEED": "0"}


server = Server()
