"""Segments: the main measure where rows differ in a column that is not protected, the worst first; by time in order."""

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import Line, LineChart, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation import wording
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import independent_difference
from brookfall.core.measure.registry import lower_is_better, measure, words_of
from brookfall.core.measure.scored import AnyScored
from brookfall.core.table.infer import as_category
from brookfall.core.table.roles import times_of
from brookfall.core.table.table import Column

_BINS = 4
_MOST_LEVELS = 12
_SHOWN = 12
_PERIODS = 6


@dataclass(frozen=True)
class Segment:
    """Rows that have something in common: which column, what it says there, and their places among the judged rows."""

    column: str
    label: str
    places: Rows

    @property
    def words(self) -> str:
        return f"{self.column} {self.label}"


@dataclass(frozen=True)
class _Judged:
    """A segment with the places of its estimates: the measure in it, and less that of all other rows."""

    segment: Segment
    here: int
    against: int


class Segments(Check):
    name = "segments"
    title = "Segments"
    question = 3
    source = "Square and add of independent intervals (Zou & Donner 2008), simultaneous by Bonferroni."
    tiers = NOT_LIGHT
    reads = Reads(roles=("protected", "time"))

    def sentence(self, about: About) -> Sentence:
        and_time = ", and by time" if about.timed else ""
        return say(f"Measure every segment of the features that are not protected, the worst first{and_time}.")

    def requests(self, bench: Bench) -> list[Need]:
        return bench.deciding_needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        model = bench.models[0]
        judged = bench.deciding(ledger, model)
        segments = list(segments_of(bench, judged.positions))
        if not segments:
            return not_applicable("No column that is not protected divides the rows.")
        main = _measure_within(bench)
        draft = Draft(bench.plan.policy.level)
        whole = draft.add(main, measure(main, judged.scored), model=model, part=judged.part)
        found = [_measured(draft, main, judged.scored, one, model, judged.part) for one in segments]
        ranked = sorted(found, key=lambda one: _badness(draft, main, one))
        level = 1 - (1 - draft.level) / len(found)
        periods = list(periods_of(bench, judged.positions))
        in_time = [_measured(draft, main, judged.scored, one, model, judged.part) for one in periods]
        series = _over_time(draft, in_time)
        entries = [(one.segment.words, one.here, judged.part) for one in ranked]
        title = f"{pictures.in_words(main)} by segment, the worst first"
        charts = [pictures.ranking(title, "Segments", [*entries[:_SHOWN], ("all rows", whole, "baseline")], _SHOWN + 1)]
        return draft.write(
            _answer(draft, main, whole, ranked, level),
            charts=(*charts, *_time_chart(bench, main, series)),
            series={"segments:time": series} if series else {},
            tables=(
                _table(f"The worst {min(len(ranked), 40)} of {len(ranked)} segments", ranked[:40]),
                *((_table(f"By {bench.subject.roles.time}, in order", in_time),) if in_time else ()),
            ),
        )


def segments_of(bench: Bench, positions: Rows) -> Iterator[Segment]:
    """Every level of the features that are not protected, numbers in four bins of equal counts.

    A column with more than twelve levels is divided by its twelve most frequent ones. Gaps are a segment.
    """
    subject = bench.subject
    for name in subject.features:
        if name not in subject.roles.protected:
            yield from _divided(subject.table.column(name).take(positions))


def _divided(column: Column) -> Iterator[Segment]:
    gaps = np.flatnonzero(column.missing)
    if column.kind == "number" and len(np.unique(column.values[~column.missing])) > _BINS:
        present = column.values[~column.missing]
        edges = np.unique(np.quantile(present, np.linspace(0, 1, _BINS + 1)))
        for low, high in pairwise(edges):
            inside = (column.values > low) & (column.values <= high)
            if low == edges[0]:
                inside |= column.values == low
            yield Segment(column.name, f"{low:.4g} to {high:.4g}", np.flatnonzero(inside))
    else:
        coded = as_category(column)
        counts = np.bincount(coded.values[coded.values >= 0].astype(np.int64), minlength=len(coded.levels))
        for code in np.argsort(-counts, kind="stable")[:_MOST_LEVELS]:
            if counts[code]:
                yield Segment(column.name, f"= {coded.levels[code]}", np.flatnonzero(coded.values == code))
    if len(gaps):
        yield Segment(column.name, "missing", gaps)


def periods_of(bench: Bench, positions: Rows) -> Iterator[Segment]:
    """Six periods of equal counts, the earliest first, where a column has the role time."""
    subject = bench.subject
    times = times_of(subject.table, subject.roles, subject.file)
    if times is None or subject.roles.time is None:
        return
    here = times[positions]
    written = subject.table.column(subject.roles.time).take(positions).texts()
    order = np.argsort(here, kind="stable")
    for places in np.array_split(order, _PERIODS):
        if len(places):
            yield Segment(subject.roles.time, f"{written[places[0]]} to {written[places[-1]]}", np.sort(places))


def _measure_within(bench: Bench) -> str:
    """The plan's main measure, but for R²: it falls wherever outcomes differ less, however small the errors are."""
    return "rmse" if bench.plan.main_measure == "r2" else bench.plan.main_measure


def _measured(draft: Draft, main: str, rows: AnyScored, segment: Segment, model: str, part: str) -> _Judged:
    inside = np.zeros(len(rows), dtype=np.bool_)
    inside[segment.places] = True
    here, others = (measure(main, rows.take(chosen, segment.words)) for chosen in (inside, ~inside))
    group = {segment.column: segment.label}
    apart = independent_difference(here, others)
    return _Judged(
        segment,
        draft.add(main, here, model=model, part=part, group=group),
        draft.add(main, apart, comparison="difference", model=model, part=part, group=group),
    )


def _badness(draft: Draft, main: str, one: _Judged) -> tuple[bool, float]:
    """Segments that can't be judged come last."""
    figure = draft.figure(one.here)
    if figure.value is None or figure.few:
        return True, 0.0
    return False, -figure.value if lower_is_better(main) else figure.value


def _clearly_worse(figure: Figure, main: str, level: float) -> bool:
    ends = figure.interval(level)
    if ends is None or figure.few:
        return False
    return ends[0] > 0 if lower_is_better(main) else ends[1] < 0


def _answer(draft: Draft, main: str, whole: int, ranked: list[_Judged], level: float) -> str:
    words = words_of(main)
    judged = [one for one in ranked if not draft.figure(one.here).few and draft.figure(one.here).value is not None]
    small = len(ranked) - len(judged)
    few = f" {small} of {len(ranked)} segments are too small to judge." if small else ""
    if not judged:
        return f"Every segment is too small to judge; {words} over all rows is {wording.figure(draft.figure(whole))}."
    worst = judged[0]
    here, against = draft.figure(worst.here), draft.figure(worst.against)
    overall = wording.figure(draft.figure(whole), draft.level)
    said = (
        f"{wording.capital(words)} is worst where {_where(worst.segment)}: "
        f"{wording.figure(here, draft.level)} on {wording.rows(here.n)}, against {overall} over all."
    )
    if main == "auc" and not worst.segment.label.startswith("="):
        said += " (Within a narrow range of a feature that the model leans on, AUC falls of itself.)"
    clear = [one for one in judged if _clearly_worse(draft.figure(one.against), main, level)]
    if not clear:
        return f"{said} With {len(ranked)} segments looked at, none is worse than the other rows beyond chance.{few}"
    if worst in clear:
        ends = against.interval(level)
        span = f"[{wording.number(ends[0])}, {wording.number(ends[1])}]" if ends else ""
        said += (
            f" That is {wording.number(against.value)} {span} from the other rows, at a level that allows for the "
            f"{len(ranked)} segments looked at."
        )
    others = len(clear) - (worst in clear)
    more = "" if not others else f" {others} {'other is' if others == 1 else 'others are'} worse beyond chance too."
    return f"{said}{more}{few}"


def _where(segment: Segment) -> str:
    if segment.label == "missing":
        return f"{segment.column} is missing"
    joint = "is" if not segment.label.startswith("=") else ""
    return " ".join(f"{segment.column} {joint} {segment.label}".split())


def _table(title: str, found: list[_Judged]) -> TableView:
    return TableView(
        title=title,
        columns=("column", "where it is", "measure there", "less that of the other rows"),
        rows=tuple((text(one.segment.column), text(one.segment.label), at(one.here), at(one.against)) for one in found),
    )


def _over_time(draft: Draft, periods: list[_Judged]) -> Series:
    if not periods:
        return {}
    return {
        "x": [float(place) for place in range(1, len(periods) + 1)],
        "y": [draft.figure(one.here).value for one in periods],
    }


def _time_chart(bench: Bench, main: str, series: Series) -> tuple[LineChart, ...]:
    if not series:
        return ()
    line = Line(series="segments:time", label="period", colour="test")
    title = f"{pictures.in_words(main)} by {bench.subject.roles.time}, in {len(series['x'])} periods of equal counts"
    return (LineChart(title=title, x="period", y=words_of(main), lines=(line,)),)
