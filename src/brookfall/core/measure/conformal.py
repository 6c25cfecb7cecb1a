"""Sets of classes and intervals that hold the outcome of a new row in a share of rows that is named beforehand.

They rest on how a model did on rows that it had not learned from, and on nothing about the model itself. What is named
is the share over rows that are drawn as those were; it is no promise for each single row, nor where rows have shifted.
"""

from math import ceil, floor, inf

import numpy as np
from numpy.typing import NDArray

from brookfall.core.measure.scored import Codes, Numbers

_HALVINGS = 20
"""How often the bracket of an end is halved: to a millionth of how far the folds' models are apart, outwards."""


def class_p_values(scores: Numbers, unseen: Numbers, outcomes: Codes, ties: Numbers) -> Numbers:
    """How usual the score of each class would be among unseen rows that are of that class.

    The p value of class k is the share of its unseen rows whose score of k is as low or lower, with the row itself
    among them, where rows of just that score count by a drawn share. Over rows of class k that come as those came it is
    uniform, so a p value above alpha comes in a share 1 - alpha of them, whatever the model and however rare the class.

    Parameters
    ----------
    scores : Numbers
        What a model says of new rows, shape (m, classes).
    unseen : Numbers
        What it says of rows that it has not learned from, shape (n, classes).
    outcomes : Codes
        Their classes, as places among the classes, shape (n,).
    ties : Numbers
        A draw from [0, 1) for every new row, shape (m,).

    Returns
    -------
    Numbers
        Shape (m, classes), each in (0, 1].

    References
    ----------
    Vovk, V., Gammerman, A. & Shafer, G. 2005, Algorithmic Learning in a Random World, Springer, sections 2.2 and 4.5
    (smoothed and label-conditional conformal prediction).

    Examples
    --------
    >>> unseen = np.array([[0.9, 0.1], [0.6, 0.4], [0.3, 0.7], [0.2, 0.8]])
    >>> found = class_p_values(np.array([[0.5, 0.5]]), unseen, np.array([0, 0, 1, 1]), np.array([0.5]))
    >>> found.round(3).tolist()
    [[0.167, 0.167]]
    """
    found = np.empty(scores.shape)
    for place in range(scores.shape[1]):
        known = np.sort(unseen[outcomes == place, place])
        lower = np.searchsorted(known, scores[:, place], side="left")
        as_low = np.searchsorted(known, scores[:, place], side="right")
        # A draw of 0 would call the impossible impossible; it counts as the whole of what is tied.
        found[:, place] = (lower + (1 - ties) * (as_low - lower + 1)) / (len(known) + 1)
    return found


def class_sets(p_values: Numbers, scores: Numbers, coverage: float) -> NDArray[np.bool_]:
    """Which classes a row may be of: those of a p value above 1 - coverage, and the likeliest one in any case.

    Parameters
    ----------
    p_values : Numbers
        Of :func:`class_p_values`, shape (m, classes).
    scores : Numbers
        What the model says of these rows, shape (m, classes).
    coverage : float
        The share of the rows of each class whose set shall hold it, in (0, 1).

    Returns
    -------
    NDArray[np.bool_]
        Whether the set of each row holds each class, shape (m, classes); no row is without one.

    Examples
    --------
    >>> class_sets(np.array([[0.3, 0.04]]), np.array([[0.2, 0.8]]), 0.9).tolist()
    [[True, True]]
    """
    held = p_values > 1 - coverage
    held[np.arange(len(scores)), scores.argmax(axis=1)] = True
    return held


def fold_ends(predictions: Numbers, residuals: list[Numbers], coverage: float) -> tuple[Numbers, Numbers]:
    """The interval of each new row from the models of cross-validation (CV+, the jackknife+ of folds).

    The upper end is the ceil((1 - alpha)(n + 1))-th smallest, over the n rows that were held out, of what the model of
    that row's fold says of the new row plus how far it was off on that row; the lower end likewise from below. The
    outcome lies inside in a share of nearly 1 - 2 alpha of new rows or more whatever the model, and in about 1 - alpha
    of them in practice.

    Parameters
    ----------
    predictions : Numbers
        What the model of each fold says of the new rows, shape (folds, m).
    residuals : list[Numbers]
        How far that model was off on each row that it was held out of, at least 0: an array for every fold.
    coverage : float
        1 - alpha, in (0, 1).

    Returns
    -------
    tuple[Numbers, Numbers]
        Lower and upper ends, shape (m,) each; infinite where the rows are too few for such a share.

    References
    ----------
    Barber, R. F., Candes, E. J., Ramdas, A. & Tibshirani, R. J. 2021, Predictive inference with the jackknife+,
    Ann. Stat. 49:486, section 3.

    Examples
    --------
    >>> low, high = fold_ends(np.array([[10.0], [12.0]]), [np.array([1.0, 3.0]), np.array([0.0, 2.0])], 0.6)
    >>> low.round(6).tolist(), high.round(6).tolist()
    ([9.0], [13.0])
    """
    n = sum(map(len, residuals))
    alpha = 1 - coverage
    # A share such as 0.9 is not a whole number of tenths in binary; 0.9 of 10 rows are 9 all the same.
    above = ceil(round((1 - alpha) * (n + 1), 9))
    below = floor(round(alpha * (n + 1), 9))
    m = predictions.shape[1]
    if above > n or below < 1:
        return np.full(m, -inf), np.full(m, inf)
    ordered = [np.sort(one) for one in residuals]
    return -_smallest(-predictions, ordered, n + 1 - below), _smallest(predictions, ordered, above)


def _smallest(predictions: Numbers, residuals: list[Numbers], rank: int) -> Numbers:
    """The rank-th smallest of prediction plus residual for each column, or a little above it, never below."""
    alike = np.sort(np.concatenate(residuals))[rank - 1]
    low, high = predictions.min(axis=0) + alike, predictions.max(axis=0) + alike
    held = [(fold, one) for fold, one in zip(predictions, residuals, strict=True) if len(one)]
    for _ in range(_HALVINGS):
        middle = low + (high - low) / 2
        count = sum(np.searchsorted(one, middle - fold, side="right") for fold, one in held)
        enough = count >= rank
        high = np.where(enough, middle, high)
        low = np.where(enough, low, middle)
    return np.asarray(high, dtype=np.float64)
