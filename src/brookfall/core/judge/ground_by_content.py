"""Which ground a column is of by what it holds, whatever it is called: proposed, never taken for granted."""

import re
from dataclasses import dataclass

import numpy as np

from brookfall.core.foundation import wording
from brookfall.core.judge.grounds import Grounds
from brookfall.core.table.table import Column

_WOMEN = frozenset({"f", "female", "females", "w", "woman", "women", "girl"})
_MEN = frozenset({"m", "male", "males", "man", "men", "boy"})
_NEITHER = frozenset({"x", "d", "diverse", "nonbinary", "other", "unknown", "not known", "not said", "not recorded"})
_LEVELS: dict[str, frozenset[str]] = {
    "disability": frozenset({"disabled", "disability", "not disabled", "no disability", "impaired"}),
    "ethnic group": frozenset(
        {"white", "black", "asian", "mixed", "hispanic", "latino", "caucasian", "arab", "roma", "indigenous", "african"}
    ),
    "marital status": frozenset(
        {"married", "single", "divorced", "widowed", "separated", "unmarried", "cohabiting", "civil partnership"}
    ),
    "pregnancy": frozenset({"pregnant", "not pregnant"}),
    "religion": frozenset(
        {"christian", "catholic", "protestant", "orthodox", "muslim", "hindu", "sikh", "jewish", "buddhist", "atheist"}
    ),
    "sexual orientation": frozenset({"heterosexual", "straight", "gay", "lesbian", "bisexual", "homosexual"}),
}
"""Words that levels of a ground begin with or are; two of them make a ground plausible (common practice)."""

_MOST_LEVELS = 40
_FEWEST = 2
_RANGE = re.compile(r"(?:under|below|over)? *(\d{1,3})(?: *(?:-|–|to) *(\d{1,3})|\+| and over| and under| or over)?")
_MANY = 30
_YOUNG, _OLD, _OLDEST = (15, 21), 60, 115
_FIRST_CUT = 45
_LIFETIME = 45
"""Years that dates of birth of adults lie apart, at least."""


@dataclass(frozen=True)
class Proposed:
    """A ground, and what in the column speaks for it, in words."""

    ground: str
    because: str


def ground_by_content(column: Column, grounds: Grounds) -> Proposed | None:
    """The ground of the policy that a column's values read like; None where they read like none.

    >>> from brookfall.core.table.infer import column_from_text
    >>> ground_by_content(column_from_text("q17", ["F", "M", "F", "X"]), Grounds(("age", "sex")))
    Proposed(ground='sex', because='its levels are F, M and X')
    """
    found = _age(column) if column.kind in ("number", "date") else _of_levels(column, grounds)
    return found if found is not None and found.ground in grounds.names else None


def _age(column: Column) -> Proposed | None:
    if column.kind == "date":
        years = [int(level[:4]) for level in column.levels if level[:4].isdigit()]
        apart = max(years) - min(years) if years else 0
        return Proposed("age", f"its dates span {apart} years, as dates of birth do") if apart >= _LIFETIME else None
    known = column.values[~column.missing]
    if len(np.unique(known)) < _MANY or not (known == np.floor(known)).all():
        return None
    low, high = int(known.min()), int(known.max())
    # Ages of adults begin where adults do, and somebody is old: what begins elsewhere counts something else as a rule.
    if _YOUNG[0] <= low <= _YOUNG[1] and _OLD < high <= _OLDEST:
        return Proposed("age", f"its whole numbers from {low} to {high} read like ages")
    return None


def _of_levels(column: Column, grounds: Grounds) -> Proposed | None:
    held = [column.levels[code] for code in np.unique(column.values) if code >= 0]
    if not _FEWEST <= len(held) <= _MOST_LEVELS:
        return None
    words = [re.sub(r"[^a-z0-9+–]+", " ", level.lower()).strip() for level in held]
    # What the house itself calls levels of a ground counts before what they read like.
    for ground in grounds.names:
        if _begin(words, grounds.levels(ground)):
            return Proposed(ground, _because(held))
    if {*words} & _WOMEN and {*words} & _MEN and {*words} <= _WOMEN | _MEN | _NEITHER:
        return Proposed("sex", _because(held))
    if _are_ages([level.lower().strip() for level in held]):
        return Proposed("age", _because(held))
    for ground, known in _LEVELS.items():
        if _begin(words, known):
            return Proposed(ground, _because(held))
    return None


def _begin(words: list[str], known: frozenset[str]) -> bool:
    """Whether enough of the levels are, or begin with, one of these."""
    return sum(any(word == one or word.startswith(f"{one} ") for one in known) for word in words) >= _FEWEST


def _are_ages(levels: list[str]) -> bool:
    """Whether levels are bands of years that run into old age."""
    matched = [_RANGE.fullmatch(level) for level in levels]
    numbers = [int(part) for one in matched if one is not None for part in one.groups() if part is not None]
    bands = sum(one is not None and one.group(0) != one.group(1) for one in matched)
    if len(levels) <= _FEWEST or None in matched or bands * 2 < len(levels):
        return False
    return min(numbers) <= _FIRST_CUT and _OLD <= max(numbers) <= _OLDEST


def _because(levels: list[str]) -> str:
    shown = levels[:4]
    more = len(levels) - len(shown)
    return f"its levels are {wording.listed([*shown, f'{more} more'] if more else shown)}"
