"""What a small error in one feature does: noise, a gap, an extreme value."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.fitted import Fitted, Model
from brookfall.core.fit.probe.decisions import decided
from brookfall.core.fit.request import SensitivityReading
from brookfall.core.foundation import digest
from brookfall.core.recipe.family.family import Matrix

Values = NDArray[np.float64]

DISTURBANCES = ("noise", "missing", "extreme")
NOISE = 0.1
"""Of the standard deviation of the feature among training rows."""


def sensitivity(model: Model, reading: SensitivityReading) -> Values:
    """Shape (features, 3, 2): decisions that change and rows; of a number the mean absolute change and its error."""
    rows = model.raw(reading.rows)
    plain = model.scores(rows)
    found = np.full((len(model.features.names), len(DISTURBANCES), 2), np.nan)
    for feature, column in enumerate(model.features.columns):
        is_number = column.kind == "number"
        found[feature, 1] = _change(
            model, reading.threshold, plain, [_with(rows, feature, _filled(model, feature, is_number))]
        )
        if not is_number:
            continue
        rng = np.random.default_rng(digest.seed_from("noise", reading.seed, feature))
        learned = _learned(model, feature)
        noise = rng.standard_normal(len(rows)) * NOISE * float(learned.std())
        found[feature, 0] = _change(model, reading.threshold, plain, [_with(rows, feature, rows[:, feature] + noise)])
        low, high = float(learned.min()), float(learned.max())
        ends = [_with(rows, feature, end) for end in (low - (high - low), high + (high - low))]
        found[feature, 2] = _change(model, reading.threshold, plain, ends)
    return found


def _learned(model: Model, feature: int) -> Values:
    values = model.features.columns[feature].values[model.request.train].astype(np.float64)
    known = values[~np.isnan(values)]
    return known if len(known) else np.zeros(1)


def _filled(model: Model, feature: int, is_number: bool) -> float:
    """What a gap reaches the model as, before scaling: itself where the recipe fills it in, or the model came fitted;
    else by the recipe's rule learned here. A table without a gap taught the preparation nothing of them."""
    if not is_number:
        return -1.0
    if np.isnan(model.features.columns[feature].values).any() or _any_gap(model):
        return np.nan
    if not isinstance(model, Fitted):
        return np.nan
    rule, learned = model.request.recipe.preprocess.missing, _learned(model, feature)
    if rule == "mean":
        return float(learned.mean())
    if rule == "mode":
        values, counts = np.unique(learned, return_counts=True)
        return float(values[counts.argmax()])
    return 0.0 if rule == "constant" else float(np.median(learned))


def _any_gap(model: Model) -> bool:
    return any(column.missing.any() for column in model.features.columns if column.kind == "number")


def _with(rows: Matrix, feature: int, values: Values | float) -> Matrix:
    changed = rows.copy()
    changed[:, feature] = values
    return changed


def _change(model: Model, threshold: float | None, plain: Values, disturbed: list[Matrix]) -> tuple[float, float]:
    """The change under the disturbance, or under either of two; NaN where it leaves a row without a score."""
    scores = [model.scores(rows) for rows in disturbed]
    if not all(np.isfinite(one).all() for one in scores):
        return np.nan, np.nan
    if model.target.outcome == "number":
        moved = np.max([np.abs(one - plain) for one in scores], axis=0)
        error = float(moved.std(ddof=1)) / np.sqrt(len(moved)) if len(moved) > 1 else np.nan
        return float(moved.mean()), error
    before = decided(model, plain, threshold)
    flipped = np.any([decided(model, one, threshold) != before for one in scores], axis=0)
    return float(flipped.sum()), float(len(flipped))
