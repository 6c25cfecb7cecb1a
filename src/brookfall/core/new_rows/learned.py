"""A model to be asked about new rows: fitted on the rows its owner trained on; and how it did on rows held out."""

from collections.abc import Collection, Iterable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from brookfall.core.candidate.candidate import ARTIFACT, RECIPE, SCORES
from brookfall.core.candidate.challengers import STANDARD
from brookfall.core.fit.artifact import artifact_request, columns_read, opened_artifact, unseen_by_owner
from brookfall.core.fit.ask import fit_request
from brookfall.core.fit.execute import fit_model, on_one_thread
from brookfall.core.fit.fitted import Fitted, Model
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
    """A model by name, what it is called, what is fitted (None: it came fitted), and where a yes/no is decided."""

    name: str
    words: str
    recipe: Recipe | None
    threshold: float | None

    @property
    def drops_gaps(self) -> bool:
        """Whether rows with a gap are left out."""
        return self.recipe is not None and self.recipe.preprocess.missing == "drop"


def models_asked(subject: Subject, names: Sequence[str]) -> tuple[Asked, ...]:
    """The models of those names: ``recipe``, ``artifact``, or a family with the settings it has as a challenger.

    Raises
    ------
    UserError
        There is no such model, it can't be asked about new rows, or one is named twice.
    """
    runs = subject.artifact is not None and subject.artifact.opened is not None
    came = [name for name, there in ((RECIPE, subject.recipe is not None), (ARTIFACT, runs)) if there]
    refuse_models(subject.outcome, came, names)
    return tuple(_asked(subject, name) for name in names)


def families_for(outcome: Outcome) -> tuple[str, ...]:
    """The families that a model of this outcome can be of, by name."""
    return tuple(name for name, family in families().items() if outcome in family.outcomes)


def refuse_models(outcome: Outcome, came: Collection[str], names: Sequence[str]) -> None:
    """UserError where one of the names is no model of this outcome that can be asked, or stands there twice.

    ``came`` says what was submitted: ``recipe``, ``artifact``.
    """
    if len(set(names)) != len(names):
        raise UserError("A model is named twice.", todo="Name each once.")
    known = families_for(outcome)
    for name in names:
        if name in (RECIPE, ARTIFACT) and name not in came:
            what = "a recipe" if name == RECIPE else "a fitted model"
            raise UserError(
                f"The model came without {what}, so it can't be asked about new rows by that.",
                todo=f"Ask another model: {wording.listed([*came, *known])}.",
            )
        if name == ARTIFACT and outcome == "choice":
            raise UserError("A fitted model of a choice is not run here.", todo="Ask the recipe, or a family.")
        if name == SCORES:
            raise UserError("Scores alone say nothing of other rows.", todo="Ask the recipe, or a family.")
        if name not in (RECIPE, ARTIFACT, *known):
            raise UserError(
                f"No model of this outcome is called '{name}'.", todo=f"Name {wording.listed([*came, *known])}."
            )


def _asked(subject: Subject, name: str) -> Asked:
    if name == RECIPE and subject.recipe is not None:
        return Asked(RECIPE, "submitted recipe", subject.recipe, subject.recipe.threshold)
    if name == ARTIFACT:
        return Asked(ARTIFACT, "fitted model as submitted", None, subject.threshold)
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
    return Asked(name, families()[name].words, recipe, recipe.threshold)


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

    ``unseen`` are the scores of the rows ``held`` by models that had not learned from them: those learned from, each by
    a model that left its fold out, or of a model that came fitted its owner's test part; shape as ``outcomes`` or
    (n, classes). ``folds`` are these models with how far each was off on its held-out rows, of a number alone.
    ``without`` says why there is nothing to make a set or an interval of.
    """

    asked: Asked
    model: Model
    subject: Subject
    train: Rows
    held: Rows
    unseen: Numbers | None
    folds: tuple[tuple[Model, Numbers], ...]
    without: str | None

    @property
    def outcomes(self) -> NDArray[np.float64] | Codes:
        """The outcomes of the rows held: classes as places among them, or numbers; shape (n,)."""
        target = self.subject.target
        return target.numbers[self.held] if target.outcome == "number" else target.codes[self.held]

    def scores(self, raw: Numbers, occasions: Occasions | None = None) -> Numbers:
        """What it says of raw rows (m, p): shape (m,), or (m, classes) of several classes."""
        with on_one_thread():
            if occasions is not None and isinstance(self.model, Fitted):
                return self.model.scores_among(raw, occasions)
            return self.model.scores_of_many(raw)

    def scores_of_folds(self, raw: Numbers) -> Numbers:
        """What the model of every fold says of raw rows (m, p): shape (folds, m)."""
        with on_one_thread():
            return np.stack([model.scores_of_many(raw) for model, _ in self.folds])

    @property
    def residuals(self) -> list[Numbers]:
        """How far the model of every fold was off on the rows it had not seen."""
        return [off for _, off in self.folds]


@contextmanager
def learned_by(subject: Subject, asked: Asked, seed: int, *, progress: Progress = untold) -> Iterator[Learned]:
    """A model fitted on the rows its owner trained on, and on these less each of ten folds; one that came fitted is
    open for as long as the context lasts.

    Raises
    ------
    UserError
        It can't be fitted or run, with the reason.
    """
    if asked.recipe is None:
        progress(f"opening the {asked.words}", 0)
        fit = artifact_request(subject, columns_read(subject))
        with opened_artifact(fit, subject, subject.table.select(subject.features)) as model:
            yield _as_it_came(subject, asked, model)
    else:
        yield _learn(subject, asked, asked.recipe, seed, progress)


def _as_it_came(subject: Subject, asked: Asked, model: Model) -> Learned:
    """A model that came fitted, held against its owner's test part."""
    train, known = model.request.train, unseen_by_owner(subject)
    if known is None:
        why = "nothing says which rows it did not learn from"
        return Learned(asked, model, subject, train, train, None, (), why)
    _, held = known
    scores = model.scores_of_many(model.raw(held))
    if subject.outcome != "number":
        return Learned(asked, model, subject, train, held, scores, (), None)
    off = np.abs(subject.target.numbers[held] - scores)
    return Learned(asked, model, subject, train, held, scores, ((model, off),), None)


def _learn(subject: Subject, asked: Asked, recipe: Recipe, seed: int, progress: Progress) -> Learned:
    train, _ = rows_learned_from(subject)
    progress(f"fitting {asked.words}", 0)
    fitted = fit_model(fit_request(subject, recipe, train), subject)
    if subject.choices is not None:
        return Learned(asked, fitted, subject, train, train, None, (), "the alternatives of an occasion have none")
    by: Literal["rows", "groups"] = "rows" if subject.clusters is None else "groups"
    try:
        folds = k_folds(subject.layout(stratified=True).within(train), FOLDS, 1, seed, by)
        made = []
        for number, fold in enumerate(folds):
            progress(f"fitting {asked.words} without a fold", (number + 1) / (len(folds) + 1))
            made.append((fold.test, fit_model(fit_request(subject, recipe, fold.train), subject)))
    except UserError as problem:
        return Learned(asked, fitted, subject, train, train, None, (), problem.what)
    unseen = _unseen(made, train)
    if subject.outcome != "number":
        return Learned(asked, fitted, subject, train, train, unseen, (), None)
    off = np.abs(subject.target.numbers[train] - unseen)
    kept = tuple((model, off[np.searchsorted(train, test)]) for test, model in made)
    return Learned(asked, fitted, subject, train, train, unseen, kept, None)


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
