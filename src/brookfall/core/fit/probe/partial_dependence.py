"""Partial dependence with individual curves (Friedman 2001, Ann. Stat. 29:1189; Goldstein et al. 2015)."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.fitted import Model
from brookfall.core.fit.probe.feature_grid import POINTS, grid_of
from brookfall.core.fit.request import ShapeReading

Values = NDArray[np.float64]


def shape(model: Model, reading: ShapeReading) -> Values:
    """Shape (features, 20, classes, 2 + curves): mean score, the standard error of its
    difference from the first point, and single rows' scores."""
    rows, curves = model.raw(reading.rows), min(reading.curves, len(reading.rows))
    classes = len(model.target.classes) if model.target.outcome == "multiclass" else 1
    found = np.full((len(model.features.names), POINTS, classes, 2 + reading.curves), np.nan)
    for feature, column in enumerate(model.features.columns):
        grid = grid_of(column, reading.rows)
        if not len(grid):
            continue
        held = np.tile(rows, (len(grid), 1))
        held[:, feature] = np.repeat(grid, len(rows))
        scores = model.scores(held).reshape(len(grid), len(rows), classes)
        found[feature, : len(grid), :, 0] = scores.mean(axis=1)
        if len(rows) > 1:
            moved = scores - scores[:1]
            found[feature, : len(grid), :, 1] = moved.std(axis=1, ddof=1) / np.sqrt(len(rows))
        found[feature, : len(grid), :, 2 : 2 + curves] = scores[:, :curves].transpose(0, 2, 1)
    return found
