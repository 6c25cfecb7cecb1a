"""What the group checks share: one rate in every group, against a reference, judged together."""

from dataclasses import dataclass

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check.check import Draft
from brookfall.core.check.fairness.groups import Group, families, groups_of, reference
from brookfall.core.exhibit import StripChart, StripGroup, StripRow, Versus
from brookfall.core.fit.request import Rows
from brookfall.core.judge.limit import Limit, Standing
from brookfall.core.measure.binary import Confusion, Scored
from brookfall.core.measure.figure import FEW_EVENTS, FEW_ROWS, Figure, absent
from brookfall.core.measure.interval import independent_difference, proportion, ratio_of_proportions


@dataclass(frozen=True, eq=False)
class Member:
    """A group, its confusion matrix, and the group it is compared with."""

    group: Group
    matrix: Confusion
    reference: "Member | None"

    def rate(self, name: str) -> Figure:
        """The rate with Wilson's interval, marked where the group has too few rows for it."""
        x, n = self.matrix.shares()[name]
        return proportion(x, n).marked(few=n < FEW_ROWS) if n else absent(0, "no such row in this group")

    def difference(self, name: str) -> Figure:
        return independent_difference(self.rate(name), self.against.rate(name))

    def ratio(self, name: str) -> Figure:
        (x1, n1), (x2, n2) = self.matrix.shares()[name], self.against.matrix.shares()[name]
        few = min(n1, n2) < FEW_ROWS or max(x1 + x2, 1) < FEW_EVENTS
        figure = ratio_of_proportions(x1, n1, x2, n2)
        return figure.marked(few=few) if figure.value is not None else figure

    @property
    def against(self) -> "Member":
        if self.reference is None:
            raise ValueError("the reference group is compared with nobody")
        return self.reference


def members_of(bench: Bench, positions: Rows, rows: Scored, order: int) -> list[list[Member]]:
    """Every group of that order among the audited rows, by attribute or pair, the reference first."""
    found = []
    for groups in families(groups_of(bench.subject, positions, order)).values():
        chosen = reference(groups, bench.plan.references)
        first = Member(chosen, rows.take(chosen.members, chosen.words).confusion, None)
        others = [
            Member(group, rows.take(group.members, group.words).confusion, first)
            for group in groups
            if group is not chosen
        ]
        found.append([first, *others])
    return found


@dataclass(frozen=True)
class Compared:
    """Places in the draft: a group's rate, and its comparison with the reference (None for the reference)."""

    member: Member
    rate: int
    comparison: int | None


def compare(
    draft: Draft, members: list[Member], rate: str, part: str, limit: Limit | None, kind: str
) -> list[Compared]:
    """Adds each group's rate and its ``kind`` ('ratio' or 'difference') to the reference."""
    compared = []
    for member in members:
        place = draft.add(rate, member.rate(rate), part=part, group=member.group.label)
        comparison = None
        if member.reference is not None:
            figure = member.ratio(rate) if kind == "ratio" else member.difference(rate)
            comparison = draft.add(
                f"{rate}_{kind}",
                figure,
                part=part,
                group=member.group.label,
                versus=Versus(group=member.against.group.label),
                limit=limit,
            )
        compared.append(Compared(member, place, comparison))
    return compared


def group_strip(title: str, families_compared: list[list[Compared]]) -> StripChart:
    """The rate in every group, a heading an attribute or pair, the reference first."""
    return StripChart(
        title=title,
        unit="",
        groups=tuple(
            StripGroup(
                label=wording.capital(" × ".join(compared[0].member.group.attributes).replace("_", " ")),
                rows=tuple(
                    StripRow(
                        estimate=one.rate,
                        label=one.member.group.levels + (" (reference)" if one.comparison is None else ""),
                        colour="reference" if one.comparison is None else "group",
                    )
                    for one in compared
                ),
            )
            for compared in families_compared
        ),
    )


def worst_first(draft: Draft, compared: list[Compared], ideal: float) -> list[Compared]:
    """The judged comparisons that are outside or near, farthest from the ideal first."""
    troubled = [
        one
        for one in compared
        if one.comparison is not None and draft.standing(one.comparison) in (Standing.OUTSIDE, Standing.NEAR)
    ]
    return sorted(
        troubled,
        key=lambda one: (
            draft.standing(one.comparison or 0) is not Standing.OUTSIDE,
            -abs((draft.figure(one.comparison or 0).value or ideal) - ideal),
        ),
    )


def counted(draft: Draft, compared: list[Compared]) -> str:
    """How many comparisons stand how, in words."""
    standings = [draft.standing(one.comparison) for one in compared if one.comparison is not None]
    few = sum(standing is None for standing in standings)
    words = [f"{standings.count(standing)} {standing.value}" for standing in Standing if standing in standings] + (
        [f"{few} too small to judge"] if few else []
    )
    return f"Of {len(standings)} comparisons {wording.listed(words)}." if standings else "There is nothing to compare."


def nothing_protected(bench: Bench, order: int) -> str | None:
    """Why there is nothing to audit, or None."""
    protected = bench.subject.roles.protected
    if len(protected) >= order:
        return None
    needed = "No column is" if order == 1 else "Fewer than two columns are"
    missing = wording.listed(list(bench.plan.policy.grounds))
    return f"{needed} marked as protected, so groups can't be compared. Grounds on the policy's list: {missing}."
