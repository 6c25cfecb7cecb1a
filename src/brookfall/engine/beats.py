"""That workers are there: each says so at every tick of its clock, where web processes can ask."""

import logging
from collections import Counter
from collections.abc import Iterable

import redis

from brookfall.records.config import config

SHORT, RUNS = "short", "runs"
LINES = (SHORT, RUNS)
"""Where work waits: what somebody waits for at a page; and runs with what takes as long, for workers of their own."""

_PREFIX = "brookfall:worker:"
KEPT_SECONDS = 30
"""A worker that was not heard of for so long counts as gone."""

_log = logging.getLogger(__name__)


def beat(worker: str, lines: Iterable[str]) -> None:
    """Says that this worker is there, and for which lines; a broker that does not answer keeps it from nothing else."""
    try:
        with _broker() as broker:
            broker.set(f"{_PREFIX}{worker}", ",".join(sorted(lines)), ex=KEPT_SECONDS)
    except redis.RedisError as problem:
        _log.warning("the broker does not answer, no beat was kept: %s", problem)


def workers_heard() -> Counter[str]:
    """How many workers of each line were heard of lately; redis.RedisError where the broker does not answer."""
    with _broker() as broker:
        names = list(broker.scan_iter(match=f"{_PREFIX}*", count=1000))
        said = broker.mget(names) if names else []
    return Counter(line for lines in said if lines is not None for line in lines.decode().split(","))


def unserved(heard: Counter[str]) -> tuple[str, ...]:
    """The lines of work that no worker was heard of for."""
    return tuple(line for line in LINES if not heard[line])


def _broker() -> redis.Redis:
    return redis.Redis.from_url(config().redis_url, socket_timeout=2, socket_connect_timeout=2)
