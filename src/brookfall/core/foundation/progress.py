"""How far long work is: what is being done, and the share of the whole that is behind it."""

from typing import Protocol


class Progress(Protocol):
    """Told before each step; may raise to end the work, which then leaves nothing behind."""

    def __call__(self, doing: str, share: float) -> None:
        """``share`` is between 0 and 1."""


def untold(doing: str, share: float) -> None:
    """For whoever does not ask."""


def within(progress: Progress, low: float, high: float) -> Progress:
    """The progress of a stretch of the work, told as the whole's.

    >>> told = []
    >>> within(lambda doing, share: told.append(share), 0.5, 0.7)("reading", 0.5)
    >>> told
    [0.6]
    """

    def told(doing: str, share: float) -> None:
        progress(doing, low + (high - low) * share)

    return told
