"""Net benefit: what acting at a threshold is worth, against acting on all and on none (Vickers & Elkin 2006).

Who acts at a risk of t holds a case found to be worth (1 − t)/t cases acted on in vain. So a row that is acted on is
worth 1 where it is positive and −t/(1 − t) where it is not, and the mean over all rows is the net benefit, in cases
found per row.
"""

from dataclasses import dataclass

import numpy as np

from brookfall.core.measure.curves import Series, columns_of_figures, series_of
from brookfall.core.measure.figure import NOT_PROBABILITIES, Figure, absent
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of
from brookfall.core.measure.scored import Numbers, Scored, Scores

_POINTS = 99
NO_TRADE = "a threshold of 0 or 1 weighs nothing against a case found"


@dataclass(frozen=True)
class Worth:
    """Net benefit at a threshold, in cases found per row: of acting as the model says and on all (on none it is 0).

    Attributes
    ----------
    model, everybody : Figure
        Of acting on rows whose score is at least the threshold, and on all of them.
    over_all : Figure
        The difference of the two on the same rows.
    """

    model: Figure
    everybody: Figure
    over_all: Figure


def worth_at(rows: Scored, threshold: float) -> Worth:
    """Net benefit of acting at a threshold, with intervals.

    Parameters
    ----------
    rows : Scored
        n rows, all with a score that is a probability and a weight above 0.
    threshold : float
        The risk from which on is acted.

    Returns
    -------
    Worth
        Absent, with the reason, where scores are no probabilities or the threshold is not between 0 and 1.

    References
    ----------
    Vickers, A. J. & Elkin, E. B. 2006, Medical Decision Making 26:565.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(100) < 30, scores=np.linspace(1, 0, 100), threshold=None)
    >>> worth = worth_at(rows, 0.5)
    >>> round(worth.model.value, 3), round(worth.everybody.value, 3)
    (0.1, -0.4)
    """
    n = len(rows)
    if not rows.probable or not 0 < threshold < 1:
        none = absent(n, NOT_PROBABILITIES if not rows.probable else NO_TRADE)
        return Worth(none, none, none)
    model, everybody = (
        _linear(rows, threshold, rows.scores >= threshold),
        _linear(rows, threshold, np.ones(n, dtype=bool)),
    )
    return Worth(*(figure_of(one, rows) for one in (model, everybody, model.minus(everybody))))


def _linear(rows: Scored, threshold: float, acted: np.ndarray[tuple[int], np.dtype[np.bool_]]) -> Linear:
    price = threshold / (1 - threshold)
    return mean_of(np.where(acted, np.where(rows.outcomes, 1.0, -price), 0.0), rows.counted)


def worth_columns(rows: Scored, level: float) -> Series:
    """Net benefit along the threshold, in hundredths, up to the largest at which any row is acted on.

    Parameters
    ----------
    rows : Scored
        n rows, all with a score that is a probability and a weight above 0.
    level : float
        Level of the intervals, each by itself, in (0, 1).

    Returns
    -------
    Series
        ``x`` is the threshold, ``y`` the model's net benefit with ``low`` and ``high``, ``all`` that of acting on all,
        ``none`` that of acting on none.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(100) < 30, scores=np.linspace(0.5, 0, 100), threshold=None)
    >>> columns = worth_columns(rows, 0.95)
    >>> columns["x"][-1], columns["none"][0]
    (0.5, 0.0)
    """
    thresholds = _thresholds(rows)
    base = float(np.average(rows.outcomes, weights=rows.counted))
    y, low, high = columns_of_figures([worth_at(rows, float(one)).model for one in thresholds], level)
    everybody = base - (1 - base) * thresholds / (1 - thresholds)
    ends = {"low": np.array(low), "high": np.array(high)}
    return series_of(x=thresholds, y=np.array(y), **ends, all=everybody, none=np.zeros(len(thresholds)))


def _thresholds(rows: Scored) -> Scores:
    grid: Numbers = np.arange(1, _POINTS + 1) / 100
    return grid[grid <= max(float(rows.scores.max()), 0.02)]
