"""The clean process that children are forked from: it has the libraries, no secret, no thread, and reads nothing.

Started by ``sandbox`` with a socket as its standard input; ends when that is closed.
"""

import gc
import importlib
import json
import os
import signal
import socket
import sys
import traceback
from typing import Any

from brookfall.core.foundation.errors import UserError
from brookfall.sandbox import frames
from brookfall.sandbox.confinement import bound, confine
from brookfall.sandbox.limits import Limits
from brookfall.sandbox.tasks import TASKS

_ASKED_FOR_LATER = ("pandas",)
"""What pyarrow imports when it is first used; a child would take two seconds over it each time."""
_ORDER = 4096
_LONGEST_TRACE = 8000


def main() -> None:
    """Forks a child for every socket that comes in."""
    control = socket.socket(fileno=os.dup(0))
    for library in _ASKED_FOR_LATER:
        importlib.import_module(library)
    signal.signal(signal.SIGCHLD, signal.SIG_IGN)
    gc.freeze()
    while True:
        order, links, _, _ = socket.recv_fds(control, _ORDER, 1)
        if not order:
            return
        if os.fork() == 0:
            control.close()
            os.close(0)
            _child(socket.socket(fileno=links[0]), json.loads(order))
        for link in links:
            os.close(link)


def _child(link: socket.socket, order: dict[str, Any]) -> None:
    """The tasks of one link, and the end of this process whatever comes of them."""
    try:
        signal.signal(signal.SIGCHLD, signal.SIG_DFL)
        # What libraries print would be a file that grows, which ends a child.
        os.dup2(os.open(os.devnull, os.O_WRONLY), 2)
        limits = Limits(order["seconds"], order["memory"])
        bound(limits)
        for library in order["libraries"]:
            importlib.import_module(library)
        missing = confine()
        frames.send(link, {"pid": os.getpid(), "missing": missing})
        # Most are asked once; whoever asks a fitted model goes on, and closes the link at the end.
        while True:
            given, buffers = frames.receive(link, sys.maxsize)
            _answer(link, given, buffers)
    except frames.EndedError:
        os._exit(0)
    except BaseException:  # noqa: BLE001 - nobody is left to be told; the parent sees the link end
        os._exit(1)


def _answer(link: socket.socket, given: dict[str, Any], buffers: list[bytearray]) -> None:
    def tell(doing: str, share: float) -> None:
        frames.send(link, {"progress": [doing, share]})

    try:
        answer, held = TASKS[given.pop("task")](given, buffers, tell)
    except UserError as problem:
        told = {name: getattr(problem, name) for name in ("what", "todo", "file", "column", "row")}
        frames.send(link, {"refused": told})
    except MemoryError:
        frames.send(link, {"ended": "memory"})
    except Exception:  # noqa: BLE001 - what nobody foresaw in a stranger's file; told, and logged by the parent
        frames.send(link, {"fault": traceback.format_exc()[-_LONGEST_TRACE:]})
    else:
        frames.send(link, {"answer": answer}, held)


if __name__ == "__main__":
    main()
