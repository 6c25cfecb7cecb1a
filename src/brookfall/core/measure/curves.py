"""Curves as data: what charts, reports and evidence files draw from. Thinned to what a screen can show."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from brookfall.core.measure.calibration import equal_count_bins
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import share_of
from brookfall.core.measure.ranking import Steps, steps, thin
from brookfall.core.measure.scored import Numbers, Outcomes, Scored, ScoredNumbers, Scores

Series = dict[str, list[float | None]]
"""Columns of equal length by name."""

_POINTS = 400
_BARS = 20
_DECILES = 10


def series_of(**columns: Numbers) -> Series:
    """Columns as they are kept: to six decimals, what is not finite as None.

    Parameters
    ----------
    **columns : Numbers
        Columns of one length, by name.

    Returns
    -------
    Series
        The same columns.

    Examples
    --------
    >>> series_of(y=np.array([1 / 3, np.nan]))
    {'y': [0.333333, None]}
    """
    return {
        name: [round(float(value), 6) if np.isfinite(value) else None for value in values]
        for name, values in columns.items()
    }


def columns_of_figures(figures: Sequence[Figure], level: float) -> tuple[list[float], list[float], list[float]]:
    """Values of figures with the ends of their intervals; NaN where there is none.

    Parameters
    ----------
    figures : Sequence[Figure]
        The figures, in order.
    level : float
        Level of the intervals, in (0, 1).

    Returns
    -------
    tuple[list[float], list[float], list[float]]
        Values, lower and upper ends.

    Examples
    --------
    >>> columns_of_figures([Figure(0.5, 9, bounds=lambda level: (0.4, 0.6)), Figure(0.5, 9)], 0.95)
    ([0.5, 0.5], [0.4, nan], [0.6, nan])
    """
    ends = [figure.interval(level) or (np.nan, np.nan) for figure in figures]
    values = [np.nan if figure.value is None else figure.value for figure in figures]
    return values, [low for low, _ in ends], [high for _, high in ends]


def _ends(values: Numbers, bins: NDArray[np.int64], n: int) -> Series:
    """Columns from and to: the least and the greatest of the values in each of n bins, unrounded; None where empty."""
    low, high = np.full(n, np.inf), np.full(n, -np.inf)
    np.minimum.at(low, bins, values)
    np.maximum.at(high, bins, values)
    return {
        "from": [float(value) if np.isfinite(value) else None for value in low],
        "to": [float(value) if np.isfinite(value) else None for value in high],
    }


def roc(rows: Scored) -> Series:
    """Columns x (false positive rate) and y (true positive rate) from (0, 0) to (1, 1); both classes present.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Series
        The columns by name, all of one length.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.array([True, False]), scores=np.array([0.9, 0.1]), threshold=0.5)
    >>> roc(rows)
    {'x': [0.0, 0.0, 1.0], 'y': [0.0, 1.0, 1.0]}
    """
    counts = steps(rows)
    x = np.append(0.0, counts.false_positives / counts.false_positives[-1])
    y = np.append(0.0, counts.true_positives / counts.true_positives[-1])
    kept = thin(len(x), _POINTS)
    return series_of(x=x[kept], y=y[kept])


def precision_recall(rows: Scored) -> Series:
    """Columns x (recall) and y (precision), from the highest score down; no line is drawn between thresholds that
    no score has.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Series
        The columns by name, all of one length.

    Examples
    --------
    >>> rows = Scored(key="doc", outcomes=np.array([True, False]), scores=np.array([0.9, 0.1]), threshold=0.5)
    >>> precision_recall(rows)
    {'x': [1.0, 1.0], 'y': [1.0, 0.5]}
    """
    counts = steps(rows)
    recall = counts.true_positives / counts.true_positives[-1]
    precision = counts.true_positives / (counts.true_positives + counts.false_positives)
    kept = thin(len(recall), _POINTS)
    return series_of(x=recall[kept], y=precision[kept])


def _depth(counts: Steps) -> Numbers:
    reached = counts.true_positives + counts.false_positives
    return reached / reached[-1]


def calibration(rows: Scored, level: float) -> Series:
    """Columns x (mean score) and y (share of positives) in ten equal-count bins, n, and Wilson's low and high.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.
    level : float
        Level of the bins' intervals, in (0, 1).

    Returns
    -------
    Series
        The columns by name, all of one length.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> calibration(yes_no_rows(), 0.95)["n"]
    [6.0, 6.0, 6.0, 6.0, 6.0, 6.0, 6.0, 6.0, 6.0, 6.0]
    """
    bins = equal_count_bins(rows.scores)
    weights = rows.counted
    totals = np.bincount(bins, weights)
    shares = [share_of(rows.outcomes[bins == bin_], rows.take(bins == bin_, "bin")) for bin_ in range(len(totals))]
    ends = np.array([share.figure().interval(level) for share in shares])
    return series_of(
        x=np.bincount(bins, weights * rows.scores) / totals,
        y=np.array([share.value for share in shares]),
        low=ends[:, 0],
        high=ends[:, 1],
        n=np.bincount(bins).astype(np.float64),
    ) | _ends(rows.scores, bins, len(totals))


def scores(rows: Scored) -> Series:
    """Columns x (middle of the bin), y (share of the rows in it) and n, in 20 bins of equal width.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Series
        The columns by name, all of one length.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> sum(scores(yes_no_rows())["n"])
    60.0
    """
    return _histogram(rows, np.ones(len(rows), dtype=np.bool_))


def score_histogram(rows: Scored, positive: bool) -> Series:
    """Columns x (middle of the bin) and y (share of that outcome's rows in it), in 20 bins of equal width.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.
    positive : bool
        The outcome whose rows are counted.

    Returns
    -------
    Series
        The columns by name, all of one length.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(sum(score_histogram(yes_no_rows(), True)["y"]), 4)
    1.0
    """
    return _histogram(rows, rows.outcomes == positive)


def _histogram(rows: Scored, chosen: Outcomes) -> Series:
    low, high = min(0.0, float(rows.scores.min())), max(1.0, float(rows.scores.max()))
    edges = np.linspace(low, high, _BARS + 1)
    bins = np.clip(np.searchsorted(edges, rows.scores[chosen], side="right") - 1, 0, _BARS - 1)
    counts = np.bincount(bins, rows.counted[chosen], _BARS)
    shown = series_of(
        x=(edges[:-1] + edges[1:]) / 2,
        y=counts / max(float(counts.sum()), 1e-300),
        n=np.bincount(bins, minlength=_BARS).astype(np.float64),
    )
    return shown | _ends(rows.scores[chosen], bins, _BARS)


def threshold_counts(rows: Scored, thresholds: Scores) -> Series:
    """Columns threshold, tp, fp, fn, tn: the (weighted) confusion matrix at each (positive when score ≥ it).

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.
    thresholds : Scores
        Thresholds, shape (t,).

    Returns
    -------
    Series
        The columns by name, all of one length.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.array([True, False]), scores=np.array([0.9, 0.1]), threshold=0.5)
    >>> threshold_counts(rows, np.array([0.5]))
    {'threshold': [0.5], 'tp': [1.0], 'fp': [0.0], 'fn': [0.0], 'tn': [1.0]}
    """
    missed = _below(rows, thresholds, rows.outcomes)
    rejected = _below(rows, thresholds, ~rows.outcomes)
    hits, others = float(rows.counted[rows.outcomes].sum()), float(rows.counted[~rows.outcomes].sum())
    counts = series_of(tp=hits - missed, fp=others - rejected, fn=missed, tn=rejected)
    # Unrounded: the rows behind a cell are found by it.
    return {"threshold": [float(value) for value in thresholds], **counts}


def _below(rows: Scored, thresholds: Scores, chosen: Outcomes) -> Numbers:
    """The weight of the chosen rows whose score is under each threshold."""
    order = np.argsort(rows.scores[chosen], kind="stable")
    weights = np.concatenate(([0.0], np.cumsum(rows.counted[chosen][order])))
    return weights[np.searchsorted(rows.scores[chosen][order], thresholds, side="left")]


def error_by_threshold(rows: Scored) -> Series:
    """Columns x (threshold) and y (error rate at it).

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Series
        The columns by name, all of one length.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> len(error_by_threshold(yes_no_rows())["x"])
    201
    """
    grid = threshold_grid(rows)
    counts = threshold_counts(rows, grid)
    wrong = np.array(counts["fp"], dtype=np.float64) + np.array(counts["fn"], dtype=np.float64)
    return series_of(x=grid, y=wrong / float(rows.counted.sum()))


def threshold_grid(rows: Scored) -> Scores:
    """At most 202 thresholds over the range of the scores, the submitted one among them where there is one.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Scores
        Thresholds that rise, shape (t,) with t at most 202.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> grid = threshold_grid(yes_no_rows())
    >>> len(grid), float(grid[0]), float(grid[-1])
    (201, 0.0, 1.0)
    """
    low, high = min(0.0, float(rows.scores.min())), max(1.0, float(rows.scores.max()))
    grid = np.round(np.linspace(low, high, 201), 6)
    return grid if rows.threshold is None else np.unique(np.append(grid, rows.threshold))


def residuals(rows: ScoredNumbers) -> Series:
    """By decile of the prediction: x (mean prediction), y (mean of prediction minus outcome), its 5th and 95th
    percentile (low, high), and n.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Series
        The columns by name, all of one length.

    Examples
    --------
    >>> rows = ScoredNumbers(key="doc", outcomes=np.arange(40.0), predictions=np.arange(40.0)[::-1] + 1)
    >>> residuals(rows)["n"]
    [4.0, 4.0, 4.0, 4.0, 4.0, 4.0, 4.0, 4.0, 4.0, 4.0]
    """
    bins = equal_count_bins(rows.predictions, _DECILES)
    errors, weights = rows.predictions - rows.outcomes, rows.counted
    totals = np.bincount(bins, weights)
    ends = np.array([np.quantile(errors[bins == bin_], [0.05, 0.95]) for bin_ in range(len(totals))])
    return series_of(
        x=np.bincount(bins, weights * rows.predictions) / totals,
        y=np.bincount(bins, weights * errors) / totals,
        low=ends[:, 0],
        high=ends[:, 1],
        n=np.bincount(bins).astype(np.float64),
    ) | _ends(rows.predictions, bins, len(totals))


def predicted_observed(rows: ScoredNumbers) -> Series:
    """By decile of the prediction: x (mean prediction), y (mean outcome), and n.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Series
        The columns by name, all of one length.

    Examples
    --------
    >>> rows = ScoredNumbers(key="doc", outcomes=np.arange(40.0), predictions=np.arange(40.0)[::-1] + 1)
    >>> predicted_observed(rows)["x"][:2]
    [2.5, 6.5]
    """
    bins = equal_count_bins(rows.predictions, _DECILES)
    totals = np.bincount(bins, rows.counted)
    return series_of(
        x=np.bincount(bins, rows.counted * rows.predictions) / totals,
        y=np.bincount(bins, rows.counted * rows.outcomes) / totals,
        n=np.bincount(bins).astype(np.float64),
    ) | _ends(rows.predictions, bins, len(totals))
