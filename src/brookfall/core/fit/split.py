"""The split of a subject's rows as a plan declares it: who trains, who is tested, by what seed."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.request import Rows
from brookfall.core.foundation import digest, wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.resample.declared import Folds, Given, Shares
from brookfall.core.resample.folds import Fold, bootstraps, k_folds, leave_one_out, random_splits
from brookfall.core.resample.part_names import ORDER
from brookfall.core.resample.parts import By, given_parts, split_parts
from brookfall.core.submission.subject import Subject

_SHORT, _MANY = 5, 10


def some_of(rows: Rows, most: int, seed: int) -> Rows:
    """These rows, or so many of them, drawn by the seed; sorted."""
    if len(rows) <= most:
        return rows
    rng = np.random.default_rng(digest.seed_from("unseen", seed))
    return np.sort(rng.choice(rows, most, replace=False))


@dataclass(frozen=True)
class Split:
    """Parts and folds of a subject's rows in use; UserError where they can't be made of these rows.

    Parameters
    ----------
    subject
        Whose rows are split.
    declared
        The parts: shares of the rows, or as the data's own column names them.
    cross_validation
        The folds over the rows outside test.
    seed
        Of parts and folds.
    """

    subject: Subject
    declared: Shares | Given
    cross_validation: Folds
    seed: int

    @cached_property
    def parts(self) -> dict[str, Rows]:
        """Part name to sorted row positions, training first."""
        how = self.declared
        if isinstance(how, Given):
            return self.given_parts
        layout = self.subject.layout(stratified=how.stratified)
        made = split_parts(layout, how.by_part, self.seed, self._kept_whole(how.by))
        self._refuse_split_occasions(made)
        return made

    def _kept_whole(self, by: By) -> By:
        """How rows are dealt: the alternatives of an occasion always together."""
        return "groups" if by == "rows" and self.subject.choices is not None else by

    def _refuse_split_occasions(self, parts: Mapping[str, Rows]) -> None:
        """UserError where parts share an occasion: who has seen some of its alternatives knows the choice among all."""
        choices = self.subject.choices
        if choices is None:
            return
        held = np.concatenate([np.unique(choices.occasion[rows]) for rows in parts.values()])
        if len(held) > len(np.unique(held)):
            raise UserError(
                f"The parts {wording.listed(list(parts))} share occasions, so the choice in them is known.",
                todo="Split by whole groups of rows, or name one part for all rows of an occasion.",
                file=self.subject.file,
                column=self.subject.roles.part if isinstance(self.declared, Given) else self.subject.roles.time,
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
        self._refuse_split_occasions(parts)
        return {name: parts[name] for name in (*ORDER, *(n for n in parts if n not in ORDER)) if name in parts}

    @cached_property
    def all_parts(self) -> Rows:
        """Every row of a part; sorted."""
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
        """The unseen rows, or so many of them, drawn by the seed; sorted."""
        return some_of(self.unseen, most, self.seed)

    @cached_property
    def folds(self) -> tuple[Fold, ...]:
        """The folds that are declared."""
        return self.folds_as(self.cross_validation)

    def folds_as(self, how: Folds) -> tuple[Fold, ...]:
        """The folds over the cross-validated rows, made in the way asked for."""
        layout = self.subject.layout(stratified=how.stratified).within(self.cross_validated)
        if how.kind == "leave_one_out":
            return leave_one_out(layout)
        by = self._kept_whole(how.by)
        if how.kind == "random_splits":
            return random_splits(layout, how.folds, how.test / 100, self.seed, by)
        if how.kind == "bootstrap" and self.subject.choices is not None:
            raise UserError(
                "An occasion of a choice can't stand twice among the training rows, as bootstrap resamples have it.",
                todo="Cross-validate with folds or random splits.",
            )
        if how.kind == "bootstrap":
            return bootstraps(layout, how.folds, self.seed)
        folds = k_folds(layout, how.folds, how.repeats, self.seed, by)
        if by == "time":
            for fold in folds:
                self._refuse_split_occasions({"of one fold": fold.train, "and of its held-out rows": fold.test})
        return folds

    @cached_property
    def short_folds(self) -> tuple[Fold, ...]:
        """Five folds, for what is fitted again and again; the declared ones where they are five."""
        how = self.cross_validation
        return self.folds_as(Folds(folds=_SHORT, stratified=how.stratified, by=how.by))

    @property
    def long_folds(self) -> tuple[Fold, ...]:
        """The folds behind every row's out-of-fold score, where they are few; else five."""
        how = self.cross_validation
        if how.kind != "k_fold" or how.folds > _MANY:
            return self.short_folds
        return tuple(fold for fold in self.folds if fold.repeat == 1)

    @property
    def first_repeat(self) -> int:
        """How many of the folds hold out every row that any holds out: those of the first repeat."""
        if self.cross_validation.kind == "k_fold":
            return sum(fold.repeat == 1 for fold in self.folds)
        return len(self.folds)

    @cached_property
    def first_held(self) -> NDArray[np.int64]:
        """The place of the first fold that holds out each cross-validated row; -1 where none does."""
        rows = self.cross_validated
        held = np.full(len(rows), -1, dtype=np.int64)
        for number in range(len(self.folds) - 1, -1, -1):
            held[np.searchsorted(rows, self.folds[number].test)] = number
        return held

    @property
    def fewer_folds(self) -> str:
        """Why there are fewer folds than were asked for, in a sentence; empty where there are as many."""
        how = self.cross_validation
        if how.kind != "k_fold":
            return ""
        made = self.first_repeat
        if made == how.folds:
            return ""
        what = {
            "rows": f"only {made} rows of the rarest class are outside the test part",
            "groups": f"only {made} groups to keep together are outside the test part",
            "time": "rows outside the test part have few different times",
        }[how.by]
        return f"There are {made} folds, not {how.folds}: {what}."

    @property
    def words(self) -> str:
        """How the rows were used, in words."""
        sizes = " · ".join(f"{name} {len(rows)}" for name, rows in self.parts.items())
        kind = "given by the data" if isinstance(self.declared, Given) else f"split here by {self.declared.by}"
        folds = f"{self.cross_validation.words} over the rows outside test"
        fewer = f"; {self.fewer_folds[0].lower()}{self.fewer_folds[1:-1]}" if self.fewer_folds else ""
        return f"parts {kind}: {sizes} rows; {folds}{fewer}"
