"""How far from chance to perfect a measure lies, and what chance is."""

import numpy as np

from brookfall.core.measure.registry import forms
from brookfall.core.measure.scored import Numbers


def measure_of_capacity(measure: str, outcome: str) -> str:
    """The measure that capacity is read from: the one asked for, or else the first that has a chance value.

    >>> measure_of_capacity("brier", "binary"), measure_of_capacity("accuracy", "binary")
    ('auc', 'accuracy')
    """
    known = [name for name, form in forms(outcome).items() if form.chance is not None]
    return measure if measure in known else known[0]


def chance(measure: str, outcome: str, shares: Numbers) -> float:
    """What a guess without looking reaches; ``shares`` (K,) are those of the classes, empty for a number.

    >>> chance("accuracy", "binary", np.array([0.7, 0.3])), chance("r2", "number", np.array([]))
    (0.7, 0.0)
    """
    by = forms(outcome)[measure].chance
    return 0.0 if by is None else by(shares)


def capacity(values: Numbers, at_chance: float) -> Numbers:
    """How far values (n,) lie from chance to 1, from 0 to 1; nothing is less than chance.

    >>> capacity(np.array([0.4, 0.75, 1.0]), 0.5).tolist()
    [0.0, 0.5, 1.0]
    """
    return np.clip((values - at_chance) / (1 - at_chance), 0.0, 1.0)
