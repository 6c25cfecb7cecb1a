"""Bounds on the share of wrong labels, and its value from a marked random sample.

Probabilities that were learned from the labels are calibrated to the labels as they are, so where classes overlap
they can't tell a wrong label from a case that came out otherwise. The rows that are surest to be of a class can say how
often such a row is labelled otherwise at most; from below only marks prove anything.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, sqrt

import numpy as np

from brookfall.core.measure.figure import Figure, Interval
from brookfall.core.measure.interval import wilson
from brookfall.core.measure.scored import Codes, Numbers

_SUREST = 0.1
_OF_CLASS = 3
_FEWEST = 30
"""Of each class the surest tenth of all rows, but no more than a third of those labelled so, and at least 30."""


@dataclass(frozen=True)
class Surest:
    """The rows that are surest to be of a class, and how many of them are labelled otherwise.

    Attributes
    ----------
    share : float
        Share of all rows that is labelled as this class.
    rows, otherwise : int
        How many rows were taken, and how many of them have another label.
    at_most : float
        Upper limit of the share of rows of this class that are labelled otherwise.
    """

    share: float
    rows: int
    otherwise: int
    at_most: float


@dataclass(frozen=True)
class WrongLabels:
    """Between what the share of wrong labels lies, at a level.

    Attributes
    ----------
    at_most : float
        The upper bound, over all classes.
    by_class : tuple[Surest, ...]
        What it was put together from, class by class.
    """

    at_most: float
    by_class: tuple[Surest, ...]


def at_most_wrong(labels: Codes, probabilities: Numbers, level: float) -> WrongLabels:
    """The largest share of wrong labels that the surest rows of each class leave possible.

    Of each class the surest rows are held to be truly of it; how often they are labelled otherwise bounds how often any
    row of the class is (Wilson's upper limit, Bonferroni over the classes), where labels go wrong there as often as
    elsewhere. How many rows are truly of each class follows from the labels and these rates.

    Parameters
    ----------
    labels : Codes
        Codes of the labels, shape (n,).
    probabilities : Numbers
        Probabilities of rows that no fit has seen, shape (n, K).
    level : float
        Level of the bound, in (0, 1).

    Returns
    -------
    WrongLabels
        The bound, over all and class by class.

    References
    ----------
    Wilson 1927 (J. Am. Stat. Assoc. 22:209). That the surest rows bound the rate: after Northcutt, Jiang & Chuang 2021,
    whose noise rates rest on rows that are sure; simulated in tests/core/test_wrong_labels.py.

    Examples
    --------
    >>> rng = np.random.default_rng(1)
    >>> true = np.arange(1000) % 2
    >>> labels = np.where(rng.random(1000) < 0.1, 1 - true, true)
    >>> sure = np.where(true == 1, 0.9, 0.1) + rng.uniform(-0.05, 0.05, 1000)
    >>> 0.1 < at_most_wrong(labels, np.column_stack([1 - sure, sure]), 0.95).at_most < 0.25
    True
    """
    n, classes = probabilities.shape
    held = np.bincount(labels, minlength=classes)
    each = 2 * (1 - (1 - level) / classes) - 1  # One-sided: the upper end of a two-sided interval of this level.
    found = []
    for place in range(classes):
        wanted = min(max(_FEWEST, min(ceil(_SUREST * n), int(held[place]) // _OF_CLASS)), n)
        rows = np.argsort(-probabilities[:, place], kind="stable")[:wanted]
        otherwise = int((labels[rows] != place).sum())
        found.append(Surest(float(held[place] / n), wanted, otherwise, wilson(otherwise, wanted, each)[1]))
    return WrongLabels(_largest(found), tuple(found))


def _largest(found: Sequence[Surest]) -> float:
    """The largest share that is labelled otherwise, over all ways in which rows can truly be of the classes.

    At most so many are of a class as would leave those labelled so, were as many labelled otherwise as can be; and all
    are of some class, so the classes with the largest rates are filled first.
    """
    left, total = 1.0, 0.0
    for one in sorted(found, key=lambda each: -each.at_most):
        most = 1.0 if one.at_most >= 1 else min(1.0, one.share / (1 - one.at_most))
        taken = min(left, most)
        total += taken * one.at_most
        left -= taken
    return total


def wrong_in_sample(suspects: tuple[int, int, int], others: tuple[int, int, int]) -> Figure:
    """The share of wrong labels from a marked random sample of suspects and of the others.

    Parameters
    ----------
    suspects, others : tuple[int, int, int]
        How many rows there are of each, how many were drawn and marked, and how many of these are wrong.

    Returns
    -------
    Figure
        The stratified share; its interval adds the arms of Wilson's intervals in squares (Zou & Donner 2008).

    Examples
    --------
    >>> figure = wrong_in_sample((200, 40, 30), (800, 40, 0))
    >>> round(figure.value, 3), [round(end, 3) for end in figure.interval(0.95)]
    (0.15, [0.12, 0.223])
    """
    total = suspects[0] + others[0]
    strata = tuple((size / total, drawn, wrong) for size, drawn, wrong in (suspects, others) if size)
    value = sum(weight * wrong / drawn for weight, drawn, wrong in strata)
    return Figure(value, suspects[1] + others[1], "stratified_wilson", Interval(_stratified_ends, strata))


def _stratified_ends(strata: tuple[tuple[float, int, int], ...], level: float) -> tuple[float, float]:
    below = above = value = 0.0
    for weight, drawn, wrong in strata:
        share = wrong / drawn
        low, high = wilson(wrong, drawn, level)
        value += weight * share
        below += (weight * (share - low)) ** 2
        above += (weight * (high - share)) ** 2
    return max(0.0, value - sqrt(below)), min(1.0, value + sqrt(above))
