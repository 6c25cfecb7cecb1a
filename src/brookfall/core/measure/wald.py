"""Coefficients of a model fitted by maximum likelihood: Wald intervals, p values, and ratios by the delta method."""

from dataclasses import dataclass
from math import sqrt

import numpy as np
import scipy
from numpy.typing import NDArray

from brookfall.core.measure.figure import Figure, Interval, absent, normal_ends

_SURE = 3.0
"""A ratio has a delta-method interval only where its denominator lies this many standard errors off 0."""


@dataclass(frozen=True)
class Coefficients:
    """p estimates with their names and covariance (p, p), from n units; ``method`` is what their figures are called."""

    names: tuple[str, ...]
    estimates: NDArray[np.float64]
    covariance: NDArray[np.float64]
    n: int
    method: str = "wald"

    def error(self, place: int) -> float:
        """The standard error of an estimate."""
        return sqrt(float(self.covariance[place, place]))

    def figure(self, place: int) -> Figure:
        """The estimate with its Wald interval.

        >>> found = Coefficients(("x",), np.array([2.0]), np.array([[1.0]]), 80).figure(0)
        >>> found.value, [round(end, 2) for end in found.interval(0.95)]
        (2.0, [0.04, 3.96])
        """
        return _wald(float(self.estimates[place]), self.error(place), self.n, self.method)

    def p_value(self, place: int) -> float:
        """Two-sided, that the coefficient is 0."""
        return float(2 * scipy.special.ndtr(-abs(self.estimates[place]) / self.error(place)))

    def ratio(self, place: int, by: int) -> Figure:
        """How many units of ``by`` one unit of a column is worth: the ratio of the coefficients.

        The variance is the delta method's; absent where the denominator may as well be 0, as the ratio then has no
        interval that ends.

        >>> pair = Coefficients(("time", "cost"), np.array([-2.0, -4.0]), np.diag([0.01, 0.01]), 80)
        >>> pair.ratio(0, 1).value
        0.5
        """
        top, bottom = float(self.estimates[place]), float(self.estimates[by])
        if abs(bottom) < _SURE * self.error(by):
            return absent(self.n, f"the coefficient of {self.names[by]} lies within {_SURE:g} standard errors of 0")
        ratio = top / bottom
        slope = np.zeros(len(self.estimates))
        slope[place] += 1 / bottom
        slope[by] -= ratio / bottom
        return _wald(ratio, sqrt(max(0.0, float(slope @ self.covariance @ slope))), self.n, "delta")


def _wald(value: float, error: float, n: int, method: str) -> Figure:
    return Figure(value, n, method, Interval(normal_ends, value, error))
