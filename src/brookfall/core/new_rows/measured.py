"""New rows whose outcome is known, held against what models said of them: measures, and models in pairs."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations

import numpy as np
from numpy.typing import NDArray

from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import paired
from brookfall.core.measure.registry import forms, measure, standard_measure
from brookfall.core.measure.scored import (
    AnyScored,
    Codes,
    Sampling,
    Scored,
    ScoredClasses,
    ScoredNumbers,
    picked_from,
)
from brookfall.core.new_rows.occasions import available_in
from brookfall.core.new_rows.score import ModelScores, ScoredFile
from brookfall.core.table.infer import as_category

_IN_THE_LARGE = {"binary": ("base_rate", "mean_score", "observed_over_expected"), "number": ("bias",)}
"""How the mean score stands to the outcomes, beside the measures in which models are compared."""


@dataclass(frozen=True)
class Difference:
    """What the main measure of one model is, less what it is of another, on the same rows."""

    model: str
    versus: str
    figure: Figure


@dataclass(frozen=True)
class Measured:
    """``figures`` by measure and model in the order of both; ``differences`` of every pair by the ``main`` measure.

    ``rows`` are, of each model, the ``n`` rows, or occasions of a choice, that have an outcome and every model's score.
    """

    n: int
    main: str
    measures: tuple[str, ...]
    figures: dict[tuple[str, str], Figure]
    differences: tuple[Difference, ...]
    rows: dict[str, AnyScored]


def measured(scored: ScoredFile) -> Measured | None:
    """What the outcomes say of the models; None where no row has one.

    All models are measured on the rows that all of them score.
    """
    found = {one.name: _rows_of(scored, one) for one in scored.models}
    if any(rows is None for rows in found.values()):
        return None
    usable = {name: rows for name, rows in found.items() if rows is not None}
    both = np.logical_and.reduce([rows.known() for rows in usable.values()])
    if not both.any():
        return None
    usable = {name: rows.take(both, "scored by all") for name, rows in usable.items()}
    outcome = scored.subject.outcome
    names = (*forms(outcome, "brief"), *_IN_THE_LARGE.get(outcome, ()))
    main = standard_measure(outcome)
    pairs = combinations(usable, 2)
    differences = tuple(Difference(one, other, paired(main, usable[one], usable[other])) for one, other in pairs)
    figures = {(name, model): measure(name, rows) for name in names for model, rows in usable.items()}
    return Measured(int(both.sum()), main, names, figures, differences, usable)


def _rows_of(scored: ScoredFile, one: ModelScores) -> AnyScored | None:
    """The rows with an outcome as a model scored them; None where there are none."""
    outcomes, subject = scored.outcomes, scored.subject
    if outcomes is None:
        return None
    known = outcomes.known
    scores, clusters = one.scores[known], _groups(scored, known)
    key = f"new rows/{one.name}/{scored.rows.table.fingerprint}"
    common: Sampling = {"key": key, "weights": None, "clusters": clusters}
    if subject.outcome == "number":
        return ScoredNumbers(outcomes=outcomes.values, predictions=scores, **common)
    codes = outcomes.values.astype(np.int64)
    if scored.occasions is not None:
        return _occasions(scored, one, codes == 1, common)
    if subject.outcome == "multiclass":
        decided = np.full(len(codes), -1, dtype=np.int64) if one.decisions is None else one.decisions[known]
        classes = subject.target.classes
        return ScoredClasses(outcomes=codes, decisions=decided, classes=classes, scores=scores, **common)
    return Scored(outcomes=codes == 1, scores=scores, threshold=one.asked.threshold, **common)


def _occasions(scored: ScoredFile, one: ModelScores, chosen: NDArray[np.bool_], common: Sampling) -> AnyScored | None:
    """Of a choice, the occasions in which it is known of every alternative whether it was chosen, and one was."""
    outcomes, occasions = scored.outcomes, scored.occasions
    if outcomes is None or occasions is None or scored.subject.choices is None:
        return None
    told = np.zeros(scored.rows.n_rows, dtype=np.bool_)
    told[outcomes.known] = True
    hits = np.zeros(scored.rows.n_rows, dtype=np.bool_)
    hits[outcomes.known] = chosen
    available = available_in(scored.rows)
    usable = available & told & np.isfinite(one.scores)
    spoilt = np.unique(occasions.occasion[available & ~usable])
    one_each = np.bincount(occasions.occasion, hits & usable) == 1
    whole = usable & ~np.isin(occasions.occasion, spoilt) & one_each[occasions.occasion]
    rows = np.flatnonzero(whole)
    if not len(rows):
        return None
    side = occasions.take(rows)
    names = scored.subject.choices.alternatives
    alone: Sampling = {**common, "clusters": None}
    return picked_from(alone, side.occasion, side.alternative, names, hits[rows], one.scores[rows])


def _groups(scored: ScoredFile, known: NDArray[np.int64]) -> Codes | None:
    """The groups that rows come in, where the model's roles name such a column and the file has it."""
    group = scored.subject.roles.group
    if group is None or group not in scored.rows.names:
        return None
    column = as_category(scored.rows.rest.column(scored.rows.names[group]))
    codes = column.values[known].astype(np.int64)
    alone = np.flatnonzero(codes < 0)
    codes[alone] = len(column.levels) + np.arange(len(alone))
    return codes


def flips(one: ModelScores) -> tuple[int, int] | None:
    """How many decisions differ had the file been scaled by itself, of how many; None where nothing would."""
    if one.decisions is None or one.by_itself_decisions is None:
        return None
    made = one.decisions >= 0
    return int((one.decisions[made] != one.by_itself_decisions[made]).sum()), int(made.sum())


def in_pairs(models: Sequence[ModelScores]) -> list[tuple[str, str, int, int]]:
    """For every two models that decide: on how many rows they decide otherwise, of how many both decide."""
    found = []
    for one, other in combinations(models, 2):
        if one.decisions is None or other.decisions is None:
            continue
        both = (one.decisions >= 0) & (other.decisions >= 0)
        found.append((one.name, other.name, int((one.decisions != other.decisions)[both].sum()), int(both.sum())))
    return found
