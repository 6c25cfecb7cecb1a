"""What the checks show by kind of outcome: which measures, in what order, on which scale; and matrices and curves."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import TypeVar

from brookfall.core.check.bench import ARTIFACT, RECIPE, SCORES, Bench
from brookfall.core.evidence.chart import Line, LineChart, MatrixChart, RowsOf, StripChart, StripGroup, StripRow
from brookfall.core.evidence.marks import Axis, Band, LineThrough, Mark, MarksChart, Rule
from brookfall.core.foundation import wording
from brookfall.core.measure import curves, multiclass
from brookfall.core.measure.counts import confusion
from brookfall.core.measure.curves import Series
from brookfall.core.measure.depth import depth_columns
from brookfall.core.measure.registry import forms, scale_of, words_of
from brookfall.core.measure.scored import AnyScored, Picked, Scored, ScoredClasses, ScoredNumbers

Rows = TypeVar("Rows", Scored, ScoredNumbers)

MODEL_WORDS = {RECIPE: "refitted here", ARTIFACT: "fitted model", SCORES: "supplied scores"}


def main_measures(bench: Bench) -> tuple[str, ...]:
    """The few measures that a comparison is made in, the plan's own first."""
    main = bench.plan.main_measure
    return tuple(dict.fromkeys((main, *forms(bench.subject.outcome, "brief"))))


def of_model(model: str, bench: Bench) -> str:
    """The model's name, in brackets, where there are several."""
    return f" ({MODEL_WORDS[model]})" if len(bench.models) > 1 else ""


def strips(title: str, groups: Sequence[tuple[str, StripGroup]]) -> tuple[StripChart, ...]:
    """Groups of one measure each on strips, one a scale: shares of 1, the target's own unit, its square."""
    scales: dict[str, list[StripGroup]] = {}
    for measure, group in groups:
        scales.setdefault(scale_of(measure), []).append(group)
    return tuple(StripChart(title=title, unit="", groups=tuple(found)) for found in scales.values())


_LONGEST_LABEL = 26


def ranking(title: str, heading: str, entries: Sequence[tuple[str, int, str]], most: int = 12) -> StripChart:
    """A strip of the first so many entries under one heading: label, place of the estimate, colour."""
    rows = tuple(StripRow(estimate=place, label=cut(label), colour=colour) for label, place, colour in entries[:most])
    return StripChart(title=title, unit="", groups=(StripGroup(label=heading, rows=rows),))


def cut(label: str) -> str:
    """A label short enough to stand beside a strip."""
    return label if len(label) <= _LONGEST_LABEL else f"{label[: _LONGEST_LABEL - 1]}…"


def matrix(rows: AnyScored, title: str, bench: Bench, of: RowsOf) -> MatrixChart | None:
    """The confusion matrix of rows that have a decision; None for a number, or where none has."""
    classes = bench.subject.classes
    known, _ = rows.usable()
    if isinstance(known, ScoredNumbers) or not len(known) or (isinstance(known, Scored) and not known.decides):
        return None
    if isinstance(known, ScoredClasses | Picked):
        cells = multiclass.matrix(known.as_classes if isinstance(known, Picked) else known)
        counted = tuple(tuple(float(cell) for cell in row) for row in cells)
    else:
        found = confusion(known)
        counted = ((found.tn, found.fp), (found.fn, found.tp))
    return MatrixChart(title=title, classes=classes, cells=counted, rows=of, baseline=bench.most_frequent)


CURVES = ("roc", "precision_recall", "calibration", "depth", "error", "scores", "observed", "residuals")
"""The kinds of curves that a yes/no or a number has, in the order in which they are drawn."""
_BANDED = 3


def curve_charts(
    parts: Mapping[str, AnyScored],
    level: float,
    sources: Mapping[str, RowsOf] | None = None,
    colours: Mapping[str, str] | None = None,
    only: Sequence[str] = CURVES,
) -> tuple[tuple[LineChart | MarksChart, ...], dict[str, Series]]:
    """The curves of every part over each other, and their series; parts without both outcomes are left out.

    ``level`` is that of the intervals; ``sources`` say whose rows the parts are, so that the rows behind a bin can be
    looked at; ``colours`` are the names of the lines' colours, where they are no parts; ``only`` these kinds are drawn.
    """
    known_sources = sources or {}
    known = {name: rows.usable()[0] for name, rows in parts.items()}
    binary = {name: rows for name, rows in known.items() if isinstance(rows, Scored) and rows.has_both}
    numbers = {name: rows for name, rows in known.items() if isinstance(rows, ScoredNumbers) and len(rows) > 1}
    charts: list[LineChart | MarksChart] = []
    series: dict[str, Series] = {}

    def add(kind: str, title: str, x: str, y: str, made: dict[str, Series], *, diagonal: bool = False) -> None:
        if not made or kind not in only:
            return
        series.update({f"{kind}:{name}": columns for name, columns in made.items()})
        lines = tuple(
            Line(
                series=f"{kind}:{name}",
                label=name,
                colour=(colours or {}).get(name) or _colour(name),
                rows=known_sources.get(name) if "from" in columns else None,
            )
            for name, columns in made.items()
        )
        charts.append(LineChart(title=title, x=x, y=y, lines=lines, diagonal=diagonal))

    add("roc", "ROC curve", "false positive rate", "true positive rate", _each(curves.roc, binary), diagonal=True)
    add("precision_recall", "Precision by recall", "recall", "precision", _each(curves.precision_recall, binary))
    probable = {name: rows for name, rows in binary.items() if rows.probable}
    calibrated = _each(partial(curves.calibration, level=level), probable)
    add("calibration", "Calibration in ten bins", "mean score", "share of positives", calibrated, diagonal=True)
    if "depth" in only and binary:
        depths = {f"depth:{name}": depth_columns(rows, level) for name, rows in binary.items()}
        series.update(depths, **{"depth/equal": {"x": [0.0, 1.0], "y": [0.0, 1.0]}})
        charts += _depth_charts({name: (colours or {}).get(name) or _colour(name) for name in binary})
    add("error", "Error by threshold", "threshold", "error rate", _each(curves.error_by_threshold, binary))
    histograms = {}
    for name, rows in binary.items():
        if name.startswith("test") or len(binary) == 1:
            for positive, word in ((False, "negative"), (True, "positive")):
                histograms[f"{name} {word}"] = curves.score_histogram(rows, positive)
                if name in known_sources:
                    whole = known_sources[name]
                    known_sources = {**known_sources, f"{name} {word}": whole.model_copy(update={"outcome": word})}
    add("scores", "Scores by outcome", "score", "share of rows of that outcome", histograms)
    observed = _each(curves.predicted_observed, numbers)
    add("observed", "Outcome by prediction, in deciles", "mean prediction", "mean outcome", observed, diagonal=True)
    left = _each(curves.residuals, numbers)
    add("residuals", "Mean error by prediction, in deciles", "mean prediction", "prediction − outcome", left)
    return tuple(charts), series


def _depth_charts(colours: Mapping[str, str]) -> tuple[MarksChart, MarksChart]:
    """Gain and lift at any depth, read with their intervals; bands where there are few enough lines to see them."""
    bands = len(colours) <= _BANDED

    def marks(y: str, low: str, high: str) -> tuple[Mark, ...]:
        lines: list[Mark] = []
        for name, colour in colours.items():
            key = f"depth:{name}"
            lines += [Band(series=key, low=low, high=high, colour=colour)] if bands else []
            lines.append(LineThrough(series=key, y=y, low=low, high=high, label=name, colour=colour))
        return tuple(lines)

    across = Axis(label="share of rows, highest scores first", low=0, high=1)
    chance = LineThrough(series="depth/equal", label="by chance", colour="baseline", dashed=True)
    return (
        MarksChart(
            title="Cumulative gain",
            x=across,
            y=Axis(label="share of the positives found", low=0, high=1),
            marks=(chance, *marks("y", "low", "high")),
        ),
        MarksChart(
            title="Lift by depth",
            x=across,
            y=Axis(label="times as many as by chance", low=0),
            marks=(Rule(y=1, label="by chance"), *marks("lift", "lift_low", "lift_high")),
        ),
    )


def _each(curve: Callable[[Rows], Series], parts: dict[str, Rows]) -> dict[str, Series]:
    return {name: curve(rows) for name, rows in parts.items()}


def _colour(name: str) -> str:
    """Parts have colours of their own; outcomes and supplied scores are told apart by theirs."""
    for word in ("negative", "positive"):
        if name.endswith(word):
            return word
    owners = any(name.endswith(f"({MODEL_WORDS[model]})") for model in (SCORES, ARTIFACT))
    part = name.split(" ", maxsplit=1)[0]
    return f"supplied:{part}" if owners else part


def in_words(measure: str) -> str:
    return wording.capital(words_of(measure))
