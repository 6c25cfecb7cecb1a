"""How far two models agree on the same rows, row by row: scores and decisions."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.measure.figure import NO_ROW, Figure, absent
from brookfall.core.measure.influence_function import figure_of, mean_of
from brookfall.core.measure.interval import share_of
from brookfall.core.measure.scored import AnyScored, Numbers, Picked, Scored, ScoredClasses, ScoredNumbers

ONE_VALUE = "the greatest among these very rows, so no interval"


@dataclass(frozen=True)
class Agreement:
    """``largest``: the greatest difference of two scores of a row. ``typical``: the mean of the differences' sizes.
    ``flipped``: the share of rows that are decided otherwise; None where nothing is decided."""

    largest: Figure
    typical: Figure
    flipped: Figure | None


def agreement(one: AnyScored, other: AnyScored) -> Agreement:
    """Two models on the same n rows; rows that either has no score or decision for are left out.

    Of several classes the difference of a row is the largest over its classes.

    Parameters
    ----------
    one, other : AnyScored
        Two models on the same n rows in the same order.

    Returns
    -------
    Agreement
        How often they decide alike, and how far their scores lie apart.

    Raises
    ------
    ValueError
        The two are of different kinds of outcome.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(40) % 2 == 0, scores=np.linspace(0, 1, 40), threshold=0.5)
    >>> moved = Scored(key="", outcomes=rows.outcomes, scores=np.roll(rows.scores, 1), threshold=0.5)
    >>> found = agreement(rows, moved)
    >>> round(found.largest.value, 3), found.flipped.value
    (1.0, 0.05)
    """
    both = one.known() & other.known()
    if one.weights is not None:
        both &= one.weights > 0
    first, second = one.take(both, "both"), other.take(both, "both")
    if not len(first):
        nothing = absent(0, NO_ROW)
        return Agreement(nothing, nothing, nothing)
    return Agreement(*_apart(first, second), _flipped(first, second))


def _apart(one: AnyScored, other: AnyScored) -> tuple[Figure, Figure]:
    apart = differences(one, other)
    if apart is None:
        nothing = absent(len(one), "one of them has decisions and no scores")
        return nothing, nothing
    largest = Figure(float(apart.max()), len(one), note=ONE_VALUE)
    return largest, figure_of(mean_of(apart, one.counted), one, low=0.0)


def differences(one: AnyScored, other: AnyScored) -> Numbers | None:
    """The size of the difference of two scores of each row, the largest over the classes; None without scores.

    Parameters
    ----------
    one, other : AnyScored
        Two models on the same n rows in the same order.

    Returns
    -------
    Numbers or None
        Shape (n,).

    Raises
    ------
    ValueError
        The two are of different kinds of outcome.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(4) % 2 == 0, scores=np.linspace(0, 1, 4), threshold=0.5)
    >>> differences(rows, rows).tolist()
    [0.0, 0.0, 0.0, 0.0]
    """
    if isinstance(one, Scored) and isinstance(other, Scored):
        return np.abs(one.scores - other.scores)
    if isinstance(one, ScoredNumbers) and isinstance(other, ScoredNumbers):
        return np.abs(one.predictions - other.predictions)
    if isinstance(one, ScoredClasses) and isinstance(other, ScoredClasses):
        if one.scores is None or other.scores is None:
            return None
        return np.abs(one.scores - other.scores).max(axis=1)
    if isinstance(one, Picked) and isinstance(other, Picked):
        return np.abs(one.offered - other.offered).max(axis=1)
    raise ValueError("the rows are of two kinds of outcome")


def _flipped(one: AnyScored, other: AnyScored) -> Figure | None:
    if isinstance(one, ScoredNumbers) or isinstance(other, ScoredNumbers):
        return None
    if any(isinstance(rows, Scored) and not rows.decides for rows in (one, other)):
        return None
    return share_of(one.decisions != other.decisions, one).figure()
