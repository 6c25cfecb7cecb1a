"""Cost-complexity pruning: which nodes of a grown tree still stand at each strength."""

import heapq
from typing import Any

import numpy as np
from numpy.typing import NDArray

_LEAF = -1


def collapse_strengths(tree: Any) -> NDArray[np.float64]:
    """The strength at which each node of a grown tree becomes a leaf; shape (nodes,), 0 for its leaves.

    Weakest link first (Breiman, Friedman, Olshen & Stone 1984, ch. 3). ``tree`` is a scikit-learn ``Tree``. A node
    that goes with an ancestor before its own turn has infinity.

    Parameters
    ----------
    tree : Any
        The grown tree of a fitted scikit-learn estimator.

    Returns
    -------
    NDArray[np.float64]
        Strengths, shape (nodes,).

    References
    ----------
    Breiman, L., Friedman, J. H., Olshen, R. A. & Stone, C. J. 1984, Classification and Regression Trees, ch. 3.

    Examples
    --------
    >>> from sklearn.tree import DecisionTreeClassifier
    >>> x, y = np.arange(8)[:, None], np.array([0, 0, 0, 1, 0, 1, 1, 1])
    >>> tree = DecisionTreeClassifier(random_state=0).fit(x, y).tree_
    >>> collapse_strengths(tree).round(4).tolist()
    [0.3, 0.0, 0.1, inf, 0.0, 0.0, 0.0]
    """
    left, right = tree.children_left, tree.children_right
    count = tree.node_count
    parent = np.full(count, _LEAF)
    inner = np.flatnonzero(left != _LEAF)
    parent[left[inner]], parent[right[inner]] = inner, inner
    risk = (tree.impurity * tree.weighted_n_node_samples / tree.weighted_n_node_samples[0]).tolist()
    leaves = np.ones(count, dtype=np.int64)
    below = np.array(risk)
    # Children come after their parent, so going backwards adds up whole branches.
    for node in inner[::-1].tolist():
        leaves[node] = leaves[left[node]] + leaves[right[node]]
        below[node] = below[left[node]] + below[right[node]]
    strength = np.where(left == _LEAF, 0.0, np.inf)
    version = np.zeros(count, dtype=np.int64)
    queue = [((risk[node] - below[node]) / (leaves[node] - 1), node, 0) for node in inner.tolist()]
    heapq.heapify(queue)
    reached = 0.0
    while queue:
        weakest, node, seen = heapq.heappop(queue)
        if seen != version[node]:
            continue
        reached = max(reached, weakest)
        strength[node] = reached
        _forget(node, left, right, version)
        lost, eased = leaves[node] - 1, risk[node] - below[node]
        leaves[node], below[node] = 1, risk[node]
        above = parent[node]
        while above != _LEAF:
            leaves[above] -= lost
            below[above] += eased
            version[above] += 1
            heapq.heappush(queue, ((risk[above] - below[above]) / (leaves[above] - 1), int(above), int(version[above])))
            above = parent[above]
    return strength


def _forget(node: int, left: NDArray[np.int64], right: NDArray[np.int64], version: NDArray[np.int64]) -> None:
    """Takes a node and all below it out of the queue."""
    open_nodes = [node]
    while open_nodes:
        one = open_nodes.pop()
        version[one] += 1_000_000
        if left[one] != _LEAF:
            open_nodes.extend((int(left[one]), int(right[one])))


def standing_nodes(tree: Any, strengths: NDArray[np.float64]) -> NDArray[np.int64]:
    """For each strength (v,) and each node, the node that answers for it once the tree is pruned; shape (v, nodes).

    Parameters
    ----------
    tree : Any
        The grown tree of a fitted scikit-learn estimator.
    strengths : NDArray[np.float64]
        Strengths of pruning, shape (v,).

    Returns
    -------
    NDArray[np.int64]
        Nodes, shape (v, nodes).

    Examples
    --------
    >>> from sklearn.tree import DecisionTreeClassifier
    >>> x, y = np.arange(8)[:, None], np.array([0, 0, 0, 1, 0, 1, 1, 1])
    >>> tree = DecisionTreeClassifier(random_state=0).fit(x, y).tree_
    >>> standing_nodes(tree, np.array([0.0, 1.0])).tolist()
    [[0, 1, 2, 3, 4, 5, 6], [0, 0, 0, 0, 0, 0, 0]]
    """
    collapse = collapse_strengths(tree)
    left, right = tree.children_left, tree.children_right
    stands = np.tile(np.arange(tree.node_count), (len(strengths), 1))
    # The rounding of sums in another order must not keep a link that is due.
    gone = collapse[None, :] <= strengths[:, None] * (1 + 1e-12)
    for node in np.flatnonzero(left != _LEAF).tolist():
        answered = gone[:, node] | (stands[:, node] != node)
        for child in (left[node], right[node]):
            stands[:, child] = np.where(answered, stands[:, node], child)
    return stands
