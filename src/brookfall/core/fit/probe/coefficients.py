"""Coefficients with their covariance, as far as a family has them."""

import warnings

import numpy as np
from numpy.typing import NDArray
from statsmodels.genmod import families
from statsmodels.genmod.generalized_linear_model import GLM, GLMResults
from statsmodels.tools.sm_exceptions import PerfectSeparationError, PerfectSeparationWarning

from brookfall.core.fit.fitted import Fitted
from brookfall.core.fit.probe.prepared_columns import columns_of
from brookfall.core.fit.probe.separation import firth, looks_separated, separated_columns
from brookfall.core.recipe.families import resolved_settings
from brookfall.core.recipe.family.family import Matrix
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.table.outcome import Outcome

Values = NDArray[np.float64]
_REPEATS = 1e-9
_STEP = 1e-10
"""A step of the coefficients, of columns of mean square 1, after which the next would be lost in rounding."""


def coefficients(fitted: Fitted, weights: Values | None) -> Values:
    """Estimates in the first row, their covariance (p, p) below; NaN where the family has no covariance.

    Of an unpenalised regression the columns are a constant, then the kept columns (``kept_columns``), by maximum
    likelihood with the usual standard errors; where rows count differently or come in groups with those of the
    sandwich. Where outcomes are separated, so that the likelihood has no end, they are Firth's, and a last row (p,)
    says 1 for the columns that separate them. Of a penalised one all prepared columns as they were fitted, of several
    classes one after another.
    ValueError where a coefficient can't be told or has no end.
    """
    if fitted.request.outcome == "choice":
        return np.vstack([fitted.estimator.estimates, fitted.estimator.covariance])
    if not has_errors(fitted.request.recipe, fitted.request.outcome):
        return _as_fitted(fitted)
    kept = kept_columns(fitted.design, columns_of(fitted), fitted.made.numbers)
    design = np.column_stack([np.ones(len(fitted.design)), fitted.design[:, kept]])
    return _likeliest(fitted, design, weights)


def has_errors(recipe: Recipe, outcome: Outcome) -> bool:
    """Whether the coefficients are those of the highest likelihood, so that they have standard errors.

    >>> has_errors(Recipe(family="ridge"), "number"), has_errors(Recipe(family="linear"), "number")
    (False, True)
    """
    settings = resolved_settings(recipe).model_dump()
    if recipe.family == "linear":
        return True
    if recipe.family == "logistic":
        plain = settings["penalty"] == "none" or settings["strength"] == 0
        return plain and settings["class_weight"] is None and outcome == "binary"
    return recipe.family in ("poisson", "gamma") and settings["strength"] == 0


def kept_columns(design: Matrix, columns: list[list[int]], numbers: int) -> list[int]:
    """The prepared columns without the first of every category's levels, and without what repeats those before it.

    Levels add up to 1 and so to the constant: one of them is what the others are read against.

    >>> kept_columns(np.array([[1.0, 1, 0], [2.0, 0, 1], [4.0, 1, 0]]), [[0], [1, 2]], 1)
    [0, 2]
    """
    wanted: list[int] = []
    for own in columns:
        levels = [column for column in own if column >= numbers]
        full = len(levels) > 1 and bool((design[:, levels].sum(axis=1) == 1).all())
        wanted.extend(column for column in own if not (full and column == levels[0]))
    kept: list[int] = []
    room = np.empty((len(design), len(wanted) + 1), order="F")
    room[:, 0] = 1 / np.sqrt(len(design))
    for column in sorted(wanted):
        values, basis = design[:, column], room[:, : len(kept) + 1]
        # Twice, as one projection leaves a trace of what it takes away.
        left = values - basis @ (basis.T @ values)
        left = left - basis @ (basis.T @ left)
        if np.linalg.norm(left) > _REPEATS * max(float(np.linalg.norm(values)), 1e-300):
            kept.append(column)
            room[:, len(kept)] = left / np.linalg.norm(left)
    return kept


def _likeliest(fitted: Fitted, design: Matrix, weights: Values | None) -> Values:
    scale = np.sqrt((design**2).mean(axis=0))
    outcomes = fitted.outcomes.astype(np.float64)
    family = {
        "linear": families.Gaussian,
        "logistic": families.Binomial,
        "poisson": families.Poisson,
        "gamma": lambda: families.Gamma(families.links.Log()),
    }[fitted.request.recipe.family]()
    clusters = fitted.subject.clusters
    how: dict[str, object] = {"cov_type": "nonrobust"}
    if clusters is not None:
        how = {"cov_type": "cluster", "cov_kwds": {"groups": clusters[fitted.request.train]}}
    elif weights is not None:
        how = {"cov_type": "HC0"}
    model = GLM(outcomes, design / scale, family=family, var_weights=weights)
    logistic = fitted.request.recipe.family == "logistic"
    found = _by_newton(model, how) if logistic else None
    if logistic and (found is None or looks_separated(design, np.asarray(found.params) / scale)):
        separated = separated_columns(design, outcomes)
        if separated.any():
            return _with_an_end(design, outcomes, weights, separated)
    if found is None:
        found = _by_least_squares(model, how)
    if found is None and logistic:
        return _with_an_end(design, outcomes, weights, separated_columns(design, outcomes))
    if found is None:
        raise ValueError("the columns tell the outcomes apart, so a coefficient has no end")
    covariance = np.asarray(found.cov_params()) / np.outer(scale, scale)
    return np.vstack([np.asarray(found.params) / scale, covariance])


def _by_newton(model: GLM, how: dict[str, object]) -> GLMResults | None:
    """The likeliest coefficients; None where the steps come to no end.

    Of a logistic regression, whose steps are those of reweighted least squares, in a third of their time, and without
    the decompositions of the whole design that take ten times its memory.
    """
    start = np.zeros(model.exog.shape[1])
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        try:
            found = model.fit(start, method="newton", max_start_irls=0, tol=_STEP, disp=False, **how)
        except np.linalg.LinAlgError:
            return None
    ended = found.mle_retvals["converged"] and np.isfinite(found.params).all() and np.isfinite(found.cov_params()).all()
    return found if ended else None


def _by_least_squares(model: GLM, how: dict[str, object]) -> GLMResults | None:
    """The same by reweighted least squares, for any family; None where the columns tell the outcomes apart."""
    with warnings.catch_warnings():
        warnings.simplefilter("error", PerfectSeparationWarning)
        try:
            return model.fit(tol=1e-12, **how)
        except (PerfectSeparationError, PerfectSeparationWarning):
            return None


def _with_an_end(design: Matrix, outcomes: Values, weights: Values | None, separated: NDArray[np.bool_]) -> Values:
    """Firth's estimates and covariance, and below them which columns separate the outcomes."""
    return np.vstack([firth(design, outcomes, weights), separated.astype(np.float64)])


def _as_fitted(fitted: Fitted) -> Values:
    if fitted.family.straight is None:
        raise ValueError(f"{fitted.family.words} has no coefficients")
    found = fitted.family.straight(fitted.made, fitted.estimator).coefficients
    if fitted.target.outcome == "multiclass":
        found = _by_class(found, fitted)
    estimates = found.T.ravel()
    return np.vstack([estimates, np.full((len(estimates), len(estimates)), np.nan)])


def _by_class(coefficients: Matrix, fitted: Fitted) -> Matrix:
    """Shape (p, classes): NaN for a class that no training row is of, and for all where two are left and share one."""
    held = np.asarray(fitted.estimator.classes_, dtype=np.int64)
    whole = np.full((len(coefficients), len(fitted.target.classes)), np.nan)
    if coefficients.shape[1] == len(held):
        whole[:, held] = coefficients
    return whole
