"""AUC with DeLong's variance, and the curves that come from one sort of the scores."""

from dataclasses import dataclass
from math import sqrt

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import brentq
from scipy.special import expit, logit
from scipy.stats import rankdata

from brookfall.core.measure.figure import Bounds, Figure, absent
from brookfall.core.measure.interval import z_of

Scores = NDArray[np.float64]
Outcomes = NDArray[np.bool_]

_FEW = 10
ONE_CLASS = "only one class among these rows"


@dataclass(frozen=True)
class Placements:
    """DeLong's placement values: for each positive the share of negatives below it, and for each negative the
    share of positives above it (ties count half). Their mean is the AUC."""

    positives: Scores
    negatives: Scores

    @property
    def auc(self) -> float:
        return float(self.positives.mean())


def placements(outcomes: Outcomes, scores: Scores) -> Placements:
    """Placement values of n rows in O(n log n) (Sun & Xu 2014). Both classes must be present."""
    ranks = rankdata(scores)
    m, n = int(outcomes.sum()), int((~outcomes).sum())
    of_positives = (ranks[outcomes] - rankdata(scores[outcomes])) / n
    of_negatives = 1 - (ranks[~outcomes] - rankdata(scores[~outcomes])) / m
    return Placements(of_positives, of_negatives)


def auc(outcomes: Outcomes, scores: Scores) -> Figure:
    """Area under the ROC curve; ``outcomes`` and ``scores`` have shape (n,).

    DeLong's interval on the logit scale (DeLong et al. 1988); under 10 events or non-events, or at 0 or 1,
    Newcombe's score-type interval (2006, method 5; citation from memory).
    """
    rows = len(outcomes)
    m, n = int(outcomes.sum()), int((~outcomes).sum())
    if m == 0 or n == 0:
        return absent(rows, ONE_CLASS)
    placed = placements(outcomes, scores)
    value = placed.auc
    variance = _variance(placed.positives) / m + _variance(placed.negatives) / n
    if min(m, n) < _FEW or value in (0.0, 1.0) or variance == 0:
        return Figure(value, rows, "newcombe_score", lambda level: newcombe_auc(value, m, n, level))
    return Figure(value, rows, "delong_logit", lambda level: _logit_interval(value, sqrt(variance), level))


def auc_difference(outcomes: Outcomes, first: Scores, second: Scores) -> Figure:
    """AUC of ``first`` minus that of ``second`` on the same rows, with DeLong's covariance."""
    rows = len(outcomes)
    m, n = int(outcomes.sum()), int((~outcomes).sum())
    if m < 2 or n < 2:
        return absent(rows, ONE_CLASS if m == 0 or n == 0 else "one class has a single row")
    a, b = placements(outcomes, first), placements(outcomes, second)
    difference = a.auc - b.auc
    return Figure(difference, rows, "delong_paired", _clipped_normal(difference, _paired_variance(a, b)))


def auc_gap_by_fold(outcomes: Outcomes, first: Scores, second: Scores, folds: NDArray[np.int64]) -> Figure:
    """Mean over folds of AUC of ``first`` minus AUC of ``second`` on the same rows; all arrays of shape (n,).

    Ranking inside each fold keeps scores of different fits apart, which pooling would mix. DeLong's paired
    variance of each fold; the mean of k folds has the mean variance over k.
    """
    rows, variances, gaps = len(outcomes), [], []
    for fold in np.unique(folds):
        chosen = folds == fold
        inside = outcomes[chosen]
        if min(int(inside.sum()), int((~inside).sum())) < 2:
            return absent(rows, "a fold has under two rows of one class")
        a, b = placements(inside, first[chosen]), placements(inside, second[chosen])
        gaps.append(a.auc - b.auc)
        variances.append(_paired_variance(a, b))
    difference, variance = float(np.mean(gaps)), float(np.sum(variances)) / len(gaps) ** 2
    return Figure(difference, rows, "delong_paired_by_fold", _clipped_normal(difference, variance))


def _paired_variance(a: Placements, b: Placements) -> float:
    return _variance(a.positives - b.positives) / len(a.positives) + _variance(a.negatives - b.negatives) / len(
        a.negatives
    )


def _clipped_normal(difference: float, variance: float) -> Bounds:
    def bounds(level: float) -> tuple[float, float]:
        half = z_of(level) * sqrt(variance)
        return max(difference - half, -1.0), min(difference + half, 1.0)

    return bounds


def newcombe_auc(value: float, m: int, n: int, level: float) -> tuple[float, float]:
    """Score-type interval for an AUC from m positives and n negatives: never of width zero."""
    z, star = z_of(level), (m + n) / 2 - 1

    def distance(theta: float) -> float:
        spread = 1 + star * (1 - theta) / (2 - theta) + star * theta / (1 + theta)
        return (theta - value) ** 2 - z * z * theta * (1 - theta) * spread / (m * n)

    edge = 1e-9
    low = 0.0 if value <= edge else float(brentq(distance, edge**2, value - edge, xtol=1e-12))
    high = 1.0 if value >= 1 - edge else float(brentq(distance, value + edge, 1.0, xtol=1e-12))
    return low, high


def _variance(values: Scores) -> float:
    return float(values.var(ddof=1)) if len(values) > 1 else 0.0


def _logit_interval(value: float, error: float, level: float) -> tuple[float, float]:
    half = z_of(level) * error / (value * (1 - value))
    return float(expit(logit(value) - half)), float(expit(logit(value) + half))


@dataclass(frozen=True)
class Steps:
    """Counts at each distinct score, from the highest down: rows at or above it that are positive and negative."""

    thresholds: Scores
    true_positives: NDArray[np.int64]
    false_positives: NDArray[np.int64]


def steps(outcomes: Outcomes, scores: Scores) -> Steps:
    """The confusion matrix at every distinct threshold, from one sort; arrays of the same length."""
    order = np.argsort(-scores, kind="stable")
    ends = np.flatnonzero(np.append(np.diff(scores[order]) != 0, True)) if len(scores) else np.zeros(0, dtype=np.int64)
    hits = np.cumsum(outcomes[order])[ends]
    return Steps(scores[order][ends], hits.astype(np.int64), (ends + 1 - hits).astype(np.int64))


def thin(count: int, most: int) -> NDArray[np.int64]:
    """At most ``most`` positions out of ``count``, first and last kept, evenly spread."""
    return np.unique(np.linspace(0, count - 1, min(count, most)).round().astype(np.int64))
