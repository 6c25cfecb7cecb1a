"""What changing one attribute alone does: every row scored again with another value of it, all else as it was."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.fitted import Model
from brookfall.core.fit.probe.decisions import decided
from brookfall.core.fit.request import FlipReading

Values = NDArray[np.float64]


def flip(model: Model, reading: FlipReading) -> Values:
    """Shape (from, to + 1, 3); the first axis has a place for each value tried, and one for rows with none.

    Of classes: rows with the first value, how many of their decisions become positive (of several classes: change), and
    how many stop being so, once they have the second value. Of a number: rows, the mean change of the prediction, and
    its standard error. In the last place of the second axis, of rows that change under any other value: rows, rows that
    change (or the mean largest change), and 0.
    """
    rows = model.raw(reading.rows)
    feature = model.features.names.index(reading.feature)
    plain = model.scores(rows)
    own = _own(rows[:, feature], reading)
    count = len(reading.to)
    found = np.zeros((count + 1, count + 1, 3))
    found[:, :, 0] = np.bincount(own, minlength=count + 1)[:, None]
    most = np.zeros(len(rows))
    for place, value in enumerate(reading.to):
        changed = rows.copy()
        changed[:, feature] = value
        scores = model.scores(changed)
        others = own != place
        if model.target.outcome == "number":
            moved = scores - plain
            found[:, place, 1:] = _moves(moved, own, count + 1)
            most[others] = np.maximum(most[others], np.abs(moved[others]))
        else:
            before, after = (decided(model, one, reading.threshold) for one in (plain, scores))
            up, down = _directions(model, before, after)
            found[:, place, 1] = np.bincount(own, up, count + 1)
            found[:, place, 2] = np.bincount(own, down, count + 1)
            most[others] = np.maximum(most[others], (before != after)[others])
    sums = np.bincount(own, most, count + 1)
    is_number = model.target.outcome == "number"
    found[:, count, 1] = sums / np.maximum(found[:, count, 0], 1) if is_number else sums
    return found


def _own(values: Values, reading: FlipReading) -> NDArray[np.int64]:
    """The place among the values to try of each row's own; one past the last where it has none of them."""
    none = len(reading.to)
    missing = values < 0 if reading.levels else np.isnan(values)
    if reading.cuts is not None:
        own = np.digitize(values, reading.cuts).astype(np.int64)
    else:
        own = np.full(len(values), none, dtype=np.int64)
        for place, value in enumerate(reading.to):
            own[values == value] = place
    return np.where(missing, none, own)


def _directions(
    model: Model, before: NDArray[np.int64], after: NDArray[np.int64]
) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    if model.target.outcome != "binary":
        return (before != after).astype(np.float64), np.zeros(len(before))
    return (after > before).astype(np.float64), (after < before).astype(np.float64)


def _moves(moved: Values, own: NDArray[np.int64], count: int) -> Values:
    """Mean change and its standard error of the rows with each own value; NaN where there are under two."""
    n = np.bincount(own, minlength=count).astype(np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        mean = np.bincount(own, moved, count) / n
        spread = np.bincount(own, (moved - mean[own]) ** 2, count) / (n - 1)
        return np.stack([mean, np.sqrt(np.maximum(spread, 0.0) / n)], axis=1)
