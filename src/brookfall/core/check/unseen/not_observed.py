"""Not observed: what the rows could hide whose outcome nobody looked at.

Where outcomes exist only for rows that somebody chose to look at, a figure of those is not one of all. Three answers:
who was looked at, as far as the score tells; the least and the most that each figure can be, whatever the other
outcomes are (Manski 1990); and what it would be if the odds of a positive among the others were a stated multiple of
those of rows with the same score. The other rows are scored by the fit on the training part, and count beside the rows
that are judged as they do beside all.
"""

from dataclasses import dataclass

import numpy as np
from pydantic import JsonValue

from brookfall.core.check.bench import RECIPE, Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.sentence import About, Sentence, number_setting, say
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import StripChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.marks import Axis, LineThrough, MarksChart, Rule
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, ScoreReading
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.curves import Series, columns_of_figures, series_of
from brookfall.core.measure.not_observed import BOUNDED, Unseen, at_odds, bounds, looked_at
from brookfall.core.measure.registry import depends_on_threshold, measure, words_of
from brookfall.core.measure.scored import Scored

_USUAL_ODDS = 2.0
_MOST_ODDS = 100
_ALONG = tuple(float(f"{ratio:.3g}") for ratio in np.geomspace(0.1, 10, 21))
_OF_DECISIONS = ("recall", "precision", "false_positive_rate", "accuracy")
_ALL_LOOKED_AT = "Every row's outcome was looked at: no column has the role observed."


@dataclass(frozen=True)
class _Hidden:
    """Places of a figure: of the rows that were looked at, its bounds, and at the stated odds, rarer and commoner."""

    name: str
    seen: int
    least: int
    most: int
    rarer: int
    commoner: int


class NotObserved(Check):
    name = "not_observed"
    title = "Not observed"
    question = 3
    source = "Manski 1990 (bounds, from memory); logistic recalibration for the odds; Hall 1992; Wilson 1927."
    outcomes = frozenset({"binary"})
    refits = True
    needs_observed = True
    tiers = NOT_LIGHT

    def sentence(self, about: About) -> Sentence:
        return say(
            "Say what rows could hide whose outcome was not looked at: the bounds of each figure, and its value at "
            "odds of a positive among them up to {odds} times those of like rows, or that many times less.",
            odds=number_setting(
                about, self.name, "odds_ratio", _USUAL_ODDS, "Odds ratio of unseen and seen", 1, _MOST_ODDS
            ),
        )

    def requests(self, bench: Bench) -> list[Need]:
        if not len(bench.subject.unobserved) or RECIPE not in bench.models:
            return []
        return [*bench.deciding_needs, _unseen_need(bench)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        if not len(bench.subject.unobserved):
            return not_applicable(_ALL_LOOKED_AT)
        judged = bench.deciding(ledger)
        rows, _ = judged.scored.usable()
        if not isinstance(rows, Scored) or not rows.has_both:
            return not_applicable("The rows that were looked at are all of one outcome.")
        unseen, odds = _unseen(bench, ledger, rows), _odds(self.setting(bench, "odds_ratio", _USUAL_ODDS))
        draft = Draft(bench.plan.policy.level)
        told = looked_at(rows, unseen)
        auc = draft.add("looked_at_auc", measure("auc", told), part=judged.part)
        share = float(rows.counted.sum() / (rows.counted.sum() + unseen.counted.sum()))
        found = [_hidden(draft, name, rows, unseen, odds, judged.part) for name in _names(bench, rows)]
        charts, series = _along(bench, rows, unseen, odds)
        return draft.write(
            _answer(draft, found[0], len(unseen), odds),
            lines=_lines(draft, auc, found[1:], share),
            charts=(_strip(found, odds), *charts),
            series=series,
            tables=(_table(found, odds, len(rows), judged.part, len(unseen)),),
        )


def _unseen_need(bench: Bench) -> Need:
    return Need(bench.submitted.holdout_fit, ScoreReading(bench.subject.unobserved))


def _unseen(bench: Bench, ledger: Ledger, judged: Scored) -> Unseen:
    """The rows without an outcome, counting beside the judged ones as they do beside all that have one."""
    subject, rows = bench.subject, bench.subject.unobserved
    weights = np.ones(subject.table.n_rows) if subject.weights is None else subject.weights
    part = float(judged.counted.sum() / weights[subject.rows].sum())
    clusters = None if judged.clusters is None or subject.clusters is None else subject.clusters[rows]
    plain = part == 1 and subject.weights is None
    return Unseen(ledger.scores(_unseen_need(bench)), None if plain else part * weights[rows], clusters)


def _odds(said: JsonValue) -> float:
    """The odds ratio of the plan; UserError where it is none."""
    if isinstance(said, int | float) and not isinstance(said, bool) and 1 <= said <= _MOST_ODDS:
        return float(said)
    raise UserError(
        f"The odds ratio of rows not looked at is {said}, and must be a number from 1 to {_MOST_ODDS}.",
        todo="Set it in the plan's sentence of this check.",
    )


def _names(bench: Bench, rows: Scored) -> tuple[str, ...]:
    """The plan's own measure, what decisions come to where there are some, and the share of positives."""
    decided = _OF_DECISIONS if rows.decides else ()
    main = bench.plan.main_measure
    known = main in BOUNDED and (rows.decides or not depends_on_threshold(main))
    return tuple(dict.fromkeys((main if known else "auc", *decided, "base_rate")))


def _hidden(draft: Draft, name: str, rows: Scored, unseen: Unseen, odds: float, part: str) -> _Hidden:
    ends = bounds(name, rows, unseen)
    return _Hidden(
        name,
        draft.add(name, measure(name, rows), part=part),
        draft.add(name, ends.least, part=part, model="bound:least"),
        draft.add(name, ends.most, part=part, model="bound:most"),
        draft.add(name, at_odds(name, rows, unseen, 1 / odds), part=part, model=f"odds:{1 / odds:.3g}"),
        draft.add(name, at_odds(name, rows, unseen, odds), part=part, model=f"odds:{odds:.3g}"),
    )


def _along(bench: Bench, rows: Scored, unseen: Unseen, odds: float) -> tuple[tuple[MarksChart, ...], dict[str, Series]]:
    """The first figures along the odds ratio."""
    names = _names(bench, rows)[:4]
    series: dict[str, Series] = {}
    for name in names:
        figures = [at_odds(name, rows, unseen, ratio) for ratio in _ALONG]
        y, low, high = (np.array(column) for column in columns_of_figures(figures, bench.plan.policy.level))
        series[f"odds:{name}"] = series_of(x=np.log2(_ALONG), y=y, low=low, high=high, odds_ratio=np.array(_ALONG))
    lines = tuple(
        LineThrough(series=f"odds:{name}", low="low", high="high", label=words_of(name), colour=f"model:{place}")
        for place, name in enumerate(names)
    )
    chart = MarksChart(
        title="Along the odds of a positive among rows not looked at, over those of like rows",
        x=Axis(label="doublings of the odds"),
        y=Axis(label="figure of all rows", low=0, high=1),
        marks=(Rule(x=0.0, label="as like rows"), Rule(x=float(np.log2(odds)), label=f"{odds:g} times"), *lines),
    )
    return (chart,), series


def _strip(found: list[_Hidden], odds: float) -> StripChart:
    groups = tuple(
        StripGroup(
            label=pictures.in_words(one.name),
            rows=(
                StripRow(estimate=one.seen, label="looked at", colour="recipe"),
                StripRow(estimate=one.rarer, label=f"odds {1 / odds:.2g} times", colour="reference"),
                StripRow(estimate=one.commoner, label=f"odds {odds:.2g} times", colour="reference"),
                StripRow(estimate=one.least, label="at least", colour="baseline"),
                StripRow(estimate=one.most, label="at most", colour="baseline"),
            ),
        )
        for one in found
    )
    return StripChart(title="Each figure on what was looked at, and on all rows", unit="", groups=groups)


def _table(found: list[_Hidden], odds: float, n: int, part: str, unseen: int) -> TableView:
    where = (
        f"{wording.count(n)} {part.replace('_', '-')} rows that were looked at, {wording.count(unseen)} that were not"
    )
    return TableView(
        title=f"On {where}",
        columns=("figure", "looked at", "at least", "at most", f"odds {1 / odds:.2g} times", f"odds {odds:.2g} times"),
        rows=tuple(
            (text(words_of(one.name)), *(at(p) for p in (one.seen, one.least, one.most, one.rarer, one.commoner)))
            for one in found
        ),
    )


def _answer(draft: Draft, one: _Hidden, unseen: int, odds: float) -> list[str]:
    words, outcomes = wording.capital(words_of(one.name)), wording.counted(unseen, "outcome")
    seen = f"on the others it is {draft.said(one.seen)}."
    least = draft.figure(one.least)
    if least.value is None:
        return [f"{words} of all rows has no bounds: {least.note}; {seen}"]
    return [
        f"{words} of all rows lies between {draft.said(one.least)} and {draft.said(one.most)}, whatever the {outcomes} "
        f"would be that nobody looked at; {seen}",
        f"At odds {odds:g} times less than those of like rows it is {draft.said(one.rarer)}, at {odds:g} times more "
        f"{draft.said(one.commoner)}.",
    ]


def _lines(draft: Draft, auc: int, others: list[_Hidden], share: float) -> tuple[str, ...]:
    figure = draft.figure(auc)
    ends = figure.interval(draft.level)
    told = f"{wording.percent(share, 0)} of the rows were looked at"
    if ends is None:
        chosen = f"{told}."
    elif ends[0] > 0.5 or ends[1] < 0.5:
        which = "higher" if ends[0] > 0.5 else "lower"
        chosen = (
            f"{told}, more often those with {which} scores: the score tells who was with an AUC of {draft.said(auc)}."
        )
    else:
        chosen = f"{told}, without regard to the score as far as these rows tell (AUC {draft.said(auc)})."
    return (
        chosen,
        *(
            f"{wording.capital(words_of(one.name))}: {draft.said(one.least)} to {draft.said(one.most)}, and "
            f"{draft.said(one.seen)} on those looked at."
            for one in others
        ),
    )
