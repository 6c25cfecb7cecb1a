"""The sentence of a check in the plan, as data: words, fields whose values are set inside it, limits.

A page shows any sentence from this alone: it puts a field's value at its path in the plan, and knows no check.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, JsonValue

from brookfall.core.plan.departures import Departure
from brookfall.core.plan.plan import InUse, Plan

Path = tuple[str, ...]
"""Where in the plan a value stands, key by key."""


class _Part(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Words(_Part):
    kind: Literal["words"] = "words"
    text: str


class NumberField(_Part):
    """A number between bounds. ``turned``: what is shown has the other sign than what the plan keeps; at ``mirror`` the
    same number with the other sign is put too."""

    kind: Literal["number"] = "number"
    name: str
    path: Path
    value: float
    least: float
    most: float
    whole: bool = False
    unit: str = ""
    turned: bool = False
    mirror: Path | None = None


class MaybeNumberField(_Part):
    """A number between bounds that need not be there: empty takes the path out of the plan."""

    kind: Literal["maybe_number"] = "maybe_number"
    name: str
    path: Path
    value: float | None
    least: float
    most: float
    unit: str = ""


class Option(_Part):
    """A value that may be chosen, and how it is said; ``follows`` is what is said where it is chosen."""

    value: JsonValue
    words: str
    follows: str = ""


class ChoiceField(_Part):
    """One of several values; ``null`` takes the path out of the plan."""

    kind: Literal["choice"] = "choice"
    name: str
    path: Path
    value: JsonValue
    options: tuple[Option, ...]


class SetField(_Part):
    """Any of several values, at least one; ``so`` opens the sentence of what follows from those that are chosen."""

    kind: Literal["set"] = "set"
    name: str
    path: Path
    value: tuple[str, ...]
    options: tuple[Option, ...]
    so: str = ""
    end: str = ""


class TextField(_Part):
    kind: Literal["text"] = "text"
    name: str
    path: Path
    value: str
    hint: str = ""


class NumbersField(_Part):
    """Numbers that rise, such as cuts between bands; with ``none`` there may be none, and that is what is said then."""

    kind: Literal["numbers"] = "numbers"
    name: str
    path: Path
    value: tuple[float, ...]
    none: str = ""
    most: int = 20


class LevelsField(_Part):
    """Levels of a column that are taken as one: ``value`` holds sets of them, ``groups`` are what is left."""

    kind: Literal["levels"] = "levels"
    name: str
    path: Path
    value: tuple[tuple[str, ...], ...]
    groups: tuple[str, ...]
    levels: tuple[str, ...]


class RecipesField(_Part):
    """Recipes under names of their own; each is a family with its settings and preprocessing."""

    kind: Literal["recipes"] = "recipes"
    name: str
    path: Path
    value: tuple[JsonValue, ...]
    families: tuple[Option, ...]
    most: int


AnyField = (
    NumberField | MaybeNumberField | ChoiceField | SetField | TextField | NumbersField | LevelsField | RecipesField
)
Part = Annotated[Words | AnyField, Field(discriminator="kind")]


class PlanLine(_Part):
    """A line of its own below or above a sentence."""

    parts: tuple[Part, ...]
    tone: Literal["plain", "small", "warning"] = "plain"
    remark: str = ""


class Sentence(_Part):
    """What a check does, said in a sentence, with its limit at the end of the line."""

    parts: tuple[Part, ...]
    limit: tuple[Part, ...]
    before: tuple[PlanLine, ...] = ()
    after: tuple[PlanLine, ...] = ()


def with_departures(sentence: Sentence, departing: Sequence[Departure]) -> Sentence:
    """The sentence with a line for every limit in it that departs from the policy, and room for the reason."""
    used = limits_of(sentence)
    lines = tuple(departure_line(one) for one in departing if one.name in used)
    return sentence.model_copy(update={"after": (*sentence.after, *lines)})


def limits_of(sentence: Sentence) -> set[str]:
    """The policy's limits that can be set in a sentence, by their names in ``departures``."""
    parts = (*sentence.parts, *sentence.limit, *(part for line in sentence.after for part in line.parts))
    paths = [part.path for part in parts if not isinstance(part, Words)]
    return {".".join(path[1:3]) if path[1] == "limits" else path[1] for path in paths if path[0] == "policy"}


def departure_line(one: Departure) -> PlanLine:
    """That a limit departs from the policy, and room for the reason."""
    reason = TextField(
        name=f"Why the limit on {one.what} departs from the policy",
        path=("overrides", one.name),
        value=one.reason,
        hint="why it departs; the report shows it",
    )
    return PlanLine(parts=(Words(text=f"{one.words}, because "), reason), tone="warning")


@dataclass(frozen=True)
class About:
    """What a sentence may speak of: the plan, and what is known of the case under it."""

    plan: Plan
    outcome: str
    positive: str = ""
    claims: int = 0
    protected: tuple[str, ...] = ()
    features: tuple[str, ...] = ()
    timed: bool = False
    capacity_said: str = ""
    versions: tuple[InUse, ...] = ()
    grounds: "tuple[GroundLines, ...]" = ()

    @property
    def number(self) -> bool:
        return self.outcome == "number"


@dataclass(frozen=True)
class GroundLines:
    """A protected column as the plan speaks of it: its groups, their sizes in words, cuts and levels.

    ``reference`` is the group that all others are set against; None where each is set against everyone else.
    """

    name: str
    groups: tuple[str, ...]
    reference: str | None
    sizes: str
    cuts: tuple[float, ...] | None = None
    levels: tuple[str, ...] = ()
    clash: str = ""


NO_LIMIT = "no limit set"


def parts_of(text: str, fields: Mapping[str, AnyField]) -> tuple[Part, ...]:
    """Words and fields, from a text with the fields' names in braces.

    >>> [part.kind for part in parts_of("Do it {often} times.", {"often": number_field(0, "Often", ("splits",), 1, 9)})]
    ['words', 'number', 'words']
    """
    found: list[Part] = []
    for place, piece in enumerate(re.split(r"\{(\w+)\}", text)):
        if place % 2:
            found.append(fields[piece])
        elif piece:
            found.append(Words(text=piece))
    return tuple(found)


def say(
    text: str,
    limit: str = NO_LIMIT,
    *,
    before: tuple[PlanLine, ...] = (),
    after: tuple[PlanLine, ...] = (),
    **fields: AnyField,
) -> Sentence:
    """A sentence from a text and a limit with the fields' names in braces.

    >>> say("Describe the rows.").limit[0].text
    'no limit set'
    """
    return Sentence(parts=parts_of(text, fields), limit=parts_of(limit, fields), before=before, after=after)


def number_field(value: float, name: str, path: Path, least: float, most: float, *, whole: bool = True) -> NumberField:
    """A number of the plan; ``name`` is what a screen reader calls it."""
    return NumberField(name=name, path=path, value=value, least=least, most=most, whole=whole)


def upper_limit(about: About, policy_field: str, name: str, most: float = 1.0) -> NumberField:
    """The upper end of one of the policy's limits."""
    value = getattr(about.plan.policy, policy_field).at_most
    return NumberField(
        name=name, path=("policy", policy_field, "at_most"), value=0.0 if value is None else value, least=0, most=most
    )


def lower_limit(
    about: About, policy_field: str, name: str, most: float = 1.0, *, least: float = 0.0, turned: bool = False
) -> NumberField:
    """The lower end of one of the policy's limits; ``turned`` shows it with the other sign."""
    value = getattr(about.plan.policy, policy_field).at_least or 0.0
    return NumberField(
        name=name, path=("policy", policy_field, "at_least"), value=value, least=least, most=most, turned=turned
    )


def both_ends(about: About, policy_field: str, name: str, most: float = 1.0) -> NumberField:
    """The upper end of one of the policy's limits whose lower end is the same with the other sign."""
    field = upper_limit(about, policy_field, name, most)
    return field.model_copy(update={"mirror": ("policy", policy_field, "at_least")})


def number_setting(
    about: About, check: str, key: str, default: float, name: str, least: float, most: float
) -> NumberField:
    """A number among the settings of a check that has no field of its own in the plan."""
    value = about.plan.settings.get(check, {}).get(key, default)
    held = float(value) if isinstance(value, int | float) else 0.0
    return NumberField(name=name, path=("settings", check, key), value=held, least=least, most=most)


def choice_setting(
    about: About, check: str, key: str, default: str, name: str, options: Mapping[str, str]
) -> ChoiceField:
    """One of several words among the settings of a check that has no field of its own in the plan."""
    value = about.plan.settings.get(check, {}).get(key, default)
    listed = tuple(Option(value=one, words=words) for one, words in options.items())
    return ChoiceField(name=name, path=("settings", check, key), value=value, options=listed)


def limit_setting(about: About, check: str, default: float, name: str, least: float, most: float) -> NumberField:
    """The upper limit of a check that has none of its own in the policy."""
    held = about.plan.policy.limits.get(check)
    value = default if held is None or held.at_most is None else held.at_most
    return NumberField(name=name, path=("policy", "limits", check, "at_most"), value=value, least=least, most=most)
