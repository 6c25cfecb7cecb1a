"""Trees and ensembles of trees: one tree, forest, gradient boosting (two libraries), AdaBoost."""

from typing import Annotated, Any, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from brookfall.core.recipe.family.family import (
    ANY,
    ClassWeight,
    Count,
    Dial,
    Estimator,
    Family,
    Leaves,
    Made,
    Matrix,
    Positive,
    Reads,
    Settings,
    Strength,
    Unlimited,
)
from brookfall.core.recipe.family.fitted_trees import (
    binned_trees,
    each_tree,
    leafwise_trees,
    one_tree,
    sum_of_binned,
    sum_of_leafwise,
    sum_of_means,
    sum_of_votes,
)
from brookfall.core.recipe.family.pruning import standing_nodes


class TreeSettings(Settings):
    """Grown to pure leaves unless told otherwise; pruning is cost-complexity alpha (Breiman et al. 1984).

    The criterion where none is named: gini for classes, squared_error for a number.
    """

    depth: Unlimited = None
    leaves: Leaves = None
    rows_per_leaf: Count = 1
    rows_to_split: Annotated[int, Field(ge=2)] = 2
    pruning: Strength = 0.0
    criterion: Literal["gini", "entropy", "log_loss", "squared_error"] | None = None
    class_weight: ClassWeight = None


class ForestSettings(Settings):
    """Bootstrapped trees; features are how many of the columns are tried at each split."""

    trees: Count = 100
    depth: Unlimited = None
    rows_per_leaf: Count = 1
    features: Literal["sqrt", "log2", "all"] = "sqrt"
    class_weight: ClassWeight = None


class BoostingSettings(Settings):
    """Boosted on 255 bins a column; no early stopping, no penalty, every row and column in every tree."""

    trees: Count = 100
    depth: Unlimited = None
    leaves: Annotated[int, Field(ge=2)] = 31
    learning_rate: Positive = 0.1
    rows_per_leaf: Count = 20


class AdaBoostSettings(Settings):
    """Reweighted shallow trees."""

    trees: Count = 50
    depth: Count = 1
    learning_rate: Positive = 1.0


def _tree(made: Made) -> Estimator:
    from sklearn.tree import DecisionTreeClassifier, DecisionTreeRegressor

    settings: TreeSettings = made.settings
    common = {
        "max_depth": settings.depth,
        "max_leaf_nodes": settings.leaves,
        "min_samples_leaf": settings.rows_per_leaf,
        "min_samples_split": settings.rows_to_split,
        "ccp_alpha": settings.pruning,
        "random_state": made.seed,
    }
    if not made.classifies:
        return DecisionTreeRegressor(criterion=settings.criterion or "squared_error", **common)
    return DecisionTreeClassifier(criterion=settings.criterion or "gini", class_weight=settings.class_weight, **common)


def _forest(made: Made) -> Estimator:
    from sklearn.ensemble import RandomForestClassifier, RandomForestRegressor

    settings: ForestSettings = made.settings
    common = {
        "n_estimators": settings.trees,
        "max_depth": settings.depth,
        "min_samples_leaf": settings.rows_per_leaf,
        "max_features": None if settings.features == "all" else settings.features,
        "bootstrap": True,
        "n_jobs": 1,
        "random_state": made.seed,
    }
    if not made.classifies:
        return RandomForestRegressor(criterion="squared_error", **common)
    return RandomForestClassifier(criterion="gini", class_weight=settings.class_weight, **common)


def _boosting(made: Made) -> Estimator:
    from sklearn.ensemble import HistGradientBoostingClassifier, HistGradientBoostingRegressor

    settings: BoostingSettings = made.settings
    kind = HistGradientBoostingClassifier if made.classifies else HistGradientBoostingRegressor
    return kind(
        max_iter=settings.trees,
        max_depth=settings.depth,
        max_leaf_nodes=settings.leaves,
        learning_rate=settings.learning_rate,
        min_samples_leaf=settings.rows_per_leaf,
        l2_regularization=0.0,
        max_bins=255,
        early_stopping=False,
        random_state=made.seed,
    )


def _lightgbm(made: Made) -> Estimator:
    from lightgbm import LGBMClassifier, LGBMRegressor

    settings: BoostingSettings = made.settings
    kind = LGBMClassifier if made.classifies else LGBMRegressor
    return kind(
        n_estimators=settings.trees,
        max_depth=settings.depth or -1,
        num_leaves=settings.leaves,
        learning_rate=settings.learning_rate,
        min_child_samples=settings.rows_per_leaf,
        min_child_weight=0.0,
        reg_lambda=0.0,
        reg_alpha=0.0,
        min_split_gain=0.0,
        subsample=1.0,
        colsample_bytree=1.0,
        max_bin=255,
        deterministic=True,
        force_row_wise=True,
        n_jobs=1,
        random_state=made.seed,
        verbosity=-1,
    )


def _adaboost(made: Made) -> Estimator:
    from sklearn.ensemble import AdaBoostClassifier, AdaBoostRegressor
    from sklearn.tree import DecisionTreeClassifier, DecisionTreeRegressor

    settings: AdaBoostSettings = made.settings
    common = {
        "n_estimators": settings.trees,
        "learning_rate": settings.learning_rate,
        "random_state": made.seed,
    }
    if made.classifies:
        return AdaBoostClassifier(DecisionTreeClassifier(max_depth=settings.depth), **common)
    return AdaBoostRegressor(DecisionTreeRegressor(max_depth=settings.depth), loss="linear", **common)


def _staged(made: Made, fitted: Estimator, rows: Matrix, values: tuple[float, ...]) -> Matrix:
    """Scores after each number of trees, from one boosting of the largest."""
    wanted = {int(value) for value in values}
    stages = fitted.staged_predict_proba(rows) if made.classifies else fitted.staged_predict(rows)
    kept = {number: scores for number, scores in enumerate(stages, start=1) if number in wanted}
    last = max(kept)
    return np.stack([kept[min(int(value), last)] for value in values], axis=1)


def _first_trees(made: Made, fitted: Estimator, rows: Matrix, values: tuple[float, ...]) -> Matrix:
    predict = fitted.predict_proba if made.classifies else fitted.predict
    return np.stack([predict(rows, num_iteration=int(value)) for value in values], axis=1)


def _pruned(made: Made, fitted: Estimator, rows: Matrix, values: tuple[float, ...]) -> Matrix:
    """Scores of every pruned subtree from the one grown tree: pruned trees are nested."""
    leaves = fitted.apply(rows)
    stands = standing_nodes(fitted.tree_, np.array(values))
    answers = fitted.tree_.value[:, 0, :]
    if made.classifies:
        return (answers / answers.sum(axis=1, keepdims=True))[stands[:, leaves].T]
    return answers[:, 0][stands[:, leaves].T]


def _out_of_bag(made: Made, fitted: Estimator, design: Matrix, _: NDArray[Any]) -> Matrix:
    """The mean over the trees that did not draw a row; NaN for a row that every tree drew (Breiman 2001)."""
    classes = (len(fitted.classes_),) if made.classifies else ()
    total, times = np.zeros((len(design), *classes)), np.zeros(len(design))
    for tree, drawn in zip(fitted.estimators_, fitted.estimators_samples_, strict=True):
        out = np.ones(len(design), dtype=np.bool_)
        out[drawn] = False
        total[out] += tree.predict_proba(design[out]) if made.classifies else tree.predict(design[out])
        times[out] += 1
    with np.errstate(invalid="ignore"):
        return np.asarray(total / (times[:, None] if classes else times))


def _bagged(_: ForestSettings) -> str:
    return (
        "A forest reproduces its training rows by construction, so they are scored out of bag, by trees that did not "
        "draw them; the plain training score stands beside."
    )


_TREE: frozenset[Reads] = frozenset({"importances", "tree"})
_TREES = Dial("trees", rising=True)
_IMPORTANCES: frozenset[Reads] = frozenset({"importances"})

TREES: tuple[Family, ...] = (
    Family(
        "tree",
        "decision tree",
        ANY,
        TreeSettings,
        _tree,
        Dial("pruning", rising=False),
        _TREE,
        along=_pruned,
        trees=one_tree,
        tree_sum=sum_of_means,
    ),
    Family(
        "forest",
        "random forest",
        ANY,
        ForestSettings,
        _forest,
        Dial("depth", rising=True),
        _IMPORTANCES,
        by_construction=_bagged,
        without_itself=_out_of_bag,
        trees=each_tree,
        tree_sum=sum_of_means,
    ),
    Family(
        "gradient_boosting",
        "gradient boosting",
        ANY,
        BoostingSettings,
        _boosting,
        _TREES,
        along=_staged,
        trees=binned_trees,
        tree_sum=sum_of_binned,
    ),
    Family(
        "lightgbm",
        "gradient boosting (LightGBM)",
        ANY,
        BoostingSettings,
        _lightgbm,
        _TREES,
        _IMPORTANCES,
        along=_first_trees,
        trees=leafwise_trees,
        tree_sum=sum_of_leafwise,
    ),
    Family(
        "adaboost",
        "AdaBoost",
        ANY,
        AdaBoostSettings,
        _adaboost,
        _TREES,
        _IMPORTANCES,
        along=_staged,
        trees=each_tree,
        tree_sum=sum_of_votes,
    ),
)
