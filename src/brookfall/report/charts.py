"""Charts of the report, drawn by Matplotlib from the series and estimates that the browser draws too."""

import math

from markupsafe import escape
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from brookfall.core.evidence.chart import (
    Chart,
    CombinationChart,
    DialChart,
    GroundChart,
    GroupThresholds,
    LineChart,
    MatrixChart,
    ProxyMap,
    StripChart,
    StripGroup,
    SuspectList,
    ThresholdChart,
    TreeChart,
)
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.marks import MarksChart
from brookfall.core.measure.registry import words_of
from brookfall.report import groups
from brookfall.report.drawing import COLOURS, INK, MUTED, RULE, WIDTH, svg_of
from brookfall.report.marks import marks
from brookfall.report.trees import top_of
from brookfall.report.writing import PLAIN, Writing

_DEEPEST, _MOST_LISTED = 3, 20
_ROW = 0.19


def draw(exhibit: Exhibit, writing: Writing = PLAIN) -> list[str]:
    """The exhibit's charts, in order: SVG text, and a table for a confusion matrix."""
    return [drawn for chart in exhibit.charts for drawn in _drawn(chart, exhibit, writing)]


def _drawn(chart: Chart, exhibit: Exhibit, writing: Writing) -> list[str]:
    match chart:
        case StripChart():
            return [_strip(chart, exhibit.estimates, writing)]
        case LineChart():
            return [_lines(chart, exhibit, writing)]
        case ThresholdChart():
            return [_threshold(chart, exhibit, writing)]
        case DialChart():
            return [_dial(chart, exhibit, writing)]
        case TreeChart():
            top = top_of(chart, exhibit.series[chart.trees[0]], _DEEPEST, writing)
            return [f"<p>{escape(_tree_words(chart))}</p>{top}"]
        case SuspectList():
            return [_suspects(chart, exhibit, writing)]
        case GroundChart():
            return [groups.ground(chart, exhibit, writing), *(_lines(one, exhibit, writing) for one in chart.curves)]
        case CombinationChart():
            return [groups.combinations(chart, exhibit, writing)]
        case ProxyMap():
            return [groups.proxy_map(chart, exhibit, writing)]
        case GroupThresholds():
            return [groups.thresholds(chart, exhibit, writing)]
        case MarksChart():
            return [marks(chart, exhibit, writing)]
        case MatrixChart():
            return [_matrix(chart, writing)]


def _strip(chart: StripChart, estimates: tuple[Estimate, ...], writing: Writing) -> str:
    rows = sum(len(group.rows) for group in chart.groups)
    height = 0.5 + _ROW * (rows + 1.3 * len(chart.groups))
    figure = Figure(figsize=(WIDTH, height))
    axes = figure.add_axes((0.3, 0.3 / height, 0.58, 1 - 0.45 / height))
    y = 0.0
    for group in chart.groups:
        axes.text(-0.5, y, group.label, transform=axes.get_yaxis_transform(), weight="bold", va="center", color=INK)
        top = y
        y += 1.1
        for row in group.rows:
            _dot(axes, estimates[row.estimate], row.label, row.colour, y, writing)
            y += 1
        _flag(axes, group, top, y, writing)
        for place, (first, last) in enumerate(group.brackets):
            across = axes.get_yaxis_transform()
            ends = [top + 1.1 + first - 0.3, top + 1.1 + last + 0.3]
            axes.plot([1.02 + 0.012 * place] * 2, ends, color=MUTED, linewidth=1.2, transform=across, clip_on=False)
        y += 0.3
    axes.set_ylim(y, -0.8)
    axes.set_yticks([])
    for side in ("top", "left", "right"):
        axes.spines[side].set_visible(False)
    axes.grid(axis="x", color=RULE, linewidth=0.6)
    axes.set_axisbelow(True)
    axes.tick_params(colors=MUTED, labelsize=7)
    return svg_of(figure, writing)


def _dot(axes: Axes, estimate: Estimate, label: str, colour: str, y: float, writing: Writing) -> None:
    shade = COLOURS.get(colour, "#0072B2")
    across = axes.get_yaxis_transform()
    axes.text(-0.02, y, label, transform=across, ha="right", va="center", color=INK, fontsize=7.5)
    axes.text(
        1.12, y, f"n {writing.count(estimate.n)}", transform=across, ha="right", va="center", color=MUTED, fontsize=7
    )
    if estimate.value is None:
        axes.text(0.5, y, estimate.note or "", transform=across, ha="center", va="center", color=MUTED, fontsize=7)
        return
    if estimate.wide_low is not None and estimate.wide_high is not None:
        axes.plot([estimate.wide_low, estimate.wide_high], [y, y], color=shade, linewidth=0.8)
    if estimate.low is not None and estimate.high is not None:
        axes.plot([estimate.low, estimate.high], [y, y], color=shade, linewidth=3, alpha=0.5, solid_capstyle="butt")
    axes.plot([estimate.value], [y], "o", color=shade, markeredgecolor=INK, markeredgewidth=0.6, markersize=5)


def _flag(axes: Axes, group: StripGroup, top: float, bottom: float, writing: Writing) -> None:
    if group.claim is None or not math.isfinite(float(group.claim)):
        return
    x = float(group.claim)
    axes.plot([x, x], [top, bottom - 0.5], color=INK, linewidth=0.9, linestyle=(0, (2, 2)))
    axes.text(x, top, f" claim {writing.plain(str(group.claim))}", ha="left", va="center", fontsize=7, color=INK)


def _matrix(chart: MatrixChart, writing: Writing) -> str:
    rows = "".join(
        f"<tr><td>{escape(label)}</td>{''.join(f'<td>{writing.figure(cell)}</td>' for cell in cells)}</tr>"
        for label, cells in zip(chart.classes, chart.cells, strict=True)
    )
    head = "".join(f"<th>{escape(label)}</th>" for label in chart.classes)
    title = f"{escape(chart.title)}; outcome down, decision across"
    return f"<table><caption>{title}</caption><tr><th></th>{head}</tr>{rows}</table>"


def _lines(chart: LineChart, exhibit: Exhibit, writing: Writing) -> str:
    # Two stand side by side on a page.
    figure = Figure(figsize=(WIDTH / 2 - 0.06, 2.9))
    axes = figure.add_axes((0.17, 0.15, 0.8, 0.75))
    axes.set_title(chart.title, loc="left", fontsize=8, color=INK)
    if chart.diagonal:
        axes.axline((0, 0), slope=1, color=MUTED, linewidth=0.7, linestyle=(0, (2, 3)))
    highest = 0.0
    for line in chart.lines:
        x, y = ([math.nan if value is None else value for value in exhibit.series[line.series][axis]] for axis in "xy")
        highest = max([highest, *(abs(value) for value in y if math.isfinite(value))])
        look = {"linewidth": 0.6, "alpha": 0.5} if line.faint else {"linewidth": 1.4, "label": line.label}
        axes.plot(x, y, color=COLOURS.get(line.colour, INK), **look)
    for mark in chart.marks:
        axes.axvline(mark.x, color=INK, linewidth=1.1, linestyle=(0, (2, 2)), label=mark.label)
    if chart.ticks:
        axes.set_xticks(range(len(chart.ticks)), chart.ticks, rotation=30, ha="right", fontsize=6)
    _finish(axes, chart.x, chart.y, shares=0.5 < highest <= 1 and min(axes.get_ylim()) > -0.2)
    return svg_of(figure, writing)


def _dial(chart: DialChart, exhibit: Exhibit, writing: Writing) -> str:
    """Training and unseen loss at every value, the submitted one and the simplest that does as well marked."""
    columns = {
        name: [math.nan if value is None else value for value in values]
        for name, values in exhibit.series[chart.series].items()
    }
    figure = Figure(figsize=(WIDTH, 2.6))
    places = list(range(len(chart.points)))
    for number, criterion in enumerate(chart.criteria):
        axes = figure.add_axes((0.08 + 0.5 * number, 0.2, 0.4 if len(chart.criteria) > 1 else 0.9, 0.7))
        for part, colour in (("training", COLOURS["training"]), ("unseen", COLOURS["out_of_fold"])):
            axes.plot(places, columns[f"{criterion} {part}"], color=colour, linewidth=1.4, label=part)
        axes.fill_between(
            places, columns[f"{criterion} low"], columns[f"{criterion} high"], color=COLOURS["out_of_fold"], alpha=0.15
        )
        axes.axvline(chart.submitted, color=INK, linewidth=0.9)
        axes.axvline(chart.simplest, color=INK, linewidth=0.9, linestyle=(0, (2, 2)))
        step = max(1, len(places) // 4)
        axes.set_xticks(places[::step], chart.points[::step])
        _finish(axes, f"{chart.setting} (line: submitted, dashed: simplest as good)", words_of(criterion))
    return svg_of(figure, writing)


def _tree_words(chart: TreeChart) -> str:
    which = chart.title if chart.one_of == 1 else f"The first of {chart.one_of} trees"
    return f"{which}, to a depth of {_DEEPEST}. Orange: training rows, blue: unseen rows, with intervals."


def _suspects(chart: SuspectList, exhibit: Exhibit, writing: Writing) -> str:
    """The strongest suspects by row, label and suggestion."""
    columns = exhibit.series[chart.series]

    def told(value: float | None) -> str:
        if value is None:
            return "–"
        return chart.classes[int(value)] if chart.classes else writing.figure(value, 6)

    shown = list(zip(columns["row"], columns["label"], columns["suggested"], columns["probability"], strict=True))
    rows = "".join(
        f"<tr><td>{(row or 0) + 1:.0f}</td><td>{escape(told(label))}</td><td>{escape(told(other))}</td>"
        f"<td>{writing.number(probability or 0)}</td></tr>"
        for row, label, other, probability in shown[:_MOST_LISTED]
    )
    of = "probability" if chart.classes else "z score"
    head = f"<tr><th>row</th><th>label</th><th>suggested</th><th>{of}</th></tr>"
    title = f"{escape(chart.title)}: {min(len(shown), _MOST_LISTED)} of {chart.found}"
    return f"<table><caption>{title}</caption>{head}{rows}</table>"


def _threshold(chart: ThresholdChart, exhibit: Exhibit, writing: Writing) -> str:
    figure = Figure(figsize=(WIDTH, 2.6))
    axes = figure.add_axes((0.08, 0.17, 0.9, 0.78))
    columns = {name: [value or 0.0 for value in values] for name, values in exhibit.series[chart.series].items()}
    counts = list(zip(columns["tp"], columns["fp"], columns["fn"], columns["tn"], strict=True))
    rates = {
        "recall": ([tp / max(tp + fn, 1) for tp, _, fn, _ in counts], "#0072B2"),
        "precision": ([tp / (tp + fp) if tp + fp else math.nan for tp, fp, _, _ in counts], "#D55E00"),
        "selected": ([(tp + fp) / max(tp + fp + fn + tn, 1) for tp, fp, fn, tn in counts], "#009E73"),
    }
    for label, (values, colour) in rates.items():
        axes.plot(columns["threshold"], values, color=colour, linewidth=1.4, label=label)
    if chart.submitted is not None:
        axes.axvline(chart.submitted, color=INK, linewidth=0.9, linestyle=(0, (2, 2)))
    _finish(axes, "threshold", "share", shares=True)
    return svg_of(figure, writing)


def _finish(axes: Axes, x: str, y: str, *, shares: bool = False) -> None:
    axes.set_xlabel(x, color=MUTED)
    axes.set_ylabel(y, color=MUTED)
    if shares:
        axes.set_ylim(-0.02, 1.02)
    axes.tick_params(colors=MUTED, labelsize=7)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    axes.legend(frameon=False, fontsize=7.5)
