"""What the group checks share: every criterion in every group, against a reference, judged together."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TypedDict

import numpy as np

from brookfall.core.check.bench import RECIPE, SCORES, Bench
from brookfall.core.check.check import Draft
from brookfall.core.check.groups.criteria import Criterion, Kind
from brookfall.core.check.groups.protected_groups import Ground, Group, families, grounds_of, groups_of, reference
from brookfall.core.evidence.estimate import Versus
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Rows
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.counts import SHARES, confusion, share_rows
from brookfall.core.measure.figure import FEW_EVENTS, FEW_ROWS, Figure, absent
from brookfall.core.measure.interval import Share, independent_difference, ratio_of_shares, share_of
from brookfall.core.measure.paired_tests import holm
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import AnyScored, Numbers, Scored, ScoredClasses, ScoredNumbers


@dataclass(frozen=True, eq=False)
class Member:
    """A group, its rows, and the group it is compared with."""

    group: Group
    rows: Scored | ScoredNumbers
    reference: "Member | None"

    @cached_property
    def cells(self) -> Numbers:
        """Rows in the cells tn, fp, fn, tp; of weighted rows their weights."""
        if isinstance(self.rows, ScoredNumbers):
            raise TypeError("a number outcome has no cells")
        return confusion(self.rows).cells

    def rate(self, name: str) -> Figure:
        """The measure in this group, marked where the group has too few rows for it."""
        if name not in SHARES:
            return measure(name, self.rows)
        share = self.share(name)
        few = share.n < FEW_ROWS or self.rows.few
        return share.figure().marked(few=few) if share.n else absent(0, "no such row in this group")

    def share(self, name: str) -> Share:
        if isinstance(self.rows, ScoredNumbers):
            raise TypeError("a number outcome has no shares of rows")
        if not self.rows.plain:
            among, hits = share_rows(name, self.rows)
            return share_of(hits, among)
        top, bottom = SHARES[name]
        hit, n = float(self.cells[list(top)].sum()), int(self.cells[list(bottom)].sum())
        return Share(hit / n, n, float(n)) if n else Share(0.0, 0, 0.0)

    def compared(self, name: str, kind: Kind) -> Figure:
        """The group against its reference; ``itself`` is its own value."""
        if kind == "itself":
            return self.rate(name)
        return self.ratio(name) if kind == "ratio" else self.difference(name)

    def difference(self, name: str) -> Figure:
        return independent_difference(self.rate(name), self.against.rate(name))

    def ratio(self, name: str) -> Figure:
        return self.ratio_to(self.against, name)

    def ratio_to(self, other: "Member", name: str) -> Figure:
        """The share in this group over that in another, marked where either has too few rows or both too few hits."""
        ours, theirs = self.share(name), other.share(name)
        events = round(ours.value * ours.n + theirs.value * theirs.n)
        figure = ratio_of_shares(ours, theirs)
        few = min(ours.n, theirs.n) < FEW_ROWS or max(events, 1) < FEW_EVENTS or self.rows.few or other.rows.few
        return figure.marked(few=few) if figure.value is not None else figure

    @property
    def against(self) -> "Member":
        if self.reference is None:
            raise ValueError("the reference group is compared with nobody")
        return self.reference


class About(TypedDict):
    """What an estimate of a group is labelled by."""

    model: str
    part: str
    class_: str | None
    group: dict[str, str] | None


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
        return f"{self.part.replace('_', '-')} rows{of_class}{supplied}"

    def about(self, group: Group | None = None) -> About:
        """The labels of an estimate of a group among these rows; of None, of them all."""
        return About(
            model=self.model, part=self.part, class_=self.class_, group=group.label if group is not None else None
        )

    def grounds(self, bench: Bench) -> tuple[Ground, ...]:
        """Every ground, its codes those of these rows."""
        return tuple(ground.take(self.positions) for ground in grounds_of(bench.subject, bench.plan))


def audited(bench: Bench, ledger: Ledger) -> list[Audited]:
    """What is judged: every model on its deciding part, class by class where there are several."""
    found: list[Audited] = []
    for model in bench.models:
        judged = bench.deciding(ledger, model)
        found.extend(by_class(model, judged.part, judged.positions, judged.scored))
    return found


def beside(bench: Bench, ledger: Ledger) -> list[Audited]:
    """What is shown beside it: the recipe on the test part, where another part decides."""
    if RECIPE not in bench.models or bench.plan.deciding_part == "test":
        return []
    return by_class(RECIPE, "test", bench.split.parts["test"], bench.submitted.scored(ledger, "test").scored)


def by_class(model: str, part: str, positions: Rows, rows: AnyScored) -> list[Audited]:
    """Rows that have a score, as they are audited: one entry, or one a class."""
    known = rows.known()
    if not known.all():
        positions, rows = positions[known], rows.take(known, "known")
    if isinstance(rows, ScoredClasses):
        return [
            Audited(model, part, label, positions, rows.against_rest(place)) for place, label in enumerate(rows.classes)
        ]
    return [Audited(model, part, None, positions, rows)]


def members_of(
    grounds: Sequence[Ground], rows: Scored | ScoredNumbers, order: int, references: dict[str, str]
) -> list[list[Member]]:
    """Every group of that order among the rows that the grounds' codes are of, by attribute or combination, the
    reference first."""
    found = []
    for groups in families(groups_of(grounds, order)).values():
        chosen = reference(groups, references)
        first = Member(chosen, rows.take(chosen.members, chosen.words), None)
        others = [
            Member(group, rows.take(group.members, group.words), first) for group in groups if group is not chosen
        ]
        found.append([first, *others])
    return found


@dataclass(frozen=True)
class Compared:
    """Places in the draft: a group's measure, and its comparison with the reference by kind (none for the reference).

    ``p`` are the places of the comparisons' p values, once they are told.
    """

    member: Member
    read: Audited
    criterion: Criterion
    rate: int
    by_kind: dict[Kind, int]
    p: dict[Kind, int] = field(default_factory=dict)

    def judged(self, draft: Draft) -> list[tuple[Kind, int]]:
        """The kinds that are judged, with their places."""
        return [(kind, place) for kind, place in self.by_kind.items() if draft.limit(place) is not None]


def compare(
    bench: Bench, draft: Draft, members: list[Member], read: Audited, criterion: Criterion, *, judge: bool = True
) -> list[Compared]:
    """Adds each group's measure and its comparisons with the reference group's."""
    limits = criterion.limits(bench.plan)
    compared = []
    for member in members:
        about = read.about(member.group)
        own = limits.get("itself") if judge else None
        rate = draft.add(criterion.measure, member.rate(criterion.measure), limit=own, **about)
        by_kind: dict[Kind, int] = {}
        for kind, _ in criterion.kinds:
            if kind == "itself":
                by_kind[kind] = rate
            elif member.reference is not None:
                by_kind[kind] = draft.add(
                    criterion.measure,
                    member.compared(criterion.measure, kind),
                    comparison=kind,
                    versus=Versus(group=member.against.group.label),
                    limit=limits[kind] if judge else None,
                    **about,
                )
        compared.append(Compared(member, read, criterion, rate, by_kind))
    return compared


def tell_p(draft: Draft, compared: Iterable[Compared]) -> None:
    """Adds the p value of every judged comparison, adjusted for their number (Holm 1979)."""
    told: list[tuple[Compared, Kind, int, float]] = []
    for one in compared:
        for kind, place in one.judged(draft):
            limit, figure = draft.limit(place), draft.figure(place)
            ideal = None if limit is None else limit.ideal
            p = None if ideal is None or figure.few else figure.p_of(ideal)
            if p is not None:
                told.append((one, kind, place, p))
    adjusted = holm(np.array([p for *_, p in told]))
    for (one, kind, place, p), together in zip(told, adjusted, strict=True):
        n, note = draft.figure(place).n, f"Holm over {len(told)} comparisons; alone {wording.p_value(p)}"
        draft.add_like(place, "p_value", Figure(p, n, note="a p value has no interval"))
        one.p[kind] = draft.add_like(place, "p_value_holm", Figure(float(together), n, note=note))


def troubled(draft: Draft, compared: Iterable[Compared]) -> list[tuple[Compared, Kind]]:
    """The judged comparisons that are outside or near, the clearest first."""
    found = [
        (one, kind)
        for one in compared
        for kind, place in one.judged(draft)
        if draft.standing(place) in (Standing.OUTSIDE, Standing.NEAR)
    ]
    return sorted(found, key=lambda pair: _clearness(draft, *pair))


def _clearness(draft: Draft, one: Compared, kind: Kind) -> tuple[bool, float]:
    place = one.by_kind[kind]
    p = one.p.get(kind)
    return draft.standing(place) is not Standing.OUTSIDE, (draft.figure(p).value or 0.0) if p is not None else 1.0


def widest(draft: Draft, compared: Iterable[Compared], kind: Kind) -> Compared | None:
    """The comparison of that kind that lies farthest from 0, whether judged or not; None when there is none."""
    known = [one for one in compared if kind in one.by_kind and draft.figure(one.by_kind[kind]).value is not None]
    return max(known, key=lambda one: abs(draft.figure(one.by_kind[kind]).value or 0.0)) if known else None


def standings_of(draft: Draft, compared: Iterable[Compared]) -> list[Standing | None]:
    """How every judged comparison that can be computed stands; None for what is too small to judge."""
    places = [place for one in compared for _, place in one.judged(draft)]
    return [draft.standing(place) for place in places if draft.figure(place).value is not None]


def not_computed(draft: Draft, compared: Iterable[Compared]) -> int:
    """How many judged comparisons have no value, such as a ratio to a rate of 0."""
    places = [place for one in compared for _, place in one.judged(draft)]
    return sum(draft.figure(place).value is None for place in places)


def refuse_unprotected(bench: Bench, order: int = 1) -> None:
    """UserError where fewer columns than that are protected, so that there is nothing to audit."""
    if len(bench.subject.roles.protected) >= order:
        return
    needed = "No column is" if order == 1 else "Fewer than two columns are"
    missing = wording.listed(list(bench.plan.policy.grounds))
    raise UserError(
        f"{needed} marked as protected, so groups can't be compared. Grounds on the policy's list: {missing}.",
        todo="Mark them on the Data step, if the data have them.",
    )
