"""Group charts as the report draws them: the page of a ground, combinations, proxies, thresholds by group."""

import math
from collections.abc import Sequence

from markupsafe import escape
from matplotlib.axes import Axes
from matplotlib.figure import Figure

from brookfall.core.evidence.chart import (
    CombinationChart,
    CombinedGroup,
    CriterionStrip,
    GroundChart,
    GroupThresholds,
    ProxyMap,
)
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.report.drawing import COLOURS, INK, MUTED, RULE, WIDTH, svg_of
from brookfall.report.writing import Writing

_ROW = 0.19
_DASHED = (0, (3, 2))
_MOST_LISTED = 12
_MARKS = {"within": "▪", "near": "○", "outside": "◆", "unsettled": "…", None: ""}


def ground(chart: GroundChart, exhibit: Exhibit, writing: Writing) -> str:
    """Strips of two criteria side by side, the limits as dashed lines, the groups named once at the left."""
    count = len(chart.groups)
    lines = math.ceil(len(chart.strips) / 2)
    height = lines * (0.62 + _ROW * count)
    figure = Figure(figsize=(WIDTH, height))
    for place, strip in enumerate(chart.strips):
        row, column = divmod(place, 2)
        bottom = 1 - ((row + 1) * (0.62 + _ROW * count) - 0.32) / height
        axes = figure.add_axes((0.2 + 0.42 * column, bottom, 0.35, _ROW * count / height))
        axes.set_title(strip.words, loc="left", fontsize=7.5, color=INK)
        for y, at in enumerate(strip.rows):
            one = exhibit.estimates[at]
            _dot(axes, one, y, reference=y == chart.reference)
            mark = _MARKS[_standing(strip, y, exhibit.estimates)]
            across = axes.get_yaxis_transform()
            axes.text(1.03, y, mark, transform=across, va="center", fontsize=7, color=INK)
            if column == 0:
                label = chart.groups[y]
                axes.text(-0.04, y, label, transform=across, ha="right", va="center", fontsize=7, color=INK)
        for end in (strip.low, strip.high):
            if end is not None:
                axes.axvline(end, color=INK, linewidth=0.8, linestyle=_DASHED)
        for y, pair in enumerate(strip.ends):
            for end in pair:
                if end is not None:
                    axes.plot([end, end], [y - 0.5, y + 0.5], color=INK, linewidth=0.8, linestyle=_DASHED)
        axes.set_ylim(count - 0.4, -0.6)
        _bare(axes)
    title = f"{escape(chart.title)}. Dashed: the limits; ▪ within, ○ near, ◆ outside, … these rows can't tell."
    return f"<p>{title}</p>{svg_of(figure, writing)}"


def _bare(axes: Axes) -> None:
    """A strip's frame: upright rules, and the one axis below."""
    axes.set_yticks([])
    axes.grid(axis="x", color=RULE, linewidth=0.6)
    axes.tick_params(colors=MUTED, labelsize=6.5)
    for side in ("top", "left", "right"):
        axes.spines[side].set_visible(False)


def _dot(axes: Axes, one: Estimate, y: int, *, reference: bool) -> None:
    if one.value is None:
        return
    shade = COLOURS["reference" if reference else "group"]
    if one.low is not None and one.high is not None:
        axes.plot([one.low, one.high], [y, y], color=shade, linewidth=3, alpha=0.6, solid_capstyle="butt")
    axes.plot([one.value], [y], "o", color=shade, markeredgecolor=INK, markeredgewidth=0.6, markersize=4)


def _standing(strip: CriterionStrip, place: int, estimates: Sequence[Estimate]) -> str | None:
    """The worst of a group's judged comparisons by this criterion."""
    found = [estimates[at].standing for at in strip.comparisons[place]]
    known = [one.value for one in found if one is not None]
    return next((word for word in ("outside", "near", "unsettled", "within") if word in known), None)


def combinations(chart: CombinationChart, exhibit: Exhibit, writing: Writing) -> str:
    """The groups that are outside or near, or worse than either ground alone, as a table of every criterion."""
    listed = [
        (combination.attributes, group)
        for combination in chart.combinations
        for group in combination.groups
        if group.worse or _worst(group, exhibit.estimates) in ("outside", "near")
    ]
    listed.sort(key=lambda pair: (not pair[1].worse, _worst(pair[1], exhibit.estimates) != "outside"))
    head = "".join(f"<th>{escape(words)}</th>" for words in chart.criteria.values())
    body = "".join(
        f"<tr><td>{escape(', '.join(group.levels))}{' *' if group.worse else ''}</td><td>{writing.count(group.n)}</td>"
        + "".join(f"<td>{_value(group, measure, exhibit.estimates, writing)}</td>" for measure in chart.criteria)
        + "</tr>"
        for _, group in listed[:_MOST_LISTED]
    )
    if not body:
        return f"<p>{escape(chart.title)}: no group is outside or near a limit.</p>"
    total = sum(len(combination.groups) for combination in chart.combinations)
    some = f"{min(len(listed), _MOST_LISTED)} of {total} groups"
    caption = f"{escape(chart.title)}: {some}; * worse off than either ground alone would make it"
    table = f"<table><caption>{caption}</caption><tr><th>group</th><th>rows</th>{head}</tr>{body}</table>"
    worse = next(((attributes, group) for attributes, group in listed if group.worse), None)
    return table if worse is None else f"{_ladder(chart, *worse, exhibit.estimates, writing)}{table}"


def _ladder(
    chart: CombinationChart,
    attributes: tuple[str, ...],
    group: CombinedGroup,
    estimates: Sequence[Estimate],
    writing: Writing,
) -> str:
    """From all rows down to the group: every group that shares some of its levels."""
    measure, own = group.worse[0], set(zip(attributes, group.levels, strict=True))
    rungs = [("all rows", chart.whole)]
    rungs += [
        (", ".join(other.levels), other)
        for combination in (*chart.singles, *chart.combinations)
        for other in combination.groups
        if set(zip(combination.attributes, other.levels, strict=True)) <= own
    ]
    figure = Figure(figsize=(WIDTH, 0.5 + _ROW * len(rungs)))
    axes = figure.add_axes((0.3, 0.3 / (0.5 + _ROW * len(rungs)), 0.6, _ROW * len(rungs) / (0.5 + _ROW * len(rungs))))
    for y, (label, other) in enumerate(rungs):
        one, across = estimates[other.rates[measure]], axes.get_yaxis_transform()
        _dot(axes, one, y, reference=y == 0)
        axes.text(-0.02, y, label, transform=across, ha="right", va="center", fontsize=7, color=INK)
        axes.text(
            1.12, y, f"n {writing.count(one.n)}", transform=across, ha="right", va="center", fontsize=7, color=MUTED
        )
    axes.set_ylim(len(rungs) - 0.4, -0.6)
    _bare(axes)
    title = f"{chart.criteria[measure]}: from all rows down to {', '.join(group.levels)}"
    return f"<p>{escape(title)}</p>{svg_of(figure, writing)}"


def _worst(group: CombinedGroup, estimates: Sequence[Estimate]) -> str | None:
    found = [estimates[at].standing for places in group.judged.values() for at in places]
    known = [one.value for one in found if one is not None]
    return next((word for word in ("outside", "near", "unsettled", "within") if word in known), None)


def _value(group: CombinedGroup, measure: str, estimates: Sequence[Estimate], writing: Writing) -> str:
    at = group.rates.get(measure)
    value = None if at is None else estimates[at].value
    return writing.number(value)


def proxy_map(chart: ProxyMap, exhibit: Exhibit, writing: Writing) -> str:
    """Every feature by association and influence; one mark a feature, for the attribute it goes with most."""
    best: dict[str, tuple[float, float, str]] = {}
    for point in chart.points:
        association = abs(exhibit.estimates[point.association].value or 0.0)
        influence = None if point.influence is None else exhibit.estimates[point.influence].value
        if point.feature not in best or association > best[point.feature][0]:
            best[point.feature] = (association, influence or 0.0, point.attribute)
    figure = Figure(figsize=(WIDTH, 2.9))
    axes = figure.add_axes((0.1, 0.16, 0.86, 0.8))
    for feature, (x, y, attribute) in best.items():
        axes.plot([x], [y], "o", color=COLOURS["group"], markeredgecolor=INK, markeredgewidth=0.6, markersize=5)
        if x >= 0.1 or y > 0.01:
            axes.annotate(
                f"{feature} ({attribute})", (x, y), (4, 3), textcoords="offset points", fontsize=6.5, color=INK
            )
    axes.set_xlabel("association with the attribute it goes with most", color=MUTED)
    axes.set_ylabel("influence", color=MUTED)
    axes.tick_params(colors=MUTED, labelsize=7)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    return f"<p>{escape(chart.title)}</p>{svg_of(figure, writing)}"


def thresholds(chart: GroupThresholds, exhibit: Exhibit, writing: Writing) -> str:
    """The share selected of every group along the threshold."""
    figure = Figure(figsize=(WIDTH / 2 - 0.06, 2.6))
    axes = figure.add_axes((0.15, 0.17, 0.82, 0.72))
    axes.set_title(chart.title, loc="left", fontsize=7, color=INK)
    for place, (name, label) in enumerate(chart.groups.items()):
        columns = {key: [value or 0.0 for value in values] for key, values in exhibit.series[name].items()}
        counts = zip(columns["tp"], columns["fp"], columns["fn"], columns["tn"], strict=True)
        selected = [(tp + fp) / max(tp + fp + fn + tn, 1e-300) for tp, fp, fn, tn in counts]
        axes.plot(columns["threshold"], selected, color=COLOURS[f"model:{place % 12}"], linewidth=1.3, label=label)
    if chart.submitted is not None:
        axes.axvline(chart.submitted, color=INK, linewidth=0.9, linestyle=(0, (2, 2)))
    axes.set_xlabel("threshold", color=MUTED)
    axes.set_ylabel("share selected", color=MUTED)
    axes.tick_params(colors=MUTED, labelsize=7)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    axes.legend(frameon=False, fontsize=6.5)
    return svg_of(figure, writing)
