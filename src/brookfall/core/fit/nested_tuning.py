"""Settings chosen inside the training rows of one fit, so that no held-out row has a say in them."""

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.request import FitJob, FitRequest, Rows, ScoreReading
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import lower_is_better, measure
from brookfall.core.resample.folds import k_folds
from brookfall.core.resample.parts import By
from brookfall.core.submission.subject import Subject

Scores = Callable[[FitJob], NDArray[np.float64]]
"""Fits one job and gives the scores of its one reading."""


@dataclass(frozen=True)
class Tuned:
    """The request with the chosen settings in its recipe; the choice, and the mean inner value of each tried."""

    fit: FitRequest
    choice: int
    values: tuple[float, ...]


def tune(fit: FitRequest, subject: Subject, scores: Scores) -> Tuned:
    """The settings with the best mean over the inner folds, which keep groups whole as outer ones do.

    ValueError where there is nothing to choose from, the rows are too few for the inner folds, or no settings have a
    value, such as with one class in every inner fold. Nested cross-validation: Varma & Simon 2006 (BMC Bioinformatics
    7:91; citation from memory).
    """
    tuning = fit.tuning
    if tuning is None or not tuning.tried:
        raise ValueError("there are no settings to choose from")
    rows: Rows = np.unique(fit.train)
    by: By = "rows" if subject.clusters is None else "groups"
    try:
        folds = k_folds(subject.layout(stratified=True).within(rows), tuning.folds, 1, fit.recipe.seed, by)
    except UserError as problem:
        raise ValueError(f"settings can't be chosen inside these rows: {problem.what}") from problem
    values = []
    for settings in tuning.tried:
        recipe = fit.recipe.model_copy(update={"settings": {**fit.recipe.settings, **dict(settings)}})
        found = []
        for fold in folds:
            inner = replace(fit, recipe=recipe, train=fold.train, tuning=None)
            said = scores(FitJob(inner, (ScoreReading(fold.test),)))
            found.append(measure(tuning.measure, subject.scored(fold.test, said, inner.seed_key)).value)
        known = [value for value in found if value is not None]
        values.append(float(np.mean(known)) if known else np.nan)
    signed = -np.array(values) if lower_is_better(tuning.measure) else np.array(values)
    if np.isnan(signed).all():
        raise ValueError(f"no settings that were tried have a value of {tuning.measure} on the inner folds")
    choice = int(np.nanargmax(signed))
    best = {**fit.recipe.settings, **dict(tuning.tried[choice])}
    chosen = replace(fit, recipe=fit.recipe.model_copy(update={"settings": best}), tuning=None)
    return Tuned(chosen, choice, tuple(values))
