"""A model that can be asked about rows: one just fitted, with how raw rows reach it; or any other."""

from abc import ABC, abstractmethod
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.request import AnyFit, FitRequest, Rows
from brookfall.core.recipe.families import family_of
from brookfall.core.recipe.family.choice import Occasions
from brookfall.core.recipe.family.family import Estimator, Family, Made, Matrix
from brookfall.core.recipe.preprocess import Prepared, raw_matrix
from brookfall.core.submission.subject import Subject
from brookfall.core.table.table import Table
from brookfall.core.table.target import Target

Values = NDArray[np.float64]
_AT_ONCE = 20_000


@dataclass(frozen=True)
class Model(ABC):
    """What can be asked about any row with these features; ``target`` are the outcomes that it is measured by."""

    request: AnyFit
    subject: Subject
    target: Target
    features: Table

    def raw(self, rows: Rows) -> Matrix:
        """Rows as they are before they are prepared; shape (rows, p)."""
        return raw_matrix(self.features, rows)

    @abstractmethod
    def scores(self, raw: Matrix) -> Values:
        """The scores of raw rows (m, p): shape (m,), or (m, classes)."""

    def scores_of_many(self, raw: Matrix) -> Values:
        """The scores of any number of raw rows (m, p), some thousand at a time, as prepared rows can be far wider."""
        if len(raw) <= _AT_ONCE:
            return self.scores(raw)
        return np.concatenate([self.scores(raw[start : start + _AT_ONCE]) for start in range(0, len(raw), _AT_ONCE)])

    # How one feature's values change places: among prepared columns where there are any, else as they are.

    def designed(self, raw: Matrix) -> Matrix:
        """Raw rows (m, p) as they are permuted; shape (m, q)."""
        return raw

    def of_design(self, design: Matrix) -> Values:
        """The scores of rows as they are permuted (m, q)."""
        return self.scores(design)


@dataclass(frozen=True)
class Fitted(Model):
    """``features`` are the columns that it learned from; ``design`` the prepared training rows.

    ``target`` are the outcomes it learned from, which may be others than the data's.
    """

    request: FitRequest
    prepared: Prepared
    design: Matrix
    made: Made
    estimator: Estimator

    @property
    def family(self) -> Family:
        return family_of(self.request.recipe)

    @cached_property
    def outcomes(self) -> NDArray[Any]:
        """The outcomes of the training rows, in order; shape (training,)."""
        return np.asarray(self.target.values[self.request.train])

    def scores(self, raw: Matrix) -> Values:
        """The scores of raw rows (m, p): shape (m,), or (m, classes)."""
        return self.of_design(self.prepared.transform(raw))

    def designed(self, raw: Matrix) -> Matrix:
        """Raw rows (m, p) as they are prepared."""
        return self.prepared.transform(raw)

    def of_design(self, design: Matrix) -> Values:
        """The scores of prepared rows (m, q)."""
        predict = self.estimator.predict_proba if self.made.classifies else self.estimator.predict
        return self.spread(np.asarray(predict(design), dtype=np.float64))

    def of_choices(self, rows: Rows, occasions: Occasions) -> Values:
        """The probability of each of these rows among those of its occasion."""
        return self.scores_among(self.raw(rows), occasions.take(rows))

    def scores_among(self, raw: Matrix, occasions: Occasions) -> Values:
        """The probability of each raw row (m, p) among those of its occasion, all of whose rows are there: (m,)."""
        return np.asarray(self.estimator.predict(self.prepared.transform(raw), occasions), dtype=np.float64)

    def spread(self, scores: Matrix) -> Values:
        """Scores with a place for every class of the outcome: the positive one alone when binary."""
        if self.target.outcome == "number":
            return scores
        if self.target.outcome == "binary":
            return np.asarray(scores[..., 1])
        held = np.asarray(self.estimator.classes_, dtype=np.int64)
        if len(held) == len(self.target.classes):
            return scores
        whole = np.zeros((*scores.shape[:-1], len(self.target.classes)))
        whole[..., held] = scores
        return whole
