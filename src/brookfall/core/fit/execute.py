"""Carries out one piece of work: fit the recipe on the training rows, take the readings, forget the model."""

import time
import warnings
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from sklearn.exceptions import ConvergenceWarning
from sklearn.pipeline import make_pipeline
from threadpoolctl import threadpool_limits

from brookfall.core.fit.request import FitJob
from brookfall.core.recipe.families import family_of, resolved_settings
from brookfall.core.recipe.preprocess import build_preprocess, raw_matrix
from brookfall.core.table.table import Table


@dataclass(frozen=True)
class FitResult:
    """Readings by key, each of shape (rows,); or the reason why the fit failed. ``seconds`` is wall time."""

    fit: str
    readings: dict[str, NDArray[np.float64]]
    seconds: float
    warnings: tuple[str, ...] = ()
    failure: str | None = None


def execute(job: FitJob, features: Table, positive: NDArray[np.bool_]) -> FitResult:
    """Fits on one thread. ``features`` are the request's feature columns and ``positive`` the outcomes, all n rows.

    Whatever the estimator raises becomes a failure with its reason: one bad fit never stops the others.
    """
    started = time.perf_counter()
    with warnings.catch_warnings(record=True) as caught, threadpool_limits(limits=1):
        warnings.simplefilter("always")
        try:
            readings = _fit_and_read(job, features, positive)
        except (ValueError, ArithmeticError, np.linalg.LinAlgError, MemoryError) as problem:
            return FitResult(job.fit.key, {}, time.perf_counter() - started, failure=_reason(problem))
    told = tuple(sorted({str(w.message).splitlines()[0] for w in caught if issubclass(w.category, ConvergenceWarning)}))
    return FitResult(job.fit.key, readings, time.perf_counter() - started, told)


def _fit_and_read(job: FitJob, features: Table, positive: NDArray[np.bool_]) -> dict[str, NDArray[np.float64]]:
    recipe = job.fit.recipe
    outcomes = positive[job.fit.train]
    if outcomes.all() or not outcomes.any():
        raise ValueError("the training rows hold only one class")
    matrix = raw_matrix(features)
    model = make_pipeline(
        build_preprocess(features, recipe.preprocess, recipe.seed),
        family_of(recipe).build(resolved_settings(recipe), recipe.seed),
    )
    model.fit(matrix[job.fit.train], outcomes)
    readings: dict[str, NDArray[np.float64]] = {}
    for reading in job.readings:
        scores = np.ascontiguousarray(model.predict_proba(matrix[reading.rows])[:, 1], dtype=np.float64)
        if not np.isfinite(scores).all():
            raise ValueError("the fitted model gave scores that are not numbers")
        readings[reading.key] = scores
    return readings


def _reason(problem: BaseException) -> str:
    return (str(problem).strip().splitlines() or [type(problem).__name__])[0][:300]
