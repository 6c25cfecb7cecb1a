"""What else a node of a tree could have split on: the best cut of each column, what it gains, and whether by chance."""

from dataclasses import dataclass
from math import log, log10

import numpy as np
import scipy.stats
from numpy.typing import NDArray

from brookfall.core.measure.scored import Numbers


@dataclass(frozen=True)
class Competing:
    """The best cut of one column at a node.

    Attributes
    ----------
    column : int
        The place of the column.
    threshold : float
        Rows of at most this go left; halfway between two values that rows hold.
    gain, unseen_gain : float
        What it takes off the impurity (Gini, or the variance of a number) of training and of unseen rows, times their
        share of all rows; unseen NaN where none reaches the node.
    log_p : float
        −log10 p of chi-square between side and class, or of F for a number, on training rows.
    corrected : float
        The same after Bonferroni over the cuts that the column allows (Kass 1980, for two groups in order); 0 at least.
    """

    column: int
    threshold: float
    gain: float
    unseen_gain: float
    log_p: float
    corrected: float


@dataclass(frozen=True)
class NodeRows:
    """Rows at a node: prepared columns (n, p); and what is summed of them, (n, classes) of 0 and 1, or (n, 3) of a
    number: 1, the outcome and its square. ``of`` is how many rows there are in all nodes."""

    design: Numbers
    kinds: Numbers
    of: int


def competing_splits(training: NodeRows, unseen: NodeRows, *, number: bool, most: int = 5) -> list[Competing]:
    """The columns whose best cut gains most on the training rows of a node, the best first.

    Parameters
    ----------
    training, unseen : NodeRows
        The rows that reach the node.
    number : bool
        Whether the outcome is a number.
    most : int
        How many columns are listed.

    Returns
    -------
    list[Competing]
        At most ``most`` of them; none where no column differs or the node is of one outcome.

    References
    ----------
    Kass, G. V. 1980, Appl. Stat. 29:119 (from memory).

    Examples
    --------
    >>> kinds = np.eye(2)[np.array([0, 0, 1, 1])]
    >>> rows = NodeRows(np.array([[1.0], [2.0], [3.0], [4.0]]), kinds, 4)
    >>> found, = competing_splits(rows, rows, number=False)
    >>> found.threshold, found.gain, round(found.log_p, 2), round(found.corrected, 2)
    (2.5, 0.5, 1.34, 0.86)
    """
    total = training.kinds.sum(axis=0)
    n, impure = len(training.kinds), _sum_of_impurity(total[None, :], number)[0]
    found = []
    for column in range(training.design.shape[1] if n > 1 and impure > 0 else 0):
        best = _best_cut(training.design[:, column], training.kinds, number)
        if best is None:
            continue
        threshold, left, cuts = best
        after = float(_sum_of_impurity(np.stack([left, total - left]), number).sum())
        gain = (float(impure) - after) / training.of
        if gain <= 0:
            continue
        log_p, unseen_gain = _log_p(left, total - left, number), _gain_at(unseen, column, threshold, number)
        found.append(Competing(column, threshold, gain, unseen_gain, log_p, max(0.0, log_p - log10(cuts))))
    return sorted(found, key=lambda one: -one.gain)[:most]


def _best_cut(values: Numbers, kinds: Numbers, number: bool) -> tuple[float, Numbers, int] | None:
    """Where the two sides are purest: the threshold, the sums of the left side, and how many cuts there were."""
    order = np.argsort(values, kind="stable")
    rising = values[order]
    cuts = np.flatnonzero(rising[1:] > rising[:-1])
    if not len(cuts):
        return None
    left = np.cumsum(kinds[order], axis=0)[cuts]
    right = kinds.sum(axis=0) - left
    impurity = _sum_of_impurity(left, number) + _sum_of_impurity(right, number)
    best = int(np.argmin(impurity))
    place = cuts[best]
    return float((rising[place] + rising[place + 1]) / 2), left[best], len(cuts)


def _sum_of_impurity(sums: Numbers, number: bool) -> NDArray[np.float64]:
    """Rows times impurity, for every row of sums; of a number the sum of squares about the mean."""
    if number:
        rows = np.maximum(sums[:, 0], 1)
        return np.maximum(sums[:, 2] - sums[:, 1] ** 2 / rows, 0.0)
    rows = sums.sum(axis=1)
    return np.asarray(rows - (sums**2).sum(axis=1) / np.maximum(rows, 1))


def _gain_at(rows: NodeRows, column: int, threshold: float, number: bool) -> float:
    if not len(rows.kinds):
        return float("nan")
    goes_left = rows.design[:, column] <= threshold
    sums = np.stack([rows.kinds.sum(axis=0), rows.kinds[goes_left].sum(axis=0), rows.kinds[~goes_left].sum(axis=0)])
    whole, left, right = _sum_of_impurity(sums, number)
    return float((whole - left - right) / rows.of)


def _log_p(left: Numbers, right: Numbers, number: bool) -> float:
    """−log10 p that the two sides differ: F of a number, chi-square of classes."""
    if number:
        n = left[0] + right[0]
        within = float(_sum_of_impurity(np.stack([left, right]), True).sum())
        between = float(_sum_of_impurity((left + right)[None, :], True)[0]) - within
        if n <= 2:
            return 0.0
        if within <= 0:
            return float("inf")
        return -float(scipy.stats.f.logsf(between / within * (n - 2), 1, n - 2)) / log(10)
    table = np.stack([left, right])
    held = table[:, table.sum(axis=0) > 0]
    if held.shape[1] < 2:
        return 0.0
    expected = np.outer(held.sum(axis=1), held.sum(axis=0)) / held.sum()
    statistic = float(((held - expected) ** 2 / expected).sum())
    return -float(scipy.stats.chi2.logsf(statistic, held.shape[1] - 1)) / log(10)
