"""Scored new rows as an exhibit's content: the answer, how right each model is, who is better, where scores lie."""

import numpy as np

from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.better_model import brackets_of, rank
from brookfall.core.evidence.chart import Cell, Chart, Line, LineChart, StripChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.foundation import wording
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import paired
from brookfall.core.measure.registry import lower_is_better, words_of
from brookfall.core.measure.scored import Numbers, Scored
from brookfall.core.new_rows import told
from brookfall.core.new_rows.measured import Measured
from brookfall.core.new_rows.score import ModelScores, ScoredFile

_BARS = 20
_MOST_NAMED = 2


def content_of(scored: ScoredFile, measured: Measured | None, level: float) -> Written:
    """The answer with its estimates, pictures and tables; what is known of the outcomes first, then the scores."""
    draft = Draft(level)
    charts: tuple[Chart, ...]
    charts, series = _scores(scored)
    tables: tuple[TableView, ...] = ()
    if measured is not None:
        strips, tables = _measured(draft, scored, measured)
        colours = {one.asked.words: f"model:{place}" for place, one in enumerate(scored.models)}
        shown = {scored.by_name[name].asked.words: rows for name, rows in measured.rows.items()}
        only = [kind for kind in pictures.CURVES if kind not in ("scores", "error")]
        curves, more = pictures.curve_charts(shown, level, colours=colours, only=only)
        charts, series = (*strips, *curves, *charts), series | more
    return draft.write(_answer(scored, measured, level), charts=charts, series=series, tables=tables)


def _answer(scored: ScoredFile, measured: Measured | None, level: float) -> str:
    """The answer, and which of the others can't be told apart from the first model, or how much better one is."""
    said = told.answer(scored, measured, level)
    if measured is None or scored.known.all() or not measured.differences:
        return said
    better: list[str] = []
    worse: list[str] = []
    alike: list[str] = []
    for one in measured.differences:
        if one.model == scored.models[0].name:
            ends = one.figure.interval(level)
            apart = ends is not None and (ends[0] > 0 or ends[1] < 0)
            up = apart and ends is not None and (ends[0] > 0) != lower_is_better(measured.main)
            (better if up else worse if apart else alike).append(scored.by_name[one.versus].asked.words)
    parts = [f"is better than {_others(better)}"] if better else []
    parts += [f"is worse than {_others(worse)}"] if worse else []
    parts += [f"can't be told apart from {_others(alike)}"] if alike else []
    return f"{said} It {wording.listed(parts)}."


def _others(names: list[str]) -> str:
    """Models by name where they are few; the table beside the answer names all."""
    return wording.listed(names) if len(names) <= _MOST_NAMED else f"{len(names)} others"


def _measured(
    draft: Draft, scored: ScoredFile, measured: Measured
) -> tuple[tuple[StripChart, ...], tuple[TableView, ...]]:
    part = scored.rows.file
    places = {
        (name, model): draft.add(
            name,
            measured.figures[name, model],
            model=model,
            part=part,
            threshold=held.threshold if isinstance(held := measured.rows[model], Scored) else None,
        )
        for name in measured.measures
        for model in measured.rows
    }
    main = measured.main
    ranked = sorted(scored.models, key=lambda one: rank(measured.figures[main, one.name], main))

    def differ(first: ModelScores, second: ModelScores) -> Figure:
        return paired(main, measured.rows[first.name], measured.rows[second.name])

    rows = tuple(
        StripRow(
            estimate=places[main, one.name],
            label=one.asked.words,
            colour=f"model:{scored.models.index(one)}",
        )
        for one in ranked
    )
    group = StripGroup(label=pictures.in_words(main), rows=rows, brackets=brackets_of(ranked, differ, draft.level))
    title = "Models ranked; a bracket joins those that can't be told apart" if len(rows) > 1 else "How right it is"
    unit = "occasion" if scored.occasions is not None else "row"
    tables = [
        TableView(
            title=f"On {wording.counted(measured.n, f'new {unit}')} with an outcome",
            columns=("measure", *(one.asked.words for one in scored.models)),
            rows=tuple(
                (text(words_of(name)), *(at(places[name, one.name]) for one in scored.models))
                for name in measured.measures
            ),
        )
    ]
    if measured.differences:
        tables.append(_differences(draft, scored, measured, part))
    return pictures.strips(title, [(main, group)]), tuple(tables)


def _differences(draft: Draft, scored: ScoredFile, measured: Measured, part: str) -> TableView:
    rows: list[tuple[Cell, ...]] = []
    for one in measured.differences:
        place = draft.add(
            measured.main,
            one.figure,
            comparison="difference",
            model=one.model,
            part=part,
            versus=Versus(model=one.versus),
        )
        first, second = scored.by_name[one.model].asked.words, scored.by_name[one.versus].asked.words
        rows.append((text(f"{first} − {second}"), at(place)))
    name = words_of(measured.main)
    better = "lower" if lower_is_better(measured.main) else "higher"
    return TableView(
        title=f"Differences in {name} on the same rows ({better} is better)", columns=("models", name), rows=tuple(rows)
    )


def _scores(scored: ScoredFile) -> tuple[tuple[LineChart, ...], dict[str, Series]]:
    """Where the scores of new rows lie, beside those of held-out rows that the models learned from."""
    charts: list[LineChart] = []
    series: dict[str, Series] = {}
    binary = scored.subject.outcome == "binary"
    for one in scored.models:
        known = one.scores[np.isfinite(one.scores)] if one.scores.ndim == 1 else np.zeros(0)
        if one.unseen is None or one.unseen.ndim > 1 or not len(known):
            continue
        both = np.concatenate([known, one.unseen])
        low, high = (min(0.0, both.min()), max(1.0, both.max())) if binary else (both.min(), both.max())
        edges = np.linspace(low, high if high > low else low + 1, _BARS + 1)
        lines = []
        for name, values, colour in (("new rows", known, "test"), ("held-out rows", one.unseen, "training")):
            key = f"lie:{one.name}:{name}"
            series[key] = _histogram(values, edges)
            lines.append(Line(series=key, label=name, colour=colour))
        what = "prediction" if scored.subject.outcome == "number" else "score"
        charts.append(
            LineChart(
                title=f"Where the {what}s of the {one.asked.words} lie", x=what, y="share of rows", lines=tuple(lines)
            )
        )
    return tuple(charts), series


def _histogram(values: Numbers, edges: Numbers) -> Series:
    """Columns x (middle of the bin), y (share of the rows in it) and n."""
    counts, _ = np.histogram(values, edges)
    middles = (edges[:-1] + edges[1:]) / 2
    return {"x": middles.tolist(), "y": (counts / len(values)).tolist(), "n": counts.astype(np.float64).tolist()}
