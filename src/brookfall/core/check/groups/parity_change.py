"""How parity changes between two models on the same rows: each group's difference to the reference under both."""

from collections.abc import Sequence
from dataclasses import dataclass

from brookfall.core.check.bench import Bench, ScoredPart
from brookfall.core.check.groups.audit import Audited, Member, by_class, members_of
from brookfall.core.check.groups.criteria import CRITERIA_OF_HARM, OF_NUMBERS
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import independent_difference
from brookfall.core.measure.paired_tests import paired
from brookfall.core.plan.plan import Plan


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
        """How much the group's difference to the reference grows, after less before.

        Paired inside the group and inside the reference (the same rows), square-and-add between them.
        """
        own = paired(measure, self.after.rows, self.before.rows)
        reference = paired(measure, self.after.against.rows, self.before.against.rows)
        return independent_difference(own, reference)


def followed(outcome: str, plan: Plan) -> tuple[str, ...]:
    """The measures whose parity is followed: the first criterion of every harm that the plan names."""
    if outcome == "number":
        return tuple(one.measure for one in OF_NUMBERS)
    return tuple(CRITERIA_OF_HARM[harm][0] for harm in plan.harms)


def both_of(bench: Bench, before: ScoredPart, after: ScoredPart) -> list[Both]:
    """Every group of every ground that is compared with another, under both models, class by class."""
    found: list[Both] = []
    ours = by_class("recipe", before.part, before.positions, before.scored)
    theirs = by_class("recipe", after.part, after.positions, after.scored)
    for first, second in zip(ours, theirs, strict=True):
        for ground in first.grounds(bench):
            members = [members_of([ground], read.rows, 1, bench.plan.references)[0][1:] for read in (first, second)]
            found.extend(Both(first, one, other) for one, other in zip(*members, strict=True))
    return found


def farthest(groups: Sequence[Both], measure: str) -> dict[tuple[str, str | None], Both]:
    """For every ground (and class) the group that lies farthest from its reference as submitted, of those large enough
    to judge."""
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
