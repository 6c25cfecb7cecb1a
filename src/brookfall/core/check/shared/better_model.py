"""Which of several models is better, by how much, and which can't be told apart."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Draft
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import paired
from brookfall.core.measure.registry import lower_is_better, named
from brookfall.core.measure.scored import AnyScored


def allowed(bench: Bench) -> Limit | None:
    """How much worse by the main measure the submitted model may be than another; None where that is in its unit."""
    return bench.plan.policy.worse_than_challenger if named(bench.plan.main_measure).scale == "share" else None


def rank(figure: Figure, name: str) -> float:
    """A key that sorts the best first; what has no value comes last.

    >>> rank(Figure(0.8, 10), "auc") < rank(Figure(0.7, 10), "auc"), rank(Figure(0.8, 10), "brier")
    (True, 0.8)
    """
    if figure.value is None:
        return float("inf")
    return figure.value if lower_is_better(name) else -figure.value


@dataclass(frozen=True)
class Words:
    """How an answer opens: with no interval, when ours is better, worse (beyond the limit too), or neither."""

    plain: str
    better: str
    worse: str
    beyond: str
    alike: str


def told(draft: Draft, place: int, figures: str, words: Words) -> str:
    """What the gain at that place says, by its simultaneous interval; ``figures`` are both sides in words."""
    gained = draft.figure(place)
    ends = gained.interval(draft.wide_level)
    if gained.value is None or ends is None:
        return f"{words.plain} {figures}."
    differ = f"they differ by {wording.figure(gained, draft.level)}"
    if ends[0] > 0:
        return f"{words.better}: {figures}; {differ}."
    if ends[1] < 0:
        opening = words.beyond if draft.standing(place) is Standing.OUTSIDE else words.worse
        return f"{opening}: {figures}; {differ}."
    return f"{words.alike}: {figures}; {differ}, so these rows can't tell them apart."


def brackets_of(ranked: Sequence[AnyScored], main: str, level: float) -> tuple[tuple[int, int], ...]:
    """Longest runs of neighbours in a ranking no two of which can be told apart, as first and last place.

    Two can be told apart when their paired interval at the simultaneous level of all pairs leaves out 0.
    """
    pairs = list(combinations(range(len(ranked)), 2))
    wide = 1 - (1 - level) / max(1, len(pairs))
    apart = set()
    for first, second in pairs:
        ends = paired(main, ranked[first], ranked[second]).interval(wide)
        if ends is None or ends[0] > 0 or ends[1] < 0:
            apart.add((first, second))
    runs: list[tuple[int, int]] = []
    for first in range(len(ranked)):
        last = first
        while last + 1 < len(ranked) and not any((low, last + 1) in apart for low in range(first, last + 1)):
            last += 1
        if last > first and not any(low <= first and last <= high for low, high in runs):
            runs.append((first, last))
    return tuple(runs)
