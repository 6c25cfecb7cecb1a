"""Separation: columns that tell outcomes apart so well that their coefficients have no end, and a fit that has one."""

import numpy as np
import scipy
from numpy.typing import NDArray

from brookfall.core.recipe.family.family import Matrix

Values = NDArray[np.float64]
_STEPS, _HALVINGS = 500, 30
_END, _LONGEST = 1e-9, 5.0
_FAR = 10.0
"""Log odds over a column's whole range beyond which it is looked at for separation."""


def looks_separated(design: Matrix, estimates: Values) -> bool:
    """Whether a coefficient is so large that separation may be behind it; cheap, and never wrong about the rest.

    >>> looks_separated(np.array([[1.0, 0.0], [1.0, 1.0]]), np.array([0.1, 25.0]))
    True
    """
    return bool((np.abs(estimates) * np.maximum(np.ptp(design, axis=0), 1e-300) > _FAR).any())


def separated_columns(design: Matrix, outcomes: Values) -> NDArray[np.bool_]:
    """Which columns have a coefficient without end in a logistic regression: complete or quasi-complete separation.

    A linear programme asks for a direction along which no row is on the wrong side and some are on the right one
    (Konis 2007, from memory; Albert & Anderson 1984).

    Parameters
    ----------
    design : Matrix
        n rows of p columns, the constant among them.
    outcomes : Values
        0 or 1 of each row, shape (n,).

    Returns
    -------
    NDArray[np.bool_]
        Shape (p,); all False where the highest likelihood is reached.

    Examples
    --------
    >>> design = np.column_stack([np.ones(6), [0, 0, 0, 0, 1, 1.0], [1, 2, 3, 4, 2, 3.0]])
    >>> separated_columns(design, np.array([0, 1, 0, 1, 1, 1.0])).tolist()
    [False, True, False]
    """
    sides = np.where(outcomes > 0.5, 1.0, -1.0)
    scale = np.maximum(np.abs(design).max(axis=0), 1e-300)
    wrong = -(sides[:, None] * design / scale)
    complete = _fewest_that_part_all(wrong, design)
    if complete is not None:
        return complete
    found = scipy.optimize.linprog(
        wrong.sum(axis=0), A_ub=wrong, b_ub=np.zeros(len(outcomes)), bounds=(-1, 1), method="highs"
    )
    if found.x is None or found.fun is None or found.fun > -1e-7:
        return np.zeros(design.shape[1], dtype=np.bool_)
    return np.abs(found.x) > 1e-7


def _fewest_that_part_all(wrong: Matrix, design: Matrix) -> NDArray[np.bool_] | None:
    """Where every row can lie on its own side: the columns of the shortest such direction, which are few; else None.

    ``wrong`` is the design, scaled, with its sign turned on the rows of outcome 1. A constant costs nothing.
    """
    n, p = wrong.shape
    cost = np.tile(np.where(np.ptp(design, axis=0) > 0, 1.0, 0.0), 2)
    found = scipy.optimize.linprog(
        cost, A_ub=np.hstack([wrong, -wrong]), b_ub=-np.ones(n), bounds=(0, None), method="highs"
    )
    if found.x is None:
        return None
    return (np.abs(found.x[:p] - found.x[p:]) > 1e-7) & (np.ptp(design, axis=0) > 0)


def firth(design: Matrix, outcomes: Values, weights: Values | None = None) -> Values:
    """Firth's penalised logistic regression: estimates (p,) in the first row, their covariance (p, p) below.

    The penalty is Jeffreys' prior; it has an end where the likelihood has none, and less bias elsewhere.

    Parameters
    ----------
    design : Matrix
        n rows of p columns of full rank, the constant among them.
    outcomes : Values
        0 or 1 of each row, shape (n,).
    weights : Values | None
        What each row counts, above 0, shape (n,).

    Returns
    -------
    Values
        Shape (1 + p, p). ValueError where it does not converge.

    References
    ----------
    Firth, D. 1993, Biometrika 80:27 (from memory); Heinze, G. & Schemper, M. 2002, Stat. Med. 21:2409.

    Examples
    --------
    >>> design = np.column_stack([np.ones(8), [0, 0, 0, 0, 1, 1, 1, 1.0]])
    >>> [round(float(one), 4) for one in firth(design, np.array([0, 0, 1, 1, 1, 1, 1, 1.0]))[0]]
    [0.0, 2.1972]
    """
    counted = np.ones(len(outcomes)) if weights is None else weights
    beta = np.zeros(design.shape[1])
    value, inverse, score = _penalised(design, outcomes, counted, beta)
    for _ in range(_STEPS):
        step = inverse @ score
        longest = float(np.abs(step).max())
        if longest < _END * max(1.0, float(np.abs(beta).max())):
            return np.vstack([beta, inverse])
        step = step if longest <= _LONGEST else step * _LONGEST / longest
        # Where outcomes are told apart a whole step may overshoot for ever: it is halved until it gains.
        for _ in range(_HALVINGS):
            higher, inverse, score = _penalised(design, outcomes, counted, beta + step)
            if higher >= value - _END:
                break
            step = step / 2
        beta, value = beta + step, higher
    raise ValueError("the penalised fit does not converge")


def _penalised(design: Matrix, outcomes: Values, counted: Values, beta: Values) -> tuple[float, Values, Values]:
    """The penalised log-likelihood at these coefficients, the inverse information, and the score."""
    linear = design @ beta
    chance = scipy.special.expit(linear)
    spread = counted * chance * (1 - chance)
    bread = (design * spread[:, None]).T @ design
    inverse = np.asarray(np.linalg.inv(bread), dtype=np.float64)
    leverage = spread * np.einsum("ij,jk,ik->i", design, inverse, design)
    score = np.asarray(design.T @ (counted * (outcomes - chance) + leverage * (0.5 - chance)), dtype=np.float64)
    likelihood = float(counted @ (outcomes * linear - np.logaddexp(0.0, linear)))
    return likelihood + 0.5 * float(np.linalg.slogdet(bread)[1]), inverse, score
