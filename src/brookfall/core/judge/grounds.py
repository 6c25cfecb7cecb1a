"""The grounds on which people must not be treated worse, and which column is of which: by name, or as it is tied."""

import re
from collections.abc import Iterable, Mapping

WORDS: dict[str, tuple[str, ...]] = {
    "age": ("age", "aged", "dob", "birth", "birthday", "birthdate", "born"),
    "disability": ("disability", "disabilities", "disabled", "impairment", "handicap"),
    "ethnic group": ("ethnic", "ethnicity", "race", "racial", "nationality", "ancestry"),
    "pregnancy": ("pregnancy", "pregnant", "maternity"),
    "religion": ("religion", "religious", "faith", "belief"),
    "sex": ("sex", "gender", "male", "female"),
    "sexual orientation": ("orientation", "sexuality"),
    "marital status": ("marital", "married", "civil"),
}
"""Standard words; a policy may name grounds of its own, which are known by their own words."""

NO_GROUND = ""
"""What a column is tied to that is of none of the policy's grounds, whatever its name says."""

_PIECES = re.compile(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])")


def missing_grounds(columns: Iterable[str], grounds: tuple[str, ...], ties: Mapping[str, str]) -> list[str]:
    """The grounds of the list that none of these columns is of, in the list's order.

    >>> missing_grounds(("sex", "q17"), ("age", "religion", "sex"), {"q17": "religion"})
    ['age']
    """
    there = {ground_of(column, grounds, ties) for column in columns}
    return [ground for ground in grounds if ground not in there]


def ground_of(column: str, grounds: tuple[str, ...], ties: Mapping[str, str]) -> str | None:
    """The ground of the list that a column is of: the one that it is tied to, else the one that its name names.

    None where there is none. A tie to a ground that the list does not have counts for nothing.

    >>> ground_of("q17", ("age", "sex"), {"q17": "sex"}), ground_of("house_age", ("age", "sex"), {"house_age": ""})
    ('sex', None)
    """
    if column in ties:
        return ties[column] if ties[column] in grounds else None
    return ground_by_name(column, grounds)


def ground_by_name(column: str, grounds: tuple[str, ...]) -> str | None:
    """The ground of the list that a column's name names, word by word; None where it names none.

    >>> names = ("age_band", "message", "GenderCode")
    >>> [ground_by_name(name, ("age", "sex")) for name in names]
    ['age', None, 'sex']
    """
    words = {piece.lower() for piece in _PIECES.findall(column)}
    for ground in grounds:
        if words & set(WORDS.get(ground, ())) or set(ground.lower().split()) <= words:
            return ground
    return None
