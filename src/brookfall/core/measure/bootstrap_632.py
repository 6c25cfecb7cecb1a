"""Losses of single rows, and the .632 rules that blend seen and unseen ones."""

from collections.abc import Callable

import numpy as np

from brookfall.core.measure.scored import AnyScored, Numbers, Scored, ScoredClasses, ScoredNumbers

LOSSES: dict[str, tuple[str, ...]] = {
    "binary": ("error_rate", "brier"),
    "multiclass": ("error_rate",),
    "number": ("mse", "mae"),
}
"""Measures that are the mean of a loss of each row, by kind of outcome."""


def losses_of(name: str, rows: AnyScored) -> Numbers:
    """The loss of each row; shape (n,).

    >>> rows = Scored(key="doc", outcomes=np.array([True, False]), scores=np.array([0.9, 0.8]), threshold=0.5)
    >>> losses_of("error_rate", rows).tolist()
    [0.0, 1.0]
    """
    if isinstance(rows, ScoredNumbers):
        errors = rows.predictions - rows.outcomes
        return errors**2 if name == "mse" else np.abs(errors)
    if name == "brier" and isinstance(rows, Scored):
        return (rows.scores - rows.outcomes) ** 2
    return (rows.decisions != rows.outcomes).astype(np.float64)


def chance_loss(name: str, rows: AnyScored) -> float:
    """The no-information loss: the mean over all pairs of one row's outcome and another's score.

    >>> rows = ScoredNumbers(key="doc", outcomes=np.arange(40.0), predictions=np.arange(40.0)[::-1] + 1)
    >>> chance_loss("mae", rows)
    13.350000000000001
    """
    share = rows.counted / rows.counted.sum()
    if isinstance(rows, ScoredNumbers):
        return _BY_PAIRS[name](rows, share)
    if name == "brier" and isinstance(rows, Scored):
        mean, base = float(share @ rows.scores), float(share @ rows.outcomes)
        return float(share @ rows.scores**2) - 2 * mean * base + base
    classes = len(rows.classes) if isinstance(rows, ScoredClasses) else 2
    true = np.bincount(rows.outcomes.astype(np.int64), share, classes)
    decided = np.bincount(rows.decisions.astype(np.int64), share, classes)
    return 1 - float(true @ decided)


def _mean_square(rows: ScoredNumbers, share: Numbers) -> float:
    cross = float(share @ rows.predictions) * float(share @ rows.outcomes)
    return float(share @ rows.predictions**2) - 2 * cross + float(share @ rows.outcomes**2)


def _mean_distance(rows: ScoredNumbers, share: Numbers) -> float:
    """Mean of |prediction − outcome| over all pairs, from one sort of the outcomes."""
    order = np.argsort(rows.outcomes, kind="stable")
    values, weights = rows.outcomes[order], share[order]
    below = np.concatenate(([0.0], np.cumsum(weights)))
    sums = np.concatenate(([0.0], np.cumsum(weights * values)))
    place = np.searchsorted(values, rows.predictions)
    left = rows.predictions * below[place] - sums[place]
    right = (sums[-1] - sums[place]) - rows.predictions * (below[-1] - below[place])
    return float(share @ (left + right))


_BY_PAIRS: dict[str, Callable[[ScoredNumbers, Numbers], float]] = {"mse": _mean_square, "mae": _mean_distance}


def plus_632(seen: float, unseen: float, chance: float) -> float:
    """The .632+ estimate from the loss on seen rows, on rows not drawn, and by chance (Efron & Tibshirani 1997).

    >>> round(plus_632(0.1, 0.2, 0.5), 4), round(plus_632(0.0, 0.5, 0.5), 4)
    (0.1696, 0.5)
    """
    bounded = min(unseen, chance)
    overfit = (bounded - seen) / (chance - seen) if bounded > seen and chance > seen else 0.0
    weight = 0.632 / (1 - 0.368 * overfit)
    return (1 - weight) * seen + weight * bounded
