"""Groups of people: the levels of each protected attribute as the plan takes them, and of combinations of them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import combinations, product

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.request import Rows
from brookfall.core.foundation import wording
from brookfall.core.plan.plan import Plan
from brookfall.core.submission.subject import Subject
from brookfall.core.table.change import Bands
from brookfall.core.table.infer import as_category
from brookfall.core.table.table import Column, free_name

Spoken = Mapping[str, Mapping[str, str]]
"""How the people of a level are spoken of, by attribute and level."""

NOT_RECORDED = "not recorded"
_GOES_ON = frozenset({"aged", "from", "in", "of", "on", "under", "who", "whose", "with", "without"})
_MOST_VALUES = 12
"""Distinct numbers up to which each is a group of its own."""
_AGES = (25.0, 40.0, 65.0)
_QUARTILES = (0.25, 0.5, 0.75)
GROUPS_TO_COMPARE = 3
"""Recorded groups from which on each is set against everyone else; two give one contrast."""


@dataclass(frozen=True, eq=False)
class Ground:
    """A protected attribute as it is audited: ``codes`` (n,) are places in ``levels``.

    A gap is a level of its own, the last one, whose place is ``gap`` (None: no row has one). ``cuts`` are those between
    the bands of a number; None for what is no number, or stands for itself.
    """

    name: str
    levels: tuple[str, ...]
    codes: NDArray[np.int64]
    gap: int | None = None
    cuts: tuple[float, ...] | None = None
    spoken: Mapping[str, str] = field(default_factory=dict)

    def take(self, rows: Rows) -> "Ground":
        return replace(self, codes=self.codes[rows])


def grounds_of(subject: Subject, plan: Plan) -> tuple[Ground, ...]:
    """Every protected attribute of the table, banded and merged as the plan says; codes are of all rows."""
    roles = subject.roles
    grounds = (ground_as(subject.table.column(name), plan, roles.grounds) for name in roles.protected)
    return tuple(replace(ground, spoken=roles.spoken.get(ground.name, {})) for ground in grounds)


def ground_as(column: Column, plan: Plan, ties: Mapping[str, str]) -> Ground:
    """A column of n rows as a ground; ``ties`` say of which one columns are where their names do not.

    >>> from brookfall.core.check.standard_plan import standard_plan
    >>> from brookfall.core.table.infer import column_from_text
    >>> plan = standard_plan(2, given_parts=False).model_copy(update={"bands": {"age": (40.0,)}})
    >>> ground = ground_as(column_from_text("age", ["39", "", "40"]), plan, {})
    >>> ground.levels, ground.codes.tolist()
    (('under 40', '40 and over', 'not recorded'), [0, 2, 1])
    """
    cuts = cuts_of(column, plan, ties)
    if cuts is None:
        coded = as_category(column)
        levels, codes = coded.levels, coded.values.astype(np.int64)
    else:
        bands = Bands(column=column.name, cuts=cuts, name=column.name)
        levels, codes = bands.labels, np.digitize(column.values, cuts).astype(np.int64)
    levels, codes = _merged(levels, codes, plan.merged.get(column.name, ()))
    missing = column.missing
    if not missing.any():
        return Ground(column.name, levels, codes, None, cuts)
    codes[missing] = len(levels)
    return Ground(column.name, (*levels, free_name(NOT_RECORDED, set(levels))), codes, len(levels), cuts)


def cuts_of(column: Column, plan: Plan, ties: Mapping[str, str]) -> tuple[float, ...] | None:
    """The cuts between the bands of a number: the plan's, else the usual ones of ages, else quartiles.

    Which are usual is common practice. None where the column is no number, or has so few values that each is a group.
    """
    if column.kind != "number":
        return None
    if column.name in plan.bands:
        return plan.bands[column.name]
    known = column.values[~column.missing]
    if len(np.unique(known)) <= _MOST_VALUES:
        return None
    if plan.policy.listed.of(column.name, ties) == "age":
        return _AGES
    return tuple(sorted({float(f"{value:.3g}") for value in np.quantile(known, _QUARTILES)}))


def _merged(
    levels: tuple[str, ...], codes: NDArray[np.int64], sets: tuple[tuple[str, ...], ...]
) -> tuple[tuple[str, ...], NDArray[np.int64]]:
    """Levels of one set become one, at the place of its first; a level that is not there takes no part."""
    called = dict(zip(levels, levels, strict=True))
    for one in sets:
        there = [level for level in levels if level in one]
        called |= dict.fromkeys(there, " or ".join(there))
    kept = tuple(dict.fromkeys(called[level] for level in levels))
    place = np.array([kept.index(called[level]) for level in levels] or [0], dtype=np.int64)
    return kept, np.where(codes >= 0, place[codes], codes)


@dataclass(frozen=True, eq=False)
class Group:
    """Rows that share a level of every attribute named; ``members`` are positions among the audited rows.

    ``recorded`` is False where one of the levels is that nothing was recorded. ``spoken`` is how those of a level are
    spoken of, by attribute and level, where it was said.
    """

    label: dict[str, str]
    members: NDArray[np.int64]
    recorded: bool = True
    spoken: Spoken = field(default_factory=dict)

    @property
    def attributes(self) -> tuple[str, ...]:
        return tuple(self.label)

    @cached_property
    def words(self) -> str:
        return label_words(self.label, self.spoken)

    @property
    def levels(self) -> str:
        return ", ".join(self.label.values())

    def __len__(self) -> int:
        return len(self.members)


def label_words(label: Mapping[str, str], spoken: Spoken) -> str:
    """The people of a group in words: as they are spoken of where that was said, else attributes with their levels.

    >>> label_words({"sex": "f", "age_band": "65+"}, {})
    'sex f and age band 65+'
    >>> label_words({"sex": "f", "age_band": "65+"}, {"sex": {"f": "women"}, "age_band": {"65+": "of 65 and over"}})
    'women of 65 and over'
    >>> label_words({"age_band": "65+", "sex": "f", "faith": "none"}, {"sex": {"f": "women"}})
    'women with age band 65+ and faith none'
    >>> label_words({"age_band": "65+"}, {"age_band": {"65+": "of 65 and over"}})
    'people of 65 and over'
    """
    said = {attribute: spoken.get(attribute, {}).get(level) for attribute, level in label.items()}
    bare = wording.listed(
        [f"{attribute.replace('_', ' ')} {level}" for attribute, level in label.items() if not said[attribute]]
    )
    forms = " ".join(form for form in sorted(filter(None, said.values()), key=_is_attached))
    if forms and _is_attached(forms):
        forms = f"people {forms}"
    return f"{forms} with {bare}" if forms and bare else forms or bare


def _is_attached(form: str) -> bool:
    """Whether a form goes on from a noun: of 65 and over, in group Birch; such forms come after it."""
    return form.split(" ", 1)[0] in _GOES_ON


def groups_of(grounds: Sequence[Ground], order: int) -> tuple[Group, ...]:
    """All groups of that order (1: each attribute, 2: each pair, 3: each triple) that hold a row, in order.

    The grounds' codes are of the audited rows. Every row is in one group of each combination of attributes.

    >>> sex = Ground("sex", ("f", "m"), np.array([0, 1, 0]))
    >>> [(group.words, group.members.tolist()) for group in groups_of([sex], 1)]
    [('sex f', [0, 2]), ('sex m', [1])]
    """
    return tuple(group for chosen in combinations(grounds, order) for group in _cells(chosen))


def _cells(grounds: tuple[Ground, ...]) -> list[Group]:
    """The occupied cells of a cross of grounds, from one stable sort of the rows by cell."""
    shape = tuple(len(ground.levels) for ground in grounds)
    cell = np.ravel_multi_index(tuple(ground.codes for ground in grounds), shape)
    order = np.argsort(cell, kind="stable")
    ends = np.cumsum(np.bincount(cell, minlength=int(np.prod(shape))))
    groups = []
    for place, levels in enumerate(product(*(range(count) for count in shape))):
        members = order[(ends[place - 1] if place else 0) : ends[place]]
        if len(members):
            pairs = list(zip(grounds, levels, strict=True))
            label = {ground.name: ground.levels[level] for ground, level in pairs}
            spoken = {ground.name: ground.spoken for ground in grounds if ground.spoken}
            groups.append(Group(label, members, all(level != ground.gap for ground, level in pairs), spoken))
    return groups


def families(groups: tuple[Group, ...]) -> dict[tuple[str, ...], list[Group]]:
    """Groups that are alternatives to each other, by the attributes they share."""
    found: dict[tuple[str, ...], list[Group]] = {}
    for group in groups:
        found.setdefault(group.attributes, []).append(group)
    return found


def reference(groups: list[Group], named: Mapping[str, str]) -> Group | None:
    """The group that all others are set against; None where each is set against everyone else.

    It is the one that the plan names, by every attribute. Where it names none, two recorded groups give one contrast,
    against the larger of them, and so does a single one against those of whom nothing is recorded.

    >>> women, men, gap = (
    ...     Group({"sex": level}, np.arange(n), level != "not recorded")
    ...     for level, n in (("f", 9), ("m", 5), ("not recorded", 30))
    ... )
    >>> reference([women, men, gap], {}).levels, reference([women, men], {"sex": "m"}).levels
    ('f', 'm')
    """
    if all(attribute in named for attribute in groups[0].attributes):
        wanted = [group for group in groups if all(group.label[a] == named[a] for a in group.attributes)]
        if wanted:
            return wanted[0]
    recorded = [group for group in groups if group.recorded]
    return max(recorded or groups, key=len) if len(recorded) < GROUPS_TO_COMPARE else None
