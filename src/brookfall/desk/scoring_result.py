"""What is kept of scored rows: their table, and what is told beside it, as an exhibit would tell it."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.check.check import Written
from brookfall.core.new_rows import told
from brookfall.core.new_rows.columns import scored_columns
from brookfall.core.new_rows.measured import Measured
from brookfall.core.new_rows.score import ScoredFile
from brookfall.core.table.table import Column, Table, free_name
from brookfall.desk.views import ExplainedModel, ScoredModelView, ScoringResult

_NEW_ROWS = "new_rows"
"""What stands in place of a check in the ids of what is told."""


@dataclass(frozen=True)
class KeptRows:
    """The table of scored rows: ``said`` columns of the models, then the file's own up to ``shown``, then reasons.

    ``own`` says what the file's columns are called there, ``explained`` where the reasons of each model are.
    """

    table: Table
    said: int
    shown: int
    own: dict[str, str]
    explained: tuple[ExplainedModel, ...]


def kept_rows(scored: ScoredFile) -> KeptRows:
    """The table of scored rows, all its columns under names of their own."""
    said, rest = scored_columns(scored), scored.rows.rest
    taken = set(said.names)
    own = {name: free_name(name, taken) for name in rest.names if name not in said}
    columns = [*said.columns]
    columns += [Column(own[one.name], one.kind, one.values, one.levels) for one in rest.columns if one.name in own]
    shown = len(columns)
    of_features = {name: own[scored.rows.names[name]] for name in scored.subject.features}
    explained = []
    for model in scored.models:
        if model.reasons is None:
            continue
        names = {feature: free_name(f"{model.name}.reason.{feature}", taken) for feature in scored.subject.features}
        base = free_name(f"{model.name}.reason", taken)
        values = np.full((scored.rows.n_rows, len(names) + 1), np.nan)
        values[: len(model.reasons.values)] = np.column_stack([model.reasons.values, model.reasons.base])
        for place, name in enumerate((*names.values(), base)):
            columns.append(Column(name, "number", np.ascontiguousarray(values[:, place])))
        explained.append(
            ExplainedModel(
                name=model.name,
                columns=names,
                own=of_features,
                base=base,
                scale=model.reasons.scale,
                exact=model.reasons.exact,
            )
        )
    return KeptRows(Table(tuple(columns)), len(said.columns), shown, own, tuple(explained))


def result_of(scored: ScoredFile, measured: Measured | None, written: Written, kept: KeptRows) -> ScoringResult:
    """What is told of a file of scored rows beside its table."""
    target = scored.rows.names.get(scored.subject.roles.target)
    return ScoringResult(
        rows=scored.rows.n_rows,
        said=kept.said,
        shown=kept.shown,
        outcome=kept.own.get(target) if target is not None and measured is not None else None,
        models=[ScoredModelView(name=one.name, words=one.asked.words) for one in scored.models],
        explained=list(kept.explained),
        remarks=list(told.remarks(scored)),
        method=list(told.method(scored)),
        measured=None if measured is None else measured.n,
        estimates=list(written.estimates(_NEW_ROWS)),
        charts=list(written.charts_in(_NEW_ROWS)),
        series=written.series,
        tables=list(written.tables_in(_NEW_ROWS)),
    )
