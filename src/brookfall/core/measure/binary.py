"""Every measure of a binary outcome, by name, with n and interval."""

from collections.abc import Callable

import numpy as np

from brookfall.core.measure import calibration, rank_measures
from brookfall.core.measure.counts import (
    FUNCTIONS,
    SHARES,
    function_figure,
    function_linear,
    share_figure,
    share_linear,
)
from brookfall.core.measure.figure import NO_ROW, NOT_PROBABILITIES, Figure, Interval, absent
from brookfall.core.measure.influence_function import Linear, effective_n, figure_of, mean_of
from brookfall.core.measure.interval import wilson
from brookfall.core.measure.ranking import auc, auc_linear
from brookfall.core.measure.scored import Numbers, Scored

_CLIP = 1e-15


def _as_lift(gain: float) -> float:
    return gain / rank_measures.DEPTH


def _as_gini(area: float) -> float:
    return 2 * area - 1


FEW_TO_CALIBRATE = 20
"""Events and non-events under which a recalibration is not judged: simulated in docs/coverage.md."""


def _log_losses(rows: Scored) -> Numbers:
    p = np.clip(rows.scores, _CLIP, 1 - _CLIP)
    return -np.where(rows.outcomes, np.log(p), np.log1p(-p))


_OF_ROWS: dict[str, Callable[[Scored], Numbers]] = {
    "brier": lambda rows: (rows.scores - rows.outcomes) ** 2,
    "log_loss": _log_losses,
    "mean_score": lambda rows: rows.scores,
}
_OF_RANKS = frozenset({"average_precision", "ks", "gain_at_20", "lift_at_20"})
PROBABILITIES = frozenset(
    {"brier", "log_loss", "expected_calibration_error", "calibration_slope", "calibration_intercept"}
)
"""Measures that need scores that are probabilities."""

NAMES = (
    *SHARES,
    *FUNCTIONS,
    "auc",
    "gini",
    *sorted(_OF_RANKS),
    *_OF_ROWS,
    "expected_calibration_error",
    "calibration_slope",
    "calibration_intercept",
)


def measure(name: str, rows: Scored) -> Figure:
    """The measure of that name on rows that all have a score and a weight above 0; n may be 0.

    >>> rows = Scored(key="doc", outcomes=np.arange(60) % 3 == 0, scores=np.linspace(0.9, 0.1, 60), threshold=0.5)
    >>> round(measure("log_loss", rows).value, 4)
    0.8119
    """
    if not len(rows):
        return absent(0, NO_ROW)
    if name in SHARES:
        return share_figure(name, rows)
    if name in FUNCTIONS:
        return function_figure(name, rows)
    if name in PROBABILITIES and not rows.probable:
        return absent(len(rows), NOT_PROBABILITIES)
    if name in _OF_ROWS:
        return _mean_figure(name, rows)
    if name == "lift_at_20":
        return rank_measures.rank_figure("gain_at_20", rows).mapped(_as_lift)
    if name in _OF_RANKS:
        figure = rank_measures.rank_figure(name, rows)
        return figure.noted(rank_measures.ks_by_chance(rows)) if name == "ks" and figure.value is not None else figure
    return _OTHERS[name](rows)


_OTHERS: dict[str, Callable[[Scored], Figure]] = {
    "auc": auc,
    "gini": lambda rows: auc(rows).mapped(_as_gini),
    "expected_calibration_error": calibration.expected_error,
    "calibration_slope": calibration.slope,
    "calibration_intercept": calibration.intercept,
}


def _mean_figure(name: str, rows: Scored) -> Figure:
    values = _OF_ROWS[name](rows)
    if name == "brier" and np.ptp(values) == 0 and values[0] in (0.0, 1.0):
        # Right, or wrong, with full confidence everywhere: bounded as a share of rows would be.
        share, n = float(values[0]), min(effective_n(rows), float(len(rows)))
        return Figure(share, len(rows), "wilson_edge", Interval(wilson, share * n, n))
    low, high = (-np.inf, np.inf) if name == "mean_score" else (0.0, 1.0 if name == "brier" else np.inf)
    return figure_of(mean_of(values, rows.counted), rows, low, high)


def linear(name: str, rows: Scored) -> Linear | None:
    """The measure with the influence of each row, for paired comparisons; None when it has none.

    >>> rows = Scored(key="doc", outcomes=np.arange(60) % 3 == 0, scores=np.linspace(0.9, 0.1, 60), threshold=0.5)
    >>> linear("recall", rows).value, linear("ks", rows) is None
    (0.5, True)
    """
    if name in SHARES:
        return share_linear(name, rows)
    if name in FUNCTIONS:
        return function_linear(name, rows)
    if name in _OF_ROWS:
        return mean_of(_OF_ROWS[name](rows), rows.counted)
    if name in ("auc", "gini"):
        area = auc_linear(rows)
        return area if name == "auc" else Linear(2 * area.value - 1, 2 * area.influence)
    if name == "calibration_slope":
        return calibration.slope_linear(rows)
    return calibration.intercept_linear(rows) if name == "calibration_intercept" else None


def few(name: str, rows: Scored) -> bool:
    """Whether the rows are too few to judge: 30 rows, 5 of each outcome where it needs outcomes, 20 to calibrate.

    >>> rows = Scored(key="doc", outcomes=np.arange(60) % 3 == 0, scores=np.linspace(0.9, 0.1, 60), threshold=0.5)
    >>> few("recall", rows), few("calibration_slope", rows.take(rows.scores > 0.5, "half"))
    (False, True)
    """
    if name in ("selection_rate", "mean_score"):
        return rows.few
    if name in ("calibration_slope", "calibration_intercept"):
        return rows.few_events or min(rows.events, len(rows) - rows.events) < FEW_TO_CALIBRATE
    return rows.few_events
