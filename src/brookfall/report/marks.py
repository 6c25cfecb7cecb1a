"""Figures composed of marks, drawn by Matplotlib."""

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle

from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.marks import Axis, Band, Bars, Cells, LineThrough, Mark, MarksChart, Points, Rule, Text
from brookfall.report.drawing import COLOURS, INK, MUTED, WIDTH, svg_of
from brookfall.report.writing import Writing

_HEIGHT = 2.6

Columns = dict[str, list[float | None]]


def marks(chart: MarksChart, exhibit: Exhibit, writing: Writing) -> str:
    """The figure as SVG text."""
    figure = Figure(figsize=(WIDTH, _HEIGHT), layout="constrained")
    axes = figure.subplots()
    for mark in chart.marks:
        _draw(mark, axes, exhibit.series, writing)
    axes.set(xlabel=chart.x.label, ylabel=chart.y.label, xlim=_ends(chart.x), ylim=_ends(chart.y))
    if chart.x.categories:
        axes.set_xticks(range(len(chart.x.categories)), chart.x.categories)
    if chart.y.categories:
        axes.set_yticks(range(len(chart.y.categories)), chart.y.categories)
    axes.set_title(chart.title, loc="left", fontsize=8)
    axes.spines[["top", "right"]].set_visible(False)
    if axes.get_legend_handles_labels()[1]:
        axes.legend(frameon=False, fontsize=7)
    return svg_of(figure, writing)


def _ends(axis: Axis) -> tuple[float | None, float | None]:
    return (-0.5, len(axis.categories) - 0.5) if axis.categories else (axis.low, axis.high)


def _draw(mark: Mark, axes: Axes, series: dict[str, Columns], writing: Writing) -> None:
    if isinstance(mark, Text):
        axes.text(mark.x, mark.y, mark.words, color=INK, fontsize=7)
        return
    if isinstance(mark, Rule):
        line = axes.axvline if mark.x is not None else axes.axhline
        line(
            mark.x if mark.x is not None else mark.y or 0.0,
            color=INK,
            linewidth=0.8,
            linestyle=(0, (4, 2)),
            label=mark.label or None,
        )
        return
    columns = series.get(mark.series, {})
    if isinstance(mark, Cells):
        _cells(mark, axes, columns, writing)
        return
    colour, label = COLOURS.get(mark.colour, MUTED), mark.label or None
    x = _numbers(columns, mark.x)
    if isinstance(mark, Band):
        axes.fill_between(
            x, _numbers(columns, mark.low), _numbers(columns, mark.high), color=colour, alpha=0.18, label=label
        )
        return
    y = _numbers(columns, mark.y)
    if isinstance(mark, Points):
        if mark.low is not None and mark.high is not None:
            axes.vlines(x, _numbers(columns, mark.low), _numbers(columns, mark.high), color=colour, linewidth=1)
        axes.plot(x, y, "o", color=colour, markersize=3.5, label=label)
    elif isinstance(mark, LineThrough):
        axes.plot(x, y, color=colour, linewidth=1.2, linestyle="--" if mark.dashed else "-", label=label)
    elif isinstance(mark, Bars):
        axes.bar(x, y, color=colour, width=0.7, label=label)


def _cells(mark: Cells, axes: Axes, columns: Columns, writing: Writing) -> None:
    x, y, values = (_numbers(columns, name) for name in (mark.x, mark.y, mark.value))
    known = np.isfinite(values)
    largest = float(np.abs(values[known]).max()) if known.any() else 1.0
    for column, row, value in zip(x[known], y[known], values[known], strict=True):
        shade = 0.0 if not largest else min(abs(float(value)) / largest, 1.0)
        axes.add_patch(_square(float(column), float(row), shade))
        axes.text(
            float(column),
            float(row),
            writing.number(float(value), 2),
            ha="center",
            va="center",
            fontsize=6.5,
            color=INK,
        )


def _square(column: float, row: float, shade: float) -> Rectangle:
    return Rectangle((column - 0.5, row - 0.5), 1, 1, color=COLOURS["recipe"], alpha=0.08 + 0.4 * shade, linewidth=0)


def _numbers(columns: Columns, name: str) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    return np.array([np.nan if value is None else value for value in columns.get(name, [])], dtype=np.float64)
