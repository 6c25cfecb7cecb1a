"""The two sides of a comparison: a group, and another group or everyone else."""

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brookfall.core.check.groups.criteria import Kind
from brookfall.core.check.groups.protected_groups import Ground, Group, families, groups_of, reference
from brookfall.core.evidence.estimate import Versus
from brookfall.core.measure.counts import SHARES, confusion, share_rows
from brookfall.core.measure.figure import FEW_EVENTS, FEW_ROWS, Figure, absent, few_units
from brookfall.core.measure.interval import Share, independent_difference, ratio_of_shares, share_of
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import Numbers, Scored, ScoredNumbers

EVERYONE_ELSE = "everyone else"


class Side(ABC):
    """One side of a comparison: a group, or everyone else."""

    @property
    @abstractmethod
    def scored(self) -> Scored | ScoredNumbers:
        """Its rows."""

    @property
    @abstractmethod
    def cells(self) -> Numbers:
        """Rows in the cells tn, fp, fn, tp; of weighted rows their weights."""

    @property
    @abstractmethod
    def is_plain(self) -> bool:
        """Whether the cells say all of a share: yes/no rows that count once and stand for themselves."""

    @property
    @abstractmethod
    def few(self) -> bool:
        """Whether there are too few rows to judge."""

    @property
    @abstractmethod
    def versus(self) -> Versus:
        """What an estimate says of it as the other side."""

    @property
    @abstractmethod
    def words(self) -> str: ...

    def rate(self, name: str) -> Figure:
        """The measure among these rows, marked where there are too few for it."""
        if name not in SHARES:
            return measure(name, self.scored)
        share = self.share(name)
        few = share.n < FEW_ROWS or self.few
        return share.figure().marked(few=few) if share.n else absent(0, "no such row in this group")

    def share(self, name: str) -> Share:
        if not self.is_plain:
            if isinstance(self.scored, ScoredNumbers):
                raise TypeError("a number outcome has no shares of rows")
            among, hits = share_rows(name, self.scored)
            return share_of(hits, among)
        top, bottom = SHARES[name]
        hit, n = float(self.cells[list(top)].sum()), int(self.cells[list(bottom)].sum())
        return Share(hit / n, n, float(n)) if n else Share(0.0, 0, 0.0)


@dataclass(frozen=True, eq=False)
class Member(Side):
    """A group, its rows, and those it is compared with: another group, everyone else, or nobody."""

    group: Group
    rows: Scored | ScoredNumbers
    reference: Side | None

    @property
    def scored(self) -> Scored | ScoredNumbers:
        return self.rows

    @cached_property
    def cells(self) -> Numbers:
        if isinstance(self.rows, ScoredNumbers):
            raise TypeError("a number outcome has no cells")
        return confusion(self.rows).cells

    @property
    def is_plain(self) -> bool:
        return isinstance(self.rows, Scored) and self.rows.plain

    @property
    def few(self) -> bool:
        return self.rows.few

    @property
    def versus(self) -> Versus:
        return Versus(group=self.group.label)

    @property
    def words(self) -> str:
        return self.group.words

    def compared(self, name: str, kind: Kind) -> Figure:
        """The group against the other side; ``itself`` is its own value."""
        if kind == "itself":
            return self.rate(name)
        return self.ratio(name) if kind == "ratio" else self.difference(name)

    def difference(self, name: str) -> Figure:
        return independent_difference(self.rate(name), self.against.rate(name))

    def ratio(self, name: str) -> Figure:
        return self.ratio_to(self.against, name)

    def ratio_to(self, other: Side, name: str) -> Figure:
        """The share in this group over that of the other side, marked where either has too few rows or both too few
        hits."""
        ours, theirs = self.share(name), other.share(name)
        events = round(ours.value * ours.n + theirs.value * theirs.n)
        figure = ratio_of_shares(ours, theirs)
        few = min(ours.n, theirs.n) < FEW_ROWS or max(events, 1) < FEW_EVENTS or self.few or other.few
        return figure.marked(few=few) if figure.value is not None else figure

    @property
    def against(self) -> Side:
        if self.reference is None:
            raise ValueError("the reference group is compared with nobody")
        return self.reference


@dataclass(frozen=True, eq=False)
class Others(Side):
    """Everyone else: all whose level is recorded, but for the rows of one group (None: all of them).

    Their rows are taken out only where their cells don't say enough, as there are as many of them as groups.
    """

    recorded: Member
    own: Member | None

    @cached_property
    def scored(self) -> Scored | ScoredNumbers:
        if self.own is None:
            return self.recorded.rows
        kept = ~np.isin(self.recorded.group.members, self.own.group.members, assume_unique=True)
        return self.recorded.rows.take(kept, f"all but {self.own.words}")

    @cached_property
    def cells(self) -> Numbers:
        return self.recorded.cells if self.own is None else self.recorded.cells - self.own.cells

    @property
    def is_plain(self) -> bool:
        return self.recorded.is_plain

    @property
    def few(self) -> bool:
        return few_units(int(self.cells.sum())) if self.is_plain else self.scored.few

    @property
    def versus(self) -> Versus:
        return Versus(rest=" × ".join(self.recorded.group.attributes))

    @property
    def words(self) -> str:
        return EVERYONE_ELSE


def members_of(
    grounds: Sequence[Ground], rows: Scored | ScoredNumbers, order: int, references: Mapping[str, str]
) -> list[list[Member]]:
    """Every group of that order among the rows that the grounds' codes are of, by attribute or combination.

    Each is set against everyone else whose level is recorded; a group that is the reference comes first and is compared
    with nobody. Two groups give one contrast.
    """
    return [_members(groups, rows, references) for groups in families(groups_of(grounds, order)).values()]


def members_again(
    members: Sequence[Member], rows: Scored | ScoredNumbers, references: Mapping[str, str]
) -> list[Member]:
    """The same groups, in the same order, of the same rows as something else scores them."""
    return _members([one.group for one in members], rows, references)


def _members(groups: list[Group], rows: Scored | ScoredNumbers, references: Mapping[str, str]) -> list[Member]:
    chosen = reference(groups, references)
    if chosen is not None:
        first = Member(chosen, rows.take(chosen.members, chosen.words), None)
        others = (group for group in groups if group is not chosen)
        return [first, *(Member(one, rows.take(one.members, one.words), first) for one in others)]
    recorded = _recorded(groups, rows)
    found = []
    for group in groups:
        alone = Member(group, rows.take(group.members, group.words), None)
        found.append(Member(group, alone.rows, Others(recorded, alone if group.recorded else None)))
    return found


def _recorded(groups: list[Group], rows: Scored | ScoredNumbers) -> Member:
    """All rows whose level is recorded, as one group."""
    members = np.sort(np.concatenate([one.members for one in groups if one.recorded]))
    whole = len(members) == len(rows)
    all_levels = dict.fromkeys(groups[0].attributes, "recorded")
    return Member(Group(all_levels, members), rows if whole else rows.take(members, "recorded"), None)
