"""Groups of people: the levels of each protected attribute, and of pairs of attributes."""

from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.request import Rows
from brookfall.core.subject import Subject
from brookfall.core.table.roles import protected_columns
from brookfall.core.table.table import Column


@dataclass(frozen=True, eq=False)
class Group:
    """Rows that share a level of every attribute named; ``members`` are positions among the audited rows."""

    label: dict[str, str]
    members: NDArray[np.int64]

    @property
    def attributes(self) -> tuple[str, ...]:
        return tuple(self.label)

    @property
    def words(self) -> str:
        return ", ".join(f"{attribute.replace('_', ' ')} {level}" for attribute, level in self.label.items())

    @property
    def levels(self) -> str:
        return ", ".join(self.label.values())

    def __len__(self) -> int:
        return len(self.members)


def groups_of(subject: Subject, rows: Rows, order: int) -> tuple[Group, ...]:
    """All groups of that order (1: each attribute, 2: each pair) with a row among ``rows``, in the columns' order.

    Rows with a gap in an attribute are in none of its groups.
    """
    columns = [column.take(rows) for column in protected_columns(subject.table, subject.roles)]
    return tuple(group for chosen in combinations(columns, order) for group in _cells(chosen))


def _cells(columns: tuple[Column, ...]) -> list[Group]:
    groups = [Group({}, np.arange(len(columns[0].values), dtype=np.int64))]
    for column in columns:
        groups = [
            Group({**group.label, column.name: level}, group.members[column.values[group.members] == code])
            for group in groups
            for code, level in enumerate(column.levels)
        ]
    return [group for group in groups if len(group)]


def families(groups: tuple[Group, ...]) -> dict[tuple[str, ...], list[Group]]:
    """Groups that are alternatives to each other, by the attributes they share."""
    found: dict[tuple[str, ...], list[Group]] = {}
    for group in groups:
        found.setdefault(group.attributes, []).append(group)
    return found


def reference(groups: list[Group], named: dict[str, str]) -> Group:
    """The group the plan names, by attribute; where it names none, the largest, the first of equals."""
    wanted = {attribute: named[attribute] for attribute in groups[0].attributes if attribute in named}
    chosen = [group for group in groups if wanted and all(group.label[a] == level for a, level in wanted.items())]
    return max(chosen or groups, key=len)
