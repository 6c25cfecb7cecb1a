"""Fitted trees of every library in one form."""

from collections.abc import Iterator
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brookfall.core.recipe.family.family import Estimator, Grown, Made, TreeSum
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


def sum_of_means(made: Made, fitted: Estimator) -> TreeSum:
    """A decision tree or a forest: the mean over its trees of the classes' shares, or of the number's mean, in leaves.

    Parameters
    ----------
    made : Made
        What it was made of.
    fitted : Estimator
        A fitted decision tree or forest.

    Returns
    -------
    TreeSum
        The sum, of scores.

    Examples
    --------
    >>> from sklearn.tree import DecisionTreeClassifier
    >>> from brookfall.core.recipe.families import families
    >>> x, y = np.arange(4)[:, None], np.array([0, 0, 1, 1])
    >>> tree = DecisionTreeClassifier(random_state=0).fit(x, y)
    >>> sum_of_means(Made(None, "binary", 0), tree).trees[0][1].tolist()
    [[0.5], [0.0], [1.0]]
    """
    each = [one.tree_ for one in fitted.estimators_] if hasattr(fitted, "estimators_") else [fitted.tree_]
    first = 1 if made.outcome == "binary" else 0
    trees = tuple((_plain(tree, None), np.asarray(tree.value[:, 0, first:]) / len(each)) for tree in each)
    return TreeSum(trees, np.zeros(trees[0][1].shape[1]), "score", single=True)


def sum_of_binned(made: Made, fitted: Estimator) -> TreeSum:
    """Histogram boosting: what its trees add to where it began, as log odds where it tells classes apart.

    Parameters
    ----------
    made : Made
        What it was made of.
    fitted : Estimator
        A fitted histogram boosting.

    Returns
    -------
    TreeSum
        The sum.

    Examples
    --------
    >>> from sklearn.ensemble import HistGradientBoostingRegressor
    >>> x = np.arange(40.0)[:, None]
    >>> boosting = HistGradientBoostingRegressor(max_iter=2).fit(x, x[:, 0])
    >>> sum_of_binned(Made(None, "number", 0), boosting).base.tolist()
    [19.5]
    """
    base = np.asarray(fitted._baseline_prediction, dtype=np.float64).reshape(-1)
    places = [(place, one) for stage in fitted._predictors for place, one in enumerate(stage)]
    trees = tuple(
        (grown, _only(np.asarray(one.nodes["value"], dtype=np.float64), place, len(base)))
        for grown, (place, one) in zip(binned_trees(fitted), places, strict=True)
    )
    return TreeSum(trees, base, "log odds" if made.classifies else "score")


def sum_of_leafwise(made: Made, fitted: Estimator) -> TreeSum:
    """LightGBM: what its trees add up to, as log odds where it tells classes apart.

    Parameters
    ----------
    made : Made
        What it was made of.
    fitted : Estimator
        A fitted LightGBM.

    Returns
    -------
    TreeSum
        The sum.

    Examples
    --------
    >>> from lightgbm import LGBMRegressor
    >>> x = np.arange(60.0)[:, None]
    >>> boosting = LGBMRegressor(n_estimators=2, verbose=-1, n_jobs=1).fit(x, x[:, 0])
    >>> len(sum_of_leafwise(Made(None, "number", 0), boosting).trees)
    2
    """
    told = fitted.booster_.dump_model()
    k = int(told["num_tree_per_iteration"])
    trees = []
    for number, (grown, one) in enumerate(zip(leafwise_trees(fitted), told["tree_info"], strict=True)):
        values: list[float] = []
        _leaf_values(one["tree_structure"], values)
        trees.append((grown, _only(np.array(values), number % k, k)))
    return TreeSum(tuple(trees), np.zeros(k), "log odds" if made.classifies else "score")


def sum_of_votes(made: Made, fitted: Estimator) -> TreeSum | None:
    """AdaBoost of classes: the weighed votes of its trees, which are log odds; None of a number, which is a median.

    Parameters
    ----------
    made : Made
        What it was made of.
    fitted : Estimator
        A fitted AdaBoost.

    Returns
    -------
    TreeSum | None
        The sum.

    References
    ----------
    Zhu, J., Zou, H., Rosset, S. & Hastie, T. 2009, Stat. Interface 2:349 (SAMME, equation 15).

    Examples
    --------
    >>> sum_of_votes(Made(None, "number", 0), None) is None
    True
    """
    if not made.classifies:
        return None
    classes = len(fitted.classes_)
    weights = np.asarray(fitted.estimator_weights_[: len(fitted.estimators_)]) / np.sum(fitted.estimator_weights_)
    trees = []
    for weight, one in zip(weights, fitted.estimators_, strict=True):
        said = np.asarray(one.classes_)[one.tree_.value[:, 0, :].argmax(axis=1)]
        votes = np.where(said[:, None] == fitted.classes_[None, :], weight, -weight / (classes - 1))
        # Of two classes the log odds are the one's votes less the other's; of more, votes are tempered.
        values = votes[:, 1:] - votes[:, :1] if classes == 2 else votes / (classes - 1)
        trees.append((_plain(one.tree_, None), values))
    return TreeSum(tuple(trees), np.zeros(trees[0][1].shape[1]), "log odds", single=True)


def _only(values: NDArray[np.float64], place: int, k: int) -> NDArray[np.float64]:
    """Values that go to one of k sums; shape (nodes, k)."""
    found = np.zeros((len(values), k))
    found[:, place] = values
    return found


def _leaf_values(told: dict[str, Any], values: list[float]) -> None:
    """The value of each node, in the order of :func:`_walk`; 0 where it is no leaf."""
    values.append(float(told.get("leaf_value", 0.0)))
    if "split_feature" in told:
        values[-1] = 0.0
        _leaf_values(told["left_child"], values)
        _leaf_values(told["right_child"], values)
