"""What is known of the groups before anything is run: sizes, base rates, and harms that these set against others."""

from collections.abc import Sequence

from pydantic import BaseModel, ConfigDict

from brookfall.core.check.bench import Bench
from brookfall.core.check.groups.incompatible_criteria import base_rates_apart, clash_words, clashing
from brookfall.core.check.groups.protected_groups import Ground, grounds_of
from brookfall.core.check.groups.sides import Member, members_of
from brookfall.core.check.sentence import GroundLines
from brookfall.core.foundation import wording
from brookfall.core.measure.scored import Scored


class GroupFacts(BaseModel):
    """A group's rows, and of a yes/no outcome its base rate with its interval."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    level: str
    n: int
    base_rate: float | None = None
    low: float | None = None
    high: float | None = None


class GroundFacts(BaseModel):
    """A protected attribute as the plan takes it.

    ``reference`` is the group that all others are set against; None where each is set against everyone else.
    ``cuts`` lie between the bands of a number, ``levels`` are those of a category as the data have them. ``clash`` says
    why the plan's harms can't all be avoided on these base rates; empty where nothing says so.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str
    groups: tuple[GroupFacts, ...]
    reference: str | None
    cuts: tuple[float, ...] | None = None
    levels: tuple[str, ...] = ()
    clash: str = ""


def grounds_before(bench: Bench) -> tuple[GroundFacts, ...]:
    """Every ground on the rows in use; what a model says of them plays no part.

    >>> from brookfall.core.check.example import small_bench
    >>> [(one.name, one.reference) for one in grounds_before(small_bench())]
    []
    """
    rows = bench.subject.rows
    grounds = (ground.take(rows) for ground in grounds_of(bench.subject, bench.plan))
    return tuple(_facts(bench, ground) for ground in grounds if len(rows))


def ground_lines(bench: Bench) -> tuple[GroundLines, ...]:
    """Every ground as the plan speaks of it."""
    return tuple(
        GroundLines(
            name=one.name,
            groups=tuple(group.level for group in one.groups),
            reference=one.reference,
            sizes=" · ".join(_size(group) for group in one.groups),
            cuts=one.cuts,
            levels=one.levels,
            clash=one.clash,
        )
        for one in grounds_before(bench)
    )


def _size(group: GroupFacts) -> str:
    if group.base_rate is None:
        return f"{group.level} {wording.count(group.n)}"
    ends = "" if group.low is None or group.high is None else f", {100 * group.low:.1f} to {100 * group.high:.1f}"
    return f"{group.level} {wording.count(group.n)} ({wording.percent(group.base_rate)}{ends})"


def _facts(bench: Bench, ground: Ground) -> GroundFacts:
    before = _outcomes(bench)
    (members,) = members_of([ground], before, 1, bench.plan.references)
    binary = bench.subject.outcome == "binary"
    facts = []
    for one in members:
        rate = one.rate("base_rate") if binary else None
        low, high = (rate.interval(bench.plan.policy.level) if rate is not None else None) or (None, None)
        n, value = len(one.group), None if rate is None else rate.value
        facts.append(GroupFacts(level=one.group.levels, n=n, base_rate=value, low=low, high=high))
    column = bench.subject.table.column(ground.name)
    return GroundFacts(
        name=ground.name,
        groups=tuple(facts),
        reference=next((one.group.levels for one in members if one.reference is None), None),
        cuts=ground.cuts,
        levels=() if ground.cuts else column.levels,
        clash=_clash(bench, members) if binary else "",
    )


def _outcomes(bench: Bench) -> Scored:
    """The rows in use with their outcomes for scores, as no model has spoken yet."""
    subject, rows = bench.subject, bench.subject.rows
    outcomes = subject.target.hits[rows] if subject.outcome == "binary" else rows >= 0
    return Scored(outcomes=outcomes, scores=outcomes.astype(float), threshold=0.5, **subject.sampling(rows, "before"))


def _clash(bench: Bench, members: Sequence[Member]) -> str:
    clash = clashing(bench.plan.harms)
    compared = [one for one in members if one.reference is not None]
    level = 1 - 0.05 / max(1, len(compared))
    told = []
    for one in compared:
        own, usual = one.rate("base_rate"), one.against.rate("base_rate")
        apart = base_rates_apart(own, usual, level)
        if apart is not None:
            told.append((abs(apart.value or 0.0), clash_words(clash, one.words, one.against.words, own, usual, 0.95)))
    return max(told)[1] if told else ""
