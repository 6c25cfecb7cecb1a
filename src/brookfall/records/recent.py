"""The last few results of what takes long to make, so that scrolling through one does not make it anew."""

from collections.abc import Callable
from threading import Condition
from typing import ParamSpec, TypeVar

from cachetools import LRUCache, cached

P = ParamSpec("P")
T = TypeVar("T")


def last_few(most: int) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """Keeps the newest results of a function in this process, by its first argument. Threads share them: who asks for
    what another is at waits for it."""
    return cached(LRUCache(most), key=lambda key, *_, **__: key, condition=Condition())
