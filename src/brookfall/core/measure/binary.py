"""Every measure of a binary outcome, by name, with n and interval."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.digest import seed_from
from brookfall.core.measure.figure import Figure, absent, too_few
from brookfall.core.measure.interval import paired_difference, proportion
from brookfall.core.measure.ranking import ONE_CLASS, Outcomes, Scores, auc, auc_difference

RESAMPLES = 1000
_CLIP = 1e-15
_BLOCK = 4_000_000

HIGHER_IS_WORSE = frozenset({"error_rate", "log_loss", "brier", "false_positive_rate", "false_negative_rate"})
"""Measures where a smaller value flatters the model."""
PROBABILITY_ONLY = frozenset({"log_loss", "brier"})
"""Measures that need scores that are probabilities."""


@dataclass(frozen=True)
class Confusion:
    """Counts of rows: true negatives, false positives, false negatives, true positives."""

    tn: int
    fp: int
    fn: int
    tp: int

    @property
    def n(self) -> int:
        return self.tn + self.fp + self.fn + self.tp

    def shares(self) -> dict[str, tuple[int, int]]:
        """Every measure that is x of n rows: name to (x, n)."""
        positives, negatives = self.tp + self.fn, self.tn + self.fp
        chosen = self.tp + self.fp
        return {
            "accuracy": (self.tp + self.tn, self.n),
            "error_rate": (self.fp + self.fn, self.n),
            "recall": (self.tp, positives),
            "true_positive_rate": (self.tp, positives),
            "false_negative_rate": (self.fn, positives),
            "specificity": (self.tn, negatives),
            "true_negative_rate": (self.tn, negatives),
            "false_positive_rate": (self.fp, negatives),
            "precision": (self.tp, chosen),
            "positive_predictive_value": (self.tp, chosen),
            "negative_predictive_value": (self.tn, self.tn + self.fn),
            "selection_rate": (chosen, self.n),
            "base_rate": (positives, self.n),
        }


def confusion(outcomes: Outcomes, decisions: Outcomes) -> Confusion:
    """The confusion matrix of n rows; both arrays are boolean of shape (n,)."""
    cells = np.bincount(2 * outcomes.astype(np.int64) + decisions, minlength=4)
    return Confusion(*(int(cell) for cell in cells))


@dataclass(frozen=True)
class Scored:
    """n rows with their outcomes and scores; a row is positive when its score is at least the threshold.

    ``key`` names these rows and this model, and seeds the bootstrap, so that equal content gives equal bits.
    """

    outcomes: Outcomes
    scores: Scores
    threshold: float
    key: str

    def __len__(self) -> int:
        return len(self.outcomes)

    @property
    def decisions(self) -> Outcomes:
        return self.scores >= self.threshold

    @property
    def confusion(self) -> Confusion:
        return confusion(self.outcomes, self.decisions)

    def take(self, chosen: NDArray[np.bool_] | NDArray[np.int64], name: str) -> "Scored":
        return Scored(self.outcomes[chosen], self.scores[chosen], self.threshold, f"{self.key}/{name}")


def measure(name: str, rows: Scored) -> Figure:
    """The measure of that name on scored rows; KeyError for a name that is not a binary measure.

    Proportions have Wilson's interval, AUC and Gini DeLong's, the rest a percentile bootstrap of rows.
    """
    n, events = len(rows), int(rows.outcomes.sum())
    if n == 0:
        return absent(0, "no such row")
    figure = _measure(name, rows)
    return figure.marked(few=too_few(n, events)) if figure.value is not None else figure


def _measure(name: str, rows: Scored) -> Figure:
    shares = rows.confusion.shares()
    if name in shares:
        return proportion(*shares[name])
    if name == "auc":
        return auc(rows.outcomes, rows.scores)
    if name == "gini":
        return _gini(auc(rows.outcomes, rows.scores))
    if name in _OF_COUNTS:
        return _bootstrap_counts(name, rows)
    if name in _OF_ROWS:
        return _bootstrap_rows(name, rows)
    return _bootstrap_ranks(name, rows)


def _gini(area: Figure) -> Figure:
    bounds = area.bounds
    if area.value is None or bounds is None:
        return area

    def rescaled(level: float) -> tuple[float, float]:
        low, high = bounds(level)
        return 2 * low - 1, 2 * high - 1

    return Figure(2 * area.value - 1, area.n, area.method, rescaled)


def _balanced_accuracy(cells: Scores) -> Scores:
    tn, fp, fn, tp = np.moveaxis(cells, -1, 0)
    return (tp / (tp + fn) + tn / (tn + fp)) / 2


def _f1(cells: Scores) -> Scores:
    _, fp, fn, tp = np.moveaxis(cells, -1, 0)
    return 2 * tp / (2 * tp + fp + fn)


def _mcc(cells: Scores) -> Scores:
    tn, fp, fn, tp = np.moveaxis(cells, -1, 0)
    return (tp * tn - fp * fn) / np.sqrt((tp + fp) * (tp + fn) * (tn + fp) * (tn + fn))


def _kappa(cells: Scores) -> Scores:
    tn, fp, fn, tp = np.moveaxis(cells, -1, 0)
    n = tn + fp + fn + tp
    agreed = (tp + tn) / n
    chance = ((tp + fp) * (tp + fn) + (tn + fp) * (tn + fn)) / (n * n)
    return (agreed - chance) / (1 - chance)


_OF_COUNTS: dict[str, Callable[[Scores], Scores]] = {
    "balanced_accuracy": _balanced_accuracy,
    "f1": _f1,
    "mcc": _mcc,
    "kappa": _kappa,
}


def _bootstrap_counts(name: str, rows: Scored) -> Figure:
    """Measures of the four cells: resampling rows is one multinomial over the cells."""
    matrix = rows.confusion
    cells = np.array([matrix.tn, matrix.fp, matrix.fn, matrix.tp], dtype=np.float64)
    with np.errstate(divide="ignore", invalid="ignore"):
        value = float(_OF_COUNTS[name](cells))
        rng = np.random.default_rng(seed_from("bootstrap", rows.key, name))
        draws = _OF_COUNTS[name](rng.multinomial(matrix.n, cells / matrix.n, RESAMPLES).astype(np.float64))
    if not np.isfinite(value):
        return absent(matrix.n, "its denominator is 0 on these rows")
    return _percentile(value, matrix.n, draws)


def _log_losses(rows: Scored) -> Scores:
    p = np.clip(rows.scores, _CLIP, 1 - _CLIP)
    return -np.where(rows.outcomes, np.log(p), np.log1p(-p))


_OF_ROWS: dict[str, Callable[[Scored], Scores]] = {
    "brier": lambda rows: (rows.scores - rows.outcomes) ** 2,
    "log_loss": _log_losses,
    "mean_score": lambda rows: rows.scores,
}


def _bootstrap_rows(name: str, rows: Scored) -> Figure:
    if name in PROBABILITY_ONLY and not ((rows.scores >= 0) & (rows.scores <= 1)).all():
        return absent(len(rows), "the scores leave 0 to 1, so they are not probabilities")
    values = _OF_ROWS[name](rows)
    return _percentile(float(values.mean()), len(rows), _resampled_means(values, f"{rows.key}/{name}"))


def _resampled_means(values: Scores, key: str) -> Scores:
    """RESAMPLES bootstrap means of n values; shape (RESAMPLES,)."""
    rng = np.random.default_rng(seed_from("bootstrap", key))
    n = len(values)
    means = np.empty(RESAMPLES)
    block = max(1, _BLOCK // n)
    for start in range(0, RESAMPLES, block):
        size = min(block, RESAMPLES - start)
        means[start : start + size] = values[rng.integers(0, n, (size, n))].mean(axis=1)
    return means


def _average_precision(true: Scores, false: Scores) -> Scores:
    gained = np.diff(true, axis=-1, prepend=0)
    return (gained * true / np.maximum(true + false, 1)).sum(axis=-1) / true[..., -1]


def _ks(true: Scores, false: Scores) -> Scores:
    return np.abs(true / true[..., -1:] - false / false[..., -1:]).max(axis=-1)


_OF_RANKS: dict[str, Callable[[Scores, Scores], Scores]] = {"average_precision": _average_precision, "ks": _ks}


def _bootstrap_ranks(name: str, rows: Scored) -> Figure:
    """Measures of the ranking: one sort, then cumulated weights for every resample at once."""
    formula = _OF_RANKS[name]
    if rows.outcomes.all() or not rows.outcomes.any():
        return absent(len(rows), ONE_CLASS)
    order = np.argsort(-rows.scores, kind="stable")
    outcomes = rows.outcomes[order].astype(np.float64)
    ends = np.flatnonzero(np.append(np.diff(rows.scores[order]) != 0, True))

    def of(weights: Scores) -> Scores:
        true = np.cumsum(weights * outcomes, axis=-1)[..., ends]
        false = np.cumsum(weights * (1 - outcomes), axis=-1)[..., ends]
        with np.errstate(divide="ignore", invalid="ignore"):
            return formula(true, false)

    n = len(outcomes)
    rng = np.random.default_rng(seed_from("bootstrap", rows.key, name))
    draws = np.empty(RESAMPLES)
    block = max(1, _BLOCK // n)
    for start in range(0, RESAMPLES, block):
        size = min(block, RESAMPLES - start)
        picks = rng.integers(0, n, (size, n)) + np.arange(size)[:, None] * n
        draws[start : start + size] = of(np.bincount(picks.ravel(), minlength=size * n).reshape(size, n).astype(float))
    return _percentile(float(of(np.ones(n))), n, draws)


def _percentile(value: float, n: int, draws: Scores) -> Figure:
    kept = draws[np.isfinite(draws)]
    if len(kept) < RESAMPLES * 0.9:
        return Figure(value, n, note="too many resamples had no value for an interval")

    def bounds(level: float) -> tuple[float, float]:
        low, high = np.quantile(kept, [(1 - level) / 2, (1 + level) / 2])
        return float(low), float(high)

    return Figure(value, n, "bootstrap_percentile", bounds)


def paired_gap(name: str, first: Scored, second: Scored) -> Figure:
    """``first`` minus ``second`` of accuracy, auc or brier, both scored on the same rows in the same order."""
    n, events = len(first), int(first.outcomes.sum())
    if name == "accuracy":
        right, also = first.decisions == first.outcomes, second.decisions == second.outcomes
        cells = np.bincount(2 * right.astype(np.int64) + also, minlength=4)
        figure = paired_difference(int(cells[3]), int(cells[2]), int(cells[1]), int(cells[0]))
    elif name == "auc":
        figure = auc_difference(first.outcomes, first.scores, second.scores)
    else:
        differences = _OF_ROWS[name](first) - _OF_ROWS[name](second)
        draws = _resampled_means(differences, f"{first.key}/{second.key}/{name}")
        figure = _percentile(float(differences.mean()), n, draws)
    return figure.marked(few=too_few(n, events))
