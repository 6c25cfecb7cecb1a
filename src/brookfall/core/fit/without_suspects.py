"""Training rows without those whose labels the other training rows contradict, so that no held-out row has a say."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.request import FitJob, FitRequest, Rows, ScoreReading
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.confident_learning import as_classes, contradicted, far_off
from brookfall.core.resample.folds import k_folds
from brookfall.core.resample.parts import By
from brookfall.core.submission.subject import Subject

Scores = Callable[[FitJob], NDArray[np.float64]]
"""Fits one job and gives the scores of its one reading."""


def screened(fit: FitRequest, subject: Subject, scores: Scores) -> Rows:
    """The training rows that stay: each is scored by inner folds without it, and the contradicted ones go.

    ValueError where the rows are too few for the inner folds. Groups stay whole as in the outer folds.
    """
    rows: Rows = np.unique(fit.train)
    by: By = "rows" if subject.clusters is None else "groups"
    try:
        folds = k_folds(subject.layout(stratified=True).within(rows), fit.screened or 2, 1, fit.recipe.seed, by)
    except UserError as problem:
        raise ValueError(f"labels can't be checked inside these rows: {problem.what}") from problem
    found = None
    for fold in folds:
        inner = replace(fit, train=fold.train, screened=None)
        said = scores(FitJob(inner, (ScoreReading(fold.test),)))
        if found is None:
            found = np.full((len(rows), *said.shape[1:]), np.nan)
        found[np.searchsorted(rows, fold.test)] = said
    if found is None:
        raise ValueError("labels can't be checked without inner folds")
    target = subject.target
    suspects = (
        far_off(target.numbers[rows], found)
        if target.outcome == "number"
        else contradicted(target.codes[rows], as_classes(found))
    )
    return fit.train[~np.isin(fit.train, rows[suspects.rows])]
