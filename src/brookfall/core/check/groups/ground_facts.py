"""What is known of the groups before anything is run: sizes, base rates, and harms that these set against others."""

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict

from brookfall.core.check.bench import Bench
from brookfall.core.check.groups.audit import Member
from brookfall.core.check.groups.incompatible_criteria import base_rates_apart, clash_words, clashing
from brookfall.core.check.groups.protected_groups import Ground, grounds_of, groups_of, reference
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

    ``cuts`` lie between the bands of a number, ``levels`` are those of a category as the data have them. ``clash`` says
    why the plan's harms can't all be avoided on these base rates; empty where nothing says so.
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    name: str
    groups: tuple[GroupFacts, ...]
    reference: str
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
    groups = groups_of([ground], 1)
    chosen = reference(list(groups), bench.plan.references)
    members = {group.levels: Member(group, _outcomes(bench, group.members), None) for group in groups}
    binary = bench.subject.outcome == "binary"
    facts = []
    for group in groups:
        rate = members[group.levels].rate("base_rate") if binary else None
        low, high = (rate.interval(bench.plan.policy.level) if rate is not None else None) or (None, None)
        facts.append(
            GroupFacts(
                level=group.levels, n=len(group), base_rate=None if rate is None else rate.value, low=low, high=high
            )
        )
    column = bench.subject.table.column(ground.name)
    return GroundFacts(
        name=ground.name,
        groups=tuple(facts),
        reference=chosen.levels,
        cuts=ground.cuts,
        levels=() if ground.cuts else column.levels,
        clash=_clash(bench, members, chosen.levels) if binary else "",
    )


def _outcomes(bench: Bench, members: NDArray[np.int64]) -> Scored:
    subject = bench.subject
    rows = subject.rows[members]
    outcomes = subject.target.hits[rows] if subject.outcome == "binary" else rows >= 0
    return Scored(outcomes=outcomes, scores=outcomes.astype(float), threshold=0.5, **subject.sampling(rows, "before"))


def _clash(bench: Bench, members: dict[str, Member], usual: str) -> str:
    clash = clashing(bench.plan.harms)
    first = members[usual]
    rate = first.rate("base_rate")
    level = 1 - 0.05 / max(1, len(members) - 1)
    told = []
    for name, member in members.items():
        own = member.rate("base_rate")
        apart = None if name == usual else base_rates_apart(own, rate, level)
        if apart is not None:
            sentence = clash_words(clash, member.group.words, first.group.words, own, rate, 0.95)
            told.append((abs(apart.value or 0.0), sentence))
    return max(told)[1] if told else ""
