"""The last few of something that takes long to make, so that scrolling through it does not make it anew."""

from collections import OrderedDict
from collections.abc import Callable
from threading import Lock
from typing import Generic, TypeVar

T = TypeVar("T")


class LastFew(Generic[T]):
    """Keeps the newest few by key, in this process; safe to share between threads."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._held: OrderedDict[str, T] = OrderedDict()
        self._lock = Lock()

    def get(self, key: str, make: Callable[[], T]) -> T:
        """What is kept under the key, or else what ``make`` gives."""
        with self._lock:
            if key in self._held:
                self._held.move_to_end(key)
                return self._held[key]
        made = make()
        with self._lock:
            self._held[key] = made
            if len(self._held) > self._most:
                self._held.popitem(last=False)
        return made
