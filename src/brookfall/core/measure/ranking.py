"""AUC with DeLong's variance, and the counts at every threshold that come from one sort of the scores."""

from dataclasses import dataclass
from math import sqrt

import numpy as np
import scipy
from numpy.typing import NDArray

from brookfall.core.measure.figure import ONE_CLASS, Bounds, Figure, Interval, absent
from brookfall.core.measure.influence_function import Linear, effective_n, figure_of, freedom, variance
from brookfall.core.measure.interval import z_of
from brookfall.core.measure.scored import Numbers, Outcomes, Scored, Scores

_FEW = 10


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
    """Placement values of n rows in O(n log n) (Sun & Xu 2014). Both classes must be present.

    Parameters
    ----------
    outcomes : Outcomes
        What was, shape (n,); both classes are present.
    scores : Scores
        Scores, shape (n,).

    Returns
    -------
    Placements
        For each row the share of the other class that it stands right of.

    References
    ----------
    Sun, X. & Xu, W. 2014, IEEE Signal Process. Lett. 21:1389.

    Examples
    --------
    >>> placements(np.array([False, True, False, True]), np.array([0.1, 0.2, 0.3, 0.4])).positives.tolist()
    [0.5, 1.0]
    """
    # One sort: among rows in the order of their scores, a row's rank inside its class is a running count.
    order = np.argsort(scores)
    ordered, positive = scores[order], outcomes[order]
    starts = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1])))
    hits = np.concatenate(([0], np.cumsum(positive)))
    ends = np.append(starts[1:], len(scores))
    hits_below, hits_tied = hits[starts], hits[ends] - hits[starts]
    misses_below, misses_tied = starts - hits_below, (ends - starts) - hits_tied
    m = int(hits[-1])
    n = len(scores) - m
    of_positives = np.repeat((misses_below + misses_tied / 2) / n, hits_tied)
    of_negatives = np.repeat(1 - (hits_below + hits_tied / 2) / m, misses_tied)
    back = order[positive], order[~positive]
    places = np.empty(len(scores))
    # Inside a tie all values are equal, so the order in which a tie's rows are listed does not matter.
    places[back[0]], places[back[1]] = of_positives, of_negatives
    return Placements(places[outcomes], places[~outcomes])


def auc_linear(rows: Scored) -> Linear:
    """The weighted AUC with the influence of each row; both classes carry weight.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(auc_linear(yes_no_rows()).value, 4)
    0.525
    """
    weights = rows.counted
    order = np.argsort(rows.scores)
    ordered, positive, counted = rows.scores[order], rows.outcomes[order], weights[order]
    starts = np.flatnonzero(np.concatenate(([True], ordered[1:] != ordered[:-1])))
    sizes = np.diff(np.append(starts, len(ordered)))
    hits = np.add.reduceat(np.where(positive, counted, 0.0), starts)
    misses = np.add.reduceat(np.where(positive, 0.0, counted), starts)
    all_hits, all_misses = hits.sum(), misses.sum()
    of_positives = np.repeat((np.cumsum(misses) - misses / 2) / all_misses, sizes)
    of_negatives = np.repeat(1 - (np.cumsum(hits) - hits / 2) / all_hits, sizes)
    place = np.empty(len(ordered))
    place[order] = np.where(positive, of_positives, of_negatives)
    share = np.where(rows.outcomes, weights / all_hits, weights / all_misses)
    value = float(np.clip((share * place)[rows.outcomes].sum(), 0.0, 1.0))
    return Linear(value, share * (place - value))


def auc(rows: Scored) -> Figure:
    """Area under the ROC curve of n rows, ties counted half.

    DeLong's interval on the logit scale (DeLong et al. 1988), t with Satterthwaite's degrees of freedom; in clusters
    Obuchowski's (1997, Biometrics 53:567), weighted by the same influence values. Under 10 events or non-events, or
    at 0 or 1, Newcombe's score-type interval (2006, Stat. Med. 25:559, method 5; citations from memory), with
    effective numbers in weights or clusters.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    DeLong, E. R., DeLong, D. M. & Clarke-Pearson, D. L. 1988, Biometrics 44:837. Obuchowski, N. A. 1997, Biometrics
    53:567. Newcombe, R. G. 2006, Stat. Med. 25:559, method 5 (citations from memory).

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.array([False, True] * 20), scores=np.arange(40.0), threshold=20)
    >>> auc(rows).value
    0.525
    """
    n = len(rows)
    if not rows.has_both:
        return absent(n, ONE_CLASS)
    m = rows.events
    if rows.plain:
        placed = placements(rows.outcomes, rows.scores)
        value = placed.auc
        of_hits, of_misses = _variance(placed.positives) / m, _variance(placed.negatives) / (n - m)
        spread = of_hits + of_misses
        if min(m, n - m) < _FEW or value in (0.0, 1.0) or spread == 0:
            return Figure(value, n, "newcombe_score", Interval(newcombe_auc, value, m, n - m))
        degrees = spread**2 / (of_hits**2 / (m - 1) + of_misses**2 / (n - m - 1))
        return Figure(value, n, "delong_logit", _logit_bounds(value, sqrt(spread), degrees))
    linear = auc_linear(rows)
    spread = variance(linear.influence, rows)
    value = linear.value
    if min(m, n - m) < _FEW or not 0 < value < 1 or spread <= 0:
        share = effective_n(rows) / n
        few, many = max(m * share, 1.0), max((n - m) * share, 1.0)
        return Figure(value, n, "newcombe_score", Interval(newcombe_auc, value, few, many))
    method = "delong_logit_weighted" if rows.clusters is None else "obuchowski_logit"
    return Figure(value, n, method, _logit_bounds(value, sqrt(spread), freedom(rows)))


def auc_difference(first: Scored, second: Scored) -> Figure:
    """AUC of ``first`` minus that of ``second`` on the same rows in the same order, with DeLong's covariance.

    Parameters
    ----------
    first, second : Scored
        Two models on the same n rows in the same order.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    DeLong, E. R., DeLong, D. M. & Clarke-Pearson, D. L. 1988, Biometrics 44:837.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> rows = yes_no_rows()
    >>> other = Scored(key="other", outcomes=rows.outcomes, scores=-rows.scores, threshold=0.5)
    >>> round(auc_difference(rows, other).value, 4)
    0.05
    """
    n, m = len(first), first.events
    if min(m, n - m) < 2:
        return absent(n, ONE_CLASS if not first.has_both else "one class has a single row")
    if not first.plain:
        return figure_of(auc_linear(first).minus(auc_linear(second)), first, -1, 1)
    a, b = placements(first.outcomes, first.scores), placements(second.outcomes, second.scores)
    difference, spread = a.auc - b.auc, _paired_variance(a, b)
    if spread == 0 and difference != 0:
        # One ranks without a fault and the other all alike: what these rows hide is what they hide of that AUC.
        faultless = a.auc in (0.0, 1.0)
        return Figure(difference, n, "newcombe_auc", Interval(_faultless_ends, a.auc, b.auc, m, n - m, faultless))
    return Figure(difference, n, "delong_paired", _clipped_normal(difference, spread))


def _faultless_ends(
    first: float, second: float, m: int, n: int, first_is_faultless: bool, level: float
) -> tuple[float, float]:
    if first_is_faultless:
        low, high = newcombe_auc(first, m, n, level)
        return low - second, high - second
    low, high = newcombe_auc(second, m, n, level)
    return first - high, first - low


def _paired_variance(a: Placements, b: Placements) -> float:
    return _variance(a.positives - b.positives) / len(a.positives) + _variance(a.negatives - b.negatives) / len(
        a.negatives
    )


def _clipped_normal(difference: float, spread: float) -> Bounds:
    return Interval(_clipped_ends, difference, spread)


def _clipped_ends(difference: float, spread: float, level: float) -> tuple[float, float]:
    half = z_of(level) * sqrt(spread)
    return max(difference - half, -1.0), min(difference + half, 1.0)


def newcombe_auc(value: float, m: float, n: float, level: float) -> tuple[float, float]:
    """Score-type interval for an AUC from m positives and n negatives: never of width zero.

    Parameters
    ----------
    value : float
        The AUC, in [0, 1].
    m, n : float
        Positives and negatives, above 0.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end, in [0, 1].

    References
    ----------
    Newcombe, R. G. 2006, Stat. Med. 25:559, method 5 (citation from memory).

    Examples
    --------
    >>> low, high = newcombe_auc(1.0, 5, 5, 0.95)
    >>> round(low, 2), high
    (0.64, 1.0)
    """
    z, star = z_of(level), (m + n) / 2 - 1

    def distance(theta: float) -> float:
        spread = 1 + star * (1 - theta) / (2 - theta) + star * theta / (1 + theta)
        return (theta - value) ** 2 - z * z * theta * (1 - theta) * spread / (m * n)

    edge = 1e-9
    low = 0.0 if value <= edge else float(scipy.optimize.brentq(distance, edge**2, value - edge, xtol=1e-12))
    high = 1.0 if value >= 1 - edge else float(scipy.optimize.brentq(distance, value + edge, 1.0, xtol=1e-12))
    return low, high


def _variance(values: Scores) -> float:
    return float(values.var(ddof=1)) if len(values) > 1 else 0.0


def _logit_bounds(value: float, error: float, degrees: float) -> Bounds:
    return Interval(_logit_ends, value, error, degrees)


def _logit_ends(value: float, error: float, degrees: float, level: float) -> tuple[float, float]:
    quantile = float(scipy.special.stdtrit(degrees, (1 + level) / 2))
    half = quantile * error / (value * (1 - value))
    return float(scipy.special.expit(scipy.special.logit(value) - half)), float(
        scipy.special.expit(scipy.special.logit(value) + half)
    )


@dataclass(frozen=True)
class Steps:
    """Weights at each distinct score, from the highest down: rows at or above it that are positive and negative."""

    thresholds: Scores
    true_positives: Numbers
    false_positives: Numbers


def steps(rows: Scored) -> Steps:
    """The confusion matrix at every distinct threshold, from one sort; arrays of the same length.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Steps
        Thresholds that fall, with the counts of the four cells at each; all of one length.

    Examples
    --------
    >>> found = steps(Scored(key="", outcomes=np.array([True, False]), scores=np.array([0.9, 0.2]), threshold=0.5))
    >>> found.true_positives.tolist(), found.false_positives.tolist()
    ([1.0, 1.0], [0.0, 1.0])
    """
    order = np.argsort(-rows.scores, kind="stable")
    ordered = rows.scores[order]
    ends = np.flatnonzero(np.append(ordered[1:] != ordered[:-1], True)) if len(rows) else np.zeros(0, dtype=np.int64)
    counted = rows.counted[order]
    hits = np.cumsum(np.where(rows.outcomes[order], counted, 0.0))[ends]
    return Steps(ordered[ends], hits, np.cumsum(counted)[ends] - hits)


def thin(count: int, most: int) -> NDArray[np.int64]:
    """At most ``most`` positions out of ``count``, first and last kept, evenly spread.

    Parameters
    ----------
    count : int
        How many there are.
    most : int
        How many may stay, at least 2.

    Returns
    -------
    NDArray[np.int64]
        Positions that rise, shape (at most ``most``,).

    Examples
    --------
    >>> thin(5, 3).tolist()
    [0, 2, 4]
    """
    return np.unique(np.linspace(0, count - 1, min(count, most)).round().astype(np.int64))
