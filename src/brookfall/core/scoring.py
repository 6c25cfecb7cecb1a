"""Rows of a subject with their outcomes and what a model said of them, ready to be measured."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.request import Rows
from brookfall.core.measure.scored import AnyScored, Scored, ScoredClasses, ScoredNumbers
from brookfall.core.subject import Subject
from brookfall.core.target import Target


def scored_rows(
    subject: Subject,
    rows: Rows,
    scores: NDArray[np.float64] | None,
    key: str,
    labels: NDArray[np.int64] | None = None,
    target: Target | None = None,
) -> AnyScored:
    """Rows (m,) with scores (m,), or (m, classes) of several classes; ``labels`` are decisions that came with them.

    ``key`` names rows and model, and seeds what is drawn; ``target`` are other outcomes than the data's. ValueError
    where a yes/no or a number has no score.
    """
    target, common = target or subject.target, subject.sampling(rows, key)
    if target.outcome == "multiclass":
        decisions = _decisions(scores, labels, len(rows))
        return ScoredClasses(
            outcomes=target.codes[rows], decisions=decisions, classes=target.classes, scores=scores, **common
        )
    if scores is None:
        raise ValueError("binary and number outcomes need scores")
    if target.outcome == "number":
        return ScoredNumbers(outcomes=target.numbers[rows], predictions=scores, **common)
    decided = None if labels is None else labels == 1
    return Scored(outcomes=target.hits[rows], scores=scores, threshold=subject.threshold, given=decided, **common)


def _decisions(scores: NDArray[np.float64] | None, labels: NDArray[np.int64] | None, n: int) -> NDArray[np.int64]:
    """The decided class of each row: the label that was given, else the class of the highest score; -1 for none."""
    if labels is not None:
        return labels
    if scores is None:
        return np.full(n, -1, dtype=np.int64)
    known = ~np.isnan(scores).any(axis=1)
    return np.where(known, np.nan_to_num(scores).argmax(axis=1), -1)
