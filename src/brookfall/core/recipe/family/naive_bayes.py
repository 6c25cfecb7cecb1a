"""Naive Bayes for mixed columns: normal densities for numbers, smoothed shares for levels."""

from typing import Self

import numpy as np
import scipy
from numpy.typing import NDArray

from brookfall.core.recipe.family.family import CLASSES, Family, Made, Matrix, Settings

_SMOOTHING = 1e-9
_ONE_MORE = 1.0


class BayesSettings(Settings):
    """Nothing to set: variances get 1e-9 of the largest, levels one row more each (Laplace)."""


class MixedBayes:
    """Features are independent within a class. The first ``numbers`` columns are numbers, the others level codes.

    A level not seen in training says nothing about the class.
    """

    def __init__(self, numbers: int) -> None:
        self._numbers = numbers

    def fit(self, design: Matrix, target: NDArray[np.int64], sample_weight: Matrix | None = None) -> Self:
        """Learns from n rows: ``design`` (n, p), ``target`` (n,) class codes, weights (n,) or None."""
        weights = np.ones(len(target)) if sample_weight is None else sample_weight
        self.classes_, codes = np.unique(target, return_inverse=True)
        member = np.eye(len(self.classes_))[codes] * weights[:, None]
        totals = member.sum(axis=0)
        self._priors = np.log(totals / totals.sum())
        numbers = design[:, : self._numbers]
        self._means = (member.T @ numbers) / totals[:, None]
        centred = (member.T @ numbers**2) / totals[:, None] - self._means**2
        floor = _SMOOTHING * (numbers.var(axis=0).max() if numbers.size else 1.0)
        self._variances = np.maximum(centred, 0.0) + max(floor, 1e-300)
        self._levels = [self._learn_levels(column, member, totals) for column in design[:, self._numbers :].T]
        return self

    def _learn_levels(self, column: Matrix, member: Matrix, totals: Matrix) -> tuple[Matrix, Matrix]:
        """The levels seen, and the log share of each in each class: (levels,), (levels, classes)."""
        levels, codes = np.unique(column, return_inverse=True)
        counts = np.zeros((len(levels), member.shape[1]))
        np.add.at(counts, codes, member)
        return levels, np.log((counts + _ONE_MORE) / (totals + _ONE_MORE * len(levels)))

    def predict_proba(self, design: Matrix) -> Matrix:
        """Probabilities of the classes; shape (n, classes)."""
        joint = np.tile(self._priors, (len(design), 1))
        numbers = design[:, : self._numbers]
        for code in range(len(self.classes_)):
            gaps = (numbers - self._means[code]) ** 2 / self._variances[code]
            joint[:, code] -= 0.5 * (np.log(2 * np.pi * self._variances[code]) + gaps).sum(axis=1)
        for (levels, shares), column in zip(self._levels, design[:, self._numbers :].T, strict=True):
            place = np.clip(np.searchsorted(levels, column), 0, len(levels) - 1)
            joint += np.where((levels[place] == column)[:, None], shares[place], 0.0)
        return np.exp(joint - scipy.special.logsumexp(joint, axis=1, keepdims=True))


def _bayes(made: Made) -> MixedBayes:
    return MixedBayes(made.numbers)


BAYES = Family("naive_bayes", "naive Bayes", CLASSES, BayesSettings, _bayes, mixed=True)
