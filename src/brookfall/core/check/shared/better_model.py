"""Which of several models is better, by how much, and which can't be told apart."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import combinations
from typing import TypeVar

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Draft
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.registry import lower_is_better, named

Model = TypeVar("Model")


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
    """How an answer opens: with no interval; better or worse; beyond the limit; kept within it; open."""

    plain: str
    better: str
    worse: str
    beyond: str
    kept: str
    open: str


def told(draft: Draft, place: int, figures: str, words: Words) -> str:
    """What the gain at that place says, as it stands and by the interval it was read from (the plain one where nothing
    is judged); ``figures`` are both sides in words."""
    ends = draft.figure(place).interval(draft.level_of(place))
    if ends is None:
        return f"{words.plain} {figures}."
    standing = draft.standing(place)
    if standing is Standing.OUTSIDE:
        opening = words.beyond
    elif ends[0] > 0:
        opening = words.better
    elif standing is Standing.UNSETTLED:
        opening = words.open
    elif ends[1] < 0:
        opening = words.worse
    else:
        opening = words.kept if standing is Standing.WITHIN else words.open
    return f"{opening}: {figures}; a gain of {draft.said(place)}."


def brackets_of(
    ranked: Sequence[Model], differ: Callable[[Model, Model], Figure], level: float
) -> tuple[tuple[int, int], ...]:
    """Longest runs of neighbours in a ranking no two of which can be told apart, as first and last place.

    Two can be told apart when the interval of their difference at the simultaneous level of all pairs leaves out 0.
    """
    pairs = list(combinations(range(len(ranked)), 2))
    wide = 1 - (1 - level) / max(1, len(pairs))
    apart = set()
    for first, second in pairs:
        ends = differ(ranked[first], ranked[second]).interval(wide)
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
