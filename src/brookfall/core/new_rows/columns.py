"""Scored rows as a table: a row for each new row, in the file's order, under the names that scripts rely on."""

from collections.abc import Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from brookfall.core.new_rows.score import ModelScores, ScoredFile
from brookfall.core.table.table import Column, Table, free_name


def scored_columns(scored: ScoredFile) -> Table:
    """``row`` (from 1) and the identifiers as the file has them; then of each model its scores, decision, interval or
    set, the columns that lie outside, the reasons of the first rows, and what
    it would have said had the file been scaled by itself.

    >>> from brookfall.core.check.example import small_bench
    >>> from brookfall.core.new_rows.learned import models_asked
    >>> from brookfall.core.new_rows.match import match_rows
    >>> from brookfall.core.new_rows.score import score_new_rows
    >>> subject = small_bench().subject
    >>> new = match_rows(subject, subject.table.take(np.arange(3)), "new.csv")
    >>> scored_columns(score_new_rows(new, models_asked(subject, ["recipe"]))).names
    ('row', 'recipe.score', 'recipe.set', 'recipe.outside', 'recipe.reasons')
    """
    taken = {"row"}
    columns = [Column("row", "number", np.arange(1, scored.rows.n_rows + 1, dtype=np.float64))]
    for name in known_by(scored):
        one = scored.rows.rest.column(name)
        columns.append(Column(free_name(name, taken), one.kind, one.values, one.levels))
    beyond = _listed(scored.beyond, scored.subject.features)
    for model in scored.models:
        columns += _of_model(scored, model, beyond)
    return Table(tuple(columns))


def known_by(scored: ScoredFile) -> tuple[str, ...]:
    """The file's own names of the columns by which its rows are known."""
    roles, names = scored.subject.roles, scored.rows.names
    asked = (*roles.identifier, *(name for name in (roles.occasion, roles.alternative) if name))
    return tuple(dict.fromkeys(names[name] for name in asked if name in names))


def _of_model(scored: ScoredFile, model: ModelScores, beyond: Column) -> Iterator[Column]:
    subject, name = scored.subject, model.name
    classes = subject.target.classes
    if subject.outcome == "multiclass":
        for place, class_ in enumerate(classes):
            yield Column(f"{name}.score.{class_}", "number", np.ascontiguousarray(model.scores[:, place]))
    else:
        yield Column(f"{name}.{'value' if subject.outcome == 'number' else 'score'}", "number", model.scores)
    if model.decisions is not None:
        yield Column(f"{name}.decision", "category", model.decisions.astype(np.int32), classes)
    if model.low is not None and model.high is not None:
        yield Column(f"{name}.low", "number", model.low)
        yield Column(f"{name}.high", "number", model.high)
    if model.sets is not None:
        sets = _listed(model.sets, classes)
        yield Column(f"{name}.set", "category", sets.values, sets.levels)
    yield Column(f"{name}.outside", "category", beyond.values, beyond.levels)
    if model.reasons is not None:
        yield _texts(f"{name}.reasons", model.reasons.words(subject.features), scored.rows.n_rows)
    if model.others:
        yield _texts(f"{name}.other_decision", list(model.others), scored.rows.n_rows)
    if model.by_itself_decisions is not None:
        yield Column(f"{name}.by_itself", "category", model.by_itself_decisions.astype(np.int32), classes)
    elif model.by_itself is not None and model.by_itself.ndim == 1:
        yield Column(f"{name}.by_itself", "number", model.by_itself)


def _texts(name: str, said: list[str], n: int) -> Column:
    """What is said of the first rows, and a gap in those behind them."""
    levels = sorted({text for text in said if text})
    places = {text: place for place, text in enumerate(levels)}
    codes = np.full(n, -1, dtype=np.int32)
    codes[: len(said)] = [places.get(text, -1) for text in said]
    return Column(name, "category", codes, tuple(levels))


def _listed(held: NDArray[np.bool_], names: Sequence[str]) -> Column:
    """For each row the names whose place is true, joined by a bar; a gap where none is."""
    packed = np.packbits(held, axis=1) if held.shape[1] else np.zeros((len(held), 1), dtype=np.uint8)
    kinds, first, codes = np.unique(packed, axis=0, return_index=True, return_inverse=True)
    levels = ["|".join(names[int(place)] for place in np.flatnonzero(held[row])) for row in first]
    order = sorted(range(len(levels)), key=levels.__getitem__)
    rank = np.empty(len(kinds), dtype=np.int32)
    shown = [place for place in order if levels[place]]
    rank[shown] = np.arange(len(shown), dtype=np.int32)
    rank[[place for place in order if not levels[place]]] = -1
    return Column("", "category", rank[codes.reshape(-1)], tuple(levels[place] for place in shown))
