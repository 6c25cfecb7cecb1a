"""How long reading may take and how much memory it may hold, by how much was sent."""

from dataclasses import dataclass

_SECONDS, _SECONDS_PER_MB = 30.0, 0.5
_BYTES, _BYTES_PER_BYTE = 1_500_000_000, 12
_BYTES_AT_MOST = 24_000_000_000


@dataclass(frozen=True)
class Limits:
    """Seconds of wall clock and of CPU, and bytes of memory beyond what the child begins with."""

    seconds: float
    memory: int


def limits_for(size: int) -> Limits:
    """The limits of reading ``size`` bytes: 30 s and 1.5 GB, and more for a large submission.

    >>> limits_for(0)
    Limits(seconds=30.0, memory=1500000000)
    >>> limits_for(400_000_000)
    Limits(seconds=230.0, memory=6300000000)
    """
    return Limits(_SECONDS + _SECONDS_PER_MB * size / 1e6, min(_BYTES_AT_MOST, int(_BYTES + _BYTES_PER_BYTE * size)))
