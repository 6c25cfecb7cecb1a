"""What the group checks share: one measure in every group, against a reference, judged together."""

from dataclasses import dataclass
from functools import cached_property
from typing import Literal

from brookfall.core import wording
from brookfall.core.bench import RECIPE, SCORES, Bench
from brookfall.core.check.check import Draft
from brookfall.core.check.fairness.groups import Group, families, groups_of, reference
from brookfall.core.exhibit import StripChart, StripGroup, StripRow, Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Rows
from brookfall.core.judge.limit import Limit, Standing
from brookfall.core.measure.counts import SHARES, share_rows
from brookfall.core.measure.figure import FEW_EVENTS, FEW_ROWS, Figure, absent
from brookfall.core.measure.interval import Share, independent_difference, ratio_of_shares, share_of
from brookfall.core.measure.measures import measure
from brookfall.core.measure.scored import AnyScored, Scored, ScoredClasses, ScoredNumbers

MARK_SOME = "Mark them on the Data step, if the data have them."
Comparison = Literal["ratio", "difference"]


@dataclass(frozen=True, eq=False)
class Member:
    """A group, its rows, and the group it is compared with."""

    group: Group
    rows: Scored | ScoredNumbers
    reference: "Member | None"

    def rate(self, name: str) -> Figure:
        """The measure in this group; a share is marked where the group has too few rows for it."""
        if name not in SHARES:
            return measure(name, self.rows)
        share = self.share(name)
        return share.figure().marked(few=share.n < FEW_ROWS) if share.n else absent(0, "no such row in this group")

    def share(self, name: str) -> Share:
        if isinstance(self.rows, ScoredNumbers):
            raise TypeError("a number outcome has no shares of rows")
        among, hits = share_rows(name, self.rows)
        return share_of(hits, among)

    def difference(self, name: str) -> Figure:
        return independent_difference(self.rate(name), self.against.rate(name))

    def ratio(self, name: str) -> Figure:
        ours, theirs = self.share(name), self.against.share(name)
        events = round(ours.value * ours.n + theirs.value * theirs.n)
        figure = ratio_of_shares(ours, theirs)
        few = min(ours.n, theirs.n) < FEW_ROWS or max(events, 1) < FEW_EVENTS
        return figure.marked(few=few) if figure.value is not None else figure

    @property
    def against(self) -> "Member":
        if self.reference is None:
            raise ValueError("the reference group is compared with nobody")
        return self.reference


@dataclass(frozen=True, eq=False)
class Audited:
    """The rows of one model, in one part, that an audit reads: of a binary outcome, of one class, or of a number."""

    model: str
    part: str
    class_: str | None
    positions: Rows
    rows: Scored | ScoredNumbers

    @cached_property
    def words(self) -> str:
        of_class = f", class {self.class_}" if self.class_ else ""
        supplied = ", supplied scores" if self.model == SCORES else ""
        return f"{self.part.replace('_', ' ')} rows{of_class}{supplied}"


def audited(bench: Bench, ledger: Ledger) -> list[Audited]:
    """What is judged: every model on its deciding part, class by class where there are several."""
    found: list[Audited] = []
    for model in bench.models:
        judged = bench.deciding(ledger, model)
        found.extend(_by_class(model, judged.part, judged.positions, judged.scored))
    return found


def beside(bench: Bench, ledger: Ledger) -> list[Audited]:
    """What is shown beside it: the recipe on the test part, where another part decides."""
    if RECIPE not in bench.models or bench.plan.deciding_part == "test":
        return []
    return _by_class(RECIPE, "test", bench.parts["test"], bench.part_scores(ledger, bench.holdout, "test"))


def _by_class(model: str, part: str, positions: Rows, rows: AnyScored) -> list[Audited]:
    known = rows.known()
    if not known.all():
        positions, rows = positions[known], rows.take(known, "known")
    if isinstance(rows, ScoredClasses):
        return [
            Audited(model, part, label, positions, rows.against_rest(place)) for place, label in enumerate(rows.classes)
        ]
    return [Audited(model, part, None, positions, rows)]


def members_of(bench: Bench, positions: Rows, rows: Scored | ScoredNumbers, order: int) -> list[list[Member]]:
    """Every group of that order among the audited rows, by attribute or pair, the reference first."""
    found = []
    for groups in families(groups_of(bench.subject, positions, order)).values():
        chosen = reference(groups, bench.plan.references)
        first = Member(chosen, rows.take(chosen.members, chosen.words), None)
        others = [
            Member(group, rows.take(group.members, group.words), first) for group in groups if group is not chosen
        ]
        found.append([first, *others])
    return found


@dataclass(frozen=True)
class Compared:
    """Places in the draft: a group's measure, and its comparison with the reference (None for the reference)."""

    member: Member
    audited: Audited
    rate: int
    comparison: int | None


def compare(
    draft: Draft, members: list[Member], audited: Audited, rate: str, limit: Limit | None, kind: Comparison
) -> list[Compared]:
    """Adds each group's measure and its comparison with the reference group's."""
    compared = []
    for member in members:
        place = draft.add(
            rate,
            member.rate(rate),
            model=audited.model,
            part=audited.part,
            class_=audited.class_,
            group=member.group.label,
        )
        comparison = None
        if member.reference is not None:
            figure = member.ratio(rate) if kind == "ratio" else member.difference(rate)
            comparison = draft.add(
                f"{rate}_{kind}",
                figure,
                model=audited.model,
                part=audited.part,
                class_=audited.class_,
                group=member.group.label,
                versus=Versus(group=member.against.group.label),
                limit=limit,
            )
        compared.append(Compared(member, audited, place, comparison))
    return compared


def group_strip(title: str, families_compared: list[list[Compared]]) -> StripChart:
    """The measure in every group, a heading an attribute or pair, the reference first."""
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


def heading(compared: list[Compared]) -> str:
    """The attributes compared, and which rows, when they are not the plan's own."""
    named = wording.capital(" × ".join(compared[0].member.group.attributes).replace("_", " "))
    read = compared[0].audited
    return named if read.model == RECIPE and read.class_ is None else f"{named}, {read.words}"


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


def widest(draft: Draft, compared: list[Compared]) -> Compared | None:
    """The comparison that lies farthest from 0, whether judged or not; None when there is none."""
    known = [one for one in compared if one.comparison is not None and draft.figure(one.comparison).value is not None]
    return max(known, key=lambda one: abs(draft.figure(one.comparison or 0).value or 0.0)) if known else None


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
