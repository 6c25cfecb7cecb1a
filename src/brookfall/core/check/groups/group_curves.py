"""Curves by group: ROC, calibration and the distribution of scores, a line a group."""

from collections.abc import Callable, Mapping
from functools import partial

from brookfall.core.check.groups.audit import Audited
from brookfall.core.evidence.chart import Line, LineChart
from brookfall.core.measure import curves
from brookfall.core.measure.curves import Series
from brookfall.core.measure.scored import Scored, ScoredNumbers

_MOST_LINES = 8
"""More lines than this can't be told apart; the largest groups are drawn."""


def curves_by_group(
    read: Audited, ground: str, groups: Mapping[str, Scored | ScoredNumbers], level: float
) -> tuple[tuple[LineChart, ...], dict[str, Series]]:
    """Charts and their series; ``groups`` are the groups' rows by name, the reference first.

    A group takes part where it is not too small to judge and has both outcomes.
    """
    drawn = sorted(groups, key=lambda name: -len(groups[name]))[:_MOST_LINES]
    kept = {name: rows for name, rows in groups.items() if name in drawn and not rows.few}
    binary = {name: rows for name, rows in kept.items() if isinstance(rows, Scored) and rows.has_both}
    numbers = {name: rows for name, rows in kept.items() if isinstance(rows, ScoredNumbers)}
    probable = {name: rows for name, rows in binary.items() if rows.probable}
    in_bins = partial(curves.calibration, level=level)
    made = (
        ("scores", "Scores", "score", "share of rows", _each(curves.scores, binary)),
        ("calibration", "Calibration", "mean score", "share of positives", _each(in_bins, probable)),
        ("roc", "ROC curve", "false positive rate", "true positive rate", _each(curves.roc, binary)),
        ("observed", "Outcome by prediction", "mean prediction", "mean outcome", _observed(numbers)),
    )
    charts: list[LineChart] = []
    series: dict[str, Series] = {}
    places = {name: place for place, name in enumerate(groups)}
    for kind, title, x, y, of in made:
        if not of:
            continue
        named = {name: f"{kind}:{read.model}:{read.part}:{read.class_ or ''}:{ground}:{name}" for name in of}
        series.update({named[name]: columns for name, columns in of.items()})
        lines = tuple(Line(series=named[name], label=name, colour=f"model:{places[name]}") for name in of)
        charts.append(LineChart(title=title, x=x, y=y, lines=lines, diagonal=kind != "scores"))
    return tuple(charts), series


def _each(curve: Callable[[Scored], Series], groups: Mapping[str, Scored]) -> dict[str, Series]:
    return {name: curve(rows) for name, rows in groups.items()}


def _observed(groups: Mapping[str, ScoredNumbers]) -> dict[str, Series]:
    return {name: curves.predicted_observed(rows) for name, rows in groups.items()}
