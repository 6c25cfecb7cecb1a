"""How measures are taken of a binary outcome, each with n, interval and influences."""

from collections.abc import Callable
from functools import partial

import numpy as np

from brookfall.core.measure import rank_measures
from brookfall.core.measure.counts import function_figure, function_linear, share_figure, share_linear
from brookfall.core.measure.figure import Figure, Interval
from brookfall.core.measure.influence_function import Linear, effective_n, figure_of, mean_of
from brookfall.core.measure.interval import wilson
from brookfall.core.measure.measure import Form, Shown
from brookfall.core.measure.ranking import auc, auc_linear
from brookfall.core.measure.scored import Numbers, Outcomes, Scored

_CLIP = 1e-15
FEW_TO_CALIBRATE = 20
"""Events and non-events under which a recalibration is not judged: simulated in docs/coverage.md."""


def share_form(
    name: str,
    *shown: Shown,
    hits: Callable[[Scored], Outcomes] | None = None,
    losses: Callable[[Scored], Numbers] | None = None,
    chance_loss: Callable[[Scored], float] | None = None,
    chance: Callable[[Numbers], float] | None = None,
) -> Form:
    """A share of rows among the four cells of the confusion matrix, by its name in ``counts.SHARES``.

    Parameters
    ----------
    name : str
        A key of ``counts.SHARES``.
    *shown : Shown
        Where the measure stands by itself.
    hits : Callable[[Scored], Outcomes] | None
        Where the share holds, of all rows: needed for a paired difference.
    losses : Callable[[Scored], Numbers] | None
        The loss of each row, where the measure is a mean of losses.
    chance_loss : Callable[[Scored], float] | None
        The mean loss of scores dealt out at random.
    chance : Callable[[Numbers], float] | None
        The value of a guess, of the shares of the classes.

    Returns
    -------
    Form
        How the share is taken, with interval and influences.

    Examples
    --------
    >>> share_form("recall").needs
    'decision'
    """
    return Form(
        partial(share_figure, name),
        partial(share_linear, name),
        few=_few_rows if name == "selection_rate" else few_events,
        needs="score" if name == "base_rate" else "decision",
        hits=hits,
        losses=losses,
        chance_loss=chance_loss,
        chance=chance,
        shown=frozenset(shown),
    )


def function_form(name: str, *shown: Shown, chance: Callable[[Numbers], float] | None = None) -> Form:
    """Any other function of the four cells, by its name in ``counts.FUNCTIONS``.

    Parameters
    ----------
    name : str
        A key of ``counts.FUNCTIONS``.
    *shown : Shown
        Where the measure stands by itself.
    chance : Callable[[Numbers], float] | None
        The value of a guess, of the shares of the classes.

    Returns
    -------
    Form
        How the function is taken, with interval and influences.

    Examples
    --------
    >>> function_form("f1").needs
    'decision'
    """
    return Form(
        partial(function_figure, name),
        partial(function_linear, name),
        few=few_events,
        needs="decision",
        chance=chance,
        shown=frozenset(shown),
    )


def rank_form(name: str, *shown: Shown) -> Form:
    """A measure of the ranking that has no smooth influence, by its name in ``rank_measures.FORMULAS``.

    Parameters
    ----------
    name : str
        A key of ``rank_measures.FORMULAS``.
    *shown : Shown
        Where the measure stands by itself.

    Returns
    -------
    Form
        How the measure is taken, with a bootstrap interval.

    Examples
    --------
    >>> rank_form("ks").influence is None
    True
    """
    return Form(
        partial(rank_measures.rank_figure, name),
        value=partial(rank_measures.value_if_any, name),
        few=few_events,
        shown=frozenset(shown),
    )


def gini(rows: Scored) -> Figure:
    """Twice the AUC less one.

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
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(gini(yes_no_rows()).value, 4)
    0.05
    """
    return auc(rows).mapped(_as_gini)


def gini_linear(rows: Scored) -> Linear:
    """The Gini coefficient with the influence of each row.

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
    >>> round(gini_linear(yes_no_rows()).value, 4)
    0.05
    """
    area = auc_linear(rows)
    return Linear(_as_gini(area.value), 2 * area.influence)


def lift(rows: Scored) -> Figure:
    """How many times the base rate is found in the first fifth of the rows.

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
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(lift(yes_no_rows()).value, 4)
    1.0
    """
    return rank_measures.rank_figure("gain_at_20", rows).mapped(_as_lift)


def lift_value(rows: Scored) -> float | None:
    """As :func:`lift`, without an interval.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    float | None
        The value; None where all rows have one outcome.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(lift_value(yes_no_rows()), 4)
    1.0
    """
    gain = rank_measures.value_if_any("gain_at_20", rows)
    return None if gain is None else _as_lift(gain)


def ks(rows: Scored) -> Figure:
    """The largest distance between the score distributions of the outcomes, with what chance alone would give.

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
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(ks(yes_no_rows()).value, 4)
    0.05
    """
    figure = rank_measures.rank_figure("ks", rows)
    return figure if figure.value is None else figure.noted(rank_measures.ks_by_chance(rows))


def brier_losses(rows: Scored) -> Numbers:
    """The squared distance of each probability from its outcome; shape (n,).

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Numbers
        Squared distances, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> brier_losses(yes_no_rows())[:2].round(3).tolist()
    [0.01, 0.786]
    """
    return (rows.scores - rows.outcomes) ** 2


def brier(rows: Scored) -> Figure:
    """The mean squared distance of the probability from the outcome.

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
    Brier, G. W. 1950, Mon. Weather Rev. 78:1.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(brier(yes_no_rows()).value, 4)
    0.2961
    """
    values = brier_losses(rows)
    if np.ptp(values) == 0 and values[0] in (0.0, 1.0):
        # Right, or wrong, with full confidence everywhere: bounded as a share of rows would be.
        share, n = float(values[0]), min(effective_n(rows), float(len(rows)))
        return Figure(share, len(rows), "wilson_edge", Interval(wilson, share * n, n))
    return figure_of(mean_of(values, rows.counted), rows, 0.0, 1.0)


def brier_linear(rows: Scored) -> Linear:
    """The Brier score with the influence of each row.

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
    >>> round(brier_linear(yes_no_rows()).value, 4)
    0.2961
    """
    return mean_of(brier_losses(rows), rows.counted)


def brier_by_chance(rows: Scored) -> float:
    """The mean over all pairs of one row's outcome and another's probability.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    float
        The Brier score that the scores would have in any other order, on average.

    Examples
    --------
    >>> brier_by_chance(Scored(key="", outcomes=np.array([True, False]), scores=np.array([0.9, 0.2]), threshold=0.5))
    0.375
    """
    share = rows.counted / rows.counted.sum()
    mean, base = float(share @ rows.scores), float(share @ rows.outcomes)
    return float(share @ rows.scores**2) - 2 * mean * base + base


def log_loss_linear(rows: Scored) -> Linear:
    """The mean of −ln of the probability of what happened, clipped at 1e-15, with the influence of each row.

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
    >>> round(log_loss_linear(yes_no_rows()).value, 4)
    0.8119
    """
    p = np.clip(rows.scores, _CLIP, 1 - _CLIP)
    return mean_of(-np.where(rows.outcomes, np.log(p), np.log1p(-p)), rows.counted)


def log_loss(rows: Scored) -> Figure:
    """The log loss with its interval.

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
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(log_loss(yes_no_rows()).value, 4)
    0.8119
    """
    return figure_of(log_loss_linear(rows), rows, 0.0, np.inf)


def mean_score_linear(rows: Scored) -> Linear:
    """The mean of the scores with the influence of each row.

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
    >>> round(mean_score_linear(yes_no_rows()).value, 4)
    0.5
    """
    return mean_of(rows.scores, rows.counted)


def mean_score(rows: Scored) -> Figure:
    """The mean of the scores with its interval.

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
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(mean_score(yes_no_rows()).value, 4)
    0.5
    """
    return figure_of(mean_score_linear(rows), rows)


def wrong(rows: Scored) -> Numbers:
    """1 where the decision is not the outcome; shape (n,).

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Numbers
        1.0 or 0.0 a row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> int(wrong(yes_no_rows()).sum())
    30
    """
    return (rows.decisions != rows.outcomes).astype(np.float64)


def right(rows: Scored) -> Outcomes:
    """Where the decision is the outcome; shape (n,).

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Outcomes
        One a row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> int(right(yes_no_rows()).sum())
    30
    """
    return np.asarray(rows.decisions == rows.outcomes)


def not_right(rows: Scored) -> Outcomes:
    """Where the decision is not the outcome; shape (n,).

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Outcomes
        One a row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> int(not_right(yes_no_rows()).sum())
    30
    """
    return ~right(rows)


def selected(rows: Scored) -> Outcomes:
    """Where the decision is positive; shape (n,).

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Outcomes
        One a row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> int(selected(yes_no_rows()).sum())
    30
    """
    return rows.decisions


def error_by_chance(rows: Scored) -> float:
    """The error rate of decisions dealt out at random: over all pairs of one row's outcome and another's decision.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    float
        The error rate that the decisions would have in any other order, on average.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(error_by_chance(yes_no_rows()), 4)
    0.5
    """
    share = rows.counted / rows.counted.sum()
    true = np.bincount(rows.outcomes.astype(np.int64), share, 2)
    decided = np.bincount(rows.decisions.astype(np.int64), share, 2)
    return 1 - float(true @ decided)


def few_events(rows: Scored) -> bool:
    """Under 30 rows, or under 5 of either outcome.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    bool
        Whether the measure is marked as resting on too few rows.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> rows = yes_no_rows()
    >>> few_events(rows), few_to_calibrate(rows.take(rows.scores > 0.5, "half"))
    (False, True)
    """
    return rows.few_events


def few_to_calibrate(rows: Scored) -> bool:
    """Under 20 of either outcome.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    bool
        Whether a recalibration is marked as resting on too few rows.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> few_to_calibrate(yes_no_rows())
    False
    """
    return rows.few_events or min(rows.events, len(rows) - rows.events) < FEW_TO_CALIBRATE


def _few_rows(rows: Scored) -> bool:
    return rows.few


def _as_lift(gain: float) -> float:
    return gain / rank_measures.DEPTH


def _as_gini(area: float) -> float:
    return 2 * area - 1
