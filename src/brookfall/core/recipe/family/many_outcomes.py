"""One design and many outcomes: linear families fitted to all of them at once.

Shuffled outcomes share their rows, so what is expensive, the curvature of the columns, is worked out once.
"""

import numpy as np
import scipy
from numpy.typing import NDArray

from brookfall.core.recipe.family.family import Made, Matrix, Straight

Outcomes = NDArray[np.float64]
_STEPS = 60
_CLOSE = 1e-8
"""How small every slope of the mean loss must be, as in the fit of one outcome alone."""


def many_logistic(made: Made, design: Matrix, outcomes: Outcomes, weights: Matrix | None) -> list[Straight | None]:
    """A logistic regression of each outcome (n, m) of 0 and 1 on the design (n, p); None where it does not settle.

    Newton steps with the curvature at the outcome's mean (Böhning & Lindsay 1988, Ann. Inst. Stat. Math. 40:641):
    one factor serves all. With an outcome that the columns hardly tell, as shuffled ones are, they settle fast.

    Parameters
    ----------
    made : Made
        The family's estimator, which gives the penalty.
    design : Matrix
        The columns after preprocessing, shape (n, p).
    outcomes : Outcomes
        Outcomes of 0 and 1, shape (n, m).
    weights : Matrix | None
        Weights, shape (n,); None where all count alike.

    Returns
    -------
    list[Straight | None]
        m lines; None in the place of one that does not settle.

    References
    ----------
    Böhning, D. & Lindsay, B. G. 1988, Ann. Inst. Stat. Math. 40:641.

    Examples
    --------
    >>> from brookfall.core.recipe.families import resolved_settings
    >>> from brookfall.core.recipe.recipe import Recipe
    >>> made = Made(resolved_settings(Recipe(family="logistic")), "binary", 0)
    >>> design, outcomes = np.array([[-1.0], [0.0], [1.0], [2.0]]), np.array([[0.0, 1, 0, 1], [1.0, 0, 1, 0]]).T
    >>> [round(float(line.coefficients[0, 0]), 3) for line in many_logistic(made, design, outcomes, None)]
    [0.908, -0.908]
    """
    settings = made.settings
    if settings.class_weight is not None or (settings.penalty not in ("none", "l2") and settings.strength > 0):
        return [None] * outcomes.shape[1]
    counted = np.ones(len(design)) if weights is None else weights
    total = float(counted.sum())
    strength = 0.0 if settings.penalty == "none" else settings.strength
    columns = np.column_stack([np.ones(len(design)), design])
    penalty = np.full(columns.shape[1], strength)
    penalty[0] = 0.0
    means = counted @ outcomes / total
    # Of shuffled outcomes all have one mean, or nearly so: the largest curvature suits every one.
    spread = float((means * (1 - means)).max())
    try:
        inverse = scipy.linalg.pinvh(spread * (columns.T * counted) @ columns + np.diag(penalty))
    except (scipy.linalg.LinAlgError, ValueError):
        return [None] * outcomes.shape[1]
    found = np.zeros((columns.shape[1], outcomes.shape[1]))
    with np.errstate(divide="ignore"):
        found[0] = np.log(means) - np.log1p(-means)
    going = np.flatnonzero(np.isfinite(found[0]))
    for _ in range(_STEPS):
        left = outcomes[:, going] - scipy.special.expit(columns @ found[:, going])
        slopes = columns.T @ (left * counted[:, None]) - penalty[:, None] * found[:, going]
        far = np.flatnonzero(np.abs(slopes).max(axis=0) > _CLOSE * total)
        going, slopes = going[far], slopes[:, far]
        if not len(going):
            break
        found[:, going] += inverse @ slopes
    settled = set(np.flatnonzero(np.isfinite(found).all(axis=0)).tolist()) - set(going.tolist())
    return [
        Straight(found[1:, [place]], found[:1, place], "logistic") if place in settled else None
        for place in range(outcomes.shape[1])
    ]


def many_squares(made: Made, design: Matrix, outcomes: Outcomes, weights: Matrix | None) -> list[Straight | None]:
    """Least squares of each outcome (n, m), with the ridge's penalty where there is one; the smallest of equals.

    Parameters
    ----------
    made : Made
        The family's estimator, which gives the penalty.
    design : Matrix
        The columns after preprocessing, shape (n, p).
    outcomes : Outcomes
        Outcomes, shape (n, m).
    weights : Matrix | None
        Weights, shape (n,); None where all count alike.

    Returns
    -------
    list[Straight | None]
        m lines.

    Examples
    --------
    >>> from brookfall.core.recipe.families import resolved_settings
    >>> from brookfall.core.recipe.recipe import Recipe
    >>> made = Made(resolved_settings(Recipe(family="linear")), "number", 0)
    >>> design, outcomes = np.array([[0.0], [1.0], [2.0]]), np.array([[1.0, 3.0, 5.0], [0.0, 0.0, 3.0]]).T
    >>> [round(float(line.coefficients[0, 0]), 6) for line in many_squares(made, design, outcomes, None)]
    [2.0, 1.5]
    """
    strength = float(getattr(made.settings, "strength", 0.0))
    counted = np.ones(len(design)) if weights is None else weights
    share = counted / counted.sum()
    centre, means = share @ design, share @ outcomes
    centred = design - centre
    gram = (centred.T * counted) @ centred + strength * np.eye(design.shape[1])
    coefficients = scipy.linalg.pinvh(gram) @ ((centred.T * counted) @ (outcomes - means))
    intercepts = means - centre @ coefficients
    return [Straight(coefficients[:, [place]], intercepts[[place]], "identity") for place in range(outcomes.shape[1])]
