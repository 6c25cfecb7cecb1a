"""Every measure of a number outcome, by name, with n and interval. Errors are prediction minus outcome."""

from math import sqrt

import numpy as np

from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of, ratio_of
from brookfall.core.measure.scored import ScoredNumbers

NAMES = ("mse", "rmse", "mae", "r2", "bias", "mean_score")


def measure(name: str, rows: ScoredNumbers) -> Figure:
    """The measure of that name on rows that all have a prediction; n may be 0.

    >>> rows = ScoredNumbers(key="", outcomes=np.array([1.0, 2.0, 6.0]), predictions=np.array([2.0, 2.0, 4.0]))
    >>> round(measure("rmse", rows).value, 4), measure("bias", rows).value
    (1.291, -0.3333333333333333)
    """
    if not len(rows):
        return absent(0, "no such row")
    if name == "rmse":
        return figure_of(_mse(rows), rows, 0.0).mapped(sqrt)
    found = linear(name, rows)
    if found is None:
        return absent(len(rows), "the outcome is the same in all rows")
    low, high = {"mse": (0.0, np.inf), "mae": (0.0, np.inf), "r2": (-np.inf, 1.0)}.get(name, (-np.inf, np.inf))
    return figure_of(found, rows, low, high)


def linear(name: str, rows: ScoredNumbers) -> Linear | None:
    """The measure with the influence of each row; None when it has no value on these rows.

    >>> rows = ScoredNumbers(key="doc", outcomes=np.arange(40.0), predictions=np.arange(40.0)[::-1] + 1)
    >>> linear("mae", rows).value
    20.0
    """
    errors = rows.predictions - rows.outcomes
    if name == "mse":
        return _mse(rows)
    if name == "rmse":
        mse = _mse(rows)
        root = sqrt(mse.value)
        return Linear(root, mse.influence / (2 * root)) if root > 0 else mse
    if name == "mae":
        return mean_of(np.abs(errors), rows.counted)
    if name == "r2":
        return _r2(rows)
    return mean_of(errors if name == "bias" else rows.predictions, rows.counted)


def _mse(rows: ScoredNumbers) -> Linear:
    return mean_of((rows.predictions - rows.outcomes) ** 2, rows.counted)


def _r2(rows: ScoredNumbers) -> Linear | None:
    mean = float(rows.counted @ rows.outcomes / rows.counted.sum())
    # The mean's own influence drops out: the spread about it is at its least.
    spread = mean_of((rows.outcomes - mean) ** 2, rows.counted)
    if spread.value <= 1e-12 * max(mean**2, 1e-300):
        return None
    share = ratio_of(_mse(rows), spread)
    return Linear(1 - share.value, -share.influence)


def few(name: str, rows: ScoredNumbers) -> bool:  # noqa: ARG001 - all measures of numbers need the same
    """Whether the rows are too few to judge: under 30.

    >>> rows = ScoredNumbers(key="doc", outcomes=np.arange(40.0), predictions=np.arange(40.0)[::-1] + 1)
    >>> few("mae", rows)
    False
    """
    return rows.few
