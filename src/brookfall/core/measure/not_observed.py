"""What is known where outcomes exist only for rows that somebody chose to look at.

The worst and the best that the other rows could be (Manski 1990), and what they would be if the odds of a positive
among them were a stated multiple of those of rows with the same score.
"""

from dataclasses import dataclass, replace

import numpy as np
import scipy
from numpy.typing import NDArray
from sklearn.linear_model import LogisticRegression

from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import Codes, Numbers, Scored

_CLIP = 1e-9
BOUNDED = (
    *("auc", "base_rate", "accuracy", "error_rate", "balanced_accuracy", "recall", "precision", "f1"),
    *("true_positive_rate", "false_positive_rate", "positive_predictive_value", "negative_predictive_value"),
)
"""Measures of which it is known with what outcomes of the other rows they are least and most."""


@dataclass(frozen=True)
class Unseen:
    """u rows without an outcome: their scores, what each counts beside a row with an outcome (None: as much), and the
    groups they come in, by the codes of the rows with an outcome (None: each stands for itself); all of shape (u,)."""

    scores: Numbers
    weights: Numbers | None = None
    clusters: Codes | None = None

    def __len__(self) -> int:
        return len(self.scores)

    @property
    def counted(self) -> Numbers:
        return np.ones(len(self)) if self.weights is None else self.weights


@dataclass(frozen=True)
class Bounds:
    """The least and the most that a measure of all rows can be, each with the interval that sampling leaves it.

    Attributes
    ----------
    least, most : Figure
        The measure where the outcomes of unseen rows are the worst and the best for it.
    """

    least: Figure
    most: Figure


def bounds(name: str, rows: Scored, unseen: Unseen) -> Bounds:
    """The measure of all rows, whatever the outcomes of those without one (Manski 1990).

    The measures of ``BOUNDED`` but AUC only rise or only fall with each unseen positive that is selected, and with each
    that is not: they are least and most where all of one kind and none of the other are positive, or all, or none. AUC
    is where the lowest or the highest scores among unseen rows are the positive ones, so many as make it extreme.

    Parameters
    ----------
    name : str
        One of ``BOUNDED``.
    rows : Scored
        n rows with an outcome.
    unseen : Unseen
        Rows without one.

    Returns
    -------
    Bounds
        The least and the most, each of n + u rows; absent for AUC where unseen rows count differently, as the exchange
        of two of them then proves nothing.

    Raises
    ------
    KeyError
        Nothing is known of where this measure is extreme.

    References
    ----------
    Manski, C. F. 1990, Am. Econ. Rev. 80:319 (from memory).

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(60) < 30, scores=np.linspace(1, 0, 60), threshold=0.5)
    >>> found = bounds("recall", rows, Unseen(np.array([0.9, 0.9, 0.1])))
    >>> found.least.value, found.most.value
    (0.967741935483871, 1.0)
    """
    if name not in BOUNDED:
        raise KeyError(f"the bounds of {name} are not known; those of {', '.join(BOUNDED)} are")
    if not len(unseen):
        return Bounds(measure(name, rows), measure(name, rows))
    if name == "auc" and np.ptp(unseen.counted) > 0:
        none = absent(len(rows) + len(unseen), "rows that were not looked at count differently")
        return Bounds(none, none)
    found = [measure(name, completed(rows, unseen, positive)) for positive in _corners(name, rows, unseen)]
    known = [figure for figure in found if figure.value is not None] or found
    return Bounds(
        min(known, key=lambda figure: figure.value or 0.0), max(known, key=lambda figure: figure.value or 0.0)
    )


def _corners(name: str, rows: Scored, unseen: Unseen) -> list[NDArray[np.bool_]]:
    """Outcomes of unseen rows among which are those that make the measure least and most."""
    if name == "auc":
        return _corners_of_auc(rows, unseen)
    everyone = np.ones(len(unseen), dtype=np.bool_)
    corners = [everyone, ~everyone]
    if rows.threshold is not None:
        selected = unseen.scores >= rows.threshold
        corners += [selected, ~selected]
    return corners


def _corners_of_auc(rows: Scored, unseen: Unseen) -> list[NDArray[np.bool_]]:
    """The outcomes under which AUC is least and most.

    Whatever the number of positives, exchanging two rows shows that they are the lowest scores, or the highest: so
    only their number has to be tried, all at once from running sums.
    """
    order = np.argsort(unseen.scores, kind="stable")
    scores, w, u = unseen.scores[order], float(unseen.counted[0]), len(unseen)
    positive, negative = rows.scores[rows.outcomes], rows.scores[~rows.outcomes]
    of_positive, of_negative = rows.counted[rows.outcomes], rows.counted[~rows.outcomes]
    # What each unseen row beats as a positive, and is beaten by as a negative; summed over the lowest so many.
    beats = _up_to(w * _beaten(scores, negative, of_negative))
    is_beaten = _up_to(w * _beaten(-scores, -positive, of_positive))
    held = float(of_positive @ _beaten(positive, negative, of_negative))
    count = np.arange(u + 1)
    ties = w * w * 0.5 * _ties_across(scores)
    # The first k are positive (least), or all but the first k (most).
    least = held + beats + (is_beaten[-1] - is_beaten) + ties
    most = held + (beats[-1] - beats) + is_beaten + w * w * count * (u - count) - ties
    p, n = float(of_positive.sum()), float(of_negative.sum())
    found = []
    for won, positives, sign in ((least, count, 1.0), (most, u - count, -1.0)):
        pairs = (p + w * positives) * (n + w * (u - positives))
        value = np.where(pairs > 0, sign * won / np.where(pairs > 0, pairs, 1.0), np.inf)
        k = int(np.argmin(value))
        first = np.zeros(u, dtype=np.bool_)
        first[order[:k]] = True
        found.append(first if sign > 0 else ~first)
    return found


def _up_to(values: Numbers) -> Numbers:
    return np.concatenate([[0.0], np.cumsum(values)])


def _beaten(values: Numbers, others: Numbers, weights: Numbers) -> Numbers:
    """The weight of the others that lie below each value, half of those that equal it; shape as ``values``."""
    order = np.argsort(others, kind="stable")
    reach = _up_to(weights[order])
    low, high = (np.searchsorted(others[order], values, side=side) for side in ("left", "right"))
    return (reach[low] + reach[high]) / 2


def _ties_across(rising: Numbers) -> Numbers:
    """How many pairs of equal values a cut after the first k parts, for k from 0 to u; shape (u + 1,)."""
    cuts = np.arange(len(rising) + 1)
    found = np.zeros(len(cuts))
    inner = cuts[1:-1]
    if len(inner):
        first = np.searchsorted(rising, rising[inner - 1], side="left")
        last = np.searchsorted(rising, rising[inner - 1], side="right")
        found[1:-1] = (inner - first) * np.maximum(last - inner, 0)
    return found


def completed(rows: Scored, unseen: Unseen, positive: NDArray[np.bool_]) -> Scored:
    """All rows, those without an outcome given one.

    Parameters
    ----------
    rows : Scored
        n rows with an outcome.
    unseen : Unseen
        u rows without one.
    positive : NDArray[np.bool_]
        The outcomes they are given, shape (u,).

    Returns
    -------
    Scored
        n + u rows.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.array([True]), scores=np.array([0.9]), threshold=0.5)
    >>> completed(rows, Unseen(np.array([0.2])), np.array([False])).outcomes.tolist()
    [True, False]
    """
    return _joined(rows, unseen, positive)


def at_odds(name: str, rows: Scored, unseen: Unseen, odds_ratio: float) -> Figure:
    """The measure of all rows if the odds of a positive among unseen rows were a multiple of those of like rows.

    Like rows are rows with an outcome and the same score: their odds come from a logistic regression of the outcome on
    the logit of the score. Each unseen row then counts in part as a positive and in part as a negative; the interval
    takes these parts as known.

    Parameters
    ----------
    name : str
        A measure of a yes/no outcome.
    rows : Scored
        n rows with an outcome, both among them.
    unseen : Unseen
        u rows without one.
    odds_ratio : float
        The odds of a positive among unseen rows over those of like rows, above 0.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(60) % 2 < 1, scores=np.full(60, 0.5), threshold=0.5)
    >>> round(at_odds("base_rate", rows, Unseen(np.full(60, 0.5)), 3.0).value, 3)
    0.625
    """
    chance = chances_of(rows, unseen, odds_ratio)
    u, own = len(unseen), unseen.clusters
    # Each row stands there twice, and is one unit.
    units = _beyond(rows) + np.arange(u) if own is None else own
    both = Unseen(
        np.tile(unseen.scores, 2),
        np.tile(unseen.counted, 2) * np.concatenate([chance, 1 - chance]),
        np.tile(units, 2),
    )
    found = measure(name, _joined(rows, both, np.repeat([True, False], u)))
    # Its n counts each of them once: as many as it would be of, were they all of one outcome or all of the other.
    n = max(measure(name, completed(rows, unseen, np.full(u, hit))).n for hit in (True, False))
    return replace(found, n=n)


def chances_of(rows: Scored, unseen: Unseen, odds_ratio: float) -> Numbers:
    """The chance of a positive for each unseen row, at odds that are a multiple of those of like rows.

    Parameters
    ----------
    rows : Scored
        n rows with an outcome, both among them.
    unseen : Unseen
        u rows without one.
    odds_ratio : float
        The odds of a positive among unseen rows over those of like rows, above 0.

    Returns
    -------
    Numbers
        Chances, shape (u,).

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(60) % 2 < 1, scores=np.full(60, 0.5), threshold=0.5)
    >>> chances_of(rows, Unseen(np.array([0.5])), 3.0).round(3).tolist()
    [0.75]
    """
    both = np.concatenate([rows.scores, unseen.scores])
    on_logit = bool(((both >= 0) & (both <= 1)).all())
    known, asked = (_logit(each) if on_logit else each for each in (rows.scores, unseen.scores))
    spread = float(known.std())
    if spread == 0:
        share = float(rows.counted @ rows.outcomes / rows.counted.sum())
        usual = np.full(len(unseen), scipy.special.logit(share))
    else:
        centre = float(known.mean())
        fitted = LogisticRegression(C=np.inf, max_iter=1000).fit(
            ((known - centre) / spread)[:, None], rows.outcomes, sample_weight=rows.counted
        )
        usual = fitted.decision_function(((asked - centre) / spread)[:, None])
    return np.asarray(scipy.special.expit(usual + np.log(odds_ratio)))


def looked_at(rows: Scored, unseen: Unseen) -> Scored:
    """Whether a row was looked at, as told by its score: its AUC is 0.5 where those looked at were chosen without
    regard to what the score knows.

    Parameters
    ----------
    rows : Scored
        n rows with an outcome.
    unseen : Unseen
        u rows without one.

    Returns
    -------
    Scored
        n + u rows, positive where they have an outcome.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.array([True]), scores=np.array([0.9]), threshold=0.5)
    >>> looked_at(rows, Unseen(np.array([0.2]))).outcomes.tolist()
    [True, False]
    """
    joined = _joined(rows, unseen, np.zeros(len(unseen), dtype=np.bool_))
    looked = np.repeat([True, False], [len(rows), len(unseen)])
    return replace(joined, key=f"{rows.key}/looked at", outcomes=looked, threshold=None)


def _joined(rows: Scored, unseen: Unseen, positive: NDArray[np.bool_]) -> Scored:
    """Rows with an outcome, and after them others that were given one."""
    plain = rows.weights is None and unseen.weights is None
    own = np.arange(len(rows)) if rows.clusters is None else rows.clusters
    others = _beyond(rows) + np.arange(len(unseen)) if unseen.clusters is None else unseen.clusters
    alone = rows.clusters is None and unseen.clusters is None
    return Scored(
        key=f"{rows.key}/completed",
        outcomes=np.concatenate([rows.outcomes, positive]),
        scores=np.concatenate([rows.scores, unseen.scores]),
        threshold=rows.threshold,
        weights=None if plain else np.concatenate([rows.counted, unseen.counted]),
        clusters=None if alone else np.concatenate([own, others]),
    )


def _beyond(rows: Scored) -> int:
    """The first code that no group of these rows has."""
    return len(rows) if rows.clusters is None else int(rows.clusters.max(initial=-1)) + 1


def _logit(shares: Numbers) -> Numbers:
    return np.asarray(scipy.special.logit(np.clip(shares, _CLIP, 1 - _CLIP)))
