"""How much a short report tells, so that it keeps to its pages: as much as there is room for, and no less."""

from dataclasses import dataclass

_BEYOND = 10**9


@dataclass(frozen=True)
class Room:
    """Most characters of the reasons, of an answer and of any other text; most lines of a list; what findings tell."""

    reasons: int
    answer: int
    words: int
    listed: int
    findings_whole: bool


ROOMS = (
    Room(reasons=_BEYOND, answer=_BEYOND, words=_BEYOND, listed=_BEYOND, findings_whole=True),
    Room(reasons=4_000, answer=240, words=600, listed=24, findings_whole=True),
    Room(reasons=2_500, answer=240, words=300, listed=16, findings_whole=False),
    Room(reasons=1_200, answer=240, words=240, listed=8, findings_whole=False),
    Room(reasons=700, answer=160, words=160, listed=5, findings_whole=False),
    Room(reasons=400, answer=120, words=110, listed=3, findings_whole=False),
    Room(reasons=240, answer=90, words=80, listed=2, findings_whole=False),
)
"""From all there is to what fits on a sheet whatever is said."""


def cut(text: str, most: int) -> str:
    """The text, or its first words and three dots.

    >>> cut("The gap is wide in every fold.", 13)
    'The gap is …'
    """
    if len(text) <= most:
        return text
    return f"{text[: most - 1].rsplit(None, 1)[0]} …"
