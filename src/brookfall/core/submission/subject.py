"""What is under test: rows, what their columns are for, the recipe, the supplied scores and the claims."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation import wording
from brookfall.core.measure.scored import (
    AnyScored,
    Sampling,
    Scored,
    ScoredClasses,
    ScoredNumbers,
    picked_from,
)
from brookfall.core.recipe.families import check_recipe
from brookfall.core.recipe.fitted_model import FittedModelFile
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.recipe.rows_with_gaps import rows_with_gaps
from brookfall.core.resample.part_names import ORDER
from brookfall.core.resample.parts import given_parts
from brookfall.core.resample.strata import Layout
from brookfall.core.submission.package import Package
from brookfall.core.submission.predictions import Supplied, read_supplied
from brookfall.core.submission.schema import Claim, Expectation, Submission
from brookfall.core.table.change import Change, apply
from brookfall.core.table.occasions import Choices, choices_of
from brookfall.core.table.outcome import Outcome
from brookfall.core.table.roles import Roles, check_roles, groups_of_rows, observed_of, target_of, times_of, weights_of
from brookfall.core.table.table import Column, Table
from brookfall.core.table.target import Target


@dataclass(frozen=True)
class Subject:
    """A table with its roles, a recipe to refit (None when there is none), and what is claimed.

    ``file`` names the data in messages. ``supplied`` are the scores that the owner's own model gave, if any;
    ``new_rows`` are files of later rows by name; ``changes`` made the table from the one that was submitted, whose rows
    ``origins`` (n,), sorted, are still there (None: all). ``artifact`` is the fitted model, if one came.
    ``changeable`` are columns that can be other than they are. ``decide_at`` is the reviewer's threshold where the
    owner declared none.
    """

    table: Table
    roles: Roles
    recipe: Recipe | None
    claims: tuple[Claim, ...]
    file: str
    outcome: Outcome = "binary"
    supplied: Supplied | None = None
    new_rows: Mapping[str, Table] = field(default_factory=dict)
    changes: tuple[Change, ...] = ()
    expectations: tuple[Expectation, ...] = ()
    changeable: tuple[str, ...] = ()
    origins: NDArray[np.int64] | None = None
    artifact: FittedModelFile | None = None
    decide_at: float | None = None

    def submitted_rows(self, rows: NDArray[np.int64]) -> NDArray[np.int64]:
        """Where rows of the table stand in the submitted one; same shape."""
        return rows if self.origins is None else self.origins[rows]

    def places_of(self, submitted: NDArray[np.int64]) -> NDArray[np.int64]:
        """Where rows of the submitted table stand in this one; -1 where they were left out. Same shape."""
        origins = np.arange(self.table.n_rows) if self.origins is None else self.origins
        places = np.minimum(np.searchsorted(origins, submitted), len(origins) - 1)
        return np.where(origins[places] == submitted, places, -1)

    @cached_property
    def features(self) -> tuple[str, ...]:
        return self.roles.feature_names(self.table)

    @cached_property
    def owners(self) -> dict[str, NDArray[np.int64]]:
        """The owner's own parts by name, sorted rows in use: those that a column names, else those of the supplied
        scores. Empty where none but training is known."""
        found = {} if self.supplied is None else {k: v for k, v in self.supplied.parts.items() if k != "all"}
        if self.roles.part is not None:
            found = given_parts(self.table, self.roles.part)
        ordered = sorted(found, key=lambda part: ORDER.index(part) if part in ORDER else len(ORDER))
        used = {part: np.intersect1d(found[part], self.rows) for part in ordered}
        known = {part: rows for part, rows in used.items() if len(rows)}
        return known if set(known) - {"training"} else {}

    @property
    def beside(self) -> tuple[str, str] | None:
        """The columns of occasion and alternative of a choice; None for every other outcome."""
        return None if self.choices is None else (str(self.roles.occasion), str(self.roles.alternative))

    def seen_by(self, features: tuple[str, ...]) -> str:
        """Fingerprint of the columns that a fit from these features can see: marking others costs no fit."""
        if features not in self._seen:
            weight = () if self.roles.weight is None else (self.roles.weight,)
            seen = (*features, self.roles.target, *weight, *(self.beside or ()))
            self._seen[features] = self.table.select(seen).fingerprint
        return self._seen[features]

    @cached_property
    def _seen(self) -> dict[tuple[str, ...], str]:
        return {}

    @cached_property
    def target(self) -> Target:
        """The outcome of every row; shape (n,)."""
        return target_of(self.table, self.roles, self.outcome, self.file)

    @cached_property
    def choices(self) -> Choices | None:
        """Of a choice, which rows stand side by side; None for every other outcome."""
        return choices_of(self.table, self.roles, self.file) if self.outcome == "choice" else None

    @cached_property
    def weights(self) -> NDArray[np.float64] | None:
        """What every row counts; shape (n,), None where all count once."""
        return weights_of(self.table, self.roles, self.file)

    @cached_property
    def grouping(self) -> Column | None:
        """The column whose equal values keep rows together; None where rows stand for themselves."""
        return groups_of_rows(self.table, self.roles)

    @cached_property
    def clusters(self) -> NDArray[np.int64] | None:
        """A code for each row's group, shape (n,); a row without one is a group of its own."""
        column = self.grouping
        if column is None:
            return None
        codes = column.values.astype(np.int64)
        alone = np.flatnonzero(codes < 0)
        codes[alone] = len(column.levels) + np.arange(len(alone))
        return codes

    @cached_property
    def rows(self) -> NDArray[np.int64]:
        """Positions of the rows in use: all of weight above 0 whose outcome was looked at, but those with a gap where
        the recipe drops them."""
        used = self._can_be_scored if self._seen_outcomes is None else self._can_be_scored & self._seen_outcomes
        return np.flatnonzero(used if self.choices is None else _whole(self.choices, used))

    @cached_property
    def unobserved(self) -> NDArray[np.int64]:
        """Positions of the rows that could be used if their outcome had been looked at; none where all were."""
        if self._seen_outcomes is None:
            return np.zeros(0, dtype=np.int64)
        return np.flatnonzero(self._can_be_scored & ~self._seen_outcomes)

    @property
    def with_outcome(self) -> NDArray[np.int64]:
        """Positions of all rows whose outcome was looked at, in use or not."""
        seen = self._seen_outcomes
        return np.arange(self.table.n_rows) if seen is None else np.flatnonzero(seen)

    @cached_property
    def _seen_outcomes(self) -> NDArray[np.bool_] | None:
        return observed_of(self.table, self.roles, self.file)

    @cached_property
    def _can_be_scored(self) -> NDArray[np.bool_]:
        used = np.ones(self.table.n_rows, dtype=bool) if self.choices is None else self.choices.available.copy()
        if self.recipe is not None and self.recipe.preprocess.missing == "drop":
            used &= ~rows_with_gaps(self.table.select(self.features))
        if self.weights is not None:
            used &= self.weights > 0
        return used

    def sampling(self, rows: NDArray[np.int64], key: str) -> Sampling:
        """What rows count and which groups they come in, under a name."""
        return Sampling(
            key=key,
            weights=None if self.weights is None else self.weights[rows],
            clusters=None if self.clusters is None else self.clusters[rows],
        )

    def scored(
        self,
        rows: NDArray[np.int64],
        scores: NDArray[np.float64] | None,
        key: str,
        labels: NDArray[np.int64] | None = None,
        target: Target | None = None,
    ) -> AnyScored:
        """Rows (m,) with their outcomes and what a model said of them, ready to be measured.

        ``scores`` (m,), or (m, classes) of several classes; ``labels`` are decisions that came with them. ``key`` names
        rows and model, and seeds what is drawn; ``target`` are other outcomes than the data's. Of a choice the
        rows are whole occasions, and what comes back has one row for each of ``units(rows)``. ValueError where a yes/no
        or a number has no score.
        """
        target, common = target or self.target, self.sampling(rows, key)
        if self.choices is not None and target.outcome == "choice" and scores is not None:
            side = self.choices.take(rows)
            chosen = target.hits[rows]
            return picked_from(common, side.occasion, side.alternative, side.alternatives, chosen, scores)
        if target.outcome == "multiclass":
            decisions = _decisions(scores, labels, len(rows))
            return ScoredClasses(
                outcomes=target.codes[rows], decisions=decisions, classes=target.classes, scores=scores, **common
            )
        if scores is None:
            raise ValueError("all outcomes but classes need scores")
        if target.outcome == "number":
            return ScoredNumbers(outcomes=target.numbers[rows], predictions=scores, **common)
        decided = None if labels is None else labels == 1
        return Scored(outcomes=target.hits[rows], scores=scores, threshold=self.threshold, given=decided, **common)

    def units(self, rows: NDArray[np.int64]) -> NDArray[np.int64]:
        """A row for each unit that is scored: the row itself, or of each whole occasion the chosen row; sorted as rows
        are."""
        return rows if self.choices is None else rows[self.target.hits[rows]]

    def whole(self, units: NDArray[np.int64]) -> NDArray[np.int64]:
        """All rows in use of these units, sorted: the other way round from ``units``."""
        if self.choices is None:
            return units
        return self.rows[np.isin(self.choices.occasion[self.rows], self.choices.occasion[units])]

    @property
    def classes(self) -> tuple[str, ...]:
        """What a unit can be: the classes of the outcome, or the alternatives of a choice; none of a number."""
        return self.target.classes if self.choices is None else self.choices.alternatives

    @property
    def unit(self) -> str:
        """What is scored as one, in a word: a row, or an occasion of a choice."""
        return "row" if self.choices is None else "occasion"

    def counted(self, n: int) -> str:
        """So many units in words."""
        return wording.counted(n, self.unit)

    @property
    def dropped(self) -> int:
        return self.table.n_rows - len(self.rows)

    @property
    def threshold(self) -> float | None:
        """At which score a yes/no is positive: the recipe's own, else the reviewer's, else none."""
        declared = None if self.recipe is None else self.recipe.threshold
        return self.decide_at if declared is None else declared

    @property
    def whose_threshold(self) -> Literal["submitted", "plan's"]:
        """Who says where a yes/no is decided, in a word before *threshold*."""
        declared = self.recipe is not None and self.recipe.threshold is not None
        return "submitted" if declared or self.decide_at is None else "plan's"

    def layout(self, *, stratified: bool) -> Layout:
        """The rows in use with what a split must respect."""
        rows, column, times = self.rows, self.grouping, times_of(self.table, self.roles, self.file)
        strata = self.target.strata if stratified else None
        return Layout(
            rows,
            None if strata is None else strata[rows],
            None if self.clusters is None else self.clusters[rows],
            None if times is None else times[rows],
            () if column is None else column.levels,
        )


@dataclass(frozen=True)
class Submitted:
    """What came in: the declaration, the rows under review, the tables beside them, the files of supplied scores, and
    the fitted model."""

    declared: Submission
    table: Table
    beside: Mapping[str, Table]
    files: Mapping[str, bytes]
    artifact: FittedModelFile | None = None


def subject_from(came: Submitted, roles: Roles | None = None, changes: Sequence[Change] = ()) -> Subject:
    """The subject of what was submitted, under its own roles or others, after changes to its table.

    UserError when the roles don't fit the data, a change can't be made, or the outcome can't be tested here.
    """
    declared = came.declared
    outcome = declared.model.outcome
    data = declared.data[0]
    chosen = roles or data.roles
    changed = apply(came.table, changes, came.beside)
    table = changed.table
    check_roles(chosen, table, data.path, refits=declared.refits)
    target = target_of(table, chosen, outcome, data.path)
    if declared.recipe is not None:
        check_recipe(declared.recipe, outcome, "submission.yaml")
    # Scores belong to the rows that were submitted; those of rows left out since go with them.
    supplied = read_supplied(declared, came.files, came.table, data.roles, target)
    subject = Subject(
        table,
        chosen,
        declared.recipe,
        declared.claims,
        data.path,
        outcome,
        None if supplied is None else supplied.take(changed.rows),
        {entry.name: came.beside[entry.name] for entry in declared.data if entry.kind == "new_rows"},
        tuple(changes),
        declared.expectations,
        declared.changeable,
        changed.rows if len(changed.rows) < came.table.n_rows else None,
        came.artifact,
    )
    # Read once here, so that what is wrong with them is said at the door.
    _ = subject.target, subject.weights, subject.choices, times_of(table, chosen, data.path)
    return subject


def _whole(choices: Choices, used: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """The rows that can be used, less those of occasions whose choice can't be told from what is left of them.

    An occasion goes as a whole when a row that could have been chosen is not used, for the choice was made among all.
    """
    spoilt = np.zeros(int(choices.occasion.max(initial=0)) + 1, dtype=np.bool_)
    spoilt[choices.occasion[choices.available & ~used]] = True
    return used & ~spoilt[choices.occasion]


def subject_of(package: Package, roles: Roles | None = None, changes: Sequence[Change] = ()) -> Subject:
    """The subject of a package, under its own roles or the reviewer's, and the reviewer's changes to its table."""
    came = Submitted(package.submission, package.table, package.beside, package.files, package.artifact)
    return subject_from(came, roles, changes)


def _decisions(scores: NDArray[np.float64] | None, labels: NDArray[np.int64] | None, n: int) -> NDArray[np.int64]:
    """The decided class of each row: the label that was given, else the class of the highest score; -1 for none."""
    if labels is not None:
        return labels
    if scores is None:
        return np.full(n, -1, dtype=np.int64)
    known = ~np.isnan(scores).any(axis=1)
    return np.where(known, np.nan_to_num(scores).argmax(axis=1), -1)
