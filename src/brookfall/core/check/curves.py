"""Series for charts, thinned to what a screen can show."""

import numpy as np

from brookfall.core.measure.binary import Scored
from brookfall.core.measure.ranking import Scores, steps, thin

Series = dict[str, list[float | None]]

_POINTS = 400


def roc_series(rows: Scored) -> Series:
    """Columns x (false positive rate) and y (true positive rate) from (0, 0) to (1, 1); both classes present."""
    counts = steps(rows.outcomes, rows.scores)
    x = np.append(0.0, counts.false_positives / max(int((~rows.outcomes).sum()), 1))
    y = np.append(0.0, counts.true_positives / max(int(rows.outcomes.sum()), 1))
    kept = thin(len(x), _POINTS)
    return {"x": [round(float(v), 6) for v in x[kept]], "y": [round(float(v), 6) for v in y[kept]]}


def threshold_series(rows: Scored, thresholds: Scores) -> Series:
    """Columns threshold, tp, fp, fn, tn: the confusion matrix at each threshold (positive when score ≥ it)."""
    positives = np.sort(rows.scores[rows.outcomes])
    negatives = np.sort(rows.scores[~rows.outcomes])
    missed = np.searchsorted(positives, thresholds, side="left")
    rejected = np.searchsorted(negatives, thresholds, side="left")
    return {
        "threshold": [float(t) for t in thresholds],
        "tp": [float(v) for v in len(positives) - missed],
        "fp": [float(v) for v in len(negatives) - rejected],
        "fn": [float(v) for v in missed],
        "tn": [float(v) for v in rejected],
    }


def threshold_grid(rows: Scored) -> Scores:
    """At most 201 thresholds over the range of the scores, the submitted one among them."""
    low, high = min(0.0, float(rows.scores.min())), max(1.0, float(rows.scores.max()))
    return np.unique(np.append(np.round(np.linspace(low, high, 201), 6), rows.threshold))
