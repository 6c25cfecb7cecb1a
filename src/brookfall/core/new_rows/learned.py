"""A model to be asked about new rows: fitted on the rows its owner trained on; and how it did on rows held out."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from brookfall.core.candidate.candidate import ARTIFACT, RECIPE, SCORES
from brookfall.core.candidate.challengers import STANDARD
from brookfall.core.fit.ask import fit_request
from brookfall.core.fit.execute import fit_model, on_one_thread
from brookfall.core.fit.fitted import Fitted
from brookfall.core.fit.request import Rows
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.progress import Progress, untold
from brookfall.core.measure.scored import Codes, Numbers
from brookfall.core.recipe.families import check_recipe, families
from brookfall.core.recipe.family.choice import Occasions
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.folds import k_folds
from brookfall.core.resample.parts import given_parts
from brookfall.core.submission.subject import Subject
from brookfall.core.table.outcome import Outcome

FOLDS = 10
"""Folds over the rows learned from, whose held-out rows say how far off the model is on rows that it has not seen."""


@dataclass(frozen=True)
class Asked:
    """A model by name, what it is called, and what is fitted."""

    name: str
    words: str
    recipe: Recipe


def models_asked(subject: Subject, names: Sequence[str]) -> tuple[Asked, ...]:
    """The models of those names: ``recipe``, or a family with the settings it has as a challenger.

    Raises
    ------
    UserError
        There is no such model, it can't be asked about new rows, or one is named twice.
    """
    refuse_models(subject.outcome, subject.recipe, names)
    return tuple(_asked(subject, name) for name in names)


def families_for(outcome: Outcome) -> tuple[str, ...]:
    """The families that a model of this outcome can be of, by name."""
    return tuple(name for name, family in families().items() if outcome in family.outcomes)


def refuse_models(outcome: Outcome, recipe: Recipe | None, names: Sequence[str]) -> None:
    """UserError where one of the names is no model of this outcome that can be asked, or stands there twice."""
    if len(set(names)) != len(names):
        raise UserError("A model is named twice.", todo="Name each once.")
    known = families_for(outcome)
    for name in names:
        if name == RECIPE and recipe is None:
            raise UserError(
                "The model came without a recipe, so it can't be asked about new rows.",
                todo=f"Ask another model: {wording.listed(known)}.",
            )
        if name in (SCORES, ARTIFACT):
            raise UserError(
                "Scores alone say nothing of other rows." if name == SCORES else "The fitted model is not run here.",
                todo="Ask the recipe, or a family.",
            )
        if name not in (RECIPE, *known):
            raise UserError(
                f"No model of this outcome is called '{name}'.", todo=f"Name {wording.listed([RECIPE, *known])}."
            )


def _asked(subject: Subject, name: str) -> Asked:
    if name == RECIPE and subject.recipe is not None:
        return Asked(RECIPE, "submitted recipe", subject.recipe)
    standard = next((one for one in STANDARD if one.family == name), None)
    settings = dict(standard.settings) if standard else {}
    recipe = Recipe(family=name, settings=settings, threshold=subject.threshold)
    if standard is not None:
        recipe = recipe.model_copy(update={"preprocess": standard.preprocess})
    if subject.recipe is not None:
        text = {"text": subject.recipe.preprocess.text}
        recipe = recipe.model_copy(
            update={"preprocess": recipe.preprocess.model_copy(update=text), "seed": subject.recipe.seed}
        )
    check_recipe(recipe, subject.outcome, "submission.yaml")
    return Asked(name, families()[name].words, recipe)


def rows_learned_from(subject: Subject) -> tuple[Rows, str]:
    """The rows that a model's owner trained on, sorted, and which these are in words.

    The training part where the data name one; else all rows whose outcome is known.
    """
    if subject.roles.part is not None:
        parts = given_parts(subject.table, subject.roles.part)
        train = np.intersect1d(parts.get("training", np.zeros(0, dtype=np.int64)), subject.rows)
        if len(train):
            return train, f"the {wording.count(len(train))} rows of the training part"
    return subject.rows, f"all {wording.count(len(subject.rows))} rows that have an outcome"


@dataclass(frozen=True)
class Learned:
    """A fitted model, and how it did on rows that it had not learned from.

    ``unseen`` are the scores of the rows learned from by models that each left its fold out, shape as ``outcomes`` or
    (n, classes); ``folds`` these models with how far each was off on its held-out rows, of a number alone. ``without``
    says why there is nothing to make a set or an interval of.
    """

    asked: Asked
    fitted: Fitted
    subject: Subject
    train: Rows
    unseen: Numbers | None
    folds: tuple[tuple[Fitted, Numbers], ...]
    without: str | None

    @property
    def threshold(self) -> float | None:
        """At which score it decides; None where nothing says so."""
        return self.asked.recipe.threshold

    @property
    def outcomes(self) -> NDArray[np.float64] | Codes:
        """The outcomes of the rows learned from: classes as places among them, or numbers; shape (n,)."""
        target = self.subject.target
        return target.numbers[self.train] if target.outcome == "number" else target.codes[self.train]

    def scores(self, raw: Numbers, occasions: Occasions | None = None) -> Numbers:
        """What it says of raw rows (m, p): shape (m,), or (m, classes) of several classes."""
        with on_one_thread():
            if occasions is not None:
                return self.fitted.scores_among(raw, occasions)
            return self.fitted.scores_of_many(raw)

    def scores_of_folds(self, raw: Numbers) -> Numbers:
        """What the model of every fold says of raw rows (m, p): shape (folds, m)."""
        with on_one_thread():
            return np.stack([fitted.scores_of_many(raw) for fitted, _ in self.folds])

    @property
    def residuals(self) -> list[Numbers]:
        """How far the model of every fold was off on the rows it had not seen."""
        return [off for _, off in self.folds]


def learn(subject: Subject, asked: Asked, seed: int, *, progress: Progress = untold) -> Learned:
    """Fits a model on the rows its owner trained on, and on these less each of ten folds.

    Raises
    ------
    UserError
        It can't be fitted, with the reason.
    """
    train, _ = rows_learned_from(subject)
    progress(f"fitting {asked.words}", 0)
    fitted = fit_model(fit_request(subject, asked.recipe, train), subject)
    if subject.choices is not None:
        return Learned(asked, fitted, subject, train, None, (), "the alternatives of an occasion have none")
    by: Literal["rows", "groups"] = "rows" if subject.clusters is None else "groups"
    try:
        folds = k_folds(subject.layout(stratified=True).within(train), FOLDS, 1, seed, by)
        made = []
        for number, fold in enumerate(folds):
            progress(f"fitting {asked.words} without a fold", (number + 1) / (len(folds) + 1))
            made.append((fold.test, fit_model(fit_request(subject, asked.recipe, fold.train), subject)))
    except UserError as problem:
        return Learned(asked, fitted, subject, train, None, (), problem.what)
    unseen = _unseen(made, train)
    if subject.outcome != "number":
        return Learned(asked, fitted, subject, train, unseen, (), None)
    off = np.abs(subject.target.numbers[train] - unseen)
    kept = tuple((model, off[np.searchsorted(train, test)]) for test, model in made)
    return Learned(asked, fitted, subject, train, unseen, kept, None)


def _unseen(made: Iterable[tuple[Rows, Fitted]], train: Rows) -> Numbers:
    found: Numbers | None = None
    with on_one_thread():
        for test, fitted in made:
            scores = fitted.scores_of_many(fitted.raw(test))
            if found is None:
                found = np.full((len(train), *scores.shape[1:]), np.nan)
            found[np.searchsorted(train, test)] = scores
    if found is None:
        raise UserError("No fold holds anything out.", todo="Send more rows to learn from.")
    return found
