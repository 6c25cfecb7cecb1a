"""The grounds on which people must not be treated worse, and which column is of which: by name, or as it is tied."""

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from pydantic import BaseModel, ConfigDict, Field, field_validator

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
"""Standard words; a policy may name grounds of its own, and words of its own for each."""

NO_GROUND = ""
"""What a column is tied to that is of none of the policy's grounds, whatever its name says."""

_PIECES = re.compile(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])")


class GroundWords(BaseModel):
    """By what a house knows a ground, beside what everybody does."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    names: tuple[str, ...] = Field(
        default=(), max_length=100, description="words of which one in a column's name says that it is of the ground"
    )
    levels: tuple[str, ...] = Field(
        default=(), max_length=200, description="what levels of the ground begin with; two of them make it plausible"
    )

    @field_validator("names", "levels")
    @classmethod
    def _written_small(cls, words: tuple[str, ...]) -> tuple[str, ...]:
        small = tuple(word.strip().lower() for word in words)
        if not all(small):
            raise ValueError("a word by which a ground is known is empty")
        return small


@dataclass(frozen=True)
class Grounds:
    """A policy's grounds in its order, and by what the house knows each beside the standard words."""

    names: tuple[str, ...]
    own: Mapping[str, GroundWords] = field(default_factory=dict)

    def missing(self, columns: Iterable[str], ties: Mapping[str, str]) -> list[str]:
        """The grounds that none of these columns is of, in the policy's order.

        >>> Grounds(("age", "religion", "sex")).missing(("sex", "q17"), {"q17": "religion"})
        ['age']
        """
        there = {self.of(column, ties) for column in columns}
        return [ground for ground in self.names if ground not in there]

    def of(self, column: str, ties: Mapping[str, str]) -> str | None:
        """The ground that a column is of: the one that it is tied to, else the one that its name names.

        None where there is none. A tie to a ground that the policy does not have counts for nothing.

        >>> grounds = Grounds(("age", "sex"))
        >>> grounds.of("q17", {"q17": "sex"}), grounds.of("house_age", {"house_age": NO_GROUND})
        ('sex', None)
        """
        if column in ties:
            return ties[column] if ties[column] in self.names else None
        return self.by_name(column)

    def by_name(self, column: str) -> str | None:
        """The ground that a column's name names, word by word; None where it names none.

        >>> [Grounds(("age", "sex")).by_name(name) for name in ("age_band", "message", "GenderCode")]
        ['age', None, 'sex']
        >>> Grounds(("clan",), {"clan": GroundWords(names=("house name",))}).by_name("HouseName")
        'clan'
        """
        words = {piece.lower() for piece in _PIECES.findall(column)}
        return next((ground for ground in self.names if self._names(ground, words)), None)

    def levels(self, ground: str) -> frozenset[str]:
        """What the house says that levels of the ground begin with."""
        return frozenset(self.own[ground].levels) if ground in self.own else frozenset()

    def _names(self, ground: str, words: set[str]) -> bool:
        own = self.own[ground].names if ground in self.own else ()
        return any(set(name.split()) <= words for name in (*WORDS.get(ground, ()), *own, ground.lower()))
