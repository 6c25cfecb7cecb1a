"""Several workers of one parent, which has loaded the program for all: one that is killed is back in seconds."""

import gc
import os
import signal
import sys
import threading
import time
import traceback
from types import FrameType

gc.disable()  # nothing that is loaded is garbage; to look for it among all that takes a fifth of the time

from brookfall.engine.app import app  # noqa: E402 - after that

gc.enable()

_PAUSE_SECONDS = 0.5
"""Before a worker is started again: one that can't live must not take the machine."""
_LOOK_SECONDS = 1.0


def keep_up(name: str, lines: str, count: int) -> None:
    """Keeps so many workers up, each of one process and one thread, until this process is told to end.

    Told to end, it tells them, and waits until each has finished what it is at. It has no thread and no connection of
    its own, so that nothing of it is shared by those that it forks but what it has read.

    Parameters
    ----------
    name
        Tells the workers apart from those of others on this machine; they are numbered after it.
    lines
        What they work on, as Celery is told: ``runs``, ``short`` or both.
    count
        How many.
    """
    workers: dict[int, int] = {}
    ending = False

    def end(_signal: int, _frame: FrameType | None) -> None:
        nonlocal ending
        ending = True
        for pid in workers:
            os.kill(pid, signal.SIGTERM)

    signal.signal(signal.SIGTERM, end)
    signal.signal(signal.SIGINT, end)
    gc.freeze()  # what is here now is never collected, so its pages stay shared
    for number in range(1, count + 1):
        workers[_fork(f"{name}-{number}", lines)] = number
    while workers:
        pid, _ = os.wait()
        number = workers.pop(pid)
        if ending:
            continue
        time.sleep(_PAUSE_SECONDS)
        again = _fork(f"{name}-{number}", lines)
        workers[again] = number
        if ending:  # told so just before it was among them
            os.kill(again, signal.SIGTERM)


def _fork(name: str, lines: str) -> int:
    parent = os.getpid()
    pid = os.fork()
    if pid:
        return pid
    code = 1
    try:
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        signal.signal(signal.SIGINT, signal.SIG_DFL)
        threading.Thread(target=_end_with, args=(parent,), daemon=True).start()
        work(name, lines)
        code = 0
    except SystemExit as told:
        code = told.code if isinstance(told.code, int) else 1
    except Exception:  # noqa: BLE001 - told before this process is gone; its parent starts another
        traceback.print_exc()
    finally:
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)


def work(name: str, lines: str) -> None:
    """Works in this process, in one thread, until it is told to end."""
    app.worker_main(
        [
            "worker", "--pool=solo", "--loglevel=WARNING", "--without-gossip", "--without-mingle", "-n", f"{name}@%h",
            "-Q", lines,
        ]
    )  # fmt: skip


def _end_with(parent: int) -> None:
    """Ends this process, in order, once its parent is gone: whoever starts that again starts workers with it."""
    while os.getppid() == parent:
        time.sleep(_LOOK_SECONDS)
    os.kill(os.getpid(), signal.SIGTERM)
