"""How far from chance to perfect a measure lies, and what chance is."""

import numpy as np

from brookfall.core.measure.scored import Numbers

MEASURES: dict[str, tuple[str, ...]] = {
    "binary": ("auc", "accuracy", "balanced_accuracy", "kappa", "mcc"),
    "multiclass": ("balanced_accuracy", "accuracy", "auc", "kappa", "mcc"),
    "number": ("r2",),
}
"""Measures with a value for chance and one for perfection, by kind of outcome; the first where another is asked for."""


def scale_of(measure: str, outcome: str) -> str:
    """The measure that capacity is read from: the one asked for, or else the first that has a chance value.

    >>> scale_of("brier", "binary"), scale_of("accuracy", "binary")
    ('auc', 'accuracy')
    """
    known = MEASURES[outcome]
    return measure if measure in known else known[0]


def chance(measure: str, shares: Numbers) -> float:
    """What a guess without looking reaches; ``shares`` (K,) are those of the classes, empty for a number.

    >>> chance("accuracy", np.array([0.7, 0.3])), chance("auc", np.array([0.7, 0.3])), chance("r2", np.array([]))
    (0.7, 0.5, 0.0)
    """
    if measure == "accuracy":
        return float(shares.max())
    if measure == "balanced_accuracy":
        return 1 / len(shares)
    return 0.5 if measure == "auc" else 0.0


def capacity(values: Numbers, at_chance: float) -> Numbers:
    """How far values (n,) lie from chance to 1, from 0 to 1; nothing is less than chance.

    >>> capacity(np.array([0.4, 0.75, 1.0]), 0.5).tolist()
    [0.0, 0.5, 1.0]
    """
    return np.clip((values - at_chance) / (1 - at_chance), 0.0, 1.0)
