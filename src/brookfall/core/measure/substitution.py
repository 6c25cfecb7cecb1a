"""What an alternative takes from the others: elasticities of a choice, and the test that the others are independent."""

from collections.abc import Callable

import numpy as np
import scipy

from brookfall.core.measure.figure import Figure, Interval, absent, normal_ends
from brookfall.core.measure.paired_tests import Test
from brookfall.core.measure.scored import Numbers

_STEP = 1e-5


def elasticities(offered: Numbers, effect: Numbers) -> tuple[Numbers, Numbers]:
    """By how many per cent 1 % more of a feature of one alternative changes its expected share, and that of the others.

    Of the summed probabilities Σ p over m occasions, exactly: own Σ p (1 − p) e / Σ p; the others together
    −Σ p (1 − p) e / Σ (1 − p), where e = ∂u/∂ln x is the effect on utility (Train 2009, ch. 2 and 3.6, from memory).

    Parameters
    ----------
    offered : Numbers
        The probability of each of k alternatives on m occasions, 0 where it could not be had; shape (m, k).
    effect : Numbers
        The coefficient times the feature's value, per alternative and occasion; shape (m, k).

    Returns
    -------
    tuple[Numbers, Numbers]
        Of each alternative its own elasticity, and that of all others together; both (k,), NaN where it was never
        there.

    References
    ----------
    Train, K. E. 2009, Discrete Choice Methods with Simulation, Cambridge University Press (from memory).

    Examples
    --------
    >>> offered = np.array([[0.25, 0.75]])
    >>> [each.tolist() for each in elasticities(offered, np.array([[2.0, 2.0]]))]
    [[1.5, 0.5], [-0.5, -1.5]]
    """
    moved = (offered * (1 - offered) * effect).sum(axis=0)
    own, others = offered.sum(axis=0), (1 - offered).sum(axis=0)
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.where(own > 0, moved / own, np.nan), np.where(own > 0, -moved / others, np.nan)


def delta_figures(of: Callable[[Numbers], Numbers], estimates: Numbers, covariance: Numbers, n: int) -> list[Figure]:
    """Functions of estimated coefficients with intervals by the delta method, its slopes by central differences.

    Parameters
    ----------
    of : Callable[[Numbers], Numbers]
        From coefficients (p,) to values (q,), NaN where there is none.
    estimates, covariance : Numbers
        The coefficients (p,) and their covariance (p, p).
    n : int
        The units that the values are of.

    Returns
    -------
    list[Figure]
        q figures.

    Examples
    --------
    >>> figure, = delta_figures(lambda b: b**2, np.array([3.0]), np.array([[0.01]]), 50)
    >>> figure.value, [round(end, 3) for end in figure.interval(0.95)]
    (9.0, [7.824, 10.176])
    """
    values = of(estimates)
    errors = np.sqrt(np.diag(covariance))
    slopes = np.empty((len(values), len(estimates)))
    for place, error in enumerate(errors):
        step = np.zeros(len(estimates))
        step[place] = _STEP * max(abs(float(estimates[place])), float(error))
        slopes[:, place] = (of(estimates + step) - of(estimates - step)) / (2 * step[place])
    variances = np.einsum("ij,jk,ik->i", slopes, covariance, slopes)
    return [
        Figure(float(value), n, "delta", Interval(normal_ends, float(value), float(np.sqrt(max(variance, 0.0)))))
        if np.isfinite(value)
        else absent(n, "it could not be had on any of these occasions")
        for value, variance in zip(values, variances, strict=True)
    ]


def independence(whole: tuple[Numbers, Numbers], without: tuple[Numbers, Numbers]) -> Test | None:
    """Whether coefficients change when one alternative is left out: they should not where the others are independent.

    (b₁ − b₀)ᵀ (V₁ − V₀)⁻¹ (b₁ − b₀) of the coefficients b₁ without it and b₀ with it, chi-square with as many degrees
    of freedom as coefficients (Hausman & McFadden 1984).

    Parameters
    ----------
    whole, without : tuple[Numbers, Numbers]
        The same coefficients (p,) with their covariance (p, p), from all alternatives and without one.

    Returns
    -------
    Test | None
        The test; None where V₁ − V₀ is not positive definite, which is common and no evidence against independence.

    References
    ----------
    Hausman, J. & McFadden, D. 1984, Econometrica 52:1219.

    Examples
    --------
    >>> one = np.array([[1.0]])
    >>> independence((np.array([1.0]), one), (np.array([3.0]), 2 * one)).statistic
    4.0
    """
    apart, spread = without[0] - whole[0], without[1] - whole[1]
    scale = np.sqrt(np.diag(whole[1]))
    # In units of the standard errors, so that no column's own unit decides what is definite.
    apart, spread = apart / scale, spread / np.outer(scale, scale)
    if np.linalg.eigvalsh(spread).min() <= 1e-10:
        return None
    statistic = float(apart @ np.linalg.solve(spread, apart))
    return Test(statistic, float(scipy.special.chdtrc(len(apart), statistic)), "hausman_mcfadden")
