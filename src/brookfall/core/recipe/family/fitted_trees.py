"""Fitted trees of every library in one form."""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brookfall.core.recipe.family.family import Estimator, Grown
from brookfall.core.recipe.family.pruning import collapse_strengths

_LEAF = -1


def one_tree(fitted: Estimator) -> Iterator[Grown]:
    """A decision tree, with the strength at which pruning makes a leaf of each node.

    Parameters
    ----------
    fitted : Estimator
        A fitted decision tree.

    Yields
    ------
    Grown
        The one tree.

    Examples
    --------
    >>> from sklearn.tree import DecisionTreeClassifier
    >>> x, y = np.arange(4)[:, None], np.array([0, 0, 1, 1])
    >>> next(one_tree(DecisionTreeClassifier(random_state=0).fit(x, y))).threshold.tolist()
    [1.5, nan, nan]
    """
    yield _plain(fitted.tree_, collapse_strengths(fitted.tree_))


def each_tree(fitted: Estimator) -> Iterator[Grown]:
    """The trees of a forest or of AdaBoost, in order.

    Parameters
    ----------
    fitted : Estimator
        A fitted forest or AdaBoost of trees.

    Yields
    ------
    Grown
        Its trees in order.

    Examples
    --------
    >>> from sklearn.ensemble import RandomForestClassifier
    >>> forest = RandomForestClassifier(3, random_state=1).fit([[0.0], [1.0], [2.0], [3.0]], [0, 0, 1, 1])
    >>> len(list(each_tree(forest)))
    3
    """
    for tree in fitted.estimators_:
        yield _plain(tree.tree_, None)


def _plain(tree: Any, strength: NDArray[np.float64] | None) -> Grown:
    leaf = tree.children_left == _LEAF
    return Grown(
        np.asarray(tree.children_left, dtype=np.int64),
        np.asarray(tree.children_right, dtype=np.int64),
        np.where(leaf, _LEAF, tree.feature).astype(np.int64),
        np.where(leaf, np.nan, tree.threshold),
        np.asarray(tree.missing_go_to_left).astype(np.bool_),
        np.full(len(leaf), np.nan) if strength is None else strength,
    )


def binned_trees(fitted: Estimator) -> Iterator[Grown]:
    """The trees of histogram boosting: those of each round, a class after another. The library has no public door.

    Parameters
    ----------
    fitted : Estimator
        A fitted histogram boosting.

    Yields
    ------
    Grown
        Its trees, those of a round together.

    Examples
    --------
    >>> from sklearn.ensemble import HistGradientBoostingClassifier
    >>> import numpy as np
    >>> x = np.arange(40.0)[:, None]
    >>> boosting = HistGradientBoostingClassifier(max_iter=2).fit(x, x[:, 0] > 20)
    >>> len(list(binned_trees(boosting)))
    2
    """
    for stage in fitted._predictors:
        for predictor in stage:
            nodes = predictor.nodes
            leaf = nodes["is_leaf"].astype(np.bool_)
            yield Grown(
                np.where(leaf, _LEAF, nodes["left"].astype(np.int64)),
                np.where(leaf, _LEAF, nodes["right"].astype(np.int64)),
                np.where(leaf, _LEAF, nodes["feature_idx"].astype(np.int64)),
                np.where(leaf, np.nan, nodes["num_threshold"]),
                nodes["missing_go_to_left"].astype(np.bool_),
                np.full(len(leaf), np.nan),
            )


def leafwise_trees(fitted: Estimator) -> Iterator[Grown]:
    """The trees of LightGBM, from its own description of them.

    Parameters
    ----------
    fitted : Estimator
        A fitted LightGBM.

    Yields
    ------
    Grown
        Its trees, those of a round together.

    Examples
    --------
    >>> from lightgbm import LGBMClassifier
    >>> import numpy as np
    >>> x = np.arange(60.0)[:, None]
    >>> boosting = LGBMClassifier(n_estimators=2, verbose=-1, n_jobs=1).fit(x, x[:, 0] > 20)
    >>> len(list(leafwise_trees(boosting)))
    2
    """
    for told in fitted.booster_.dump_model()["tree_info"]:
        nodes: list[tuple[int, int, int, float, bool]] = []
        _walk(told["tree_structure"], nodes)
        left, right, column, threshold, gaps = zip(*nodes, strict=True)
        yield Grown(
            np.array(left, dtype=np.int64),
            np.array(right, dtype=np.int64),
            np.array(column, dtype=np.int64),
            np.array(threshold, dtype=np.float64),
            np.array(gaps, dtype=np.bool_),
            np.full(len(nodes), np.nan),
        )


def _walk(told: dict[str, Any], nodes: list[tuple[int, int, int, float, bool]]) -> int:
    """Adds a node and all below it, the node first, and gives its place."""
    place = len(nodes)
    nodes.append((_LEAF, _LEAF, _LEAF, np.nan, False))
    if "split_feature" in told:
        left = _walk(told["left_child"], nodes)
        right = _walk(told["right_child"], nodes)
        nodes[place] = (left, right, told["split_feature"], told["threshold"], bool(told["default_left"]))
    return place
