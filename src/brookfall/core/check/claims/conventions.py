"""Conventions under which a figure on the very same scores may come out otherwise, each by its name."""

from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from brookfall.core.measure.registry import class_measure, measure
from brookfall.core.measure.scored import AnyScored, Scored, ScoredClasses
from brookfall.core.submission.schema import Claim

_POOLED = frozenset({"precision", "recall", "f1"})


def values_by_convention(rows: AnyScored, claim: Claim, tried: tuple[str, ...]) -> Iterator[tuple[str, float]]:
    """The claimed measure under every other convention that changes it, with the convention's name.

    Parameters
    ----------
    rows : AnyScored
        The rows that the claim is about.
    claim : Claim
        What was claimed.
    tried : tuple[str, ...]
        Those of the policy.

    Yields
    ------
    tuple[str, float]
        A convention and the value under it.

    Examples
    --------
    >>> rows = Scored(
    ...     key="doc", outcomes=np.arange(40) % 4 == 0, scores=np.where(np.arange(40) % 2, 0.2, 0.5), threshold=0.5
    ... )
    >>> from brookfall.core.judge.policy import CONVENTIONS
    >>> list(values_by_convention(rows, Claim(measure="recall", value="0.67"), CONVENTIONS))
    [('above the threshold only', 0.0), ('the other class as positive', 0.6666666666666666)]
    """
    if isinstance(rows, Scored):
        decided = rows if claim.threshold is None else rows.at(claim.threshold)
        made = [("the other class as positive", _turned(decided))] if decided.decides else []
        if decided.threshold is not None:
            made.insert(0, ("above the threshold only", replace(decided, given=decided.scores > decided.threshold)))
        for name, other in made:
            value = measure(claim.measure, other).value
            if name in tried and value is not None:
                yield name, value
    elif isinstance(rows, ScoredClasses) and claim.class_ is None:
        yield from ((name, value) for name, value in _averages(rows, claim.measure) if name in tried)


def _turned(rows: Scored) -> Scored:
    """The same rows with the classes changed about; scores are turned at 1 where they are probabilities."""
    scores = 1 - rows.scores if rows.probable else -rows.scores
    return replace(rows, outcomes=~rows.outcomes, scores=scores, given=~rows.decisions)


def _averages(rows: ScoredClasses, name: str) -> Iterator[tuple[str, float]]:
    try:
        found = [class_measure(name, rows, place).value for place in range(len(rows.classes))]
    except KeyError:
        return
    n = np.bincount(rows.outcomes, minlength=len(rows.classes))
    known = [(value, count) for value, count in zip(found, n, strict=True) if value is not None and count]
    if known:
        values, counts = zip(*known, strict=True)
        yield "classes weighted by rows", float(np.average(values, weights=counts))
    if name in _POOLED:
        accuracy = measure("accuracy", rows).value
        if accuracy is not None:
            yield "all rows pooled", accuracy
