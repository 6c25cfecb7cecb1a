"""Limits on the time and memory of one fit, so that one that goes astray is told and the others go on."""

import resource
import signal
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from types import FrameType
from typing import NoReturn

_MEGABYTE = 1 << 20


class FitLimitError(BaseException):
    """A fit took longer than it may. No Exception, so that no library takes it for a fault of its data and goes on."""


@contextmanager
def limited(seconds: float, megabytes: int) -> Iterator[None]:
    """Raises FitLimitError after so many seconds, and MemoryError where so much more memory is asked for.

    Only in a process's main thread, where signals arrive; elsewhere nothing is limited. The time limit takes hold when
    control comes back to Python: a single call of compiled code is not broken off. 0 is no limit.

    >>> with limited(60, 0):
    ...     sum(range(10))
    45
    """
    if threading.current_thread() is not threading.main_thread():
        yield
        return

    def stop(_signal: int, _frame: FrameType | None) -> NoReturn:
        raise FitLimitError(f"it took longer than its limit of {seconds:g} seconds")

    soft, hard = resource.getrlimit(resource.RLIMIT_AS)
    before = signal.signal(signal.SIGALRM, stop)
    try:
        if megabytes:
            most = _in_use() + megabytes * _MEGABYTE
            resource.setrlimit(resource.RLIMIT_AS, (most if hard == resource.RLIM_INFINITY else min(most, hard), hard))
        if seconds:
            signal.setitimer(signal.ITIMER_REAL, seconds)
        yield
    finally:
        signal.setitimer(signal.ITIMER_REAL, 0)
        signal.signal(signal.SIGALRM, before)
        resource.setrlimit(resource.RLIMIT_AS, (soft, hard))


@contextmanager
def unbroken() -> Iterator[None]:
    """Within :func:`limited`, what must not be broken off in the middle: memory has no limit in it, and the time limit
    takes hold after it."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    # A mask would not do: the signal then comes by another thread, and Python handles it in this one.
    rung: list[int] = []
    soft, hard = resource.getrlimit(resource.RLIMIT_AS)
    before = signal.signal(signal.SIGALRM, lambda number, _frame: rung.append(number))
    resource.setrlimit(resource.RLIMIT_AS, (hard, hard))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_AS, (soft, hard))
        signal.signal(signal.SIGALRM, before)
        if rung:
            signal.raise_signal(signal.SIGALRM)


def _in_use() -> int:
    """Bytes of address space this process has."""
    return int(Path("/proc/self/statm").read_text(encoding="ascii").split()[0]) * resource.getpagesize()
