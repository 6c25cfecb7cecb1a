"""Over time: whether the model, its scores and the outcomes stay what they were from period to period.

Unseen rows stand in calendar months, quarters or years, or in stretches of equal counts. A line goes through the main
measure, calibration in the large, the share selected, the mean score and the base rate, each period counted by how sure
it is; what each gains along it between the first period and the last is told with its interval and its p by Holm. The
worst period is set against all others. A plan may set a limit on how far the main measure falls.
"""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import RECIPE, Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared.periods import Period, Periods, periods_of
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.limit import Limit
from brookfall.core.evidence.marks import Axis, LineThrough, Mark, MarksChart, Points
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation import wording
from brookfall.core.measure.curves import Series, columns_of_figures, series_of
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.influence_function import figure_of, mean_of
from brookfall.core.measure.interval import independent_difference
from brookfall.core.measure.paired_tests import holm
from brookfall.core.measure.registry import lower_is_better, measure, words_of
from brookfall.core.measure.scored import AnyScored, Picked, ScoredClasses, ScoredNumbers
from brookfall.core.measure.trend import FEWEST_PERIODS, Trend, trend

_RATIOS = frozenset({"observed_over_expected"})
_OUTCOME = "mean_outcome"


@dataclass(frozen=True)
class _Followed:
    """A quantity over the periods: the places of its figures, in order, and of its change, with the line."""

    name: str
    places: tuple[int, ...]
    change: int
    line: Trend
    p: float | None
    p_holm: float | None = None


class OverTime(Check):
    name = "over_time"
    title = "Over time"
    question = 3
    source = "Thompson & Sharp 1999 (weighted line with dispersion, from memory); Holm 1979; Zou & Donner 2008."
    tiers = NOT_LIGHT
    reads = Reads(plan=("policy.limits",), roles=("time",))

    def sentence(self, about: About) -> Sentence:
        how = "" if about.timed else ", by the one column that holds dates"
        return say(f"Follow measure, calibration, decisions and outcomes from period to period{how}.")

    def requests(self, bench: Bench) -> list[Need]:
        if RECIPE not in bench.models:
            return bench.artifact_needs
        return [bench.submitted.holdout, *bench.submitted.out_of_fold_needs]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        positions, rows, part = _unseen(bench, ledger)
        periods = periods_of(bench, positions)
        if periods is None:
            return not_applicable("No column orders the rows in time.")
        if len(periods.found) < FEWEST_PERIODS:
            return not_applicable(
                f"'{periods.column}' divides the rows into {len(periods.found)} periods; a trend takes 3."
            )
        draft = Draft(bench.plan.policy.level)
        parts = [rows.take(period.places, period.words) for period in periods.found]
        followed = _with_holm([_follow(bench, draft, name, periods, parts, part) for name in _quantities(bench, rows)])
        worst = _worst_period(bench, draft, periods.found, rows, part)
        series: dict[str, Series] = {}
        charts = [_chart(draft, one, periods, part, series) for one in followed]
        return draft.write(
            [*_trend_words(draft, followed, periods), *_worst_words(bench, worst)],
            lines=_lines(draft, followed, periods, part),
            charts=tuple(charts),
            series=series,
            tables=(_changes(followed), _figures(followed, periods)),
        )


def _unseen(bench: Bench, ledger: Ledger) -> tuple[Rows, AnyScored, str]:
    """Every row that a fit has scored without having seen it: out of fold, and the test part after them."""
    model = bench.models[0]
    if model != RECIPE:
        judged = bench.deciding(ledger, model)
        known = judged.scored.known()
        return judged.positions[known], judged.scored.take(known, "known"), judged.part
    parts = [bench.submitted.out_of_fold(ledger), bench.submitted.scored(ledger, "test")]
    positions = np.concatenate([part.positions for part in parts])
    scores = np.concatenate([_said(part.scored) for part in parts])
    order = np.argsort(positions, kind="stable")
    rows = bench.scored(positions[order], scores[order], ",".join(part.scored.key for part in parts))
    kept = rows.known()
    return positions[order][kept], rows.take(kept, "known"), "unseen"


def _said(rows: AnyScored) -> np.ndarray[tuple[int, ...], np.dtype[np.float64]]:
    if isinstance(rows, ScoredNumbers):
        return rows.predictions
    return np.zeros((0, 0)) if rows.scores is None else rows.scores


def _quantities(bench: Bench, rows: AnyScored) -> list[str]:
    main = bench.plan.main_measure
    if isinstance(rows, ScoredNumbers):
        return list(dict.fromkeys((main, "bias", "mean_score", _OUTCOME)))
    if isinstance(rows, ScoredClasses | Picked):
        return list(dict.fromkeys((main, *(("accuracy",) if isinstance(rows, ScoredClasses) else ()))))
    calibrated = ("observed_over_expected",) if rows.probable else ()
    selected = ("selection_rate",) if rows.decides else ()
    return list(dict.fromkeys((main, *calibrated, *selected, "mean_score", "base_rate")))


def _figure(name: str, rows: AnyScored) -> Figure:
    if name != _OUTCOME:
        return measure(name, rows)
    figure = figure_of(mean_of(rows.outcomes.astype(np.float64), rows.counted), rows)
    return figure.marked(few=rows.few)


def _follow(
    bench: Bench, draft: Draft, name: str, periods: Periods, parts: Sequence[AnyScored], part: str
) -> _Followed:
    figures = [_figure(name, rows) for rows in parts]
    places = tuple(
        draft.add(name, figure, model=bench.models[0], part=part, group={periods.column: period.words})
        for period, figure in zip(periods.found, figures, strict=True)
    )
    ratio = name in _RATIOS
    line = trend([period.time for period in periods.found], figures, ratio=ratio)
    limit = bench.plan.policy.limits.get(OverTime.name) if name == bench.plan.main_measure else None
    change = draft.add(
        f"{name}_over_time",
        line.change,
        comparison="ratio" if ratio else "difference",
        model=bench.models[0],
        part=part,
        limit=None if limit is None else _as_change(limit, name),
    )
    return _Followed(name, places, change, line, line.change.p_of(1.0 if ratio else 0.0))


def _as_change(limit: Limit, main: str) -> Limit:
    """The most that the main measure may get worse, as a limit on its change."""
    most = 0.0 if limit.at_most is None else limit.at_most
    if lower_is_better(main):
        return limit.model_copy(update={"at_most": most, "ideal": 0.0})
    return limit.model_copy(update={"at_least": -most, "at_most": None, "ideal": 0.0})


def _with_holm(followed: list[_Followed]) -> list[_Followed]:
    known = [one for one in followed if one.p is not None]
    adjusted = iter(holm(np.array([one.p for one in known], dtype=np.float64)).tolist())
    return [
        one if one.p is None else _Followed(one.name, one.places, one.change, one.line, one.p, next(adjusted))
        for one in followed
    ]


@dataclass(frozen=True)
class _Worst:
    """The period of the worst main measure, with the places of that and of its distance from all other periods."""

    period: Period
    here: Figure
    apart: Figure
    level: float


def _worst_period(bench: Bench, draft: Draft, periods: Sequence[Period], rows: AnyScored, part: str) -> _Worst | None:
    """Set against all others at the level that knows how many periods there are: the worst was picked out of them."""
    main = bench.plan.main_measure
    sign = -1.0 if lower_is_better(main) else 1.0
    figures = [measure(main, rows.take(period.places, period.words)) for period in periods]
    known = [
        (sign * (figure.value or 0.0), place)
        for place, figure in enumerate(figures)
        if figure.value is not None and not figure.few
    ]
    if len(known) < 2:
        return None
    place = min(known)[1]
    others = np.setdiff1d(np.concatenate([one.places for one in periods]), periods[place].places)
    apart = independent_difference(figures[place], measure(main, rows.take(others, f"but {periods[place].words}")))
    draft.add(
        f"{main}_of_the_worst_period",
        apart.noted(f"the answer's interval knows that it is the worst of {len(known)} periods"),
        comparison="difference",
        model=bench.models[0],
        part=part,
        group={"period": periods[place].words},
    )
    return _Worst(periods[place], figures[place], apart, 1 - (1 - draft.level) / len(known))


# The answer.


def _shown(draft: Draft, followed: Sequence[_Followed]) -> list[_Followed]:
    """What is shown to move, by Holm, the surest first."""
    moved = [one for one in followed if one.p_holm is not None and one.p_holm < 1 - draft.level]
    return sorted(moved, key=lambda one: one.p_holm or 0.0)


def _trend_words(draft: Draft, followed: Sequence[_Followed], periods: Periods) -> list[str]:
    over = f"Over {len(periods.found)} {periods.unit}"
    moved = _shown(draft, followed)
    if moved:
        return [f"{over} {_moved_words(draft, moved[0])}, {wording.p_value(moved[0].p_holm or 0.0)} (Holm)."]
    known = [one for one in followed if one.p is not None]
    if not known:
        return [f"{over} no trend can be told: {draft.figure(followed[0].change).note}."]
    names = wording.listed([words_of(one.name) for one in known])
    return [f"{over} no trend is shown in {names}."]


def _moved_words(draft: Draft, one: _Followed) -> str:
    change, line = draft.figure(one.change), one.line
    way = "rises" if (line.end or 0.0) > (line.start or 0.0) else "falls"
    from_to = f"from {wording.number(line.start)} to {wording.number(line.end)}"
    if one.name in _RATIOS:
        return f"{words_of(one.name)} {way} {from_to}, {wording.figure_to(change, draft.level, 2)} times as much"
    return f"{words_of(one.name)} {way} {from_to}, by {wording.figure_to(change, draft.level)}"


def _worst_words(bench: Bench, worst: _Worst | None) -> list[str]:
    if worst is None:
        return []
    name, interval = words_of(bench.plan.main_measure), worst.apart.interval(worst.level)
    told = f"{wording.capital(name)} is worst in {worst.period.words} ({wording.number(worst.here.value)})"
    apart = interval is not None and (interval[0] > 0 or interval[1] < 0)
    by = wording.amount(worst.apart, worst.level)
    if apart:
        return [f"{told}, {by} than in the other periods."]
    return [f"{told}, which can't be told from the other periods: {by}."]


def _lines(draft: Draft, followed: Sequence[_Followed], periods: Periods, part: str) -> tuple[str, ...]:
    lines = [
        f"{wording.capital(_moved_words(draft, one))}, {wording.p_value(one.p_holm or 0.0)} (Holm)."
        for one in _shown(draft, followed)[1:]
    ]
    scattered = [words_of(one.name) for one in followed if one.line.dispersion > _MUCH]
    lines.append(wording.line_of("Moves from period to period by more than chance, beside any trend", scattered))
    if periods.guessed:
        lines.append(f"No column has the role of time; '{periods.column}' is the one that holds dates.")
    if part == "unseen":
        lines.append(
            "Rows out of fold are scored by the folds' fits, those of the test part by the fit on the training part."
        )
    return tuple(lines)


_MUCH = 3.0
"""How many times their own variance figures scatter about the line before it is said."""


# The picture and the numbers.


def _chart(draft: Draft, one: _Followed, periods: Periods, part: str, series: dict[str, Series]) -> MarksChart:
    key = f"over_time:{one.name}"
    figures = [draft.figure(place) for place in one.places]
    y, low, high = columns_of_figures(figures, draft.level)
    columns = {"x": np.arange(float(len(figures))), "y": np.array(y), "low": np.array(low), "high": np.array(high)}
    series[key] = series_of(**columns)
    colour = "test" if part == "unseen" else part
    marks: list[Mark] = []
    if one.line.start is not None and one.line.end is not None:
        series[f"{key}/line"] = _drawn(one, periods)
        marks.append(LineThrough(series=f"{key}/line", colour="baseline", dashed=True, label="trend"))
    marks.append(Points(series=key, low="low", high="high", colour=colour))
    title = f"{wording.capital(words_of(one.name))} by {periods.column}, {part} rows"
    axis = Axis(label=periods.unit, categories=tuple(period.words for period in periods.found))
    return MarksChart(title=title, x=axis, y=Axis(label=words_of(one.name)), marks=tuple(marks))


def _drawn(one: _Followed, periods: Periods) -> Series:
    """The line at the mean time of each period that it was fitted to."""
    line, start, end = one.line, one.line.start or 0.0, one.line.end or 0.0
    times = np.array([period.time for period in periods.found])
    place = (times - line.first) / (line.last - line.first)
    values = start * (end / start) ** place if one.name in _RATIOS else start + (end - start) * place
    return series_of(x=np.arange(float(len(times))), y=values)


def _changes(followed: Sequence[_Followed]) -> TableView:
    return TableView(
        title="Between the first period and the last, along the line",
        columns=("figure", "first", "last", "change", "p", "p (Holm)"),
        rows=tuple(
            (
                text(wording.capital(words_of(one.name))),
                text(wording.number(one.line.start)),
                text(wording.number(one.line.end)),
                at(one.change),
                text("" if one.p is None else wording.p_value(one.p).removeprefix("p ")),
                text("" if one.p_holm is None else wording.p_value(one.p_holm).removeprefix("p ")),
            )
            for one in followed
        ),
    )


def _figures(followed: Sequence[_Followed], periods: Periods) -> TableView:
    return TableView(
        title=f"By {periods.column}, in order",
        columns=("period", "rows", *(words_of(one.name) for one in followed)),
        rows=tuple(
            (text(period.words), text(wording.count(len(period.places))), *(at(one.places[place]) for one in followed))
            for place, period in enumerate(periods.found)
        ),
    )
