"""Keeps a lease alive while the work that it stands for goes on."""

import logging
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from brookfall.records.config import config

_BEATS_A_LEASE = 4

_log = logging.getLogger(__name__)


@contextmanager
def heartbeat(beat: Callable[[], object]) -> Iterator[None]:
    """Calls ``beat`` a few times a lease, from a thread of its own, until the work is done."""
    stop, pause = threading.Event(), config().lease_seconds / _BEATS_A_LEASE

    def go_on() -> None:
        while not stop.wait(pause):
            try:
                beat()
            except Exception as problem:  # noqa: BLE001 - the database may be back before the lease ends
                _log.warning("a beat was missed: %s", problem)

    thread = threading.Thread(target=go_on, daemon=True)
    thread.start()
    try:
        yield
    finally:
        stop.set()
        thread.join()
