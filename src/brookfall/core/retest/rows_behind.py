"""The rows behind a cell of a confusion matrix or a bin of a chart, with what the model said of each."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from pydantic import Field

from brookfall.core.check.bench import Bench, ScoredPart
from brookfall.core.evidence.chart import RowsOf
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.choice import simulated
from brookfall.core.measure.scored import Picked, Scored, ScoredClasses, ScoredNumbers
from brookfall.core.table.table import Column, Table, free_name

_Rows = Scored | ScoredClasses | ScoredNumbers
_POSITIVE = {"negative": False, "positive": True}


class Behind(RowsOf):
    """Which rows are asked for: of an outcome, decided as a class, with a score in a closed range; all where None.

    Of a binary outcome the classes may be called ``negative`` and ``positive``.
    """

    decided: str | None = None
    score_from: float | None = Field(default=None, allow_inf_nan=False)
    score_to: float | None = Field(default=None, allow_inf_nan=False)


@dataclass(frozen=True)
class Found:
    """Sorted positions of the rows in the table, shape (m,), and what the model said of them as columns of m rows."""

    positions: Rows
    said: tuple[Column, ...]

    def at(self, places: NDArray[np.int64]) -> "Found":
        """Some of the rows, by their places among these."""
        return Found(self.positions[places], tuple(column.take(places) for column in self.said))

    def with_rows(self, table: Table) -> Table:
        """What the model said, then the rows' own columns; names that are taken already get an underscore."""
        names = set(table.names)
        said = [
            Column(free_name(column.name, names), column.kind, column.values, column.levels) for column in self.said
        ]
        return Table((*said, *table.take(self.positions).columns))


def needs_behind(bench: Bench, behind: RowsOf) -> list[Need]:
    """The fits whose readings say which rows these are; UserError where there is no such model or part."""
    return list(bench.candidate(behind.model).needs(behind.part))


def rows_behind(bench: Bench, ledger: Ledger, behind: Behind) -> Found:
    """The rows that are asked for, with their scores and decisions; UserError where there is no such model or part."""
    judged = scored_of(bench, ledger, behind)
    rows = judged.scored.as_classes if isinstance(judged.scored, Picked) else judged.scored
    if isinstance(rows, Scored) and behind.threshold is not None:
        rows = rows.at(behind.threshold)
    kept = rows.known() if rows.weights is None else rows.known() & (rows.weights > 0)
    if behind.outcome is not None:
        kept &= _is_of(bench, rows, behind.outcome)
    if behind.decided is not None:
        kept &= _is_decided(bench, rows, behind.decided)
    scores = _score(rows)
    if behind.score_from is not None and scores is not None:
        kept &= scores >= behind.score_from
    if behind.score_to is not None and scores is not None:
        kept &= scores <= behind.score_to
    said = _said(bench, rows.take(kept, "behind"))
    if isinstance(judged.scored, Picked):
        drawn = simulated(judged.scored)[kept].astype(np.int32)
        said = (*said, Column("simulated", "category", drawn, judged.scored.alternatives))
    return Found(judged.positions[kept], said)


def scored_of(bench: Bench, ledger: Ledger, of: RowsOf) -> ScoredPart:
    """The rows of a part with a model's scores; UserError where there is no such model or part."""
    candidate = bench.candidate(of.model)
    try:
        return candidate.scored(ledger, of.part)
    except KeyError as problem:
        raise UserError(
            f"{candidate.words} has not been fitted for the {of.part.replace('_', '-')} rows.",
            todo="Run the check that sets it beside others, on that part.",
        ) from problem


def _is_of(bench: Bench, rows: _Rows, outcome: str) -> NDArray[np.bool_]:
    if isinstance(rows, ScoredNumbers):
        raise UserError("A number has no class.", todo="Ask for a range of the prediction.")
    return rows.outcomes == _class_of(bench, outcome)


def _is_decided(bench: Bench, rows: _Rows, decided: str) -> NDArray[np.bool_]:
    if isinstance(rows, ScoredNumbers):
        raise UserError("A number is not decided as a class.", todo="Ask for a range of the prediction.")
    return rows.decisions == _class_of(bench, decided)


def _class_of(bench: Bench, name: str) -> int:
    classes = bench.subject.classes
    if name in classes:
        return classes.index(name)
    if bench.subject.outcome == "binary" and name in _POSITIVE:
        return int(_POSITIVE[name])
    raise UserError(f"There is no class '{name}'.", todo=f"Classes are {', '.join(classes)}.")


def _score(rows: _Rows) -> NDArray[np.float64] | None:
    if isinstance(rows, Scored):
        return rows.scores
    return rows.predictions if isinstance(rows, ScoredNumbers) else None


def _said(bench: Bench, rows: _Rows) -> tuple[Column, ...]:
    classes = bench.subject.classes
    if isinstance(rows, ScoredNumbers):
        error = rows.predictions - rows.outcomes
        return (Column("predicted", "number", rows.predictions), Column("error", "number", error))
    if isinstance(rows, Scored) and not rows.decides:
        return (Column("score", "number", rows.scores),)
    decided = Column("decided", "category", np.asarray(rows.decisions, dtype=np.int32), classes)
    if isinstance(rows, Scored):
        return (Column("score", "number", rows.scores), decided)
    each = () if rows.scores is None else tuple(_each(rows, rows.scores))
    return (decided, *each)


def _each(rows: ScoredClasses, scores: NDArray[np.float64]) -> list[Column]:
    return [Column(f"score of {name}", "number", scores[:, place]) for place, name in enumerate(rows.classes)]
