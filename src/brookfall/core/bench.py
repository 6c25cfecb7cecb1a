"""The bench a check works at: the subject laid out as the plan says, and the fits that may be asked for."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brookfall.core import digest
from brookfall.core.errors import UserError
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import FitRequest, Need, Rows, ScoreReading
from brookfall.core.measure.binary import Scored
from brookfall.core.plan import Given, Plan
from brookfall.core.recipe.families import BASELINE
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.folds import Fold, k_folds
from brookfall.core.resample.parts import given_parts, split_parts
from brookfall.core.subject import Subject

OUT_OF_FOLD = "out_of_fold"


@dataclass(frozen=True)
class Bench:
    """A subject under a plan. Raises UserError where the plan can't be carried out on these rows."""

    subject: Subject
    plan: Plan

    @cached_property
    def parts(self) -> dict[str, Rows]:
        """Part name to sorted row positions, training first."""
        subject, plan = self.subject, self.plan
        if isinstance(plan.parts, Given):
            return self.given_parts
        return split_parts(
            subject.rows,
            subject.positive[subject.rows],
            plan.parts.by_part,
            plan.seed,
            stratified=plan.parts.stratified,
        )

    @cached_property
    def given_parts(self) -> dict[str, Rows]:
        """The parts that the data's own column names; UserError when there is no training or no test."""
        subject = self.subject
        if subject.roles.part is None:
            raise UserError(
                "The plan takes the parts from a column, and no column has the role part.",
                todo="Give a column that role, or split by shares.",
                file=subject.file,
            )
        found = given_parts(subject.table, subject.roles.part)
        parts = {name: np.intersect1d(rows, subject.rows) for name, rows in found.items()}
        for name in ("training", "test"):
            if name not in parts or not len(parts[name]):
                raise UserError(
                    f"No row is in the {name} part; parts named are {', '.join(found)}.",
                    todo="Name rows of both training and test in that column, or split by shares.",
                    file=subject.file,
                    column=subject.roles.part,
                )
        order = ["training", "validation", "test", *(n for n in parts if n not in ("training", "validation", "test"))]
        return {name: parts[name] for name in order if name in parts}

    @cached_property
    def cross_validated(self) -> Rows:
        """The rows that cross-validation may see: all but the test part."""
        return np.setdiff1d(np.sort(np.concatenate(list(self.parts.values()))), self.parts["test"])

    @cached_property
    def folds(self) -> tuple[Fold, ...]:
        how = self.plan.cross_validation
        return self.folds_of(how.folds, how.repeats)

    def folds_of(self, folds: int, repeats: int) -> tuple[Fold, ...]:
        rows = self.cross_validated
        stratified = self.plan.cross_validation.stratified
        return k_folds(rows, self.subject.positive[rows], folds, repeats, self.plan.seed, stratified=stratified)

    @property
    def recipe(self) -> Recipe:
        if self.subject.recipe is None:
            raise UserError("There is no recipe, so nothing can be refitted.", todo="Submit the recipe.")
        return self.subject.recipe

    def fit(self, train: Rows, recipe: Recipe | None = None) -> FitRequest:
        """The request to fit the recipe (or another) on these rows."""
        subject = self.subject
        return FitRequest(
            recipe=recipe or self.recipe,
            table=self._tested,
            features=subject.features,
            target=subject.roles.target,
            positive=subject.positive_value,
            train=train,
        )

    @cached_property
    def _tested(self) -> str:
        """Fingerprint of the columns a fit can see, so that marking a column as protected costs no fit."""
        subject = self.subject
        return subject.table.select([*subject.features, subject.roles.target]).fingerprint

    @cached_property
    def all_parts(self) -> Rows:
        return np.sort(np.concatenate(list(self.parts.values())))

    @cached_property
    def holdout(self) -> Need:
        """The recipe on the training part, and its scores of every part."""
        return Need(self.fit(self.parts["training"]), ScoreReading(self.all_parts))

    @cached_property
    def baseline(self) -> Need:
        """The most frequent answer, learned from the training part, and its scores of every part."""
        return Need(self.fit(self.parts["training"], Recipe(family=BASELINE)), ScoreReading(self.all_parts))

    @cached_property
    def fold_needs(self) -> tuple[Need, ...]:
        return tuple(self.fold_need(fold) for fold in self.folds)

    def fold_need(self, fold: Fold) -> Need:
        return Need(self.fit(fold.train), ScoreReading(fold.test))

    def part_scores(self, ledger: Ledger, need: Need, part: str) -> Scored:
        """The rows of a part, in order, with the scores that a need over all parts gave them."""
        rows = self.parts[part]
        scores = ledger.scores(need)[np.searchsorted(need.reading.rows, rows)]
        return self.scored(rows, scores, need.fit.key)

    def out_of_fold(self, ledger: Ledger) -> Scored:
        """Every cross-validated row with its score of repeat 1, in row order."""
        rows = self.cross_validated
        scores = np.full(len(rows), np.nan)
        for fold, need in zip(self.folds, self.fold_needs, strict=True):
            if fold.repeat == 1:
                scores[np.searchsorted(rows, fold.test)] = ledger.scores(need)
        keys = ",".join(need.fit.key for need in self.first_repeat)
        return self.scored(rows, scores, digest.sha256(keys.encode()))

    @property
    def first_repeat(self) -> tuple[Need, ...]:
        return self.fold_needs[: self.plan.cross_validation.folds]

    def fold_of_row(self) -> NDArray[np.int64]:
        """The fold of repeat 1 that holds each cross-validated row, in row order."""
        fold_of = np.zeros(len(self.cross_validated), dtype=np.int64)
        for fold in self.folds:
            if fold.repeat == 1:
                fold_of[np.searchsorted(self.cross_validated, fold.test)] = fold.number
        return fold_of

    def baseline_scores(self, ledger: Ledger, part: str) -> Scored:
        """The rows of a part as the baseline scores them; it decides by majority, whatever the model's threshold."""
        return replace(self.part_scores(ledger, self.baseline, part), threshold=0.5)

    def scored(self, rows: Rows, scores: NDArray[np.float64], key: str) -> Scored:
        name = f"{self.plan.seed}/{key}/{digest.of_rows(rows)}"
        return Scored(self.subject.positive[rows], scores, self.subject.threshold, name)

    def deciding(self, ledger: Ledger) -> tuple[Rows, Scored]:
        """The rows of the part that decides, and their scores."""
        part = self.plan.deciding_part
        if part == OUT_OF_FOLD:
            return self.cross_validated, self.out_of_fold(ledger)
        if part not in self.parts:
            raise UserError(f"The plan judges on {part}, and no row is in that part.", todo="Choose another part.")
        return self.parts[part], self.part_scores(ledger, self.holdout, part)

    @property
    def deciding_needs(self) -> list[Need]:
        return list(self.first_repeat) if self.plan.deciding_part == OUT_OF_FOLD else [self.holdout]

    @property
    def scheme(self) -> str:
        """How the rows were used, in words."""
        how = self.plan.cross_validation
        sizes = " · ".join(f"{name} {len(rows)}" for name, rows in self.parts.items())
        kind = "given by the data" if isinstance(self.plan.parts, Given) else "split here"
        return f"parts {kind}: {sizes} rows; {how.folds} folds × {how.repeats} over the rows outside test"
