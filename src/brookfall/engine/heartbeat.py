"""Keeps a lease alive while the work that it stands for goes on."""

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

_BEAT_SECONDS = 5.0


@contextmanager
def heartbeat(beat: Callable[[], object]) -> Iterator[None]:
    """Calls ``beat`` every few seconds, from a thread of its own, until the work is done."""
    stop = threading.Event()

    def go_on() -> None:
        while not stop.wait(_BEAT_SECONDS):
            beat()

    thread = threading.Thread(target=go_on, daemon=True)
    thread.start()
    try:
        yield
    finally:
        stop.set()
        thread.join()
