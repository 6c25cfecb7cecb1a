"""Shapley values of a score: how much of it each feature is given, against rows drawn from those learned from.

A set of features is worth the mean score of the row with all other features taken from background rows, one after the
other (the interventional game of Lundberg & Lee 2017). Values add up to the score less its mean over the background.
"""

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from functools import cache
from math import factorial

import numpy as np
from numpy.typing import NDArray

from brookfall.core.measure.scored import Numbers

_LEAF = -1


@dataclass(frozen=True)
class TreeWithValues:
    """A fitted tree: for each node its children (-1 in leaves), its column, its threshold (a row goes left at or under
    it), whether a gap goes left, and what a row that ends there adds to each of k sums; ``values`` is (nodes, k)."""

    left: NDArray[np.int64]
    right: NDArray[np.int64]
    column: NDArray[np.int64]
    threshold: NDArray[np.float64]
    gaps_left: NDArray[np.bool_]
    values: NDArray[np.float64]


def of_sums(coefficients: Numbers, design: Numbers, background: Numbers, players: NDArray[np.int64]) -> Numbers:
    """Exact values of a sum of columns: each coefficient times how far the row stands from the background's mean.

    Parameters
    ----------
    coefficients : Numbers
        Shape (q, k) for k sums.
    design : Numbers
        Prepared rows, shape (m, q).
    background : Numbers
        Prepared rows that features are taken from, shape (b, q).
    players : NDArray[np.int64]
        Which feature each prepared column is made of, shape (q,).

    Returns
    -------
    Numbers
        Shape (m, features, k).

    Examples
    --------
    >>> of_sums(np.array([[2.0], [1.0]]), np.array([[1.0, 5.0]]), np.zeros((3, 2)), np.array([0, 1])).tolist()
    [[[2.0], [5.0]]]
    """
    each = (design - background.mean(axis=0))[:, :, None] * coefficients[None]
    found = np.zeros((len(design), int(players.max()) + 1, coefficients.shape[1]))
    for column, player in enumerate(players):
        found[:, player] += each[:, column]
    return found


def of_trees(
    trees: Sequence[TreeWithValues], design: Numbers, background: Numbers, players: NDArray[np.int64]
) -> Numbers:
    """Exact values of a sum of trees, features that a prepared column is made of taken as one.

    For one row, one background row and one leaf, a set of features leads to the leaf or does not; its values have a
    closed form by how many features of the leaf's path the row alone and the background row alone go along with.

    Parameters
    ----------
    trees : Sequence[TreeWithValues]
        The trees, in any order.
    design : Numbers
        Prepared rows, shape (m, q).
    background : Numbers
        Prepared rows that features are taken from, shape (b, q).
    players : NDArray[np.int64]
        Which feature each prepared column is made of, shape (q,).

    Returns
    -------
    Numbers
        Shape (m, features, k).

    References
    ----------
    Lundberg, S. M. et al. 2020, From local explanations to global understanding with explainable AI for trees, Nature
    Machine Intelligence 2:56, algorithm 3 (interventional). Laberge, G. & Pequignot, Y. 2022, Understanding
    interventional TreeSHAP, arXiv:2209.15123, for the closed form.

    Examples
    --------
    >>> one = np.array([1, -1, -1]), np.array([2, -1, -1]), np.array([0, -1, -1]), np.array([0.5, np.nan, np.nan])
    >>> tree = TreeWithValues(*one, np.zeros(3, dtype=bool), np.array([[0.0], [1.0], [3.0]]))
    >>> of_trees([tree], np.array([[1.0]]), np.array([[0.0], [1.0]]), np.array([0])).tolist()
    [[[1.0]]]
    """
    k = trees[0].values.shape[1] if trees else 1
    found = np.zeros((len(design), int(players.max()) + 1, k))
    for tree in trees:
        of_rows, of_others = _left(tree, design), _left(tree, background)
        for leaf, path in _paths(tree):
            held = sorted({int(players[tree.column[node]]) for node, _ in path})
            if not held:
                continue
            ours, theirs = (_along(tree, path, went, players, held) for went in (of_rows, of_others))
            kinds, which = np.unique(ours, return_inverse=True)
            others, counts = np.unique(theirs, return_counts=True)
            table = _closed_form(kinds, others, counts / len(background), len(held))
            found[:, held, :] += table[which][:, :, None] * tree.values[leaf]
    return found


def sums_of_trees(trees: Sequence[TreeWithValues], rows: Numbers) -> Numbers:
    """What the trees add up to for each row.

    Parameters
    ----------
    trees : Sequence[TreeWithValues]
        The trees.
    rows : Numbers
        Prepared rows, shape (m, q).

    Returns
    -------
    Numbers
        Shape (m, k).

    Examples
    --------
    >>> one = np.array([1, -1, -1]), np.array([2, -1, -1]), np.array([0, -1, -1]), np.array([0.5, np.nan, np.nan])
    >>> tree = TreeWithValues(*one, np.zeros(3, dtype=bool), np.array([[0.0], [1.0], [3.0]]))
    >>> sums_of_trees([tree, tree], np.array([[1.0], [0.0]])).tolist()
    [[6.0], [2.0]]
    """
    found = np.zeros((len(rows), trees[0].values.shape[1] if trees else 1))
    for tree in trees:
        went = _left(tree, rows)
        at = np.zeros(len(rows), dtype=np.int64)
        for _ in range(len(tree.left)):
            inner = tree.left[at] != _LEAF
            if not inner.any():
                break
            going = np.where(went[np.arange(len(rows)), at], tree.left[at], tree.right[at])
            at = np.where(inner, going, at)
        found += tree.values[at]
    return found


def _left(tree: TreeWithValues, rows: Numbers) -> NDArray[np.bool_]:
    """Whether each row would go left at each node, whether it comes there or not; shape (m, nodes)."""
    inner = tree.left != _LEAF
    went = np.zeros((len(rows), len(tree.left)), dtype=np.bool_)
    values = rows[:, tree.column[inner]]
    went[:, inner] = np.where(np.isnan(values), tree.gaps_left[inner], values <= tree.threshold[inner])
    return went


def _paths(tree: TreeWithValues) -> Iterator[tuple[int, list[tuple[int, bool]]]]:
    """Every leaf with the nodes above it, and whether its way goes left there."""
    waiting: list[tuple[int, list[tuple[int, bool]]]] = [(0, [])]
    while waiting:
        node, path = waiting.pop()
        if tree.left[node] == _LEAF:
            yield node, path
        else:
            waiting.append((int(tree.left[node]), [*path, (node, True)]))
            waiting.append((int(tree.right[node]), [*path, (node, False)]))


def _along(
    tree: TreeWithValues,
    path: list[tuple[int, bool]],
    went: NDArray[np.bool_],
    players: NDArray[np.int64],
    held: list[int],
) -> NDArray[np.int64]:
    """Which of the path's features each row goes along with in all that they decide there, a bit for each: (m,)."""
    found = np.zeros(len(went), dtype=np.int64)
    for bit, player in enumerate(held):
        along: NDArray[np.bool_] | None = None
        for node, left in path:
            if players[tree.column[node]] == player:
                here = went[:, node] if left else ~went[:, node]
                along = here if along is None else along & here
        if along is not None:
            found |= along.astype(np.int64) << bit
    return found


def _closed_form(rows: NDArray[np.int64], others: NDArray[np.int64], shares: Numbers, features: int) -> Numbers:
    """The value of each feature for each kind of row, over the kinds of background rows; shape (rows, features)."""
    # A feature that neither goes along with keeps both away from the leaf whatever is taken from whom.
    one, other = np.nonzero((rows[:, None] | others[None, :]) == (1 << features) - 1)
    found = np.zeros((len(rows), features))
    if not len(one):
        return found
    alone, theirs = rows[one] & ~others[other], others[other] & ~rows[one]
    a, c = np.bitwise_count(alone), np.bitwise_count(theirs)
    first, second = _weights(features)
    gain, loss = first[a, c] * shares[other], second[a, c] * shares[other]
    for bit in range(features):
        each = ((alone >> bit) & 1) * gain - ((theirs >> bit) & 1) * loss
        found[:, bit] = np.bincount(one, each, len(rows))
    return found


@cache
def _weights(most: int) -> tuple[Numbers, Numbers]:
    """(a - 1)! c! / (a + c)! and a! (c - 1)! / (a + c)!, for every a and c up to ``most``; 0 where there is none."""
    first, second = np.zeros((most + 1, most + 1)), np.zeros((most + 1, most + 1))
    for a in range(most + 1):
        for c in range(most + 1 - a):
            if a:
                first[a, c] = factorial(a - 1) * factorial(c) / factorial(a + c)
            if c:
                second[a, c] = factorial(a) * factorial(c - 1) / factorial(a + c)
    return first, second


def by_permutations(
    score: Callable[[Numbers], Numbers], rows: Numbers, background: Numbers, pairs: int, rng: np.random.Generator
) -> tuple[Numbers, Numbers]:
    """Values of any score, estimated over orders in which features are taken from the row, each with its reverse.

    Parameters
    ----------
    score : Callable[[Numbers], Numbers]
        From rows (n, p) to scores (n,), or (n, k).
    rows : Numbers
        Rows as they are, shape (m, p).
    background : Numbers
        Rows that features are taken from, shape (b, p); each order is used with one of them.
    pairs : int
        So many orders, and their reverses.
    rng : np.random.Generator
        Where orders and background rows are drawn from.

    Returns
    -------
    tuple[Numbers, Numbers]
        The values, shape (m, p, k), and the mean score of the background rows drawn, (k,): they add up to the scores.

    References
    ----------
    Strumbelj, E. & Kononenko, I. 2014, Knowl. Inf. Syst. 41:647; Mitchell, R. et al. 2022, J. Mach. Learn. Res. 23:43
    (antithetic orders).

    Examples
    --------
    >>> rng = np.random.default_rng(1)
    >>> found, base = by_permutations(lambda x: x.sum(axis=1), np.array([[1.0, 2.0]]), np.zeros((1, 2)), 3, rng)
    >>> found[0, :, 0].tolist(), base.tolist()
    ([1.0, 2.0], [0.0])
    """
    m, p = rows.shape
    orders: list[NDArray[np.int64]] = []
    for _ in range(pairs):
        order = rng.permutation(p)
        orders += [order, order[::-1]]
    drawn = np.repeat(rng.integers(len(background), size=pairs), 2)
    base = score(background[drawn]).reshape(len(orders), -1).mean(axis=0)
    total = np.zeros((m, p, len(base)))
    for place in range(m):
        steps = np.repeat(background[drawn][:, None, :], p + 1, axis=1)
        for at, order in enumerate(orders):
            for step, feature in enumerate(order):
                steps[at, step + 1 :, feature] = rows[place, feature]
        scores = score(steps.reshape(-1, p)).reshape(len(orders), p + 1, -1)
        for at, order in enumerate(orders):
            total[place, order] += np.diff(scores[at], axis=0)
    return total / len(orders), base
