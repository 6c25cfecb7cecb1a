"""A recipe refitted on the rows of a split: the submitted one, a challenger, the version in use."""

from dataclasses import dataclass
from functools import cached_property
from typing import ClassVar

import numpy as np

from brookfall.core.candidate.candidate import OUT_OF_FOLD, Candidate, ScoredPart
from brookfall.core.fit.ask import fit_request
from brookfall.core.fit.leave_one_out import left_out_by_algebra
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import FitRequest, LeftOutReading, Need, Rows, ScoreReading, TunedReading, Tuning
from brookfall.core.fit.split import Split
from brookfall.core.foundation import digest
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.scored import AnyScored, Numbers, Scored
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.folds import Fold

_MOST_FOLDS = 100
"""Beyond which nothing but the submitted recipe is fitted on every fold."""


@dataclass(frozen=True)
class Refitted(Candidate):
    """A recipe on a split. It has no fit of its own until readings are asked for by its needs.

    Parameters
    ----------
    name, words, colour
        As of every candidate.
    split
        Whose rows train and are tested.
    recipe
        What is refitted.
    features
        The columns that it learns from; None for the subject's own.
    tuning
        Settings that are chosen inside the training rows.
    submitted
        Whether it is the recipe under test, which alone is fitted on any number of folds.
    """

    name: str
    words: str
    colour: str
    split: Split
    recipe: Recipe
    features: tuple[str, ...] | None = None
    tuning: Tuning | None = None
    submitted: bool = False
    refits: ClassVar[bool] = True

    @property
    def parts(self) -> tuple[str, ...]:
        return (OUT_OF_FOLD, *self.split.parts)

    # What it asks for.

    def fit(self, train: Rows) -> FitRequest:
        """The request to fit it on these rows."""
        return fit_request(self.split.subject, self.recipe, train, self.features, self.tuning)

    @cached_property
    def holdout_fit(self) -> FitRequest:
        """It on the training part."""
        return self.fit(self.split.parts["training"])

    @cached_property
    def holdout(self) -> Need:
        """It on the training part, and its scores of every part."""
        return Need(self.holdout_fit, ScoreReading(self.split.all_parts))

    @cached_property
    def training_need(self) -> Need:
        """It on all rows that cross-validation may see, and its scores of those same rows."""
        rows = self.split.cross_validated
        return Need(self.fit(rows), ScoreReading(rows))

    @cached_property
    def by_algebra(self) -> bool:
        """Whether the folds are of one row each and can be had from one fit."""
        subject = self.split.subject
        if self.split.cross_validation.kind != "leave_one_out" or subject.clusters is not None or self.tuning:
            return False
        features = subject.features if self.features is None else self.features
        return left_out_by_algebra(self.recipe, subject.table.select(features), self.split.cross_validated)

    @cached_property
    def fold_needs(self) -> tuple[Need, ...]:
        """What cross-validation asks for: a fit a fold; one alone where leaving rows out takes no refitting."""
        if self.by_algebra:
            rows = self.split.cross_validated
            return (Need(self.fit(rows), LeftOutReading(rows)),)
        return tuple(self.fold_need(fold) for fold in self.split.folds)

    def fold_need(self, fold: Fold) -> Need:
        return Need(self.fit(fold.train), ScoreReading(fold.test))

    @property
    def out_of_fold_needs(self) -> tuple[Need, ...]:
        """The fits behind every row's one out-of-fold score: those of the first repeat, where there are repeats."""
        return self.fold_needs if self.by_algebra else self.fold_needs[: self.split.first_repeat]

    @property
    def later_needs(self) -> tuple[Need, ...]:
        """The fits that score every row out of fold once more, a repeat after the first each; none without repeats."""
        return () if self.by_algebra else self.fold_needs[self.split.first_repeat :]

    def needs(self, part: str) -> tuple[Need, ...]:
        self.refuse_other(part)
        if part != OUT_OF_FOLD:
            return (self.holdout,)
        if not self.submitted and (self.by_algebra or self.split.first_repeat > _MOST_FOLDS):
            raise UserError(
                f"Other families would take a fit for every one of {len(self.split.folds)} folds.",
                todo=f"Cross-validate with at most {_MOST_FOLDS} folds, or let another part decide.",
            )
        return self.out_of_fold_needs

    def choices(self, part: str) -> tuple[Need, ...]:
        """Which of the settings tried was chosen inside each of these fits; none where nothing is tuned."""
        if self.tuning is None:
            return ()
        return tuple(Need(need.fit, TunedReading(need.fit.train)) for need in self.needs(part))

    # What is read.

    def scored(self, ledger: Ledger, part: str) -> ScoredPart:
        self.refuse_other(part)
        if part == OUT_OF_FOLD:
            return self.out_of_fold(ledger)
        rows, need = self.split.parts[part], self.holdout
        scores = ledger.scores(need)[np.searchsorted(need.reading.rows, rows)]
        return self._part(part, rows, scores, need.fit.seed_key)

    def out_of_fold(self, ledger: Ledger) -> ScoredPart:
        """Every row that was held out, with its score from the first fold that held it out, in row order."""
        rows, held, needs = self.split.cross_validated, self.split.first_held, self.out_of_fold_needs
        if self.by_algebra:
            kept, (need,) = held >= 0, needs
            key = digest.sha256(need.fit.seed_key.encode())
            return self._part(OUT_OF_FOLD, rows[kept], ledger.scores(need)[kept], key)
        scores = None
        for number, need in enumerate(needs):
            found = ledger.scores(need)
            if scores is None:
                scores = np.full((len(rows), *found.shape[1:]), np.nan)
            mine = np.flatnonzero(held == number)
            scores[mine] = found[np.searchsorted(need.reading.rows, rows[mine])]
        if scores is None:
            raise UserError("No fold holds anything out.", todo="Use more folds.")
        kept = (held >= 0) & (held < len(needs))
        key = digest.sha256(",".join(need.fit.seed_key for need in needs).encode())
        return self._part(OUT_OF_FOLD, rows[kept], scores[kept], key)

    def fold_scored(self, ledger: Ledger, first: int | None = None) -> list[AnyScored]:
        """The held-out rows of every fold, or of the first so many, with their scores, in the order of the folds."""
        if self.by_algebra:
            whole = self.out_of_fold(ledger).scored
            return [whole.take(np.array([place]), f"fold:{place + 1}") for place in range(len(whole))]
        return [
            self._rows(fold.test, ledger.scores(need), need.fit.seed_key)
            for fold, need in zip(self.split.folds[:first], self.fold_needs[:first], strict=True)
        ]

    def all_trained(self, ledger: Ledger) -> AnyScored:
        """Every cross-validated row, in order, as scored by a fit that has seen them all."""
        need = self.training_need
        return self._rows(self.split.cross_validated, ledger.scores(need), need.fit.seed_key)

    def _part(self, part: str, rows: Rows, scores: Numbers, key: str) -> ScoredPart:
        return ScoredPart(part, self.split.subject.units(rows), self._rows(rows, scores, key))

    def _rows(self, rows: Rows, scores: Numbers, key: str) -> AnyScored:
        found = self.split.subject.scored(rows, scores, f"{self.split.seed}/{key}/{digest.of_rows(rows)}")
        if self.recipe.threshold is None or not isinstance(found, Scored):
            return found
        return found.at(self.recipe.threshold)
