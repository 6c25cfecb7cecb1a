"""Measures of a choice: how probable was the alternative actually chosen. The unit is the occasion, not the row."""

from dataclasses import dataclass
from typing import ClassVar

import numpy as np
import scipy
from numpy.typing import NDArray

from brookfall.core.measure.figure import Figure, Interval, absent
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of, ratio_of
from brookfall.core.measure.interval import share_of
from brookfall.core.measure.scored import Chosen, Codes, Numbers, Sampled
from brookfall.core.table.outcome import Outcome


@dataclass(frozen=True, kw_only=True)
class Picked(Sampled):
    """Occasions with the probability that the model gave to each alternative.

    ``offered`` of shape (m, k) is the probability of each of k alternatives, 0 where it could not be had, and
    ``there`` whether it could; ``picked`` (m,) is the place of the one that was chosen.
    """

    offered: Numbers
    there: NDArray[np.bool_]
    picked: Codes

    outcome: ClassVar[Outcome] = "choice"

    def __len__(self) -> int:
        return len(self.picked)

    def known(self) -> NDArray[np.bool_]:
        return np.ones(len(self), dtype=np.bool_)

    def take(self, chosen: Chosen, name: str) -> "Picked":
        return Picked(
            offered=self.offered[chosen],
            there=self.there[chosen],
            picked=self.picked[chosen],
            **self._sample_of(chosen, name),
        )

    @property
    def chosen(self) -> Numbers:
        """The probability of the alternative actually chosen; shape (m,)."""
        return np.asarray(self.offered[np.arange(len(self)), self.picked])

    @property
    def hits(self) -> Numbers:
        """1 where the chosen one was the likeliest, a part of 1 where several were equally so; shape (m,)."""
        highest = (self.offered == self.offered.max(axis=1, keepdims=True)) & self.there
        return np.where(highest[np.arange(len(self)), self.picked], 1 / highest.sum(axis=1), 0.0)

    @property
    def evenly(self) -> Numbers:
        """The probability of the chosen one for who guesses evenly among what could be had; shape (m,)."""
        return np.asarray(1 / self.there.sum(axis=1))


def picked_from(
    key: str,
    occasion: Codes,
    alternative: Codes,
    alternatives: int,
    chosen: NDArray[np.bool_],
    shares: Numbers,
    clusters: Codes | None = None,
) -> Picked:
    """Occasions from rows in long form, all of shape (n,); each occasion whole, one of its rows chosen.

    Parameters
    ----------
    key : str
        What draws are seeded by.
    occasion : Codes
        The occasion of each row, shape (n,).
    alternative : Codes
        The place of each row's alternative among all, shape (n,).
    alternatives : int
        How many alternatives there are.
    chosen : NDArray[np.bool_]
        Whether the row's alternative was chosen, shape (n,); one row of each occasion.
    shares : Numbers
        The probability of each row's alternative, shape (n,).
    clusters : Codes | None
        Codes of groups whose rows are related, shape (n,).

    Returns
    -------
    Picked
        The occasions, one row each.

    Examples
    --------
    >>> rows = [np.array([0, 0, 1, 1]), np.array([0, 1, 0, 1])]
    >>> picked_from("", *rows, 2, np.array([True, False, False, True]), np.array([0.8, 0.2, 0.5, 0.5])).hits.tolist()
    [1.0, 0.5]
    """
    _, first, code = np.unique(occasion, return_index=True, return_inverse=True)
    offered, there = np.zeros((len(first), alternatives)), np.zeros((len(first), alternatives), dtype=np.bool_)
    offered[code, alternative], there[code, alternative] = shares, True
    picked = np.zeros(len(first), dtype=np.int64)
    picked[code[chosen]] = alternative[chosen]
    groups = None if clusters is None else clusters[first]
    if groups is not None and len(np.unique(groups)) == len(groups):
        groups = None
    return Picked(key=key, offered=offered, there=there, picked=picked, clusters=groups)


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
    >>> rows = picked_from("", np.array([0, 0]), np.array([0, 1]), 2, np.array([True, False]), np.array([0.8, 0.2]))
    >>> mean_chosen_probability(rows).value
    0.8
    """
    return figure_of(mean_of(rows.chosen, np.ones(len(rows))), rows, 0.0, 1.0)


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
    >>> rows = picked_from(
    ...     "doc",
    ...     np.array([0, 0, 1, 1]),
    ...     np.array([0, 1, 0, 1]),
    ...     2,
    ...     np.array([True, False, False, True]),
    ...     np.array([0.6, 0.4, 0.7, 0.3]),
    ... )
    >>> hit_rate(rows).value
    0.5
    """
    hits = rows.hits
    if np.isin(hits, (0.0, 1.0)).all():
        return share_of(hits == 1, rows).figure()
    return figure_of(mean_of(hits, np.ones(len(rows))), rows, 0.0, 1.0)


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
    >>> rows = picked_from(
    ...     "doc",
    ...     np.array([0, 0, 1, 1]),
    ...     np.array([0, 1, 0, 1]),
    ...     2,
    ...     np.array([True, False, False, True]),
    ...     np.array([0.6, 0.4, 0.7, 0.3]),
    ... )
    >>> round(log_likelihood(rows).value, 4)
    -1.7148
    """
    if (rows.chosen <= 0).any():
        return absent(len(rows), _NO_CHANCE)
    m, reached = len(rows), mean_of(np.log(rows.chosen), np.ones(len(rows)))
    return figure_of(Linear(m * reached.value, m * reached.influence), rows, -np.inf, 0.0)


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
    >>> rows = picked_from(
    ...     "doc",
    ...     np.array([0, 0, 1, 1]),
    ...     np.array([0, 1, 0, 1]),
    ...     2,
    ...     np.array([True, False, False, True]),
    ...     np.array([0.6, 0.4, 0.7, 0.3]),
    ... )
    >>> round(rho_squared(rows).value, 4)
    -0.237
    """
    if (rows.chosen <= 0).any():
        return absent(len(rows), _NO_CHANCE)
    counted = np.ones(len(rows))
    ratio = ratio_of(mean_of(np.log(rows.chosen), counted), mean_of(np.log(rows.evenly), counted))
    return figure_of(Linear(1 - ratio.value, -ratio.influence), rows, -np.inf, 1.0)


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
    >>> rows = picked_from("", np.array([0, 0]), np.array([0, 1]), 2, np.array([True, False]), np.array([0.8, 0.2]))
    >>> observed_share(rows, 0).value
    1.0
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
    >>> rows = picked_from("", np.array([0, 0]), np.array([0, 1]), 2, np.array([True, False]), np.array([0.8, 0.2]))
    >>> predicted_share(rows, 1).value
    0.2
    """
    shares = rows.offered[:, place]
    m, mean = len(rows), float(shares.mean())
    error = float(np.sqrt((shares * (1 - shares)).sum())) / m
    return Figure(mean, m, "simulated_choices", Interval(_share_ends, mean, error)).marked(few=rows.few)


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
    >>> rows = picked_from("", np.array([0, 0]), np.array([0, 1]), 2, np.array([True, False]), np.array([0.8, 0.2]))
    >>> round(share_difference(rows, 0).value, 3)
    -0.2
    """
    error = rows.offered[:, place] - (rows.picked == place)
    return figure_of(mean_of(error, np.ones(len(rows))), rows, -1.0, 1.0).marked(few=rows.few)
