"""What the group checks share: every criterion in every group, against others, judged together."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from math import log
from typing import TypedDict

import numpy as np

from brookfall.core.check.bench import ARTIFACT, RECIPE, SCORES, Bench
from brookfall.core.check.check import Draft
from brookfall.core.check.groups.criteria import Criterion, Kind
from brookfall.core.check.groups.protected_groups import Ground, Group, grounds_of
from brookfall.core.check.groups.sides import Member, Others, members_again
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Rows
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.scored import AnyScored, Picked, Scored, ScoredClasses, ScoredNumbers, decided_at
from brookfall.core.table.infer import as_category


class About(TypedDict):
    """What an estimate of a group is labelled by."""

    model: str
    part: str
    class_: str | None
    group: dict[str, str] | None


@dataclass(frozen=True, eq=False)
class Audited:
    """The rows of one model, in one part, that an audit reads: of a binary outcome, of one class, or of a number.

    ``again`` are the same rows as the later repeats of the folds score them.
    """

    model: str
    part: str
    class_: str | None
    positions: Rows
    rows: Scored | ScoredNumbers
    again: tuple[Scored | ScoredNumbers, ...] = ()

    @cached_property
    def words(self) -> str:
        of_class = f", class {self.class_}" if self.class_ else ""
        supplied = {SCORES: ", supplied scores", ARTIFACT: ", fitted model"}.get(self.model, "")
        return f"{self.part.replace('_', '-')} rows{of_class}{supplied}"

    def about(self, group: Group | None = None) -> About:
        """The labels of an estimate of a group among these rows; of None, of them all."""
        return About(
            model=self.model, part=self.part, class_=self.class_, group=group.label if group is not None else None
        )

    def grounds(self, bench: Bench) -> tuple[Ground, ...]:
        """Every ground, its codes those of these rows."""
        return tuple(ground.take(self.positions) for ground in grounds_of(bench.subject, bench.plan))


def audited(bench: Bench, ledger: Ledger, *, repeats: bool = False) -> list[Audited]:
    """What is judged: every model on its deciding part, class by class where there are several; with the later repeats
    of the folds where they were asked for."""
    found: list[Audited] = []
    for model in bench.models_of(ledger):
        judged = bench.deciding(ledger, model)
        again = bench.deciding_again(ledger, model) if repeats else []
        found.extend(by_class(model, judged.part, judged.positions, judged.scored, again))
    return found


def beside(bench: Bench, ledger: Ledger) -> list[Audited]:
    """What is shown beside it: the recipe on the test part, where another part decides."""
    if RECIPE not in bench.models or bench.plan.deciding_part == "test":
        return []
    shown = bench.submitted.scored(ledger, "test")
    return by_class(RECIPE, shown.part, shown.positions, shown.scored)


def by_class(model: str, part: str, positions: Rows, rows: AnyScored, again: Sequence[AnyScored] = ()) -> list[Audited]:
    """Rows that have a score, as they are audited: one entry, or one a class; ``again`` as in ``Audited``."""
    known = rows.known()
    if not known.all():
        positions, rows = positions[known], rows.take(known, "known")
        again = [one.take(known, "known") for one in again]
    if isinstance(rows, Picked | ScoredClasses):
        labels = rows.alternatives if isinstance(rows, Picked) else rows.classes
        # An alternative is asked of those who could have had it.
        there = rows.there if isinstance(rows, Picked) else np.ones((len(rows), len(labels)), dtype=np.bool_)
        return [
            Audited(
                *(model, part, label, positions[there[:, place]], rows.against_rest(place)),
                tuple(one.against_rest(place) for one in again if isinstance(one, Picked | ScoredClasses)),
            )
            for place, label in enumerate(labels)
        ]
    scored_again = tuple(one for one in again if isinstance(one, Scored | ScoredNumbers))
    return [Audited(model, part, None, positions, rows, scored_again)]


@dataclass(frozen=True)
class Compared:
    """Places in the draft: a group's measure, and its comparison with the reference by kind (none for the reference).

    ``again`` is the group as the later repeats of the folds score it; ``p`` are the places of the comparisons' p
    values, once they are told.
    """

    member: Member
    read: Audited
    criterion: Criterion
    rate: int
    by_kind: dict[Kind, int]
    again: tuple[Member, ...] = ()
    p: dict[Kind, int] = field(default_factory=dict)

    def judged(self, draft: Draft) -> list[tuple[Kind, int]]:
        """The kinds that are judged, with their places."""
        return [(kind, place) for kind, place in self.by_kind.items() if draft.limit(place) is not None]


def compare(
    bench: Bench, draft: Draft, members: list[Member], read: Audited, criterion: Criterion, *, judge: bool = True
) -> list[Compared]:
    """Adds each group's measure and its comparisons with the reference group's."""
    limits = criterion.limits(bench.plan, read.rows)
    repeats = [members_again(members, rows, bench.plan.references) for rows in read.again] if judge else []
    compared = []
    for place, member in enumerate(members):
        about = read.about(member.group)
        own = limits.get("itself") if judge else None
        again = tuple(one[place] for one in repeats)
        rate = draft.add(criterion.measure, member.rate(criterion.measure), limit=own, **about)
        by_kind: dict[Kind, int] = {}
        for kind in criterion.kinds:
            if kind == "itself":
                by_kind[kind] = rate
            elif member.reference is not None:
                by_kind[kind] = draft.add(
                    criterion.measure,
                    over_repeats(criterion, kind, member, again),
                    comparison=kind,
                    versus=member.against.versus,
                    limit=limits[kind] if judge else None,
                    **about,
                )
        compared.append(Compared(member, read, criterion, rate, by_kind, again))
    return compared


def over_repeats(criterion: Criterion, kind: Kind, member: Member, again: Sequence[Member]) -> Figure:
    """A group against its other side, with the variance over the repeats of the folds: both sides share a repeat's
    fits, and other folds would have made other ones."""
    values = [one.compared(criterion.measure, kind).value for one in again]
    figure = member.compared(criterion.measure, kind)
    return figure.over_repeats(values, ratio=kind == "ratio", range_=criterion.range_of(kind))


OF_OTHERS = "_of_others"
"""What the rate of those that a group is set against is called, beside the group's own."""


def tell_others(draft: Draft, compared: Iterable[Compared]) -> None:
    """Adds the rate of everyone else beside every comparison that is outside or near, as nothing else tells it."""
    for one, _ in troubled(draft, compared):
        if isinstance(one.member.reference, Others):
            measured = one.criterion.measure
            about = one.read.about(one.member.group)
            versus = one.member.reference.versus
            draft.add(f"{measured}{OF_OTHERS}", one.member.reference.rate(measured), versus=versus, **about)


def troubled(draft: Draft, compared: Iterable[Compared]) -> list[tuple[Compared, Kind]]:
    """The judged comparisons that are outside or near, the clearest first."""
    found = [
        (one, kind)
        for one in compared
        for kind, place in one.judged(draft)
        if draft.standing(place) in (Standing.OUTSIDE, Standing.NEAR)
    ]
    return sorted(found, key=lambda pair: _clearness(draft, *pair))


def _clearness(draft: Draft, one: Compared, kind: Kind) -> tuple[bool, float, float]:
    """Outside first, then by p, and where p has no digit left by how far it lies from no difference."""
    place = one.by_kind[kind]
    p, value = one.p.get(kind), draft.figure(place).value or 0.0
    size = abs(log(value)) if kind != "difference" and value > 0 else abs(value)
    chance = 1.0 if p is None else draft.figure(p).value or 0.0
    return draft.standing(place) is not Standing.OUTSIDE, chance, -size


def standings_of(draft: Draft, compared: Iterable[Compared]) -> list[Standing | None]:
    """How every judged comparison that can be computed stands; None for what is too small to judge."""
    places = [place for one in compared for _, place in one.judged(draft)]
    return [draft.standing(place) for place in places if draft.figure(place).value is not None]


def not_computed(draft: Draft, compared: Iterable[Compared]) -> int:
    """How many judged comparisons have no value, such as a ratio to a rate of 0."""
    places = [place for one in compared for _, place in one.judged(draft)]
    return sum(draft.figure(place).value is None for place in places)


def refuse_undecided(bench: Bench) -> None:
    """UserError where nothing says which rows are positive, so that no group's rates can be told."""
    given = bench.subject.supplied is not None and bench.subject.supplied.labels is not None
    if bench.subject.outcome == "binary" and not given:
        decided_at(bench.subject.threshold)


def _refuse_of_alternatives(bench: Bench) -> None:
    """UserError where a protected column of a choice is of the alternatives, not of those who choose."""
    choices, subject = bench.subject.choices, bench.subject
    if choices is None:
        return
    first = np.unique(choices.occasion, return_index=True)[1]
    for name in subject.roles.protected:
        values = as_category(subject.table.column(name)).values
        if (values != values[first][choices.occasion]).any():
            raise UserError(
                f"{name} differs among the alternatives of an occasion, so it is nothing of those who choose.",
                todo="Take the role protected from it, or write in every row who chooses.",
                file=subject.file,
                column=name,
            )


def refuse_unprotected(bench: Bench, order: int = 1) -> None:
    """UserError where fewer columns than that are protected, so that there is nothing to audit."""
    if len(bench.subject.roles.protected) >= order:
        _refuse_of_alternatives(bench)
        return
    needed = "No column is" if order == 1 else "Fewer than two columns are"
    missing = wording.listed(list(bench.plan.policy.grounds))
    raise UserError(
        f"{needed} marked as protected, so groups can't be compared. Grounds on the policy's list: {missing}.",
        todo="Mark them on the Data step, if the data have them.",
    )
