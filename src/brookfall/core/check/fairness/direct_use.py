"""Direct use: protected columns among the features, what the model makes of them, and who is decided otherwise when
only the attribute is changed."""

from dataclasses import dataclass
from math import isfinite

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.groups.audit import refuse_unprotected
from brookfall.core.check.groups.protected_groups import cuts_of
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.feature_influence import figure_of_influence, influence_needs
from brookfall.core.evidence.chart import StripChart, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import FlipReading, Need, Rows
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure, Interval, absent, few_units, normal_ends
from brookfall.core.measure.interval import proportion
from brookfall.core.measure.registry import words_of
from brookfall.core.measure.scored import decided_at
from brookfall.core.table.change import Bands
from brookfall.core.table.infer import as_category

_MOST_ROWS = 50_000
_MOST_LEVELS = 30


@dataclass(frozen=True)
class _Tried:
    """An attribute among the features: the values that rows are given, and what each is called."""

    feature: str
    values: tuple[float, ...]
    words: tuple[str, ...]
    cuts: tuple[float, ...] | None
    levels: bool

    def reading(self, bench: Bench, rows: Rows) -> FlipReading:
        threshold = decided_at(bench.subject.threshold) if bench.subject.outcome == "binary" else None
        return FlipReading(rows, self.feature, self.values, threshold, self.cuts, self.levels)


class DirectUse(Check):
    name = "direct_use"
    title = "Direct use"
    question = 6
    source = "Flip test: common practice; Wilson 1927 for the shares; influence as in question 7."
    asks = True
    tiers = NOT_LIGHT
    reads = Reads(plan=("bands", "policy.grounds", "policy.ground_words"), roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "See what the recipe makes of protected columns among its features: change that column alone, and count "
            "the decisions that turn."
        )

    def requests(self, bench: Bench) -> list[Need]:
        refuse_unprotected(bench)
        tried = _tried(bench)
        if not tried:
            return []
        rows = bench.asked_rows(_MOST_ROWS)
        return [
            *(Need(bench.asked, one.reading(bench, rows)) for one in tried),
            *influence_needs(bench),
        ]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        tried = _tried(bench)
        if not tried:
            named = wording.listed([name.replace("_", " ") for name in bench.subject.roles.protected])
            return draft.write(
                f"No protected column is among the features, so the recipe uses none of {named} directly. That alone "
                "is not fairness: other columns may stand in for them."
            )
        rows = bench.asked_rows(_MOST_ROWS)
        of_influence, of_splits = influence_needs(bench)
        loss, splits = ledger.scores(of_influence), ledger.scores(of_splits)
        places, tables, charts = {}, [], []
        for one in tried:
            read = ledger.scores(Need(bench.asked, one.reading(bench, rows)))
            feature = bench.asked_features.index(one.feature)
            influence = draft.add(
                "influence",
                figure_of_influence(loss[feature], len(of_influence.reading.rows)),
                feature=one.feature,
                **bench.asked_as,
            )
            any_change = draft.add("flipped", _any(bench, read), feature=one.feature, **bench.asked_as)
            places[one.feature] = (any_change, influence, splits[feature, 0])
            table, chart = _pairs(bench, draft, one, read)
            tables.append(table)
            charts.extend(chart)
        first = _first_table(bench, places)
        answer = _answer(bench, draft, places, len(rows))
        return draft.write(answer, lines=bench.asked_lines, charts=tuple(charts), tables=(first, *tables))


def _tried(bench: Bench) -> list[_Tried]:
    """The protected columns among the features, with the values that rows are given in turn."""
    subject = bench.subject
    found = []
    for name in subject.roles.protected:
        if name not in bench.asked_features:
            continue
        column = subject.table.column(name).take(subject.rows)
        cuts = cuts_of(subject.table.column(name), bench.plan, subject.roles.grounds)
        if cuts is not None:
            bands = np.digitize(column.values, cuts)
            # Each band by the middle of those who are in it.
            middles = [
                _middle(column.values[(bands == band) & ~column.missing], band, cuts) for band in range(len(cuts) + 1)
            ]
            words = Bands(column=name, cuts=cuts, name=name).labels
            found.append(_Tried(name, tuple(middles), words, cuts, levels=False))
            continue
        if column.kind == "number":
            values = tuple(float(value) for value in np.unique(column.values[~column.missing]))
            found.append(_Tried(name, values, as_category(column).levels, None, levels=False))
            continue
        held = [int(code) for code in np.unique(column.values) if code >= 0][:_MOST_LEVELS]
        words = tuple(column.levels[code] for code in held)
        found.append(_Tried(name, tuple(float(code) for code in held), words, None, levels=True))
    return [one for one in found if len(one.values) > 1]


def _middle(values: NDArray[np.float64] | NDArray[np.int32], band: int, cuts: tuple[float, ...]) -> float:
    """The median of those in the band; of a band that holds nobody, its end next to a cut."""
    if len(values):
        return float(np.median(values))
    return cuts[band - 1] if band else float(np.nextafter(cuts[0], -np.inf))


def _any(bench: Bench, read: NDArray[np.float64]) -> Figure:
    """The share of rows decided otherwise under at least one other value; of a number the mean largest change."""
    last = read[:, -1]
    n = int(last[:, 0].sum())
    if bench.subject.outcome == "number":
        mean = float(last[:, 0] @ last[:, 1] / n) if n else None
        return Figure(mean, n, note="no interval: the largest of several changes of each row")
    return proportion(int(last[:, 1].sum()), n).marked(few=few_units(n)) if n else absent(0, "no such row")


def _pairs(bench: Bench, draft: Draft, one: _Tried, read: NDArray[np.float64]) -> tuple[TableView, list[StripChart]]:
    """Every change from one value to another: how many decisions turn, and which way."""
    number, binary = bench.subject.outcome == "number", bench.subject.outcome == "binary"
    rows, drawn = [], []
    for start, of in enumerate(one.words):
        for end, to in enumerate(one.words):
            n = int(read[start, end, 0])
            if start == end or not n:
                continue
            about = {one.feature: of}
            versus = Versus(group={one.feature: to})
            if number:
                figure = _mean_change(read[start, end], n)
                place = draft.add(
                    "mean_score", figure, comparison="difference", group=about, versus=versus, **bench.asked_as
                )
                cells = [at(place)]
            else:
                up, down = (int(value) for value in read[start, end, 1:])
                few = few_units(n)
                place = draft.add(
                    "flipped", proportion(up + down, n).marked(few=few), group=about, versus=versus, **bench.asked_as
                )
                cells = [at(place)]
                if binary:
                    cells += [text(wording.count(up)), text(wording.count(down))]
            drawn.append((f"{of} → {to}", place, "group"))
            rows.append((text(of), text(to), text(wording.count(n)), *cells))
    columns = ("from", "to", "rows", "prediction moves by" if number else "decisions that turn")
    title = f"Only {one.feature.replace('_', ' ')} changed, all else as it was"
    chart = pictures.ranking(title, "Prediction moves by" if number else "Decisions that turn", drawn, most=20)
    turned = ("to selected", "to not selected") if binary else ()
    return TableView(title=title, columns=(*columns, *turned), rows=tuple(rows)), [chart] if drawn else []


def _mean_change(read: NDArray[np.float64], n: int) -> Figure:
    value, error = float(read[1]), float(read[2])
    if not isfinite(value):
        return absent(n, "no such row")
    if not isfinite(error) or error == 0:
        return Figure(value, n, note="it is the same for every row")
    figure = Figure(value, n, "normal_mean", Interval(normal_ends, value, error))
    return figure.marked(few=few_units(n))


def _first_table(bench: Bench, places: dict[str, tuple[int, int, float]]) -> TableView:
    main = words_of(bench.plan.main_measure)
    number = bench.subject.outcome == "number"
    return TableView(
        title="Protected columns among the features",
        columns=(
            "feature",
            "mean largest change" if number else "decisions that any other value turns",
            f"{main} lost when permuted",
            "splits on it",
        ),
        rows=tuple(
            (
                text(feature),
                at(any_change),
                at(influence),
                text(wording.count(int(splits)) if isfinite(splits) else "no trees"),
            )
            for feature, (any_change, influence, splits) in places.items()
        ),
    )


def _answer(bench: Bench, draft: Draft, places: dict[str, tuple[int, int, float]], n: int) -> str:
    feature, (any_change, influence, _) = max(places.items(), key=lambda pair: draft.figure(pair[1][0]).value or 0.0)
    names = wording.listed([name.replace("_", " ") for name in places])
    many = len(places) > 1
    figure = draft.figure(any_change)
    what = (
        f"moves the prediction by {wording.figure(figure, draft.level)} at most, on average"
        if bench.subject.outcome == "number"
        else f"turns the decision of {wording.figure(figure.mapped(lambda v: 100 * v), draft.level, 1)} % of "
        f"{wording.rows(n)} unseen"
    )
    lost = wording.figure(draft.figure(influence), draft.level)
    who = "The fitted model reads" if bench.asks_artifact else "The recipe learns from"
    return (
        f"{who} {names}, which {'are' if many else 'is'} protected. Another "
        f"{feature.replace('_', ' ')} alone{', more than the others,' if many else ''} {what}; when it is permuted, "
        f"{words_of(bench.plan.main_measure)} loses {lost}."
    )
