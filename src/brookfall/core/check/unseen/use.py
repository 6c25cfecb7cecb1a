"""Use: what acting on the scores is worth, and whether the decisions fit what can be acted on.

Net benefit weighs cases found against cases acted on in vain, at the rate that the threshold itself sets (Vickers &
Elkin 2006); acting as the model says must be worth no less than acting on all or on none. Where the brief states a
capacity, the share selected is held against it, and what the rows with the highest scores hold is read at that depth:
the recall and precision that can be had, whatever the threshold.
"""

import operator
from dataclasses import dataclass
from functools import partial
from typing import ClassVar, TypedDict

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import (
    About,
    MaybeNumberField,
    PlanLine,
    Sentence,
    Words,
    lower_limit,
    say,
    upper_limit,
)
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import Cell, TableView
from brookfall.core.evidence.limit import Standing
from brookfall.core.evidence.marks import Axis, Band, LineThrough, Mark, MarksChart, Rule
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.judge.standing import what_would_settle
from brookfall.core.measure.curves import Series
from brookfall.core.measure.depth import Depths, depth_columns
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.net_benefit import worth_at, worth_columns
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import NO_THRESHOLD, Scored
from brookfall.core.table.outcome import Outcome


@dataclass(frozen=True)
class _Told:
    """A model on the rows it is judged by, with the places of its estimates; None where there are none."""

    model: str
    part: str
    rows: Scored
    over_none: int | None
    over_all: int | None
    selected: int | None
    over: int | None
    gain: int | None
    precision: int | None
    lift: int | None


class Use(Check):
    name = "use"
    title = "Use"
    question = 3
    source = "Vickers & Elkin 2006 (net benefit); Hall 1992 on influence values; Wilson 1927."
    outcomes: ClassVar[frozenset[Outcome]] = frozenset({"binary"})
    tiers = NOT_LIGHT
    reads = Reads(plan=("capacity", "policy.net_benefit", "policy.selected_over_capacity"))

    def sentence(self, about: About) -> Sentence:
        field = MaybeNumberField(
            name="Cases that can be acted on, in per cent",
            path=("capacity",),
            value=about.plan.capacity,
            least=0.1,
            most=99.9,
            unit=" %",
        )
        quoted = f"Read from the brief: “{about.capacity_said}”"
        lines = (PlanLine(parts=(Words(text=quoted),), tone="small"),) if about.capacity_said else ()
        return say(
            "Weigh cases found against acting in vain, and hold the share selected against the capacity: at most "
            "{capacity} of cases can be acted on.",
            "limit: net benefit over all and none ≥ {least}, selected at most {over} times the capacity",
            after=lines,
            capacity=field,
            over=upper_limit(about, "selected_over_capacity", "Most selected, times the capacity", 10),
            least=lower_limit(about, "net_benefit", "Least net benefit over acting on all and on none", least=-1.0),
        )

    def requests(self, bench: Bench) -> list[Need]:
        if bench.subject.outcome != "binary":
            raise UserError("Only a binary outcome is acted on by a threshold on one score.", todo="Leave it out.")
        return bench.deciding_needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        told = []
        for model in bench.models_of(ledger):
            judged = bench.deciding(ledger, model)
            if isinstance(judged.scored, Scored):
                rows, _ = judged.scored.usable()
                if len(rows):
                    told.append(_told(bench, draft, model, judged.part, rows))
        if not told:
            raise UserError("No row of the part that decides has a score.", todo="Let another part decide.")
        series: dict[str, Series] = {}
        charts = [chart for one in told for chart in _charts(bench, draft, one, series)]
        return draft.write(
            [sentence for one in told for sentence in _answer(bench, draft, one)],
            lines=tuple(line for one in told for line in _lines(bench, draft, one)),
            charts=tuple(charts),
            series=series,
            tables=tuple(_table(bench, one) for one in told),
        )


def _told(bench: Bench, draft: Draft, model: str, part: str, rows: Scored) -> _Told:
    threshold, capacity = rows.threshold, bench.plan.capacity
    over_none = over_all = selected = over = gain = precision = lift = None
    if threshold is not None:
        worth = worth_at(rows, threshold)
        limit = bench.plan.policy.net_benefit if worth.model.value is not None else None
        labels = _Labels(model=model, part=part, threshold=threshold)
        over_none = draft.add("net_benefit", _marked(worth.model, rows), limit=limit, **labels)
        draft.add("net_benefit_of_all", _marked(worth.everybody, rows), **labels)
        over_all = draft.add("net_benefit_over_all", _marked(worth.over_all, rows), limit=limit, **labels)
    if rows.decides:
        share = measure("selection_rate", rows)
        selected = draft.add("selection_rate", share, model=model, part=part, threshold=threshold)
        if capacity is not None:
            over = draft.add(
                "selected_over_capacity",
                share.mapped(partial(operator.mul, 100 / capacity)),
                model=model,
                part=part,
                threshold=threshold,
                limit=bench.plan.policy.selected_over_capacity,
            )
    if capacity is not None:
        held = Depths(rows).at(capacity / 100)
        gain, precision, lift = (
            draft.add(f"{name}_at_capacity", _marked(figure, rows), model=model, part=part)
            for name, figure in (("recall", held.gain), ("precision", held.precision), ("lift", held.lift))
        )
    return _Told(model, part, rows, over_none, over_all, selected, over, gain, precision, lift)


class _Labels(TypedDict):
    model: str
    part: str
    threshold: float


def _marked(figure: Figure, rows: Scored) -> Figure:
    return figure if figure.value is None else figure.marked(few=rows.few_events)


# The answer.


def _answer(bench: Bench, draft: Draft, one: _Told) -> list[str]:
    """How the decisions fit the capacity and what acting is worth, what is worse first."""
    said = [
        (place, sentence)
        for place, sentence in (_of_capacity(bench, draft, one), _of_worth(bench, draft, one))
        if sentence
    ]
    if not said:
        return [
            f"{wording.capital(NO_THRESHOLD)}: acting at one has no worth yet{pictures.of_model(one.model, bench)}."
        ]
    said.sort(key=lambda pair: -_RANK[None if pair[0] is None else draft.standing(pair[0])])
    return [sentence for _, sentence in said]


_RANK = {None: 0, Standing.WITHIN: 1, Standing.UNSETTLED: 2, Standing.NEAR: 3, Standing.OUTSIDE: 4}


def _of_capacity(bench: Bench, draft: Draft, one: _Told) -> tuple[int | None, str]:
    capacity = bench.plan.capacity
    if one.over is None or one.selected is None or capacity is None:
        return None, ""
    standing, share = draft.standing(one.over), draft.figure(one.selected)
    told = wording.share_with_ends(share, draft.level_of(one.over))
    can = f"{capacity:g} % can be acted on"
    if standing is None:
        return one.over, f"{told} are selected, of too few rows to judge; {can}."
    then = {
        Standing.OUTSIDE: f"more than there is room for: {can}",
        Standing.NEAR: f"which may be more than there is room for: {can}",
        Standing.UNSETTLED: f"too few rows to tell whether there is room: {can}",
        Standing.WITHIN: f"and there is room: {can}",
    }[standing]
    return one.over, f"{told} are selected{pictures.of_model(one.model, bench)}, {then}."


def _of_worth(bench: Bench, draft: Draft, one: _Told) -> tuple[int | None, str]:
    if one.over_none is None or one.over_all is None or one.rows.threshold is None:
        return None, ""
    of_model = pictures.of_model(one.model, bench)
    if draft.figure(one.over_none).value is None:
        return None, f"Net benefit can't be computed{of_model}: {draft.figure(one.over_none).note}."
    # The one that stands worse; of two alike the smaller.
    place, other = min(
        ((one.over_none, "none"), (one.over_all, "all")),
        key=lambda pair: (-_RANK[draft.standing(pair[0])], draft.figure(pair[0]).value or 0.0),
    )
    acting = f"cting from a score of {one.rows.threshold:g} on{of_model}"
    figure = f"net benefit {draft.said(place)} over that"
    told = {
        Standing.OUTSIDE: f"A{acting} is worth less than acting on {other}: {figure}.",
        Standing.WITHIN: f"A{acting} is worth more than acting on all or on none: {figure} of {other}.",
        None: f"A{acting} has a worth that too few rows tell: {figure} of acting on {other}.",
    }
    open_ = f"Too few rows to tell whether a{acting} is worth more than acting on {other}: {figure}."
    return place, told.get(draft.standing(place), open_)


def _lines(bench: Bench, draft: Draft, one: _Told) -> tuple[str, ...]:
    """What can be had at the capacity, and where the threshold would have to be."""
    capacity = bench.plan.capacity
    lines = []
    if capacity is not None and one.gain is not None and one.precision is not None and one.lift is not None:
        if draft.figure(one.gain).value is None:
            lines.append(f"What the first {capacity:g} % hold can't be computed: {draft.figure(one.gain).note}.")
        else:
            lines.append(
                f"The first {capacity:g} % hold {_percent(draft, one.gain)} of the positive rows, "
                f"{wording.figure(draft.figure(one.lift), draft.level, 2)} times as many as by chance."
            )
            lines.append(
                f"{wording.capital(_percent(draft, one.precision))} of them are positive; the last has a score of "
                f"{wording.number(Depths(one.rows).at(capacity / 100).cut)}."
            )
    elif capacity is None:
        lines.append("No capacity is stated, so the share selected is held against none.")
    place, limit = one.over, None if one.over is None else draft.limit(one.over)
    if place is not None and limit is not None and capacity is not None and draft.standing(place) is Standing.UNSETTLED:
        what = f"{limit.high * capacity:.3g} %"
        lines.append(what_would_settle(draft.figure(place), limit, draft.level, what, ideal=f"{capacity:g} %"))
    return tuple(lines)


def _percent(draft: Draft, place: int) -> str:
    return wording.share_with_ends(draft.figure(place), draft.level)


# The picture and the numbers.


def _charts(bench: Bench, draft: Draft, one: _Told, series: dict[str, Series]) -> list[MarksChart]:
    charts, named = [], f"{one.part.replace('_', '-')} rows{pictures.of_model(one.model, bench)}"
    if one.rows.probable:
        key = f"net_benefit:{one.model}"
        series[key] = worth_columns(one.rows, draft.level)
        marks: list[Mark] = [
            Band(series=key, colour=one.part),
            LineThrough(series=key, label="acting as it says", colour=one.part),
            LineThrough(series=key, y="all", label="on all", colour="baseline", dashed=True),
            LineThrough(series=key, y="none", label="on none", colour="baseline"),
        ]
        if one.rows.threshold is not None:
            marks.append(Rule(x=one.rows.threshold, label="decides here"))
        highest = max(value or 0.0 for value in series[key]["high"])
        axis = Axis(label="net benefit, cases found per row", low=-highest / 3, high=highest)
        charts.append(MarksChart(title=f"Net benefit, {named}", x=Axis(label="threshold"), y=axis, marks=tuple(marks)))
    if one.rows.has_both:
        key = f"depth:{one.model}"
        series[key] = depth_columns(one.rows, draft.level)
        marks = [
            Band(series=key, colour=one.part),
            LineThrough(series=key, label="positive rows held", colour=one.part),
        ]
        if bench.plan.capacity is not None:
            marks.append(Rule(x=bench.plan.capacity / 100, label="capacity"))
        if one.selected is not None and draft.figure(one.selected).value is not None:
            marks.append(Rule(x=draft.figure(one.selected).value, label="selected"))
        axes = (
            Axis(label="share of rows, highest scores first", low=0, high=1),
            Axis(label="share of the positive", low=0, high=1),
        )
        charts.append(MarksChart(title=f"What the first rows hold, {named}", x=axes[0], y=axes[1], marks=tuple(marks)))
    return charts


def _table(bench: Bench, one: _Told) -> TableView:
    named = (
        ("Net benefit, over acting on none", one.over_none),
        ("Net benefit over acting on all", one.over_all),
        ("Share selected", one.selected),
        ("Share selected over the capacity", one.over),
        ("Recall at the capacity", one.gain),
        ("Precision at the capacity", one.precision),
        ("Lift at the capacity", one.lift),
    )
    rows: list[tuple[Cell, ...]] = [(text(words), at(place)) for words, place in named if place is not None]
    where = f"{one.part.replace('_', '-')} rows{pictures.of_model(one.model, bench)}"
    return TableView(title=f"On {wording.count(len(one.rows))} {where}", columns=("figure", "value"), rows=tuple(rows))
