"""Fitted trees drawn as outlines: a row a node, training and unseen share side by side; in the report and as files."""

import io
import math
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Literal

import matplotlib as mpl
from matplotlib.axes import Axes
from matplotlib.backends.backend_pdf import PdfPages
from matplotlib.figure import Figure

from brookfall.core.evidence.chart import DialChart, TreeChart, TreeColumn
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.report.drawing import COLOURS, INK, MUTED, RULE, WIDTH, svg_of
from brookfall.report.writing import PLAIN, Writing

TreeForm = Literal["svg", "pdf"]
_ROW, _A_PAGE = 0.2, 48
_WORDS, _STRIP, _ROWS, _GAIN = 0.0, 0.52, 0.75, 0.99
_LONGEST = 46

Columns = dict[str, list[float | None]]


@dataclass(frozen=True)
class Row:
    """A node as it is written: how deep it lies, the condition that leads to it, and its place in the series."""

    depth: int
    words: str
    node: int


def rows_of(chart: TreeChart, columns: Columns, deepest: int | None = None, writing: Writing = PLAIN) -> list[Row]:
    """The nodes of a tree from the root down, left before right; without what lies too deep."""
    return list(_below(chart, columns, Row(0, "all rows", 0), deepest, writing))


def _below(chart: TreeChart, columns: Columns, row: Row, deepest: int | None, writing: Writing) -> Iterator[Row]:
    yield row
    children = (_whole(columns["left"][row.node]), _whole(columns["right"][row.node]))
    if children[0] < 0 or row.depth == deepest:
        return
    column, threshold = chart.columns[_whole(columns["column"][row.node])], columns["threshold"][row.node] or 0.0
    for child, left in zip(children, (True, False), strict=True):
        below = Row(row.depth + 1, condition(column, threshold, writing, left=left), child)
        yield from _below(chart, columns, below, deepest, writing)


def condition(column: TreeColumn, threshold: float, writing: Writing = PLAIN, *, left: bool) -> str:
    """What holds of the rows that go left (at or under the threshold) or right.

    >>> condition(TreeColumn(words="district = north", feature="district", kind="level"), 0.5, left=True)
    'district ≠ north'
    """
    if column.kind == "level":
        if column.words.endswith(" is missing"):
            return column.words.replace(" is missing", " is there") if left else column.words
        return column.words.replace(" = ", " ≠ ", 1) if left else column.words
    if column.kind == "code":
        named = [name for code, name in enumerate(column.levels) if (code <= threshold) == left]
        return f"{column.words} in {', '.join(named[:3])}{f' and {len(named) - 3} more' if len(named) > 3 else ''}"
    words = f"mean outcome of {column.words}" if column.kind == "encoded" else column.words
    return f"{words} {'≤' if left else '>'} {writing.figure(threshold, 6)}"


def tree_file(exhibit: Exhibit, tree: str, form: TreeForm) -> bytes:
    """The complete tree as SVG, or as PDF of as many pages as it takes; KeyError where there is no such tree."""
    chart, columns = chart_of(exhibit), exhibit.series[tree]
    rows = rows_of(chart, columns)
    held = io.BytesIO()
    if form == "svg":
        # By itself it must not rest on fonts that its reader may lack.
        with mpl.rc_context({"svg.fonttype": "path"}):
            _drawn(chart, columns, rows).savefig(held, format="svg", metadata={"Date": None})
        return held.getvalue()
    with PdfPages(held, metadata={"CreationDate": None}) as pages:
        for start in range(0, len(rows), _A_PAGE):
            pages.savefig(_drawn(chart, columns, rows[start : start + _A_PAGE]))
    return held.getvalue()


def chart_of(exhibit: Exhibit) -> TreeChart:
    """The exhibit's drawing of trees; KeyError where it has none."""
    for chart in exhibit.charts:
        if isinstance(chart, TreeChart):
            return chart
        if isinstance(chart, DialChart) and chart.tree is not None:
            return chart.tree
    raise KeyError("there is no tree in this exhibit")


def top_of(chart: TreeChart, columns: Columns, deepest: int, writing: Writing) -> str:
    """The first levels of a tree as SVG text, for a page."""
    return svg_of(_drawn(chart, columns, rows_of(chart, columns, deepest, writing), writing), writing)


def _drawn(chart: TreeChart, columns: Columns, rows: list[Row], writing: Writing = PLAIN) -> Figure:
    height = _ROW * (len(rows) + 3)
    figure = Figure(figsize=(WIDTH, height))
    axes = figure.add_axes((0.02, 0.0, 0.96, 1.0))
    axes.set_xlim(0, 1)
    axes.set_ylim(len(rows) + 1.2, -1.8)
    axes.axis("off")
    low, high = _range(chart, columns)
    step = min(0.018, 0.26 / max(1, *(row.depth for row in rows)))
    what = f"share of {chart.outcome}" if chart.classes else f"mean {chart.outcome}"
    if len(chart.classes) > 2:
        what = "share of the node's own answer"
    _header(axes, what, low, high, writing)
    for y, row in enumerate(rows):
        _node(axes, chart, columns, row, y, step, low, high, writing)
    return figure


def _header(axes: Axes, what: str, low: float, high: float, writing: Writing) -> None:
    axes.text(_WORDS, -1.1, "rows that", color=MUTED, fontsize=6.5, va="center")
    axes.text(_STRIP, -1.1, what, color=MUTED, fontsize=6.5, va="center")
    axes.text(_ROWS + 0.1, -1.1, "training / unseen", color=MUTED, fontsize=6.5, va="center", ha="right")
    axes.text(_GAIN, -1.1, "gain / unseen", color=MUTED, fontsize=6.5, va="center", ha="right")
    for value, side in ((low, "left"), (high, "right")):
        x = _at(value, low, high)
        axes.text(x, -0.55, writing.figure(value, 4), color=MUTED, fontsize=5.5, va="center", ha=side)
    axes.plot([_STRIP], [-0.55], alpha=0)


def _node(
    axes: Axes,
    chart: TreeChart,
    columns: Columns,
    row: Row,
    y: int,
    step: float,
    low: float,
    high: float,
    writing: Writing,
) -> None:
    x = _WORDS + step * row.depth
    if row.depth:
        axes.plot([x - step * 0.6, x - step * 0.6, x - 0.003], [y - 0.5, y, y], color=RULE, linewidth=0.7)
    leaf = _whole(columns["left"][row.node]) < 0
    mark = None if leaf else chart.columns[_whole(columns["column"][row.node])].mark
    words = row.words if len(row.words) <= _LONGEST else f"{row.words[: _LONGEST - 1]}…"
    if len(chart.classes) > 2:
        words += f" · {chart.classes[_whole(columns['answer'][row.node])]}"
    axes.text(x, y, words, color=INK, fontsize=6.8, va="center", weight="normal", alpha=1.0 if leaf else 0.8)
    if mark:
        axes.text(_STRIP - 0.012, y, "splits on " + mark, color="#9C3B1F", fontsize=5.2, va="center", ha="right")
    for names, colour, shift in (
        (("share", "low", "high"), COLOURS["training"], -0.14),
        (("unseen_share", "unseen_low", "unseen_high"), COLOURS["out_of_fold"], 0.14),
    ):
        share, least, most = (columns[name][row.node] for name in names)
        if share is None:
            continue
        if least is not None and most is not None:
            ends = [_at(min(max(end, low), high), low, high) for end in (least, most)]
            axes.plot(ends, [y + shift] * 2, color=colour, linewidth=1.6, alpha=0.5, solid_capstyle="butt")
        axes.plot([_at(share, low, high)], [y + shift], "o", color=colour, markersize=3, markeredgewidth=0.4, mec=INK)
    counts = " / ".join(writing.count(int(columns[name][row.node] or 0)) for name in ("training", "unseen"))
    axes.text(_ROWS + 0.1, y, counts, color=MUTED, fontsize=6.2, va="center", ha="right")
    gains = [columns[name][row.node] for name in ("gain", "unseen_gain")]
    if gains[0] is not None:
        told = " / ".join(writing.number(gain, 4) for gain in gains)
        axes.text(_GAIN, y, told, color=MUTED, fontsize=6.2, va="center", ha="right")


def _range(chart: TreeChart, columns: Columns) -> tuple[float, float]:
    if chart.classes:
        return 0.0, 1.0
    known = [value for name in ("share", "unseen_share") for value in columns[name] if value is not None]
    low, high = min(known), max(known)
    return (low, high) if high > low else (low - 0.5, high + 0.5)


def _at(value: float, low: float, high: float) -> float:
    return _STRIP + (value - low) / (high - low) * (_ROWS - _STRIP - 0.03)


def _whole(value: float | None) -> int:
    return -1 if value is None or not math.isfinite(value) else int(value)
