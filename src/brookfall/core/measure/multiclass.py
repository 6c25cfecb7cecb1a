"""How measures are taken of an outcome with several classes: over all classes (macro), or of the whole matrix."""

from collections.abc import Callable
from math import sqrt

import numpy as np

from brookfall.core.measure.calibration import expected_error
from brookfall.core.measure.counts import NO_DENOMINATOR, function_linear, share_linear, share_rows
from brookfall.core.measure.figure import FEW_EVENTS, Figure, Interval, absent
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of
from brookfall.core.measure.interval import share_of
from brookfall.core.measure.ranking import auc_linear
from brookfall.core.measure.scored import Numbers, Outcomes, Scored, ScoredClasses

_CLIP = 1e-15


def matrix(rows: ScoredClasses) -> Numbers:
    """The confusion matrix, true classes down and decided ones across, weighted where rows are; shape (K, K).

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Numbers
        Counts, or sums of weights, shape (K, K).

    Examples
    --------
    >>> rows = ScoredClasses(key="", outcomes=np.array([0, 1, 1]), decisions=np.array([0, 1, 0]), classes=("a", "b"))
    >>> matrix(rows).tolist()
    [[1.0, 0.0], [1.0, 1.0]]
    """
    k = len(rows.classes)
    cells = np.bincount(rows.outcomes * k + rows.decisions, weights=rows.weights, minlength=k * k)
    return cells.reshape(k, k).astype(np.float64)


def accuracy(rows: ScoredClasses) -> Figure:
    """The share of rows decided as their class.

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> round(accuracy(class_rows()).value, 4)
    0.3333
    """
    return share_of(right(rows), rows).figure()


def error_rate(rows: ScoredClasses) -> Figure:
    """The share of rows decided as another class.

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> round(error_rate(class_rows()).value, 4)
    0.6667
    """
    return share_of(not_right(rows), rows).figure()


def right(rows: ScoredClasses) -> Outcomes:
    """Where the decision is the outcome; shape (n,).

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Outcomes
        One a row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> int(right(class_rows()).sum())
    20
    """
    return np.asarray(rows.decisions == rows.outcomes)


def not_right(rows: ScoredClasses) -> Outcomes:
    """Where the decision is another class; shape (n,).

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Outcomes
        One a row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> int(not_right(class_rows()).sum())
    40
    """
    return ~right(rows)


def wrong(rows: ScoredClasses) -> Numbers:
    """1 where the decision is another class; shape (n,).

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Numbers
        1.0 or 0.0 a row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> int(wrong(class_rows()).sum())
    40
    """
    return not_right(rows).astype(np.float64)


def accuracy_linear(rows: ScoredClasses) -> Linear:
    """The accuracy with the influence of each row.

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> round(accuracy_linear(class_rows()).value, 4)
    0.3333
    """
    return mean_of(right(rows).astype(np.float64), rows.counted)


def error_linear(rows: ScoredClasses) -> Linear:
    """The error rate with the influence of each row.

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> round(error_linear(class_rows()).value, 4)
    0.6667
    """
    return mean_of(1 - right(rows).astype(np.float64), rows.counted)


def error_by_chance(rows: ScoredClasses) -> float:
    """The error rate of decisions dealt out at random: over all pairs of one row's class and another's decision.

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    float
        The error rate that the decisions would have in any other order, on average.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> round(error_by_chance(class_rows()), 4)
    0.6667
    """
    share, k = rows.counted / rows.counted.sum(), len(rows.classes)
    true, decided = (np.bincount(codes.astype(np.int64), share, k) for codes in (rows.outcomes, rows.decisions))
    return 1 - float(true @ decided)


def of_linear(linear: Callable[[ScoredClasses], Linear | None], low: float, high: float, rows: ScoredClasses) -> Figure:
    """A smooth measure with Hall's interval inside its range; absent where a class is empty.

    Parameters
    ----------
    linear : Callable[[ScoredClasses], Linear | None]
        The measure with the influence of each row.
    low, high : float
        The range of the measure.
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> round(of_linear(accuracy_linear, 0.0, 1.0, class_rows()).value, 4)
    0.3333
    """
    found = linear(rows)
    return absent(len(rows), _empty_class(rows)) if found is None else figure_of(found, rows, low, high)


def macro_share(name: str, rows: ScoredClasses) -> Figure:
    """The mean of one share per class: squares of the distances to Wilson's ends add up (Zou & Donner 2008).

    Parameters
    ----------
    name : str
        A key of ``counts.SHARES``.
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Zou, G. Y. & Donner, A. 2008, Stat. Med. 27:1693.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> round(macro_share("recall", class_rows()).value, 4)
    0.3333
    """
    return _macro_share(name, rows)


def macro_share_linear(name: str, rows: ScoredClasses) -> Linear | None:
    """The mean over classes of a share of rows, with the influence of each row; None where a class is empty.

    Parameters
    ----------
    name : str
        A key of ``counts.SHARES``.
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> round(macro_share_linear("recall", class_rows()).value, 4)
    0.3333
    """
    return _macro(rows, lambda alone: _finite(share_linear(name, alone)))


def macro_function_linear(name: str, rows: ScoredClasses) -> Linear | None:
    """The mean over classes of a function of the four cells, with the influence of each row.

    Parameters
    ----------
    name : str
        A key of ``counts.FUNCTIONS``.
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> round(macro_function_linear("f1", class_rows()).value, 4)
    0.3333
    """
    return _macro(rows, lambda alone: _finite(function_linear(name, alone)))


def of_matrix(name: str, rows: ScoredClasses) -> Figure:
    """Cohen's kappa or Matthews' correlation of the whole matrix (Gorodkin 2004).

    Parameters
    ----------
    name : str
        ``kappa`` or ``mcc``.
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Gorodkin, J. 2004, Comput. Biol. Chem. 28:367.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> round(of_matrix("kappa", class_rows()).value, 4)
    -0.0
    """
    found = of_matrix_linear(name, rows)
    return absent(len(rows), NO_DENOMINATOR) if found is None else figure_of(found, rows, -1, 1)


def of_matrix_linear(name: str, rows: ScoredClasses) -> Linear | None:
    """Kappa or Matthews' correlation with the influence of each row; None where its denominator is 0.

    Parameters
    ----------
    name : str
        ``kappa`` or ``mcc``.
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> abs(round(of_matrix_linear("kappa", class_rows()).value, 4))
    0.0
    """
    return _of_matrix(name, rows)


def hand_till(rows: ScoredClasses) -> Linear | None:
    """The mean over ordered pairs of classes of the AUC of the first one's score (Hand & Till 2001).

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    References
    ----------
    Hand, D. J. & Till, R. J. 2001, Mach. Learn. 45:171.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows_with_scores
    >>> round(hand_till(class_rows_with_scores()).value, 4)
    0.445
    """
    return _hand_till(rows)


def one_against_rest(rows: ScoredClasses) -> Linear | None:
    """The mean over classes of the AUC of a class's score against all others.

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows_with_scores
    >>> round(one_against_rest(class_rows_with_scores()).value, 4)
    0.445
    """
    return _macro(rows, lambda alone: auc_linear(alone) if alone.has_both else None)


def log_loss(rows: ScoredClasses) -> Linear | None:
    """The mean of −ln of the probability of the class that it was, clipped at 1e-15.

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows_with_scores
    >>> round(log_loss(class_rows_with_scores()).value, 4)
    1.5244
    """
    return None if rows.scores is None else mean_of(_log_losses(rows), rows.counted)


def brier(rows: ScoredClasses) -> Linear | None:
    """The mean over rows of the summed squared distances of the probabilities from the class.

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    References
    ----------
    Brier, G. W. 1950, Mon. Weather Rev. 78:1.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows_with_scores
    >>> round(brier(class_rows_with_scores()).value, 4)
    0.8849
    """
    return None if rows.scores is None else mean_of(_briers(rows), rows.counted)


def expected_calibration_error(rows: ScoredClasses) -> Figure:
    """That of the probability of the decided class.

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows_with_scores
    >>> round(expected_calibration_error(class_rows_with_scores()).value, 4)
    0.335
    """
    return expected_error(_top_label(rows))


def _log_losses(rows: ScoredClasses) -> Numbers:
    scores = rows.scores if rows.scores is not None else np.zeros((len(rows), len(rows.classes)))
    return -np.log(np.clip(scores[np.arange(len(rows)), rows.outcomes], _CLIP, 1.0))


def _briers(rows: ScoredClasses) -> Numbers:
    scores = rows.scores if rows.scores is not None else np.zeros((len(rows), len(rows.classes)))
    return ((scores - np.eye(len(rows.classes))[rows.outcomes]) ** 2).sum(axis=1)


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


def few_of_a_class(rows: ScoredClasses) -> bool:
    """Under 30 rows, or under 5 of any class: for measures in which each class counts alike.

    Parameters
    ----------
    rows : ScoredClasses
        n rows with their classes, K of them in all, and what was decided.

    Returns
    -------
    bool
        Whether the measure is marked as resting on too few rows.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import class_rows
    >>> rows = class_rows()
    >>> few_of_a_class(rows), few_of_a_class(rows.take(rows.outcomes < 2, "two"))
    (False, True)
    """
    return rows.few or int(np.bincount(rows.outcomes, minlength=len(rows.classes)).min()) < FEW_EVENTS
