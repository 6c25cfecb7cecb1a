"""The grounds on which people must not be treated worse, and the words by which columns name them."""

import re
from collections.abc import Iterable

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

_PIECES = re.compile(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])")


def missing_grounds(columns: Iterable[str], grounds: tuple[str, ...]) -> list[str]:
    """The grounds of the list that none of these columns names, in the list's order.

    >>> missing_grounds(("sex",), ("age", "sex"))
    ['age']
    """
    named = {ground_of(column, grounds) for column in columns}
    return [ground for ground in grounds if ground not in named]


def ground_of(column: str, grounds: tuple[str, ...]) -> str | None:
    """The ground of the list that a column's name names, word by word; None where it names none.

    >>> ground_of("age_band", ("age", "sex")), ground_of("message", ("age",)), ground_of("GenderCode", ("sex",))
    ('age', None, 'sex')
    """
    words = {piece.lower() for piece in _PIECES.findall(column)}
    for ground in grounds:
        if words & set(WORDS.get(ground, ())) or set(ground.lower().split()) <= words:
            return ground
    return None
