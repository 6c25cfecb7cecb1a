"""A file of new rows as several models score it, side by side."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.fitted import Fitted
from brookfall.core.fit.request import Rows
from brookfall.core.foundation import digest, wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.progress import Progress, untold, within
from brookfall.core.measure.conformal import class_p_values, class_sets, fold_ends
from brookfall.core.measure.scored import Codes, Numbers
from brookfall.core.new_rows.learned import Asked, Learned, learned_by, rows_learned_from
from brookfall.core.new_rows.match import NewRows
from brookfall.core.new_rows.occasions import available_in, occasions_of
from brookfall.core.new_rows.other_decision import MOST_ROWS, other_decisions
from brookfall.core.new_rows.outcomes import Outcomes, outcomes_of
from brookfall.core.new_rows.outside import outside
from brookfall.core.new_rows.reasons import MOST_EXACT, Reasons, reasons_of
from brookfall.core.new_rows.scaled_by_itself import scores_scaled_by_itself
from brookfall.core.recipe.family.choice import Occasions
from brookfall.core.recipe.preprocess import raw_matrix
from brookfall.core.recipe.rows_with_gaps import rows_with_gaps
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import as_category
from brookfall.core.table.table import Table

COVERAGE = 0.9
_AT_ONCE = 20_000
_GOLDEN, _MIX_1, _MIX_2 = 0x9E3779B97F4A7C15, 0xBF58476D1CE4E5B9, 0x94D049BB133111EB


@dataclass(frozen=True)
class ModelScores:
    """What one model says of m new rows.

    ``scores`` are of shape (m,), or (m, classes) of several classes; NaN where a row can't be scored. ``decisions`` are
    places among the classes, 1 where a yes/no is positive or an alternative the likeliest of its occasion, -1 where
    none is made; None of a number, or where no threshold is known. ``sets`` (m, classes), or ``low`` and ``high`` (m,),
    hold the outcome in the share asked for; None where there are none, and ``without`` says why. ``by_itself`` are the
    scores had the file been scaled by its own rows; None where nothing is scaled. ``unseen`` are those of the rows
    learned from, each by a model that left it out; ``reasons`` why the first rows have theirs,
    and ``others`` what would have to differ in them for another decision. ``notes`` are sentences
    on the model.
    """

    asked: Asked
    scores: Numbers
    decisions: Codes | None
    sets: NDArray[np.bool_] | None
    low: Numbers | None
    high: Numbers | None
    without: str | None
    by_itself: Numbers | None
    by_itself_decisions: Codes | None
    unseen: Numbers | None
    reasons: Reasons | None
    others: tuple[str, ...]
    notes: tuple[str, ...] = ()

    @property
    def name(self) -> str:
        return self.asked.name


@dataclass(frozen=True)
class ScoredFile:
    """New rows with what several models say of them.

    ``beyond`` (m, features) says where a value was never held by the rows learned from; ``known`` (m,) which rows are
    among these themselves, by all that the models read of them.
    """

    rows: NewRows
    coverage: float
    models: tuple[ModelScores, ...]
    beyond: NDArray[np.bool_]
    known: NDArray[np.bool_]
    learned_from: str
    occasions: Occasions | None = None
    outcomes: Outcomes | None = None

    @property
    def subject(self) -> Subject:
        return self.rows.subject

    @cached_property
    def by_name(self) -> dict[str, ModelScores]:
        return {one.name: one for one in self.models}


def score_new_rows(
    rows: NewRows,
    models: Sequence[Asked],
    *,
    coverage: float = COVERAGE,
    seed: int = 0,
    explain: bool = True,
    progress: Progress = untold,
) -> ScoredFile:
    """New rows as models score them, each fitted on the rows that the owner trained on.

    Parameters
    ----------
    rows
        New rows beside their subject's.
    models
        What is asked, in the order in which it is shown.
    coverage
        In which share of rows a set or interval shall hold the outcome, in (0, 1).
    seed
        By which the rows learned from are dealt into folds, and ties are broken.
    explain
        Whether the first rows get reasons, and what would change their decisions.
    progress
        Told what is being done, and the share that is done.

    Raises
    ------
    UserError
        A model can't be fitted, or the rows can't be scored, with the reason.

    >>> from brookfall.core.check.example import small_bench
    >>> from brookfall.core.new_rows.learned import models_asked
    >>> from brookfall.core.new_rows.match import match_rows
    >>> subject = small_bench().subject
    >>> new = match_rows(subject, subject.table.take(np.arange(3)), "new.csv")
    >>> score_new_rows(new, models_asked(subject, ["recipe"])).models[0].scores.shape
    (3,)
    """
    if not 0 < coverage < 1:
        raise UserError(
            f"A share of {coverage:g} of rows can't be covered.", todo="Write a share between 0 and 1, such as 0.9."
        )
    subject = rows.subject
    train, words = rows_learned_from(subject)
    # What is wrong with the file is told before anything is fitted.
    occasions, outcomes = occasions_of(rows), outcomes_of(rows)
    gaps = rows_with_gaps(rows.table)
    found = []
    for place, asked in enumerate(models):
        mine = within(progress, place / len(models), (place + 1) / len(models))
        with learned_by(subject, asked, seed, progress=within(mine, 0, 0.7)) as learned:
            mine(f"scoring by {asked.words}", 0.7)
            found.append(_scores(rows, learned, gaps, occasions, coverage, seed, explain=explain and occasions is None))
    features = subject.table.select(subject.features)
    beyond, known = outside(features, train, rows.table), _known(features, train, rows)
    return ScoredFile(rows, coverage, tuple(found), beyond, known, words, occasions, outcomes)


def _known(features: Table, train: Rows, rows: NewRows) -> NDArray[np.bool_]:
    """Which new rows have the very values of a row learned from, in all features and where they can in identifiers."""
    by = [name for name in rows.subject.roles.identifier if name in rows.names]
    ours, theirs = raw_matrix(features, train), raw_matrix(rows.table)
    for name in by:
        one = as_category(rows.subject.table.column(name))
        other = as_category(rows.rest.column(rows.names[name]))
        places = {level: place for place, level in enumerate(one.levels)}
        codes = np.array([*(places.get(level, -2) for level in other.levels), -1])
        ours = np.column_stack([ours, one.values[train]])
        theirs = np.column_stack([theirs, codes[other.values.astype(np.int64)]])
    return np.isin(draws_of_rows(theirs, 0), draws_of_rows(ours, 0))


def told_of_known(scored: ScoredFile) -> str:
    """How many of the rows the models learned from, in a sentence."""
    known, m = int(scored.known.sum()), scored.rows.n_rows
    which = "The rows are all" if known == m else f"{wording.rows(known)} of {wording.count(m)} are"
    return f"{which} among those that the models learned from: how well they are scored says nothing of others."


def _scores(
    rows: NewRows,
    learned: Learned,
    gaps: NDArray[np.bool_],
    occasions: Occasions | None,
    coverage: float,
    seed: int,
    *,
    explain: bool,
) -> ModelScores:
    subject, asked, m = rows.subject, learned.asked, rows.n_rows
    usable = ~gaps if asked.drops_gaps else np.ones(m, dtype=np.bool_)
    if occasions is not None:
        # A choice is made among all that could be had; where one of these can't be scored, nothing is said of the rest.
        available = available_in(rows)
        usable &= ~np.isin(occasions.occasion, occasions.occasion[available & ~usable]) & available
    places = np.flatnonzero(usable)
    notes = []
    if asked.drops_gaps and gaps.any():
        left = wording.rows(int(gaps.sum()))
        notes.append(f"{left} with a gap can't be scored: the recipe leaves such rows out.")
    raw = raw_matrix(rows.table, places)
    scores = _all_scores(learned, raw, places, m, occasions)
    alone = None if occasions is not None or not len(places) else scores_scaled_by_itself(learned.model, raw)
    by_itself = None if alone is None else _spread(alone, places, m)
    sets = low = high = None
    without = learned.without
    if without is None and subject.outcome == "number":
        low, high = _ends(learned, raw, places, m, coverage)
        if np.isinf(low[places]).any():
            low = high = None
            without = f"{wording.rows(len(learned.held))} to learn from are too few for it"
    elif without is None:
        sets = _sets(learned, scores, raw, places, coverage, seed)
        notes += _small_classes(learned, coverage)
    return ModelScores(
        learned.asked,
        scores,
        _decided(subject, asked.threshold, scores, occasions),
        sets,
        low,
        high,
        without,
        by_itself,
        None if by_itself is None else _decided(subject, asked.threshold, by_itself, occasions),
        learned.unseen,
        _reasons(rows, learned, scores, seed) if explain else None,
        _others(rows, learned) if explain else (),
        tuple(notes),
    )


def _reasons(rows: NewRows, learned: Learned, scores: Numbers, seed: int) -> Reasons | None:
    """Why the first rows have their scores; of several classes, that of the likeliest one. None where none has one."""
    first = raw_matrix(rows.table.take(np.arange(min(rows.n_rows, MOST_EXACT))))
    known: NDArray[np.bool_] = np.isfinite(scores if scores.ndim == 1 else scores.sum(axis=1))[: len(first)]
    if not known.all():
        # Rows without a score have no reasons; those before the first of them have.
        first = first[: int(np.argmin(known))]
    if not len(first):
        return None
    classes = None
    if scores.ndim == 2:
        classes = scores[: len(first)].argmax(axis=1)
        if isinstance(learned.model, Fitted):
            classes = np.searchsorted(np.asarray(learned.model.estimator.classes_, dtype=np.int64), classes)
    return reasons_of(learned.model, first, classes, seed)


def _others(rows: NewRows, learned: Learned) -> tuple[str, ...]:
    """What would have to differ in the first rows for another decision; none where nothing can change or be decided."""
    subject, asked = rows.subject, learned.asked
    free = [name for name in subject.changeable if name in subject.features]
    if not free or subject.outcome == "number" or (subject.outcome == "binary" and asked.threshold is None):
        return ()

    def decide(raw: Numbers) -> Codes:
        made = _decided(subject, asked.threshold, learned.scores(raw), None)
        return np.full(len(raw), -1, dtype=np.int64) if made is None else made

    first = raw_matrix(rows.table, np.arange(min(rows.n_rows, MOST_ROWS)))
    found = other_decisions(decide, first, subject.table.select(subject.features), learned.train, free)
    if asked.drops_gaps:
        # A row with a gap has no decision to be changed.
        found = ["" if gap else said for said, gap in zip(found, rows_with_gaps(rows.table), strict=False)]
    return tuple(found)


def _all_scores(
    learned: Learned, raw: Numbers, places: NDArray[np.int64], m: int, occasions: Occasions | None
) -> Numbers:
    """The scores of the rows at these places, and NaN in all others; shape (m,), or (m, classes) of several classes."""
    if not len(places):
        classes = len(learned.subject.target.classes)
        return np.full((m, classes) if learned.subject.outcome == "multiclass" else m, np.nan)
    return _spread(learned.scores(raw, None if occasions is None else occasions.take(places)), places, m)


def _spread(found: Numbers, places: NDArray[np.int64], m: int) -> Numbers:
    whole = np.full((m, *found.shape[1:]), np.nan)
    whole[places] = found
    return whole


def _decided(subject: Subject, threshold: float | None, scores: Numbers, occasions: Occasions | None) -> Codes | None:
    """The decision on each row; None of a number, or without a threshold."""
    if subject.outcome == "number":
        return None
    known: NDArray[np.bool_] = np.isfinite(scores if scores.ndim == 1 else scores.sum(axis=1))
    if occasions is not None:
        found = np.where(known, 0, -1)
        order = np.lexsort((-np.where(known, scores, -np.inf), occasions.occasion))
        _, first = np.unique(occasions.occasion[order], return_index=True)
        likeliest = order[first]
        found[likeliest[known[likeliest]]] = 1
        return found
    if subject.outcome == "multiclass":
        return np.where(known, np.where(known[:, None], scores, 0).argmax(axis=1), -1)
    if threshold is None:
        return None
    return np.where(known, (np.nan_to_num(scores) >= threshold).astype(np.int64), -1)


def by_class(scores: Numbers) -> Numbers:
    """Scores with a place for every class: of a yes/no (m,) the negative one first; shape (m, classes)."""
    return scores if scores.ndim == 2 else np.column_stack([1 - scores, scores])


def _sets(
    learned: Learned, scores: Numbers, raw: Numbers, places: NDArray[np.int64], coverage: float, seed: int
) -> NDArray[np.bool_]:
    held = np.zeros((len(scores), len(learned.subject.target.classes)), dtype=np.bool_)
    if learned.unseen is None or not len(places):
        return held
    unseen, codes = by_class(learned.unseen), learned.outcomes.astype(np.int64)
    mine = by_class(scores[places])
    p_values = class_p_values(mine, unseen, codes, draws_of_rows(raw, seed))
    held[places] = class_sets(p_values, mine, coverage)
    return held


def _small_classes(learned: Learned, coverage: float) -> list[str]:
    """Classes so rare among the rows learned from that they can hardly be ruled out of any set."""
    counts = np.bincount(learned.outcomes.astype(np.int64), minlength=len(learned.subject.target.classes))
    least = round(1 / (1 - coverage), 9) - 1
    rare = [name for name, count in zip(learned.subject.target.classes, counts, strict=True) if count < least]
    if not rare:
        return []
    return [f"Too few rows are {wording.listed(rare)} to leave {'it' if len(rare) == 1 else 'them'} out of a set."]


def _ends(
    learned: Learned, raw: Numbers, places: NDArray[np.int64], m: int, coverage: float
) -> tuple[Numbers, Numbers]:
    low, high = np.full(m, np.nan), np.full(m, np.nan)
    for start in range(0, len(places), _AT_ONCE):
        piece = slice(start, start + _AT_ONCE)
        low[places[piece]], high[places[piece]] = fold_ends(
            learned.scores_of_folds(raw[piece]), learned.residuals, coverage
        )
    return low, high


def draws_of_rows(raw: Numbers, seed: int) -> Numbers:
    """A number in [0, 1) for each row (m, p), by its values and the seed alone: a row has the same one in any file.

    >>> one, two = draws_of_rows(np.array([[1.0, 2.0], [1.0, 3.0]]), 7), draws_of_rows(np.array([[1.0, 3.0]]), 7)
    >>> bool(one[1] == two[0]), bool(one[0] == one[1])
    (True, False)
    """
    # Steele, Lea & Flood 2014 (splitmix64), taken over the columns.
    mixed = np.full(len(raw), int(digest.seed_from("ties", seed).generate_state(1, np.uint64)[0]), dtype=np.uint64)
    for place in range(raw.shape[1]):
        column = np.ascontiguousarray(raw[:, place] + 0.0)
        column[np.isnan(column)] = np.nan
        mixed = _mixed(mixed ^ column.view(np.uint64))
    mixed = _mixed(mixed)
    return (mixed >> np.uint64(11)).astype(np.float64) / 2.0**53


def _mixed(values: NDArray[np.uint64]) -> NDArray[np.uint64]:
    with np.errstate(over="ignore"):
        found = values + np.uint64(_GOLDEN)
        found = (found ^ (found >> np.uint64(30))) * np.uint64(_MIX_1)
        found = (found ^ (found >> np.uint64(27))) * np.uint64(_MIX_2)
    return found ^ (found >> np.uint64(31))
