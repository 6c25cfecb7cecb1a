"""Leak suspects: how well one feature, or the gaps in it, tells the outcome by itself."""

from dataclasses import dataclass, replace

import numpy as np

from brookfall.core.fit.request import Rows
from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.phrases import phrases_in, strongest
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import Numbers, Outcomes, Scored, ScoredNumbers
from brookfall.core.measure.single_feature import told_alone
from brookfall.core.submission.subject import Subject
from brookfall.core.table.table import Column

_ID_SHARE = 0.95
_ID_ROWS = 50
_HALF = 0.5 + 1e-9
"""The AUC of what tells nothing, with what rounding may add."""


@dataclass(frozen=True)
class Suspect:
    """A feature, the gaps in one, or a word or phrase in one, with how well it tells the outcome by itself."""

    feature: str
    gaps: bool
    measure: str
    figure: Figure
    phrase: str = ""

    @property
    def words(self) -> str:
        if self.phrase:
            return f"'{self.phrase}' in {self.feature}"
        return f"gaps in {self.feature}" if self.gaps else self.feature


def alone(subject: Subject, seed: int, rows: Rows | None = None) -> list[Suspect]:
    """Every feature, and every feature's gaps, with how well it alone tells the outcome; the best first.

    On the sorted ``rows``, or all that are in use.

    Where the gaps tell as much as the whole column, they come first: they are what tells.
    """
    found = []
    used = subject.rows if rows is None else rows
    for name in subject.features:
        column = subject.table.column(name).take(used)
        found.append(_suspect(subject, column, seed, used, gaps=False))
        if column.missing.any() and not column.missing.all():
            gaps = Column(name, "category", column.missing.astype(np.int32), ("there", "missing"))
            found.append(_suspect(subject, gaps, seed, used, gaps=True))
        if column.kind == "text":
            found.extend(_phrase(subject, column, seed, used))
    return sorted(found, key=lambda one: (-(one.figure.value or 0.0), not one.gaps))


def _phrase(subject: Subject, column: Column, seed: int, rows: Rows) -> list[Suspect]:
    """The word or phrase of two that tells most, found on one half of the rows and measured on the other; none where no
    phrase stands in enough of them."""
    target = subject.target
    half = np.random.default_rng(seed_from("phrases", seed)).permutation(len(rows)) % 2 == 0
    held = phrases_in(column)
    if target.outcome == "number":
        told = strongest(held, target.numbers[rows], half)
    else:
        classes = (1,) if target.yes_no else range(len(target.classes))
        each = [strongest(held, (target.codes[rows] == code).astype(np.float64), half) for code in classes]
        told = max((one for one in each if one is not None), key=lambda one: one.strength, default=None)
    if told is None:
        return []
    there = Column(column.name, "category", told.there.astype(np.int32), ("not there", "there"))
    others = np.flatnonzero(~half)
    found = _suspect(subject, there.take(others), seed, rows[others], gaps=False)
    return [replace(found, phrase=told.phrase)]


def _suspect(subject: Subject, column: Column, seed: int, rows: Rows, *, gaps: bool) -> Suspect:
    target = subject.target
    sampling = subject.sampling(rows, f"alone {column.name}")
    if target.outcome == "number":
        outcomes = target.numbers[rows]
        told = ScoredNumbers(outcomes=outcomes, predictions=told_alone(column, outcomes, seed), **sampling)
        return Suspect(column.name, gaps, "r2", measure("r2", told))
    classes = (1,) if target.yes_no else range(len(target.classes))
    figures = [_auc(column, target.codes[rows] == code, seed, subject, rows) for code in classes]
    best = max(figures, key=lambda figure: figure.value or 0.0)
    return Suspect(column.name, gaps, "auc" if target.yes_no else "auc_ovr", best)


def _auc(column: Column, hits: Outcomes, seed: int, subject: Subject, rows: Rows) -> Figure:
    """By the other folds' means, or, where that is better, by a number's own order, either way up."""
    sampling = subject.sampling(rows, f"alone {column.name}")

    def figure(scores: Numbers) -> Figure:
        return measure("auc", Scored(outcomes=hits, scores=scores, threshold=0.5, **sampling))

    figures = [figure(told_alone(column, hits.astype(np.float64), seed))]
    if column.kind == "number" and not column.missing.any():
        values: Numbers = column.values.astype(np.float64)
        figures.append(figure(values))
        # The other way up it is 1 less this: measured only where it can be the better one.
        if (figures[-1].value or 0.0) <= _HALF:
            figures.append(figure(-values))
    return max(figures, key=lambda figure: figure.value or 0.0)


def identifiers_among(subject: Subject) -> list[tuple[str, int]]:
    """Features whose values are all but unique, as an identifier's are, with how many values they have.

    Measured numbers are left out: only text and whole numbers can be names.
    """
    found = []
    for name in subject.features:
        column = subject.table.column(name)
        present = column.values[~column.missing]
        if len(present) < _ID_ROWS or (column.kind == "number" and (present != np.round(present)).any()):
            continue
        distinct = len(np.unique(present))
        spread = column.kind != "number" or float(np.ptp(present)) < 20 * len(present)
        if distinct > _ID_SHARE * len(present) and spread:
            found.append((name, distinct))
    return found
