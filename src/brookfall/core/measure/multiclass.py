"""Every measure of an outcome with several classes, by name: over all classes (macro), or of one class."""

from collections.abc import Callable
from math import sqrt

import numpy as np

from brookfall.core.measure import binary
from brookfall.core.measure.calibration import expected_error
from brookfall.core.measure.counts import FUNCTIONS, NO_DENOMINATOR, SHARES, share_rows
from brookfall.core.measure.figure import FEW_EVENTS, NOT_PROBABILITIES, Figure, Interval, absent
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of
from brookfall.core.measure.interval import share_of
from brookfall.core.measure.ranking import auc_linear
from brookfall.core.measure.scored import Numbers, Scored, ScoredClasses

_CLIP = 1e-15
NO_SCORES = "no score for each class was given"

_MACRO_SHARES = {"balanced_accuracy": "recall", "recall": "recall", "precision": "precision"}
_MACRO_LINEAR = frozenset({"specificity", "f1"})
PROBABILITIES = frozenset({"brier", "log_loss", "expected_calibration_error"})
"""Measures that need scores that are probabilities."""


def matrix(rows: ScoredClasses) -> Numbers:
    """The confusion matrix, true classes down and decided ones across, weighted where rows are; shape (K, K).

    >>> rows = ScoredClasses(key="", outcomes=np.array([0, 1, 1]), decisions=np.array([0, 1, 0]), classes=("a", "b"))
    >>> matrix(rows).tolist()
    [[1.0, 0.0], [1.0, 1.0]]
    """
    k = len(rows.classes)
    cells = np.bincount(rows.outcomes * k + rows.decisions, weights=rows.weights, minlength=k * k)
    return cells.reshape(k, k).astype(np.float64)


def measure(name: str, rows: ScoredClasses) -> Figure:
    """The measure over all classes, on rows that all have a decision; n may be 0.

    >>> rows = ScoredClasses(key="", outcomes=np.arange(60) % 3, decisions=np.arange(60) // 20, classes=("a", "b", "c"))
    >>> round(measure("kappa", rows).value, 4), measure("auc", rows).note
    (-0.0, 'no score for each class was given')
    """
    n = len(rows)
    if n == 0:
        return absent(0, "no such row")
    if name in ("accuracy", "error_rate"):
        right = rows.decisions == rows.outcomes
        return share_of(right if name == "accuracy" else ~right, rows).figure()
    if name in _MACRO_SHARES:
        return _macro_share(_MACRO_SHARES[name], rows)
    if name in ("kappa", "mcc"):
        found = _of_matrix(name, rows)
        return absent(n, NO_DENOMINATOR) if found is None else figure_of(found, rows, -1, 1)
    if name not in _MACRO_LINEAR and rows.scores is None:
        return absent(n, NO_SCORES)
    if name in PROBABILITIES and not rows.probable:
        return absent(n, NOT_PROBABILITIES)
    if name == "expected_calibration_error":
        return expected_error(_top_label(rows))
    found = linear(name, rows)
    if found is None:
        return absent(n, _empty_class(rows))
    return figure_of(found, rows, *_RANGES.get(name, (0.0, 1.0)))


_RANGES = {"log_loss": (0.0, np.inf), "brier": (0.0, 2.0)}


def of_class(name: str, rows: ScoredClasses, position: int) -> Figure:
    """A binary measure of one class against the rest.

    >>> rows = ScoredClasses(key="", outcomes=np.arange(60) % 3, decisions=np.arange(60) // 20, classes=("a", "b", "c"))
    >>> round(of_class("f1", rows, 1).value, 4)
    0.3
    """
    alone = rows.against_rest(position)
    if rows.scores is None and name not in SHARES and name not in FUNCTIONS:
        return absent(len(rows), NO_SCORES)
    return binary.measure(name, alone).marked(few=binary.few(name, alone))


def linear(name: str, rows: ScoredClasses) -> Linear | None:
    """The measure with the influence of each row; None where a class is empty or the measure has none.

    >>> rows = ScoredClasses(key="", outcomes=np.arange(60) % 3, decisions=np.arange(60) // 20, classes=("a", "b", "c"))
    >>> round(linear("balanced_accuracy", rows).value, 4)
    0.3333
    """
    if name in ("accuracy", "error_rate"):
        right = (rows.decisions == rows.outcomes).astype(np.float64)
        return mean_of(right if name == "accuracy" else 1 - right, rows.counted)
    if name in ("kappa", "mcc"):
        return _of_matrix(name, rows)
    if name in _OF_ROWS:
        return None if rows.scores is None else mean_of(_OF_ROWS[name](rows), rows.counted)
    if name == "auc":
        return _hand_till(rows)
    if name == "auc_ovr":
        return _macro(rows, lambda alone: auc_linear(alone) if alone.has_both else None)
    if name in _MACRO_LINEAR or name in _MACRO_SHARES:
        inner = _MACRO_SHARES.get(name, name)
        return _macro(rows, lambda alone: _finite(binary.linear(inner, alone)))
    return None


def _log_losses(rows: ScoredClasses) -> Numbers:
    scores = rows.scores if rows.scores is not None else np.zeros((len(rows), len(rows.classes)))
    return -np.log(np.clip(scores[np.arange(len(rows)), rows.outcomes], _CLIP, 1.0))


def _briers(rows: ScoredClasses) -> Numbers:
    scores = rows.scores if rows.scores is not None else np.zeros((len(rows), len(rows.classes)))
    return ((scores - np.eye(len(rows.classes))[rows.outcomes]) ** 2).sum(axis=1)


_OF_ROWS: dict[str, Callable[[ScoredClasses], Numbers]] = {"log_loss": _log_losses, "brier": _briers}

NAMES = (
    "accuracy",
    "error_rate",
    *_MACRO_SHARES,
    "specificity",
    "f1",
    "kappa",
    "mcc",
    "auc",
    "auc_ovr",
    *_OF_ROWS,
    "expected_calibration_error",
)
OF_A_CLASS = tuple(name for name in binary.NAMES if name not in ("calibration_slope", "calibration_intercept"))
"""Measures that one class can have on its own."""


def _finite(found: Linear | None) -> Linear | None:
    return found if found is not None and np.isfinite(found.value) else None


def _macro(rows: ScoredClasses, of: Callable[[Scored], Linear | None]) -> Linear | None:
    """The unweighted mean over classes of a binary measure."""
    total, influence, k = 0.0, np.zeros(len(rows)), len(rows.classes)
    for position in range(k):
        with np.errstate(divide="ignore", invalid="ignore"):
            found = of(rows.against_rest(position))
        if found is None:
            return None
        total += found.value / k
        influence += found.influence / k
    return Linear(total, influence)


def _macro_share(name: str, rows: ScoredClasses) -> Figure:
    """The mean of one share per class: squares of the distances to Wilson's ends add up (Zou & Donner 2008)."""
    figures = []
    for position, label in enumerate(rows.classes):
        among, hits = share_rows(name, rows.against_rest(position))
        if not len(among):
            return absent(len(rows), f"no row {'is' if name == 'recall' else 'is called'} {label}")
        figures.append(share_of(hits, among).figure())
    values = np.array([figure.value for figure in figures], dtype=np.float64)
    mean = float(values.mean())
    return Figure(mean, len(rows), "square_and_add", Interval(_macro_ends, tuple(figures)))


def _macro_ends(figures: tuple[Figure, ...], level: float) -> tuple[float, float]:
    values = np.array([figure.value for figure in figures], dtype=np.float64)
    mean, k = float(values.mean()), len(figures)
    ends = np.array([figure.interval(level) for figure in figures], dtype=np.float64)
    below, above = ((values - ends[:, 0]) ** 2).sum(), ((ends[:, 1] - values) ** 2).sum()
    return max(0.0, mean - sqrt(below) / k), min(1.0, mean + sqrt(above) / k)


def _of_matrix(name: str, rows: ScoredClasses) -> Linear | None:
    """A function of the matrix's shares with the influence of each row through its own cell."""
    cells = matrix(rows)
    shares = cells / cells.sum()
    row, column = shares.sum(axis=1), shares.sum(axis=0)
    agreed, chance = float(np.trace(shares)), float(row @ column)
    # The slopes of agreement and of chance agreement in the share of each cell.
    by_agreement = np.eye(len(shares))
    by_chance = column[:, None] + row[None, :]
    if name == "kappa":
        if 1 - chance < 1e-12:
            return None
        value = (agreed - chance) / (1 - chance)
        slope = by_agreement / (1 - chance) + by_chance * (agreed - 1) / (1 - chance) ** 2
    else:
        decided, true = 1 - float(column @ column), 1 - float(row @ row)
        if decided * true < 1e-12:
            return None
        root = sqrt(decided * true)
        value = (agreed - chance) / root
        slope = (by_agreement - by_chance) / root
        slope = slope + value * (column[None, :] / decided + row[:, None] / true)
    slope = slope - float((slope * shares).sum())
    return Linear(value, rows.counted * slope[rows.outcomes, rows.decisions] / cells.sum())


def _hand_till(rows: ScoredClasses) -> Linear | None:
    """The mean over ordered pairs of classes of the AUC of the first one's score (Hand & Till 2001)."""
    if rows.scores is None:
        return None
    k = len(rows.classes)
    total, influence = 0.0, np.zeros(len(rows))
    for first in range(k):
        for second in range(k):
            if first == second:
                continue
            pair = np.flatnonzero((rows.outcomes == first) | (rows.outcomes == second))
            alone = Scored(
                key=rows.key,
                outcomes=rows.outcomes[pair] == first,
                scores=rows.scores[pair, first],
                threshold=0.5,
                weights=None if rows.weights is None else rows.weights[pair],
            )
            if not alone.has_both:
                return None
            found = auc_linear(alone)
            total += found.value / (k * (k - 1))
            influence[pair] += found.influence / (k * (k - 1))
    return Linear(total, influence)


def _top_label(rows: ScoredClasses) -> Scored:
    """Each row as: was the decided class right, and how sure was the model of it."""
    scores = rows.scores if rows.scores is not None else np.zeros((len(rows), len(rows.classes)))
    return Scored(
        key=f"{rows.key}/top label",
        outcomes=rows.decisions == rows.outcomes,
        scores=scores[np.arange(len(rows)), rows.decisions],
        threshold=0.5,
        weights=rows.weights,
        clusters=rows.clusters,
    )


def _empty_class(rows: ScoredClasses) -> str:
    counts = np.bincount(rows.outcomes, minlength=len(rows.classes))
    empty = [label for label, count in zip(rows.classes, counts, strict=True) if not count]
    return f"no row is {' or '.join(empty)}" if empty else NO_DENOMINATOR


def few(name: str, rows: ScoredClasses) -> bool:
    """Whether the rows are too few to judge: 30 rows, and 5 of every class where each class counts alike.

    >>> rows = ScoredClasses(key="", outcomes=np.arange(60) % 3, decisions=np.arange(60) // 20, classes=("a", "b", "c"))
    >>> few("accuracy", rows), few("balanced_accuracy", rows.take(rows.outcomes < 2, "two"))
    (False, True)
    """
    counts = np.bincount(rows.outcomes, minlength=len(rows.classes))
    whole = name in ("accuracy", "error_rate", "log_loss", "brier", "expected_calibration_error")
    return rows.few or (not whole and int(counts.min()) < FEW_EVENTS)
