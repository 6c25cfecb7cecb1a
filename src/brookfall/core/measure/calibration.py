"""Calibration of probabilities: slope and intercept by logistic recalibration, observed over expected, scaled Brier
score, expected calibration error."""

from dataclasses import dataclass
from math import exp, inf, log

import numpy as np
import scipy

from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure.figure import NOT_PROBABILITIES, ONE_CLASS, Figure, absent
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of, ratio_of
from brookfall.core.measure.scored import Codes, Numbers, Scored

BINS = 10
_CLIP = 1e-15
_LARGEST_LOG = 700.0
_DRAWS = 500
_STEPS = 100


def slope(rows: Scored) -> Figure:
    """Slope of the logistic recalibration of the outcome on the logit of the score (Cox 1958); ideally 1.

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
    Cox, D. R. 1958, Biometrika 45:562.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(slope(yes_no_rows()).value, 4)
    0.0896
    """
    if problem := _problem(rows):
        return absent(len(rows), problem)
    linear = slope_linear(rows)
    return figure_of(linear, rows) if linear else absent(len(rows), _SEPARATED)


def intercept(rows: Scored) -> Figure:
    """Intercept of the recalibration with the slope fixed at 1 (Cox 1958); ideally 0, in units of the logit.

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
    Cox, D. R. 1958, Biometrika 45:562.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(intercept(yes_no_rows()).value, 4)
    -0.8826
    """
    if problem := _problem(rows):
        return absent(len(rows), problem)
    linear = intercept_linear(rows)
    return figure_of(linear, rows) if linear else absent(len(rows), _SEPARATED)


def observed_over_expected(rows: Scored) -> Figure:
    """How many events there were for each that the scores expect: calibration in the large; ideally 1.

    The interval is taken on the log scale, so that none of it lies under 0.

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
    Steyerberg, E. W. 2019, Clinical Prediction Models, 2nd ed., Springer, ch. 15 (from memory).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(observed_over_expected(yes_no_rows()).value, 4)
    0.6667
    """
    found = observed_over_expected_linear(rows)
    if found is None:
        return absent(len(rows), "the scores expect no event")
    if found.value == 0:
        return Figure(0.0, len(rows), note="no event among these rows, and a ratio of none has no interval")
    return figure_of(Linear(log(found.value), found.influence / found.value), rows).mapped(_exp)


def _exp(value: float) -> float:
    return exp(value) if value < _LARGEST_LOG else inf


def observed_over_expected_linear(rows: Scored) -> Linear | None:
    """The ratio with the influence of each row on it; None where no event is expected.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> observed_over_expected_linear(yes_no_rows()).influence.shape
    (60,)
    """
    expected = mean_of(rows.scores, rows.counted)
    if expected.value <= 0:
        return None
    return ratio_of(mean_of(rows.outcomes.astype(np.float64), rows.counted), expected)


def scaled_brier(rows: Scored) -> Figure:
    """What share of the base rate's own squared error the scores remove: 1 at best, 0 for the base rate itself.

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
    Steyerberg, E. W. et al. 2010, Epidemiology 21:128 (from memory).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(scaled_brier(yes_no_rows()).value, 4)
    -0.3325
    """
    found = scaled_brier_linear(rows)
    return absent(len(rows), ONE_CLASS) if found is None else figure_of(found, rows, high=1.0)


def scaled_brier_linear(rows: Scored) -> Linear | None:
    """The scaled Brier score with the influence of each row on it; None where only one class is there.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> bool(abs(scaled_brier_linear(yes_no_rows()).influence.sum()) < 1e-12)
    True
    """
    if not rows.has_both:
        return None
    rate = mean_of(rows.outcomes.astype(np.float64), rows.counted)
    spread = Linear(rate.value * (1 - rate.value), (1 - 2 * rate.value) * rate.influence)
    error = ratio_of(mean_of((rows.scores - rows.outcomes) ** 2, rows.counted), spread)
    return Linear(1 - error.value, -error.influence)


_SEPARATED = "the outcome follows from the score alone, so no recalibration converges"


def _problem(rows: Scored) -> str | None:
    if not rows.probable:
        return NOT_PROBABILITIES
    if not rows.has_both:
        return ONE_CLASS
    return "all scores are equal" if np.ptp(rows.scores) == 0 else None


def slope_linear(rows: Scored) -> Linear | None:
    """The slope with its influences (those of an M-estimator: Huber & Ronchetti 2009); None when none converges.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    References
    ----------
    Huber, P. J. & Ronchetti, E. M. 2009, Robust Statistics, 2nd ed., Wiley.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> rows = yes_no_rows()
    >>> round(slope_linear(rows).value, 4), slope_linear(rows).influence.shape
    (0.0896, (60,))
    """
    design = np.column_stack([np.ones(len(rows)), _logits(rows)])
    found = _logistic(design, np.zeros(len(rows)), rows)
    return None if found is None else Linear(float(found.coefficients[1]), found.influence[:, 1])


def intercept_linear(rows: Scored) -> Linear | None:
    """The intercept at slope 1 with its influences; None when none converges.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(intercept_linear(yes_no_rows()).value, 4)
    -0.8826
    """
    found = _logistic(np.ones((len(rows), 1)), _logits(rows), rows)
    return None if found is None else Linear(float(found.coefficients[0]), found.influence[:, 0])


@dataclass(frozen=True)
class _Recalibration:
    coefficients: Numbers
    influence: Numbers


def _logits(rows: Scored) -> Numbers:
    return scipy.special.logit(np.clip(rows.scores, _CLIP, 1 - _CLIP))


def _logistic(design: Numbers, offset: Numbers, rows: Scored) -> _Recalibration | None:
    """Maximum likelihood by Newton steps, halved until the likelihood grows."""
    weights, outcomes = rows.counted, rows.outcomes.astype(np.float64)
    beta = np.zeros(design.shape[1])

    def loss(candidate: Numbers) -> float:
        eta = design @ candidate + offset
        return float(weights @ (np.logaddexp(0, eta) - outcomes * eta))

    current = loss(beta)
    for _ in range(_STEPS):
        fitted = scipy.special.expit(design @ beta + offset)
        gradient = design.T @ (weights * (outcomes - fitted))
        bread = (design * (weights * fitted * (1 - fitted))[:, None]).T @ design
        if np.linalg.cond(bread) > 1e14:
            return None
        step = np.linalg.solve(bread, gradient)
        while not loss(beta + step) <= current + 1e-12 * abs(current) and np.abs(step).max() > 1e-12:
            step = step / 2
        beta = beta + step
        current = loss(beta)
        if np.abs(step).max() <= 1e-10 * max(1.0, float(np.abs(beta).max())):
            fitted = scipy.special.expit(design @ beta + offset)
            score = design * (weights * (outcomes - fitted))[:, None]
            bread = (design * (weights * fitted * (1 - fitted))[:, None]).T @ design
            return _Recalibration(beta, np.asarray(np.linalg.solve(bread, score.T).T, dtype=np.float64))
    return None


def expected_error(rows: Scored) -> Figure:
    """Expected calibration error in ten equal-count bins, with the value that chance alone would give.

    It is positive even when all is well, so it has no interval about 0: the note gives the mean and the 95th
    percentile over outcomes drawn from the scores themselves.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> outcomes, scores = np.arange(100) % 2 == 0, np.full(100, 0.5)
    >>> expected_error(Scored(key="", outcomes=outcomes, scores=scores, threshold=0.5)).value
    0.0
    """
    n = len(rows)
    if not rows.probable:
        return absent(n, NOT_PROBABILITIES)
    bins = equal_count_bins(rows.scores)
    share = rows.counted / rows.counted.sum()
    value = _ece((rows.outcomes - rows.scores) * share, bins)
    rng = np.random.default_rng(seed_from("ece", rows.key))
    # By bins: a bin's share of events under the scores is close to normal, or exact where rows are few.
    if n <= 2000:
        drawn = rng.random((_DRAWS, n)) < rows.scores
        by_chance = np.array([_ece((draw - rows.scores) * share, bins) for draw in drawn])
    else:
        spread = np.sqrt(np.bincount(bins, weights=share**2 * rows.scores * (1 - rows.scores)))
        by_chance = np.abs(rng.normal(size=(_DRAWS, len(spread))) * spread).sum(axis=1)
    note = (
        f"by chance alone {by_chance.mean():.4f} on average, 95th percentile {np.quantile(by_chance, 0.95):.4f}; "
        "calibration is judged by slope and intercept"
    )
    return Figure(value, n, note=note)


def _ece(gaps: Numbers, bins: Codes) -> float:
    return float(np.abs(np.bincount(bins, weights=gaps)).sum())


def equal_count_bins(scores: Numbers, bins: int = BINS) -> Codes:
    """The bin of each score, from the lowest, 0 first: bins of equal count, equal scores together; shape (n,).

    Parameters
    ----------
    scores : Numbers
        Scores, shape (n,).
    bins : int
        How many bins at most, at least 1.

    Returns
    -------
    Codes
        Codes from 0, shape (n,).

    Examples
    --------
    >>> equal_count_bins(np.array([0.1, 0.2, 0.2, 0.9]), 2).tolist()
    [0, 0, 0, 1]
    """
    order = np.argsort(scores, kind="stable")
    place = np.empty(len(scores), dtype=np.int64)
    place[order] = np.arange(len(scores)) * bins // max(len(scores), 1)
    distinct, inverse = np.unique(scores, return_inverse=True)
    lowest = np.full(len(distinct), bins)
    np.minimum.at(lowest, inverse, place)
    return np.unique(lowest[inverse], return_inverse=True)[1].astype(np.int64)
