"""The bench a check works at: the subject laid out as the plan says, and the fits that may be asked for."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.leave_one_out import left_out_by_algebra
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import FitRequest, LeftOutReading, Need, Rows, ScoreReading, Tuning
from brookfall.core.foundation import digest
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.scored import AnyScored, Scored, ScoredClasses, ScoredNumbers
from brookfall.core.plan.plan import Folds, Given, Plan
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.folds import Fold, bootstraps, k_folds, leave_one_out, random_splits
from brookfall.core.resample.parts import given_parts, split_parts
from brookfall.core.resample.strata import Layout
from brookfall.core.submission.label_marks import LabelMark
from brookfall.core.submission.subject import Subject

OUT_OF_FOLD = "out_of_fold"
RECIPE = "recipe"
SCORES = "scores"
BASELINE = "baseline"
_MAJORITY = 0.5
_SHORT, _MANY = 5, 10
_MOST_FOLDS = 100
"""Beyond which no other family is fitted on the same folds."""


@dataclass(frozen=True)
class Deciding:
    """The rows that a model is judged on: the part's name, sorted row positions, and the rows with their scores."""

    part: str
    positions: Rows
    scored: AnyScored


@dataclass(frozen=True)
class Bench:
    """A subject under a plan, with what the reviewer says of single labels.

    Raises UserError where the plan can't be carried out on these rows.
    """

    subject: Subject
    plan: Plan
    marks: tuple[LabelMark, ...] = ()

    # The rows.

    @cached_property
    def parts(self) -> dict[str, Rows]:
        """Part name to sorted row positions, training first."""
        how = self.plan.parts
        if isinstance(how, Given):
            return self.given_parts
        return split_parts(self._layout(how.stratified), how.by_part, self.plan.seed, how.by)

    def _layout(self, stratified: bool) -> Layout:
        return self.subject.layout(stratified=stratified)

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
    def all_parts(self) -> Rows:
        return np.sort(np.concatenate(list(self.parts.values())))

    @cached_property
    def cross_validated(self) -> Rows:
        """The rows that cross-validation may see: all but the test part."""
        return np.setdiff1d(self.all_parts, self.parts["test"])

    @cached_property
    def unseen(self) -> Rows:
        """Every row of the parts that is not for training."""
        return np.setdiff1d(self.all_parts, self.parts["training"])

    def some_unseen(self, most: int) -> Rows:
        """The unseen rows, or so many of them, drawn by the plan's seed; sorted."""
        if len(self.unseen) <= most:
            return self.unseen
        rng = np.random.default_rng(digest.seed_from("unseen", self.plan.seed))
        return np.sort(rng.choice(self.unseen, most, replace=False))

    @cached_property
    def folds(self) -> tuple[Fold, ...]:
        return self.folds_as(self.plan.cross_validation)

    def folds_as(self, how: Folds) -> tuple[Fold, ...]:
        """The folds over the cross-validated rows, made in the way asked for."""
        layout = self._layout(how.stratified).within(self.cross_validated)
        if how.kind == "leave_one_out":
            return leave_one_out(layout)
        if how.kind == "random_splits":
            return random_splits(layout, how.folds, how.test / 100, self.plan.seed, how.by)
        if how.kind == "bootstrap":
            return bootstraps(layout, how.folds, self.plan.seed)
        return k_folds(layout, how.folds, how.repeats, self.plan.seed, how.by)

    @cached_property
    def short_folds(self) -> tuple[Fold, ...]:
        """Five folds, for what is fitted again and again; those of the plan where it has five."""
        how = self.plan.cross_validation
        return self.folds_as(Folds(folds=_SHORT, stratified=how.stratified, by=how.by))

    @property
    def long_folds(self) -> tuple[Fold, ...]:
        """The folds behind every row's out-of-fold score, where they are few; else five."""
        how = self.plan.cross_validation
        if how.kind != "k_fold" or how.folds > _MANY:
            return self.short_folds
        return tuple(fold for fold in self.folds if fold.repeat == 1)

    # The fits.

    @property
    def recipe(self) -> Recipe:
        if self.subject.recipe is None:
            raise UserError("There is no recipe, so nothing can be refitted.", todo="Submit the recipe.")
        return self.subject.recipe

    def fit(
        self,
        train: Rows,
        recipe: Recipe | None = None,
        features: tuple[str, ...] | None = None,
        tuning: Tuning | None = None,
    ) -> FitRequest:
        """The request to fit the recipe (or another, from other features, or tuned) on these rows."""
        subject = self.subject
        return FitRequest(
            recipe=recipe or self.recipe,
            table=self._tested if features is None else self._seen(features),
            features=subject.features if features is None else features,
            target=subject.roles.target,
            outcome=subject.outcome,
            classes=subject.target.classes,
            weight=subject.roles.weight,
            train=train,
            beside=self._beside,
            tuning=tuning,
        )

    @property
    def _beside(self) -> tuple[str, str] | None:
        roles = self.subject.roles
        return None if self.subject.choices is None else (str(roles.occasion), str(roles.alternative))

    @cached_property
    def _tested(self) -> str:
        """Fingerprint of the columns a fit can see, so that marking a column as protected costs no fit."""
        return self._seen(self.subject.features)

    def _seen(self, features: tuple[str, ...]) -> str:
        subject = self.subject
        seen = [*features, subject.roles.target, *([subject.roles.weight] if subject.roles.weight else [])]
        return subject.table.select([*seen, *(self._beside or ())]).fingerprint

    @cached_property
    def holdout(self) -> Need:
        """The recipe on the training part, and its scores of every part."""
        return Need(self.fit(self.parts["training"]), ScoreReading(self.all_parts))

    @cached_property
    def fold_needs(self) -> tuple[Need, ...]:
        """What cross-validation asks for: a fit a fold; one alone where leaving rows out takes no refitting."""
        if self.by_algebra:
            rows = self.cross_validated
            return (Need(self.fit(rows), LeftOutReading(rows)),)
        return tuple(self.fold_need(fold) for fold in self.folds)

    @cached_property
    def training_need(self) -> Need:
        """The recipe on all rows that cross-validation may see, and its scores of those same rows."""
        return Need(self.fit(self.cross_validated), ScoreReading(self.cross_validated))

    def all_trained(self, ledger: Ledger) -> AnyScored:
        """Every cross-validated row, in order, as scored by a fit that has seen them all."""
        need = self.training_need
        return self.scored(self.cross_validated, ledger.scores(need), need.fit.key)

    @cached_property
    def by_algebra(self) -> bool:
        """Whether the folds are of one row each and can be had from one fit."""
        if self.plan.cross_validation.kind != "leave_one_out" or self.subject.clusters is not None:
            return False
        return left_out_by_algebra(self.recipe, self.subject.table.select(self.subject.features), self.cross_validated)

    def fold_need(self, fold: Fold) -> Need:
        return Need(self.fit(fold.train), ScoreReading(fold.test))

    @property
    def out_of_fold_needs(self) -> tuple[Need, ...]:
        """The fits behind every row's one out-of-fold score: those of the first repeat, where there are repeats."""
        if self.plan.cross_validation.kind == "k_fold":
            return self.fold_needs[: sum(fold.repeat == 1 for fold in self.folds)]
        return self.fold_needs

    # What is read.

    def fold_scored(self, ledger: Ledger) -> list[Scored | ScoredClasses | ScoredNumbers]:
        """The held-out rows of every fold with their scores, in the order of the folds."""
        if self.by_algebra:
            whole = self.out_of_fold(ledger).scored
            return [whole.take(np.array([place]), f"fold:{place + 1}") for place in range(len(whole))]
        return [
            self.scored(fold.test, ledger.scores(need), need.fit.key)
            for fold, need in zip(self.folds, self.fold_needs, strict=True)
        ]

    def part_scores(self, ledger: Ledger, need: Need, part: str) -> AnyScored:
        """The rows of a part, in order, with the scores that a need over all parts gave them."""
        rows = self.parts[part]
        scores = ledger.scores(need)[np.searchsorted(need.reading.rows, rows)]
        return self.scored(rows, scores, need.fit.key)

    def out_of_fold(self, ledger: Ledger) -> Deciding:
        """Every row that was held out, with its score from the first fold that held it out, in row order."""
        if not self.by_algebra:
            return self._put_together(ledger, self.out_of_fold_needs)
        (need,) = self.out_of_fold_needs
        rows = self.cross_validated
        kept = self.first_held >= 0
        scored = self.scored(rows[kept], ledger.scores(need)[kept], digest.sha256(need.fit.key.encode()))
        return Deciding(OUT_OF_FOLD, rows[kept], scored)

    def together(self, ledger: Ledger, folds: tuple[Fold, ...], needs: list[Need]) -> Deciding:
        """The held-out rows of folds that hold each row out once, each scored by its fold's need; in row order."""
        rows = np.concatenate([fold.test for fold in folds])
        order = np.argsort(rows, kind="stable")
        scores = np.concatenate([ledger.scores(need) for need in needs])[order]
        keys = ",".join(need.fit.key for need in needs)
        return Deciding(OUT_OF_FOLD, rows[order], self.scored(rows[order], scores, digest.sha256(keys.encode())))

    def _put_together(self, ledger: Ledger, needs: tuple[Need, ...]) -> Deciding:
        """Each held-out row with its score from the first of these folds that held it out."""
        rows, held, scores = self.cross_validated, self.first_held, None
        for number, need in enumerate(needs):
            found = ledger.scores(need)
            if scores is None:
                scores = np.full((len(rows), *found.shape[1:]), np.nan)
            mine = np.flatnonzero(held == number)
            scores[mine] = found[np.searchsorted(need.reading.rows, rows[mine])]
        if scores is None:
            raise UserError("No fold holds anything out.", todo="Use more folds.")
        kept = (held >= 0) & (held < len(needs))
        keys = ",".join(need.fit.key for need in needs)
        scored = self.scored(rows[kept], scores[kept], digest.sha256(keys.encode()))
        return Deciding(OUT_OF_FOLD, rows[kept], scored)

    @cached_property
    def first_held(self) -> NDArray[np.int64]:
        """The place of the first fold that holds out each cross-validated row; -1 where none does."""
        rows = self.cross_validated
        held = np.full(len(rows), -1, dtype=np.int64)
        for number in range(len(self.folds) - 1, -1, -1):
            held[np.searchsorted(rows, self.folds[number].test)] = number
        return held

    @property
    def most_frequent(self) -> int | None:
        """The place among the classes of the training part's most frequent outcome; None for a number."""
        target, rows = self.subject.target, self.parts["training"]
        if target.outcome == "number":
            return None
        weights = None if self.subject.weights is None else self.subject.weights[rows]
        return int(np.bincount(target.values[rows].astype(np.int64), weights, len(target.classes)).argmax())

    def baseline_scores(self, learned: Rows, rows: Rows) -> AnyScored:
        """``rows`` as scored by one who knows only the outcomes of the rows learned from: class shares, or the mean.

        It decides by majority, whatever the model's threshold.
        """
        subject, target = self.subject, self.subject.target
        outcomes = target.values[learned]
        weights = np.ones(len(learned)) if subject.weights is None else subject.weights[learned]
        if target.outcome == "number":
            answer = np.array(float(weights @ outcomes / weights.sum()))
        else:
            answer = np.bincount(outcomes.astype(np.int64), weights, len(target.classes)) / weights.sum()
        known = answer[1] if target.outcome == "binary" else answer
        scored = self.scored(rows, np.broadcast_to(known, (len(rows), *known.shape)).copy(), BASELINE)
        return scored.at(_MAJORITY) if isinstance(scored, Scored) else scored

    def scored(
        self, rows: Rows, scores: NDArray[np.float64] | None, key: str, labels: NDArray[np.int64] | None = None
    ) -> AnyScored:
        """Rows with their outcomes and what a model said; ``labels`` are decisions that came with the scores."""
        name = f"{self.plan.seed}/{key}/{digest.of_rows(rows)}"
        return self.subject.scored(rows, scores, name, labels)

    # The models under test.

    @property
    def models(self) -> tuple[str, ...]:
        """What is tested: the recipe refitted here, and the supplied scores, where they are there."""
        here = ((RECIPE, self.subject.recipe), (SCORES, self.subject.supplied))
        return tuple(name for name, there in here if there is not None)

    def model_parts(self, ledger: Ledger, model: str) -> dict[str, AnyScored]:
        """Every part of a model with its scores, training first where there is one."""
        if model == RECIPE:
            return {part: self.part_scores(ledger, self.holdout, part) for part in self.parts}
        return {part: self.supplied(rows) for part, rows in self.supplied_parts.items()}

    @cached_property
    def supplied_parts(self) -> dict[str, Rows]:
        """The owner's own parts of the supplied scores, sorted row positions; empty where there are none."""
        supplied = self.subject.supplied
        return {} if supplied is None else supplied.parts

    def supplied(self, rows: Rows) -> AnyScored:
        """Rows with the scores that were supplied for them."""
        supplied = self.subject.supplied
        if supplied is None:
            raise UserError("No scores were supplied.", todo="Submit them as predictions.")
        scores = None if supplied.scores is None else supplied.scores[rows]
        labels = None if supplied.labels is None else supplied.labels[rows]
        return self.scored(rows, scores, SCORES, labels)

    def deciding(self, ledger: Ledger, model: str = RECIPE) -> Deciding:
        """The rows that a model is judged on: the plan's part; of supplied scores the owner's part of that name,
        else test, else the last one."""
        part = self.plan.deciding_part
        if model == SCORES:
            parts = self.supplied_parts
            chosen = next((name for name in (part, "test") if name in parts), list(parts)[-1])
            return Deciding(chosen, parts[chosen], self.supplied(parts[chosen]))
        if part == OUT_OF_FOLD:
            return self.out_of_fold(ledger)
        if part not in self.parts:
            raise UserError(f"The plan judges on {part}, and no row is in that part.", todo="Choose another part.")
        return Deciding(part, self.parts[part], self.part_scores(ledger, self.holdout, part))

    def deciding_needs_of(
        self, recipe: Recipe, features: tuple[str, ...] | None = None, tuning: Tuning | None = None
    ) -> tuple[Need, ...]:
        """What another recipe is judged by: fits on the rows that the submitted one's are made on."""
        return tuple(
            Need(self.fit(need.fit.train, recipe, features, tuning), need.reading) for need in self._deciding_on_folds
        )

    def deciding_by(self, ledger: Ledger, needs: tuple[Need, ...]) -> Deciding:
        """The rows that decide, with the scores of another recipe; ``needs`` are what ``deciding_needs_of`` gave."""
        part = self.plan.deciding_part
        if part == OUT_OF_FOLD:
            return self._put_together(ledger, needs)
        return Deciding(part, self.parts[part], self.part_scores(ledger, needs[0], part))

    @property
    def _deciding_on_folds(self) -> list[Need]:
        many = self.by_algebra or len(self.deciding_needs) > _MOST_FOLDS
        if self.plan.deciding_part == OUT_OF_FOLD and many:
            raise UserError(
                f"Other families would take a fit for every one of {len(self.folds)} folds.",
                todo=f"Cross-validate with at most {_MOST_FOLDS} folds, or let another part decide.",
            )
        return self.deciding_needs

    @property
    def deciding_needs(self) -> list[Need]:
        if RECIPE not in self.models:
            return []
        return list(self.out_of_fold_needs) if self.plan.deciding_part == OUT_OF_FOLD else [self.holdout]

    @property
    def holdout_needs(self) -> list[Need]:
        """What a check of the parts asks for: the holdout fit, where there is a recipe to fit."""
        return [self.holdout] if RECIPE in self.models else []

    @property
    def scheme(self) -> str:
        """How the rows were used, in words."""
        sizes = " · ".join(f"{name} {len(rows)}" for name, rows in self.parts.items())
        how = self.plan.parts
        kind = "given by the data" if isinstance(how, Given) else f"split here by {how.by}"
        return f"parts {kind}: {sizes} rows; {self.plan.cross_validation.words} over the rows outside test"
