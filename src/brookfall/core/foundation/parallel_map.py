"""The same work on many columns, a few at a time in threads; results come in order, as if done one by one."""

import os
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TypeVar

In = TypeVar("In")
Out = TypeVar("Out")

AT_ONCE = max(1, min(4, os.cpu_count() or 1))


def together(act: Callable[[In], Out], items: Iterable[In]) -> Iterator[Out]:
    """What ``act`` gives for each item, in order. Few are under way at a time, so that memory is let go of.

    Only for work whose result does not depend on what else is done, and that is done outside the interpreter's lock.
    The first error ends it.

    >>> list(together(abs, [-1, 2, -3]))
    [1, 2, 3]
    """
    if AT_ONCE == 1:
        yield from map(act, items)
        return
    under_way: deque[Future[Out]] = deque()
    with ThreadPoolExecutor(AT_ONCE) as pool:
        try:
            for item in items:
                under_way.append(pool.submit(act, item))
                if len(under_way) > AT_ONCE:
                    yield under_way.popleft().result()
            while under_way:
                yield under_way.popleft().result()
        finally:
            for left in under_way:
                left.cancel()
