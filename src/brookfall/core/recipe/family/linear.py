"""Linear families: logistic, linear, ridge, lasso, elastic net, Poisson, gamma, and the linear discriminant.

Every family imports its library when it builds: to read and check a package none is needed.
"""

from collections.abc import Callable
from typing import Annotated, Literal

import numpy as np
from pydantic import BeforeValidator

from brookfall.core.recipe.family.family import (
    CLASSES,
    NUMBER,
    ClassWeight,
    Dial,
    Estimator,
    Family,
    LeftOut,
    Link,
    Made,
    Matrix,
    Reads,
    Settings,
    Share,
    Straight,
    Strength,
    none_as_null,
)
from brookfall.core.recipe.family.many_outcomes import many_logistic, many_squares

_STEPS = 10_000
_ALONE = 1e-9


class LogisticSettings(Settings):
    """Negative log likelihood + strength × penalty (half the sum of squares for l2)."""

    penalty: Literal["none", "l1", "l2", "elastic_net"] = "none"
    strength: Strength = 1.0
    l1_share: Share = 0.5
    class_weight: ClassWeight = None


class LinearSettings(Settings):
    """Least squares."""


class RidgeSettings(Settings):
    """Sum of squared errors + strength × sum of squared coefficients."""

    strength: Strength = 1.0


class LassoSettings(Settings):
    """Half the mean squared error + strength × sum of absolute coefficients."""

    strength: Strength = 1.0


class ElasticNetSettings(Settings):
    """Half the mean squared error + strength × (l1_share × absolute + (1 − l1_share)/2 × squared coefficients)."""

    strength: Strength = 1.0
    l1_share: Share = 0.5


class GeneralisedSettings(Settings):
    """Half the mean deviance, log link, + strength/2 × sum of squared coefficients; 0 penalises nothing."""

    strength: Strength = 0.0


class DiscriminantSettings(Settings):
    """Equal covariances, class shares as priors; shrinkage of the covariance from 0 (none) to 1, or auto."""

    shrinkage: Annotated[Share | Literal["auto"] | None, BeforeValidator(none_as_null)] = None


def _logistic(made: Made) -> Estimator:
    from sklearn.linear_model import LogisticRegression

    settings: LogisticSettings = made.settings
    penalised = settings.penalty != "none" and settings.strength > 0
    share = {"l1": 1.0, "l2": 0.0, "elastic_net": settings.l1_share}.get(settings.penalty, 0.0)
    return LogisticRegression(
        C=1 / settings.strength if penalised else float("inf"),
        l1_ratio=share if penalised else 0.0,
        solver="saga" if penalised and share > 0 else "lbfgs",
        class_weight=settings.class_weight,
        max_iter=5000,
        tol=1e-8 if not penalised or share == 0 else 1e-6,
        random_state=made.seed,
    )


def _linear(_: Made) -> Estimator:
    from sklearn.linear_model import LinearRegression

    return LinearRegression()


def _ridge(made: Made) -> Estimator:
    from sklearn.linear_model import Ridge

    return Ridge(alpha=made.settings.strength, solver="cholesky" if made.settings.strength > 0 else "svd")


def _lasso(made: Made) -> Estimator:
    from sklearn.linear_model import Lasso, LinearRegression

    if made.settings.strength == 0:
        return LinearRegression()
    return Lasso(alpha=made.settings.strength, max_iter=_STEPS, tol=1e-8, selection="cyclic")


def _elastic_net(made: Made) -> Estimator:
    from sklearn.linear_model import ElasticNet, LinearRegression

    settings: ElasticNetSettings = made.settings
    if settings.strength == 0:
        return LinearRegression()
    return ElasticNet(
        alpha=settings.strength, l1_ratio=settings.l1_share, max_iter=_STEPS, tol=1e-8, selection="cyclic"
    )


def _poisson(made: Made) -> Estimator:
    from sklearn.linear_model import PoissonRegressor

    return PoissonRegressor(alpha=made.settings.strength, max_iter=_STEPS, tol=1e-8, solver="newton-cholesky")


def _gamma(made: Made) -> Estimator:
    from sklearn.linear_model import GammaRegressor

    return GammaRegressor(alpha=made.settings.strength, max_iter=_STEPS, tol=1e-8, solver="newton-cholesky")


def _discriminant(made: Made) -> Estimator:
    from sklearn.discriminant_analysis import LinearDiscriminantAnalysis

    shrinkage = made.settings.shrinkage
    if shrinkage is None:
        return LinearDiscriminantAnalysis(solver="svd", tol=1e-4)
    return LinearDiscriminantAnalysis(solver="lsqr", shrinkage=shrinkage)


def left_out_squares(made: Made, rows: LeftOut) -> Matrix:
    """Predictions of each row by least squares without it: y − e/(1 − h), penalty and intercept as in the fit.

    Sherman & Morrison 1950; Allen 1974 (PRESS). A row that alone decides a coefficient (h = 1) is left out in earnest.

    Parameters
    ----------
    made : Made
        The fit on all n rows.
    rows : LeftOut
        The rows, their matrix and their outcomes.

    Returns
    -------
    Matrix
        Predictions, shape (n,).

    References
    ----------
    Sherman, J. & Morrison, W. J. 1950, Ann. Math. Stat. 21:124. Allen, D. M. 1974, Technometrics 16:125.

    Examples
    --------
    >>> rows = LeftOut(np.arange(4.0)[:, None], np.array([0.0, 1.0, 2.0, 3.0]), None, None, 0)
    >>> left_out_squares(Made(LinearSettings(), "number", 0), rows).round(6).tolist()
    [-0.0, 1.0, 2.0, 3.0]
    """
    strength = float(getattr(made.settings, "strength", 0.0))
    weights = np.ones(len(rows.target)) if rows.weights is None else rows.weights
    root = np.sqrt(weights)
    centre = (weights / weights.sum()) @ rows.design
    design = np.column_stack([np.ones(len(rows.target)), rows.design - centre]) * root[:, None]
    penalty = np.full(design.shape[1], strength)
    penalty[0] = 0.0
    gram = design.T @ design + np.diag(penalty)
    projected = design @ np.linalg.pinv(gram, hermitian=True)
    leverage = np.einsum("ij,ij->i", projected, design)
    residual = rows.target * root - projected @ (design.T @ (rows.target * root))
    free = 1 - leverage
    alone = free <= _ALONE
    predicted = rows.target - residual / np.where(alone, 1.0, free) / root
    for place in np.flatnonzero(alone).tolist():
        predicted[place] = _without(rows, weights, strength, place)
    return predicted


def _without(rows: LeftOut, weights: Matrix, strength: float, place: int) -> float:
    """One row's prediction from least squares on the others, the smallest coefficients where several do."""
    kept = np.arange(len(weights)) != place
    share = weights[kept] / weights[kept].sum()
    centre, mean = share @ rows.design[kept], share @ rows.target[kept]
    root = np.sqrt(weights[kept])
    inner = np.vstack([(rows.design[kept] - centre) * root[:, None], np.sqrt(strength) * np.eye(len(centre))])
    outer = np.concatenate([(rows.target[kept] - mean) * root, np.zeros(len(centre))])
    coefficients = np.linalg.lstsq(inner, outer, rcond=None)[0]
    return float(mean + (rows.design[place] - centre) @ coefficients)


def _sums(link: Link) -> Callable[[Made, Estimator], Straight]:
    def straight(_: Made, fitted: Estimator) -> Straight:
        coefficients = np.atleast_2d(np.asarray(fitted.coef_, dtype=np.float64)).T
        intercepts = np.broadcast_to(np.asarray(fitted.intercept_, dtype=np.float64), coefficients.shape[1:])
        by_class: Link = "logistic" if link == "softmax" and coefficients.shape[1] == 1 else link
        return Straight(coefficients, intercepts, by_class)

    return straight


_STRENGTH = Dial("strength", rising=False)
_COEFFICIENTS: frozenset[Reads] = frozenset({"coefficients"})

LINEAR: tuple[Family, ...] = (
    Family(
        "logistic",
        "logistic regression",
        CLASSES,
        LogisticSettings,
        _logistic,
        _STRENGTH,
        _COEFFICIENTS,
        straight=_sums("softmax"),
        many=many_logistic,
    ),
    Family(
        "linear",
        "linear regression",
        NUMBER,
        LinearSettings,
        _linear,
        None,
        _COEFFICIENTS,
        left_out=left_out_squares,
        left_out_scaled=True,
        straight=_sums("identity"),
        many=many_squares,
    ),
    Family(
        "ridge",
        "ridge regression",
        NUMBER,
        RidgeSettings,
        _ridge,
        _STRENGTH,
        _COEFFICIENTS,
        left_out=left_out_squares,
        straight=_sums("identity"),
        many=many_squares,
    ),
    Family(
        "lasso",
        "lasso regression",
        NUMBER,
        LassoSettings,
        _lasso,
        _STRENGTH,
        _COEFFICIENTS,
        straight=_sums("identity"),
    ),
    Family(
        "elastic_net",
        "elastic net regression",
        NUMBER,
        ElasticNetSettings,
        _elastic_net,
        _STRENGTH,
        _COEFFICIENTS,
        straight=_sums("identity"),
    ),
    Family(
        "poisson",
        "Poisson regression",
        NUMBER,
        GeneralisedSettings,
        _poisson,
        _STRENGTH,
        _COEFFICIENTS,
        straight=_sums("exp"),
    ),
    Family(
        "gamma",
        "gamma regression",
        NUMBER,
        GeneralisedSettings,
        _gamma,
        _STRENGTH,
        _COEFFICIENTS,
        straight=_sums("exp"),
    ),
    Family(
        "discriminant",
        "linear discriminant",
        CLASSES,
        DiscriminantSettings,
        _discriminant,
        Dial("shrinkage", rising=False),
        _COEFFICIENTS,
        weighted=False,
        straight=_sums("softmax"),
    ),
)
