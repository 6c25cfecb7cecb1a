"""How far scores and decisions of the same rows move from one fit to the next."""

from dataclasses import dataclass

import numpy as np
import scipy.stats
from numpy.typing import NDArray

from brookfall.core.measure.figure import Figure, Interval, absent
from brookfall.core.measure.influence_function import effective_n, figure_of, mean_of
from brookfall.core.measure.interval import wilson
from brookfall.core.measure.scored import AnyScored, Numbers, Scored, ScoredClasses, ScoredNumbers

Scores = NDArray[np.float64]


@dataclass(frozen=True)
class Movement:
    """What refits do to the rows of one fit.

    Attributes
    ----------
    scores : Figure
        Mean over rows and refits of the distance to the first fit's score: of classes half the sum over them, of
        numbers in the outcome's unit.
    decisions : Figure
        Mean over rows of the share of refits that decide otherwise; absent where nothing is decided.
    by_row : Numbers
        The mean distance of each row's scores, shape (n,).
    low, high : Scores
        Between what 95 % of the refits score each row, shape (n,); of classes the probability of the first fit's
        likeliest one.
    """

    scores: Figure
    decisions: Figure
    by_row: Numbers
    low: Scores
    high: Scores


def movement(rows: AnyScored, again: Scores) -> Movement:
    """How far the same rows' scores lie from those of refits.

    Parameters
    ----------
    rows : AnyScored
        n rows as the first fit scores them.
    again : Scores
        What each refit says of them, shape (refits, n), of K classes (refits, n, K).

    Returns
    -------
    Movement
        With intervals over the rows; ``by_row`` and the ends for drawing.

    References
    ----------
    Riley, R. D. & Collins, G. S. 2023, Biometrical Journal 65:2200302 (from memory).

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(40) < 20, scores=np.linspace(0, 1, 40), threshold=0.5)
    >>> moved = movement(rows, np.stack([rows.scores, rows.scores + 0.1]))
    >>> round(moved.scores.value, 3), round(moved.decisions.value, 3)
    (0.05, 0.05)
    """
    first = _scores(rows)
    apart = np.abs(again - first).mean(axis=0)
    if apart.ndim == 2:
        apart = apart.sum(axis=1) / 2
    turned = _turned(rows, again)
    decisions = absent(len(rows), "nothing is decided") if turned is None else _share_turned(turned, rows)
    drawn = again
    if again.ndim == 3:
        drawn = np.take_along_axis(again, first.argmax(axis=1)[None, :, None], axis=2)[:, :, 0]
    low, high = np.quantile(drawn, [0.025, 0.975], axis=0)
    moves = figure_of(mean_of(apart, rows.counted), rows, 0.0).marked(few=rows.few)
    return Movement(moves, decisions, apart, low, high)


def _share_turned(turned: Numbers, rows: AnyScored) -> Figure:
    """The mean share; where no decision turned at all, with the bound of a proportion of rows (Wilson 1927)."""
    if turned.any():
        return figure_of(mean_of(turned, rows.counted), rows, 0.0, 1.0).marked(few=rows.few)
    bound = Interval(wilson, 0.0, effective_n(rows))
    return Figure(0.0, len(rows), "wilson_effective_n", bound).marked(few=rows.few)


def _scores(rows: AnyScored) -> Scores:
    if isinstance(rows, ScoredNumbers):
        return rows.predictions
    if rows.scores is None:
        raise ValueError("rows without scores can't be followed from fit to fit")
    return rows.scores


def _turned(rows: AnyScored, again: Scores) -> Numbers | None:
    """The share of refits that decide each row otherwise, shape (n,)."""
    if isinstance(rows, ScoredClasses):
        return np.asarray((again.argmax(axis=2) != rows.decisions).mean(axis=0), dtype=np.float64)
    if isinstance(rows, Scored) and rows.threshold is not None:
        return np.asarray(((again >= rows.threshold) != rows.decisions).mean(axis=0), dtype=np.float64)
    return None


@dataclass(frozen=True)
class RankAgreement:
    """How far rankings of the same things agree.

    Attributes
    ----------
    w : Figure
        Kendall's W: 1 where all rankings are the same, about 1 over their number where they have nothing in common.
    ranks : NDArray[np.float64]
        The rank of each thing in each ranking, 1 the largest; shape (rankings, things).
    """

    w: Figure
    ranks: NDArray[np.float64]


def rank_agreement(values: NDArray[np.float64]) -> RankAgreement:
    """Kendall's W of several rankings, ties at their mean rank, with its p by Friedman's chi-square in the note.

    Parameters
    ----------
    values : NDArray[np.float64]
        What is ranked, the largest first; shape (rankings, things), at least three of each.

    Returns
    -------
    RankAgreement
        Absent W where there are fewer, or everything is tied.

    References
    ----------
    Kendall, M. G. & Babington Smith, B. 1939, Annals of Mathematical Statistics 10:275.

    Examples
    --------
    >>> rank_agreement(np.array([[3.0, 2.0, 1.0], [9.0, 5.0, 1.0], [8.0, 7.0, 2.0]])).w.value
    1.0
    """
    ranks = scipy.stats.rankdata(-values, axis=1)
    rankings, things = values.shape
    if min(rankings, things) < 3 or (ranks == ranks[:, :1]).all():
        return RankAgreement(absent(rankings, "an agreement of ranks takes three rankings of three things"), ranks)
    found = scipy.stats.friedmanchisquare(*values.T)
    w = float(found.statistic) / (rankings * (things - 1))
    note = (
        f"of {rankings} rankings, p {float(found.pvalue):.2g} by Friedman's chi-square; it has no interval of its own"
    )
    return RankAgreement(Figure(w, rankings, "kendall_w", note=note), ranks)
