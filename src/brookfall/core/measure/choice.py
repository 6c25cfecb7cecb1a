"""Measures of a choice: how probable was the alternative actually chosen. The unit is the occasion, not the row."""

import numpy as np
import scipy

from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure.figure import Figure, Interval, absent
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of, ratio_of
from brookfall.core.measure.interval import share_of
from brookfall.core.measure.scored import Codes, Picked


def mean_chosen_probability(rows: Picked) -> Figure:
    """The mean probability of the alternative actually chosen, over m occasions.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> rows = occasion_rows()
    >>> round(mean_chosen_probability(rows).value, 3)
    0.45
    """
    return figure_of(mean_chosen_probability_linear(rows), rows, 0.0, 1.0)


def mean_chosen_probability_linear(rows: Picked) -> Linear:
    """Its value and each occasion's influence.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.

    Returns
    -------
    Linear
        The value, and the influence of each occasion, shape (m,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> mean_chosen_probability_linear(occasion_rows()).influence.round(3).tolist()
    [0.075, -0.075]
    """
    return mean_of(rows.chosen, rows.counted)


def hit_rate(rows: Picked) -> Figure:
    """The share of occasions on which the likeliest alternative was chosen; a part of 1 where several were.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> rows = occasion_rows()
    >>> hit_rate(rows).value
    0.5
    """
    hits = rows.hits
    if np.isin(hits, (0.0, 1.0)).all():
        return share_of(hits == 1, rows).figure()
    return figure_of(hit_rate_linear(rows), rows, 0.0, 1.0)


def hit_rate_linear(rows: Picked) -> Linear:
    """Its value and each occasion's influence.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.

    Returns
    -------
    Linear
        The value, and the influence of each occasion, shape (m,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> hit_rate_linear(occasion_rows()).influence.tolist()
    [0.25, -0.25]
    """
    return mean_of(rows.hits, rows.counted)


def log_likelihood(rows: Picked) -> Figure:
    """The sum over the occasions of the log of the probability of the chosen; absent where one had no chance.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> rows = occasion_rows()
    >>> round(log_likelihood(rows).value, 4)
    -1.7148
    """
    found = log_likelihood_linear(rows)
    return absent(len(rows), _NO_CHANCE) if found is None else figure_of(found, rows, -np.inf, 0.0)


def log_likelihood_linear(rows: Picked) -> Linear | None:
    """Its value and each occasion's influence; None where a chosen alternative had no chance.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.

    Returns
    -------
    Linear | None
        The value, and the influence of each occasion, shape (m,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> log_likelihood_linear(occasion_rows()).influence.round(4).tolist()
    [0.3466, -0.3466]
    """
    if (rows.chosen <= 0).any():
        return None
    total, reached = float(rows.counted.sum()), mean_of(np.log(rows.chosen), rows.counted)
    return Linear(total * reached.value, total * reached.influence)


def rho_squared(rows: Picked) -> Figure:
    """1 less the ratio of the log-likelihood to that of guessing evenly (McFadden 1974).

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    McFadden, D. 1974, in Zarembka (ed.), Frontiers in Econometrics, Academic Press.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> rows = occasion_rows()
    >>> round(rho_squared(rows).value, 4)
    -0.237
    """
    found = rho_squared_linear(rows)
    return absent(len(rows), _NO_CHANCE) if found is None else figure_of(found, rows, -np.inf, 1.0)


def rho_squared_linear(rows: Picked) -> Linear | None:
    """Its value and each occasion's influence; None where a chosen alternative had no chance.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.

    Returns
    -------
    Linear | None
        The value, and the influence of each occasion, shape (m,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> rho_squared_linear(occasion_rows()).influence.round(2).tolist()
    [0.25, -0.25]
    """
    if (rows.chosen <= 0).any():
        return None
    ratio = ratio_of(mean_of(np.log(rows.chosen), rows.counted), mean_of(np.log(rows.evenly), rows.counted))
    return Linear(1 - ratio.value, -ratio.influence)


_NO_CHANCE = "a chosen alternative had a probability of 0"


def observed_share(rows: Picked, place: int) -> Figure:
    """The share of occasions that chose an alternative.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.
    place : int
        The alternative's place among all.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> rows = occasion_rows()
    >>> observed_share(rows, 0).value
    0.5
    """
    return share_of(rows.picked == place, rows).figure().marked(few=rows.few)


def predicted_share(rows: Picked, place: int) -> Figure:
    """The share that the model expects, and where the share of that many simulated choices would lie.

    The interval is of choices drawn independently from the model's probabilities: their share has the mean p̄ and the
    variance Σ p (1 − p) / m², which needs no drawing.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.
    place : int
        The alternative's place among all.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> rows = occasion_rows()
    >>> round(predicted_share(rows, 1).value, 3)
    0.35
    """
    shares = rows.offered[:, place]
    weights = rows.counted / rows.counted.sum()
    mean = float(weights @ shares)
    error = float(np.sqrt((weights**2 * shares * (1 - shares)).sum()))
    return Figure(mean, len(rows), "simulated_choices", Interval(_share_ends, mean, error)).marked(few=rows.few)


def _share_ends(mean: float, error: float, level: float) -> tuple[float, float]:
    half = float(scipy.special.ndtri((1 + level) / 2)) * error
    return max(0.0, mean - half), min(1.0, mean + half)


def share_difference(rows: Picked, place: int) -> Figure:
    """The predicted less the observed share of an alternative, on the same occasions.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives.
    place : int
        The alternative's place among all.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> rows = occasion_rows()
    >>> round(share_difference(rows, 0).value, 3)
    0.15
    """
    error = rows.offered[:, place] - (rows.picked == place)
    return figure_of(mean_of(error, rows.counted), rows, -1.0, 1.0).marked(few=rows.few)


def simulated(rows: Picked) -> Codes:
    """One choice for each occasion, drawn with the probabilities that the model gave.

    Parameters
    ----------
    rows : Picked
        m occasions with the probabilities of their alternatives; their key seeds the draw.

    Returns
    -------
    Codes
        The place of the alternative drawn, shape (m,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import occasion_rows
    >>> simulated(occasion_rows()).shape
    (2,)
    """
    drawn = np.random.default_rng(seed_from("simulated choice", rows.key)).random((len(rows), 1))
    ends = rows.offered.cumsum(axis=1)
    # The last end may fall short of 1 by a rounding: what lies beyond it is of the last alternative with a chance.
    return (drawn >= ends / ends[:, -1:]).sum(axis=1).astype(np.int64)
