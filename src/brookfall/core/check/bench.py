"""The bench a check works at: the subject under a plan, its rows split, its candidates, what is read of them."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import TYPE_CHECKING, Literal, TypedDict, cast

import numpy as np
from numpy.typing import NDArray

from brookfall.core.candidate.artifact import Artifact
from brookfall.core.candidate.baseline import Baseline
from brookfall.core.candidate.candidate import (
    ARTIFACT,
    BASELINE,
    IN_USE,
    OUT_OF_FOLD,
    RECIPE,
    SCORES,
    Candidate,
    ScoredPart,
)
from brookfall.core.candidate.challengers import choice_challengers, own_challengers, standard_challengers
from brookfall.core.candidate.refitted import Refitted
from brookfall.core.candidate.supplied_scores import SuppliedScores
from brookfall.core.check.reads import NoMarks, PlanView, SubjectView
from brookfall.core.fit.ask import fit_request
from brookfall.core.fit.ledger import FitFailedError, Ledger
from brookfall.core.fit.request import AnyFit, FigureReading, FitRequest, Need, Rows, Tuning, Wanted
from brookfall.core.fit.split import Split, some_of
from brookfall.core.foundation import digest, wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import depends_on_threshold
from brookfall.core.measure.scored import AnyScored
from brookfall.core.plan.departures import with_marks
from brookfall.core.plan.plan import InUse, Plan
from brookfall.core.recipe.families import check_recipe
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.folds import Fold
from brookfall.core.submission.label_marks import LabelMark
from brookfall.core.submission.subject import Subject

if TYPE_CHECKING:
    from brookfall.core.check.check import Check

__all__ = ["ARTIFACT", "BASELINE", "IN_USE", "OUT_OF_FOLD", "RECIPE", "SCORES", "Bench", "ScoredPart"]


class AskedAs(TypedDict):
    """What an estimate of the model that is asked is labelled with."""

    model: str
    part: str


@dataclass(frozen=True)
class Bench:
    """A subject under a plan, with what the reviewer says of single labels.

    Raises UserError where the plan can't be carried out on these rows.
    """

    subject: Subject
    plan: Plan
    marks: tuple[LabelMark, ...] = ()

    def __post_init__(self) -> None:
        # The reviewer's threshold is that of everything decided here, where the owner declared none.
        chosen, declared = self.plan.threshold, self.subject.threshold
        if chosen in (None, declared):
            return
        if declared is not None:
            raise UserError(
                f"The owner declared a threshold of {declared:g}, and the plan decides at {chosen:g}.",
                todo="Take 'Decide at' out of the plan; what another threshold would do is shown in question 3.",
            )
        object.__setattr__(self, "subject", replace(self.subject, decide_at=chosen))

    @cached_property
    def split(self) -> Split:
        """Who trains and who is tested, as the plan says."""
        return Split(self.subject, self.plan.parts, self.plan.cross_validation, self.plan.seed)

    def for_check(self, check: "Check") -> "Bench":
        """The same bench, through which only what the check declares that it reads can be reached."""
        found = Bench(
            cast("Subject", SubjectView(self.subject, check)),
            cast("Plan", PlanView(self.plan.model_copy(update={"policy": with_marks(self.plan)}), check)),
            self.marks if check.reads.marks else cast("tuple[LabelMark, ...]", NoMarks(check)),
        )
        # What is the same for all checks is laid out once.
        found.__dict__["split"] = self.split
        if self.subject.recipe is not None:
            found.__dict__["submitted"] = self.submitted
        return found

    @property
    def recipe(self) -> Recipe:
        if self.subject.recipe is None:
            raise UserError("There is no recipe, so nothing can be refitted.", todo="Submit the recipe.")
        return self.subject.recipe

    # The candidates.

    @property
    def models(self) -> tuple[str, ...]:
        """What is tested, as far as it is there: the recipe refitted here, the fitted model, the supplied scores.

        A fitted model is tested where it is known which rows it did not learn from.
        """
        here = (
            (RECIPE, self.subject.recipe is not None),
            (ARTIFACT, self.has_artifact and bool(self.artifact.parts)),
            (SCORES, self.subject.supplied is not None),
        )
        return tuple(name for name, there in here if there)

    @cached_property
    def submitted(self) -> Refitted:
        """The submitted recipe, refitted; UserError where there is none."""
        return Refitted(RECIPE, "as submitted", "recipe", self.split, self.recipe, submitted=True)

    @cached_property
    def supplied_scores(self) -> SuppliedScores:
        """The scores that were supplied; UserError where there are none."""
        if self.subject.supplied is None:
            raise UserError("No scores were supplied.", todo="Submit them as predictions.")
        return SuppliedScores(self.subject, self.subject.supplied, self.plan.seed)

    @cached_property
    def artifact(self) -> Artifact:
        """The fitted model as submitted, on the owner's own parts; UserError where there is none that can be run."""
        subject = self.subject
        if subject.artifact is None:
            raise UserError("No fitted model was submitted.", todo="Submit it as ONNX.")
        if subject.choices is not None:
            raise UserError("A fitted model of a choice is not run here.", todo="Submit its scores as predictions.")
        return Artifact(subject, self.plan.seed)

    @property
    def has_artifact(self) -> bool:
        """Whether a fitted model came that can be asked about rows."""
        artifact = self.subject.artifact
        return artifact is not None and artifact.opened is not None and self.subject.choices is None

    @cached_property
    def supplied_parts(self) -> dict[str, Rows]:
        """The owner's own parts of the supplied scores, sorted row positions; empty where there are none."""
        if self.subject.supplied is None:
            return {}
        return {part: self.supplied_scores.rows_of(part) for part in self.supplied_scores.parts}

    @cached_property
    def named_in_use(self) -> InUse:
        """The version in use; UserError where the plan names none, or what it learns from is not in these data."""
        used, table = self.plan.in_use, self.subject.table
        if used is None:
            raise UserError("The plan names no version in use.", todo="Name one, or leave this check out.")
        check_recipe(used.recipe, self.subject.outcome, "the version in use")
        gone = [name for name in used.features or () if name not in table]
        if gone:
            raise UserError(
                f"{used.version} learns from {wording.listed(gone)}, which these data do not have.",
                todo="Name another version in use, or leave this check out.",
            )
        return used

    @cached_property
    def in_use(self) -> Refitted:
        """The version in use, refitted from its own features; UserError where there is none."""
        used = self.named_in_use
        words = f"{used.version}, in use"
        return Refitted(IN_USE, words, "reference", self.split, used.recipe, used.features)

    @cached_property
    def challengers(self) -> tuple[Refitted, ...]:
        """The other families that the submitted model is set against, then the reviewer's own."""
        if self.subject.choices is None:
            largest = len(self.split.parts["training"])
            if RECIPE in self.models:
                largest = max(len(need.fit.train) for need in self.submitted.needs(self.plan.deciding_part))
            tuned, recipe = self.plan.challengers == "tuned", self.subject.recipe
            standard = standard_challengers(self.split, recipe, largest, self.plan.main_measure, tuned=tuned)
        else:
            standard = choice_challengers(self.split, self.recipe)
        for one in self.plan.own_challengers:
            check_recipe(one.recipe, self.subject.outcome, f"the challenger {one.name}")
        return (*standard, *own_challengers(self.split, ((one.name, one.recipe) for one in self.plan.own_challengers)))

    @cached_property
    def candidates(self) -> dict[str, Candidate]:
        """All that can be scored on rows, by name, the submitted ones first."""
        found: list[Candidate] = []
        if RECIPE in self.models:
            found.append(self.submitted)
        if SCORES in self.models:
            found.append(self.supplied_scores)
        if ARTIFACT in self.models:
            found.append(self.artifact)
        found.append(Baseline(self.split))
        if RECIPE in self.models:
            found += [self.in_use] if self.plan.in_use is not None else []
            found += self.challengers
        return {one.name: one for one in found}

    def candidate(self, name: str) -> Candidate:
        """The candidate of that name; UserError where there is none."""
        found = self.candidates.get(name)
        if found is None:
            raise UserError(f"There is no model called {name} here.", todo="Open the rows from an exhibit again.")
        return found

    # The fits.

    def fit(
        self,
        train: Rows,
        recipe: Recipe | None = None,
        features: tuple[str, ...] | None = None,
        tuning: Tuning | None = None,
    ) -> FitRequest:
        """The request to fit the recipe (or another, from other features, or tuned) on these rows."""
        return fit_request(self.subject, recipe or self.recipe, train, features, tuning)

    def figures(
        self, rows: Rows, wanted: tuple[Wanted, ...], scored: Literal["as fitted", "without itself"] = "as fitted"
    ) -> FigureReading:
        """The request to read measures of these rows, each at its own threshold or at the one that decides here."""
        at = self.subject.threshold
        known = (
            replace(one, threshold=at) if one.threshold is None and depends_on_threshold(one.measure) else one
            for one in wanted
        )
        return FigureReading(rows, tuple(known), scored)

    @property
    def deciding_needs(self) -> list[Need]:
        """What the submitted models are judged by; nothing of scores that were supplied."""
        refitted = self.submitted.needs(self.plan.deciding_part) if RECIPE in self.models else ()
        return [*refitted, *self.artifact_needs]

    @property
    def repeat_needs(self) -> list[Need]:
        """What scores the rows that the recipe is judged by once more, where they are out of fold and folds repeat."""
        judged = RECIPE in self.models and self.plan.deciding_part == OUT_OF_FOLD
        return list(self.submitted.later_needs) if judged else []

    @property
    def holdout_needs(self) -> list[Need]:
        """What a check of the parts asks for: the holdout fit, where there is a recipe, and the fitted model."""
        return [*([self.submitted.holdout] if RECIPE in self.models else []), *self.artifact_needs]

    @property
    def artifact_needs(self) -> list[Need]:
        """The scores of the fitted model, where it is tested."""
        return [self.artifact.need] if ARTIFACT in self.models else []

    # What is asked about rows that are made up for it.

    @property
    def asks_artifact(self) -> bool:
        """Whether that is the fitted model."""
        return self.has_artifact and (bool(self.artifact.parts) or RECIPE not in self.models)

    @property
    def asked(self) -> AnyFit:
        """The model that is asked: the fitted one as submitted, as that is the one in use; but the recipe's holdout fit
        where nothing says which rows the fitted one did not learn from."""
        return self.artifact.fit if self.asks_artifact else self.submitted.holdout_fit

    @property
    def asked_features(self) -> tuple[str, ...]:
        """The columns that it reads, in order."""
        return self.artifact.features if self.asks_artifact else self.subject.features

    def asked_rows(self, most: int) -> Rows:
        """The rows that it is asked about: unseen ones, so many at most, drawn by the seed; sorted."""
        if not self.asks_artifact:
            return self.split.some_unseen(most)
        return some_of(self.artifact.unseen[1], most, self.plan.seed)

    @property
    def all_asked(self) -> Rows:
        """All rows that it may be asked about, sorted."""
        return self.artifact.unseen[1] if self.asks_artifact else self.split.unseen

    @property
    def can_be_asked(self) -> bool:
        """Whether there is such a model."""
        return self.has_artifact or RECIPE in self.models

    @property
    def asked_scores(self) -> Need:
        """Its scores of these rows and of others."""
        return self.artifact.need if self.asks_artifact else self.submitted.holdout

    def few_asked(self, ledger: Ledger) -> bool:
        """Whether the rows that it is asked about are too few to judge."""
        if self.asks_artifact:
            return self.artifact.on(ledger, self.all_asked).few
        return self.submitted.scored(ledger, "test").scored.few

    @property
    def asked_as(self) -> AskedAs:
        """The labels of an estimate of it: what it is called, and what the rows are."""
        if not self.asks_artifact:
            return AskedAs(model=RECIPE, part="unseen")
        return AskedAs(model=ARTIFACT, part=self.artifact.unseen[0])

    @property
    def asked_name(self) -> str:
        return self.asked_as["model"]

    @property
    def asked_words(self) -> str:
        """What the rows are in words, after their number."""
        return "in use" if self.asked_as["part"] == "all" else "unseen"

    @property
    def asked_lines(self) -> tuple[str, ...]:
        """What has to be said of it beside an answer."""
        if not self.asks_artifact:
            return ()
        others = [f"'{name}'" for name in self.artifact.features if name not in self.subject.features]
        return tuple(
            line
            for line, holds in (
                ("The fitted model as submitted was asked, not a refit of its recipe.", True),
                ("Nothing says which rows it learned from, so these may be among them.", self.asked_words != "unseen"),
                (f"It reads {wording.listed(others)}, which the case's roles count as no feature.", bool(others)),
            )
            if holds
        )

    def models_of(self, ledger: Ledger) -> tuple[str, ...]:
        """The models that are tested, less a fitted one that failed where there are others.

        FitFailedError where it failed and there is none.
        """
        if ARTIFACT not in self.models or len(self.models) == 1 or self.artifact_ran(ledger):
            return self.models
        return tuple(name for name in self.models if name != ARTIFACT)

    def artifact_ran(self, ledger: Ledger) -> bool:
        """Whether a fitted model came that gave its scores."""
        if not self.has_artifact:
            return False
        try:
            ledger.scores(self.artifact.need)
        except FitFailedError:
            return False
        return True

    @property
    def leading(self) -> str:
        """The model that others are set against: the recipe, else the fitted model, else the supplied scores."""
        if not self.models:
            raise UserError("There is no model to test.", todo="Submit a recipe, a fitted model or scores.")
        return self.models[0]

    # What is read.

    def tested(self, model: str) -> Candidate:
        """One of the models that are tested, by name."""
        if model == ARTIFACT:
            return self.artifact
        return self.submitted if model == RECIPE else self.supplied_scores

    def model_parts(self, ledger: Ledger, model: str) -> dict[str, AnyScored]:
        """Every part of a tested model with its scores, training first where there is one."""
        one = self.tested(model)
        return {part: one.scored(ledger, part).scored for part in one.parts if part != OUT_OF_FOLD}

    def deciding_part_of(self, model: str) -> str:
        """The part that a model is judged on: the plan's; of the owner's own model the owner's part of that name, else
        test, else the last one."""
        part = self.plan.deciding_part
        if model not in (SCORES, ARTIFACT):
            return part
        parts = self.tested(model).parts
        return next((name for name in (part, "test") if name in parts), parts[-1])

    def deciding(self, ledger: Ledger, model: str = RECIPE) -> ScoredPart:
        """The rows that a model is judged on, with its scores."""
        part = self.deciding_part_of(model)
        if model in (SCORES, ARTIFACT):
            return self.tested(model).scored(ledger, part)
        if part != OUT_OF_FOLD and part not in self.split.parts:
            raise UserError(f"The plan judges on {part}, and no row is in that part.", todo="Choose another part.")
        return (self.submitted if model == RECIPE else self.candidate(model)).scored(ledger, part)

    def deciding_again(self, ledger: Ledger, model: str) -> list[AnyScored]:
        """The rows that a model is judged on as each later repeat of the folds scores them; none without repeats."""
        needs = self.repeat_needs if model == RECIPE else []
        later = list(zip(self.split.folds[len(self.split.folds) - len(needs) :], needs, strict=True))
        found = []
        for repeat in sorted({fold.repeat for fold, _ in later}):
            mine = [pair for pair in later if pair[0].repeat == repeat]
            found.append(self.held_out(ledger, tuple(fold for fold, _ in mine), [need for _, need in mine]).scored)
        return found

    def held_out(self, ledger: Ledger, folds: tuple[Fold, ...], needs: list[Need]) -> ScoredPart:
        """The held-out rows of folds that hold each row out once, each scored by its fold's need; in row order."""
        rows = np.concatenate([fold.test for fold in folds])
        order = np.argsort(rows, kind="stable")
        scores = np.concatenate([ledger.scores(need) for need in needs])[order]
        keys = ",".join(need.fit.seed_key for need in needs)
        found = self.scored(rows[order], scores, digest.sha256(keys.encode()))
        return ScoredPart(OUT_OF_FOLD, self.subject.units(rows[order]), found)

    def scored(
        self, rows: Rows, scores: NDArray[np.float64] | None, key: str, labels: NDArray[np.int64] | None = None
    ) -> AnyScored:
        """Rows with their outcomes and what a model said; ``labels`` are decisions that came with the scores."""
        return self.subject.scored(rows, scores, f"{self.plan.seed}/{key}/{digest.of_rows(rows)}", labels)

    @property
    def most_frequent(self) -> int | None:
        """The place among the classes of the training part's most frequent outcome; None for a number."""
        target, rows = self.subject.target, self.subject.units(self.split.parts["training"])
        if target.outcome == "number":
            return None
        weights = None if self.subject.weights is None else self.subject.weights[rows]
        choices = self.subject.choices
        outcomes = target.values[rows].astype(np.int64) if choices is None else choices.alternative[rows]
        return int(np.bincount(outcomes, weights, len(self.subject.classes)).argmax())
