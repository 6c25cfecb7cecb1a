"""How far from chance to perfect a measure lies, and what chance is."""

import numpy as np

from brookfall.core.measure.registry import forms
from brookfall.core.measure.scored import Numbers


def measure_of_capacity(measure: str, outcome: str) -> str:
    """The measure that capacity is read from: the one asked for, or else the first that has a chance value.

    Parameters
    ----------
    measure : str
        The measure that a plan judges by.
    outcome : str
        The kind of outcome.

    Returns
    -------
    str
        The name of a measure with a chance value.

    Examples
    --------
    >>> measure_of_capacity("brier", "binary"), measure_of_capacity("accuracy", "binary")
    ('auc', 'accuracy')
    """
    known = [name for name, form in forms(outcome).items() if form.chance is not None]
    return measure if measure in known else known[0]


def chance(measure: str, outcome: str, shares: Numbers) -> float:
    """What a guess without looking reaches; ``shares`` (K,) are those of the classes, empty for a number.

    Parameters
    ----------
    measure : str
        A measure with a chance value.
    outcome : str
        The kind of outcome.
    shares : Numbers
        Shares of the classes, shape (K,); empty for a number.

    Returns
    -------
    float
        The value of a guess.

    Examples
    --------
    >>> chance("accuracy", "binary", np.array([0.7, 0.3])), chance("r2", "number", np.array([]))
    (0.7, 0.0)
    """
    by = forms(outcome)[measure].chance
    return 0.0 if by is None else by(shares)


def capacity(values: Numbers, at_chance: float) -> Numbers:
    """How far values (n,) lie from chance to 1, from 0 to 1; nothing is less than chance.

    Parameters
    ----------
    values : Numbers
        Values of the measure, shape (n,).
    at_chance : float
        The measure's value by chance, below 1.

    Returns
    -------
    Numbers
        Capacities in [0, 1], shape (n,).

    Examples
    --------
    >>> capacity(np.array([0.4, 0.75, 1.0]), 0.5).tolist()
    [0.0, 0.5, 1.0]
    """
    return np.clip((values - at_chance) / (1 - at_chance), 0.0, 1.0)
