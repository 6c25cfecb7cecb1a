"""Fitted trees as they were grown, with who ends up where."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.fitted import Fitted
from brookfall.core.fit.probe.prepared_columns import sources
from brookfall.core.fit.request import TreesReading
from brookfall.core.recipe.family.family import Grown, Matrix
from brookfall.core.table.target import Target

Values = NDArray[np.float64]
_LEAF = -1
_FIXED = 6


@dataclass(frozen=True)
class Nodes:
    """A tree's nodes, the root first: children (-1 in leaves), prepared column, threshold as the model has it, pruning
    strength (NaN where there is none), and rows by outcome in training and unseen; of a number the count, sum and sum
    of squares of the outcomes. Shapes (nodes,), and (nodes, classes) or (nodes, 3) for the last two."""

    left: NDArray[np.int64]
    right: NDArray[np.int64]
    column: NDArray[np.int64]
    threshold: Values
    strength: Values
    training: Values
    unseen: Values


def trees(fitted: Fitted, reading: TreesReading) -> Values:
    """Shape (nodes, 6 + 2 × classes) over the first whole trees; ``read_trees`` makes them trees again.

    ValueError where the family has no trees.
    """
    if fitted.family.trees is None:
        raise ValueError(f"{fitted.family.words} has no trees")
    target = fitted.subject.target if fitted.request.of_scores is None else fitted.target
    seen, unseen = fitted.design, fitted.prepared.transform(fitted.raw(reading.rows))
    found: list[Values] = []
    total = 0
    for number, grown in enumerate(fitted.family.trees(fitted.estimator)):
        total += len(grown.left)
        if total > reading.most and found:
            break
        columns = [np.full(len(grown.left), number), grown.left, grown.right, grown.column, grown.threshold]
        fixed = np.column_stack([*columns, grown.strength]).astype(np.float64)
        found.append(
            np.column_stack(
                [
                    fixed,
                    outcomes_by_node(grown, seen, target, fitted.request.train),
                    outcomes_by_node(grown, unseen, target, reading.rows),
                ]
            )
        )
    return np.vstack(found)


def read_trees(values: Values) -> list[Nodes]:
    """The trees of a reading, in order."""
    kinds = (values.shape[1] - _FIXED) // 2
    found = []
    for number in range(int(values[:, 0].max()) + 1):
        rows = values[values[:, 0] == number]
        left, right, column = (rows[:, place].astype(np.int64) for place in (1, 2, 3))
        outcomes = rows[:, _FIXED:]
        found.append(Nodes(left, right, column, rows[:, 4], rows[:, 5], outcomes[:, :kinds], outcomes[:, kinds:]))
    return found


def outcomes_by_node(grown: Grown, design: Matrix, target: Target, rows: NDArray[np.int64]) -> Values:
    """Shape (nodes, classes): rows by outcome in every node; of a number (nodes, 3): count, sum, sum of squares."""
    kinds = kinds_of(target, rows)
    counts = np.zeros((len(grown.left), kinds.shape[1]))
    place = np.zeros(len(rows), dtype=np.int64)
    going = np.arange(len(rows))
    while len(going):
        at = place[going]
        for kind in range(kinds.shape[1]):
            counts[:, kind] += np.bincount(at, kinds[going, kind], len(counts))
        going = going[grown.left[at] != _LEAF]
        place[going] = _next(grown, place[going], design[going])
    return counts


def kinds_of(target: Target, rows: NDArray[np.int64]) -> Values:
    """What is summed of the outcomes in a node: (n, classes) of 0 and 1; of a number (n, 3), 1, itself, its square."""
    if target.outcome == "number":
        outcomes = target.numbers[rows]
        return np.column_stack([np.ones(len(rows)), outcomes, outcomes**2])
    return np.eye(max(2, len(target.classes)))[target.codes[rows]]


def _next(grown: Grown, at: NDArray[np.int64], design: Matrix) -> NDArray[np.int64]:
    # Plain trees compare in single precision, as they were grown; their thresholds lie between single numbers.
    values = design[np.arange(len(at)), grown.column[at]]
    goes_left = np.where(np.isnan(values), grown.gaps_left[at], values <= grown.threshold[at])
    return np.where(goes_left, grown.left[at], grown.right[at])


def splits(fitted: Fitted) -> Values:
    """Shape (features, 2): how many nodes split on each feature, and the family's own importance of it (of all 1)."""
    names = fitted.features.names
    found = np.full((len(names), 2), np.nan)
    source = np.array(sources(fitted.prepared, names))
    if fitted.family.trees is not None:
        columns = np.concatenate([grown.column for grown in fitted.family.trees(fitted.estimator)])
        found[:, 0] = np.bincount(source[columns[columns >= 0]], minlength=len(names))
    own = _own_importance(fitted)
    if own is not None:
        found[:, 1] = np.bincount(source, own, len(names))
    return found


def _own_importance(fitted: Fitted) -> Values | None:
    """The family's own importance of every prepared column; of sums the size of what a standard deviation moves."""
    if fitted.family.straight is not None:
        weights = fitted.family.straight(fitted.made, fitted.estimator).coefficients
        own = np.abs(weights).mean(axis=1) * fitted.design.std(axis=0)
    elif "importances" in fitted.family.reads:
        own = np.asarray(fitted.estimator.feature_importances_, dtype=np.float64)
    else:
        return None
    total = float(own.sum())
    return np.asarray(own / total) if total > 0 else own
