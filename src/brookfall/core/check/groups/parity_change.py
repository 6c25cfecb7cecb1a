"""How parity changes between two models on the same rows: each group's difference to others under both."""

from collections.abc import Sequence
from dataclasses import dataclass

from brookfall.core.check.bench import Bench, ScoredPart
from brookfall.core.check.check import Draft
from brookfall.core.check.groups.audit import Audited, by_class
from brookfall.core.check.groups.sides import Member, members_of
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import independent_difference
from brookfall.core.measure.paired_tests import paired
from brookfall.core.measure.registry import scale_of


@dataclass(frozen=True, eq=False)
class Both:
    """A group under two models on the same rows: that from which the change is counted, and the other one."""

    read: Audited
    before: Member
    after: Member

    @property
    def words(self) -> str:
        return self.before.group.words + (f", class {self.read.class_}" if self.read.class_ else "")

    def change(self, measure: str) -> Figure:
        """How much the group's difference to the other side grows, after less before.

        Paired inside the group and inside the other side (the same rows), square-and-add between them.
        """
        own = paired(measure, self.after.scored, self.before.scored)
        others = paired(measure, self.after.against.scored, self.before.against.scored)
        return independent_difference(own, others)


def both_of(bench: Bench, before: ScoredPart, after: ScoredPart) -> list[Both]:
    """Every group of every ground that is compared with another, under both models, class by class."""
    found: list[Both] = []
    ours = by_class("recipe", before.part, before.positions, before.scored)
    theirs = by_class("recipe", after.part, after.positions, after.scored)
    for first, second in zip(ours, theirs, strict=True):
        for ground in first.grounds(bench):
            pair = [members_of([ground], read.rows, 1, bench.plan.references)[0] for read in (first, second)]
            both = (Both(first, one, other) for one, other in zip(*pair, strict=True))
            found.extend(one for one in both if one.before.reference is not None)
    return found


def farthest(groups: Sequence[Both], measure: str) -> dict[tuple[str, str | None], Both]:
    """For every ground (and class) the group that lies farthest from others as submitted, of those large enough to
    judge."""
    found: dict[tuple[str, str | None], tuple[float, Both]] = {}
    for one in groups:
        figure = one.before.difference(measure)
        if figure.value is None or figure.few:
            continue
        key = (one.before.group.attributes[0], one.read.class_)
        if key not in found or abs(figure.value) > found[key][0]:
            found[key] = (abs(figure.value), one)
    return {key: one for key, (_, one) in found.items()}


def nearer(before: Figure, change: Figure, level: float) -> str:
    """Whether a change brings a difference nearer to none, in a word, as far as its interval at that level tells.

    Of several changes told together the level is the simultaneous one.
    """
    interval = change.interval(level)
    if before.value is None or change.value is None or interval is None or change.few:
        return "can't be judged"
    if interval[0] <= 0 <= interval[1]:
        return "no change shown"
    after = before.value + change.value
    return "nearer to parity" if abs(after) < abs(before.value) else "farther from parity"


def in_direction(draft: Draft, measure: str, place: int) -> str:
    """A difference as people think of it: points lower or higher of shares, an amount of all else."""
    say = wording.points if scale_of(measure) == "share" else wording.amount
    return say(draft.figure(place), draft.level)
