"""Conditional logit: which alternative of an occasion is chosen (McFadden 1974), by maximum likelihood."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from brookfall.core.recipe.family.family import Estimator, Family, Made, Matrix, Settings

_MOST_STEPS = 100
_CONVERGED = 1e-10
_FAR = 1e3
"""A standard error, in units of a column's own spread, that no estimate with an end has."""


@dataclass(frozen=True)
class Occasions:
    """Which rows stand side by side: ``occasion`` and ``alternative`` are codes, of shape (n,); ``alternatives`` how
    many of these there are."""

    occasion: NDArray[np.int64]
    alternative: NDArray[np.int64]
    alternatives: int

    def take(self, rows: NDArray[np.int64]) -> "Occasions":
        return Occasions(self.occasion[rows], self.alternative[rows], self.alternatives)

    def constants(self) -> Matrix:
        """A column of 0 and 1 for every alternative; shape (n, alternatives)."""
        return (self.alternative[:, None] == np.arange(self.alternatives)).astype(np.float64)

    @property
    def held(self) -> NDArray[np.bool_]:
        """Which alternatives any row is of; shape (alternatives,)."""
        return np.bincount(self.alternative, minlength=self.alternatives) > 0

    def shares(self, utilities: NDArray[np.float64]) -> NDArray[np.float64]:
        """The probability of each row's alternative among those of its occasion; shape (n,), 1 over an occasion.

        >>> side = Occasions(np.array([0, 0, 1]), np.array([0, 1, 0]), 2)
        >>> side.shares(np.array([0.0, 0.0, 5.0])).tolist()
        [0.5, 0.5, 1.0]
        """
        _, code = np.unique(self.occasion, return_inverse=True)
        highest = np.full(code.max() + 1, -np.inf)
        np.maximum.at(highest, code, utilities)
        grown = np.exp(utilities - highest[code])
        return np.asarray(grown / np.bincount(code, grown)[code])


@dataclass
class ConditionalLogit:
    """Utility is linear in the prepared columns; ``constants`` adds one for every alternative but the first.

    After ``fit``: ``estimates`` of shape (p,), constants last, and ``covariance`` (p, p), the inverse of the
    information. The constants are those against the first alternative that training rows are of; its own, and that of
    an alternative of which no row is, are NaN. ``held`` (alternatives,) says which ones rows are of.
    """

    constants: bool
    estimates: NDArray[np.float64] = field(default_factory=lambda: np.zeros(0))
    covariance: Matrix = field(default_factory=lambda: np.zeros((0, 0)))
    held: NDArray[np.bool_] = field(default_factory=lambda: np.zeros(0, dtype=np.bool_))

    def fit(self, design: Matrix, chosen: NDArray[np.bool_], occasions: Occasions) -> "ConditionalLogit":
        """``design`` (n, p), ``chosen`` (n,): one row an occasion is.

        Newton's method on a concave likelihood; ValueError where a coefficient can't be told or has no end.
        """
        self.held = occasions.held
        known = self._known(design.shape[1])
        columns = self._columns(design, occasions)[:, known]
        _, code = np.unique(occasions.occasion, return_inverse=True)
        spread = _within(columns, np.full(len(code), 1.0), code)
        scale = np.sqrt((spread**2).mean(axis=0))
        if (scale == 0).any() or np.linalg.matrix_rank(spread / scale) < columns.shape[1]:
            raise ValueError("a column does not differ among the alternatives of an occasion, or repeats other columns")
        scaled, hits = columns / scale, chosen.astype(np.float64)
        estimates = np.zeros(columns.shape[1])
        likelihood = _log_likelihood(occasions.shares(scaled @ estimates), chosen)
        for _ in range(_MOST_STEPS):
            shares = occasions.shares(scaled @ estimates)
            inverse = _inverse_information(scaled, shares, code)
            gradient = scaled.T @ (hits - shares)
            step = inverse @ gradient
            estimates, likelihood, moved = self._climb(scaled, chosen, occasions, estimates, step, likelihood)
            if not moved or float(gradient @ step) < _CONVERGED:
                break
        else:
            raise ValueError(f"the likelihood was not at its highest after {_MOST_STEPS} steps")
        covariance = _inverse_information(scaled, occasions.shares(scaled @ estimates), code)
        self.estimates = np.full(len(known), np.nan)
        self.covariance = np.full((len(known), len(known)), np.nan)
        self.estimates[known] = estimates / scale
        self.covariance[np.ix_(known, known)] = covariance / np.outer(scale, scale)
        return self

    def predict(self, design: Matrix, occasions: Occasions) -> NDArray[np.float64]:
        """The probability that each row's alternative is chosen among those of its occasion here; shape (n,).

        NaN where an alternative of the occasion was in no training row, so that its constant is not known.
        """
        shares = occasions.shares(self._columns(design, occasions) @ np.nan_to_num(self.estimates))
        if not self.constants:
            return shares
        _, code = np.unique(occasions.occasion, return_inverse=True)
        unknown = np.bincount(code, ~self.held[occasions.alternative]) > 0
        return np.where(unknown[code], np.nan, shares)

    def _columns(self, design: Matrix, occasions: Occasions) -> Matrix:
        return np.column_stack([design, occasions.constants()[:, 1:]]) if self.constants else design

    def _known(self, features: int) -> NDArray[np.bool_]:
        """Which columns these rows can tell: features, and constants of alternatives that rows are of but the first."""
        if not self.constants:
            return np.ones(features, dtype=np.bool_)
        told = self.held.copy()
        told[int(np.argmax(told))] = False
        return np.concatenate([np.ones(features, dtype=np.bool_), told[1:]])

    @staticmethod
    def _climb(
        columns: Matrix,
        chosen: NDArray[np.bool_],
        occasions: Occasions,
        estimates: NDArray[np.float64],
        step: NDArray[np.float64],
        likelihood: float,
    ) -> tuple[NDArray[np.float64], float, bool]:
        """The step, halved until the likelihood does not fall; whether it rose at all."""
        for _ in range(30):
            wanted = estimates + step
            reached = _log_likelihood(occasions.shares(columns @ wanted), chosen)
            if reached >= likelihood:
                return wanted, reached, reached > likelihood
            step = step / 2
        return estimates, likelihood, False


def _within(columns: Matrix, weights: NDArray[np.float64], code: NDArray[np.int64]) -> Matrix:
    """Columns less their weighted mean over the occasion; shape as ``columns``."""
    total = np.bincount(code, weights)
    means = np.column_stack([np.bincount(code, weights * column) / total for column in columns.T])
    return np.asarray(columns - means[code])


def _inverse_information(columns: Matrix, shares: NDArray[np.float64], code: NDArray[np.int64]) -> Matrix:
    """The inverse of the information; ValueError where it says that a coefficient has no end.

    Where columns tell the choices apart, the likelihood rises for ever and the information goes to nothing.
    """
    within = _within(columns, shares, code)
    try:
        inverse = np.linalg.inv(within.T @ (shares[:, None] * within))
    except np.linalg.LinAlgError:
        inverse = np.full((columns.shape[1], columns.shape[1]), np.inf)
    if not (np.diag(inverse) < _FAR**2).all():
        raise ValueError("the columns tell the choices apart, so a coefficient has no end")
    return np.asarray(inverse)


def _log_likelihood(shares: NDArray[np.float64], chosen: NDArray[np.bool_]) -> float:
    with np.errstate(divide="ignore"):
        return float(np.log(shares[chosen]).sum())


class ConditionalLogitSettings(Settings):
    """``constants``: whether each alternative but the first has a constant of its own."""

    constants: bool = True


def _build(made: Made) -> Estimator:
    return ConditionalLogit(made.settings.constants)


CHOICE = Family(
    name="conditional_logit",
    words="conditional logit",
    outcomes=frozenset({"choice"}),
    settings=ConditionalLogitSettings,
    build=_build,
    reads=frozenset({"coefficients"}),
    weighted=False,
)
