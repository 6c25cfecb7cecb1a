"""Proxies: features that go with a protected attribute, against what the model makes of them."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from math import sqrt

import numpy as np

from brookfall.core import wording
from brookfall.core.bench import RECIPE, Bench
from brookfall.core.check import shown
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.fairness.audit import refuse_unprotected
from brookfall.core.check.fairness.groups import Ground, grounds_of
from brookfall.core.check.sense.influence import figure_of_influence, influence_needs
from brookfall.core.check.teller import telling
from brookfall.core.digest import seed_from
from brookfall.core.exhibit import MapPoint, ProxyMap, StripChart, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading
from brookfall.core.measure.association import KIND_WORDS, Association, associate, binned_column
from brookfall.core.measure.compare import holm
from brookfall.core.measure.figure import FEW_EVENTS, FEW_ROWS, Figure, absent
from brookfall.core.measure.measures import measure
from brookfall.core.measure.scored import Scored
from brookfall.core.resample.folds import Fold
from brookfall.core.table.table import Column

STRONG = 0.3
"""An association from which a feature is called a proxy here (common practice: a medium one)."""
_MOST_ROWS = 20_000
_MOST_LEVELS = 6
"""Levels of an attribute that are predicted, the most frequent ones."""
_MOST_LISTED = 60
_MOST_PAIRED = 40
"""Features of which every pair is looked at."""
_MOST_CROSSED = 2_000
"""Associations up to which features are also set against pairs of attributes."""


@dataclass(frozen=True)
class Proxy:
    """A feature with how it goes with one attribute, or with a pair of them."""

    feature: str
    attribute: str
    association: Association


class Proxies:
    name = "proxies"
    title = "Proxies"
    question = 6
    source = (
        "Pearson's r, η, Cramér's V (Bergsma 2013); AUC of boosted trees that predict the attribute, out of fold "
        "(DeLong et al. 1988); influence as in question 7."
    )
    refits = False

    def requests(self, bench: Bench) -> list[Need]:
        refuse_unprotected(bench)
        influence = list(influence_needs(bench)) if RECIPE in bench.models else []
        return [*influence, *(need for told in _levels(bench) for need in _needs(bench, *told))]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        found = proxies_of(bench, bench.subject.rows)
        influences = _influences(bench, draft, ledger)
        p = _adjusted(found)
        points = [
            MapPoint(
                feature=one.feature,
                attribute=one.attribute,
                association=draft.add(
                    "association",
                    one.association.figure.noted(KIND_WORDS[one.association.kind]),
                    model="data",
                    feature=one.feature,
                    attribute=one.attribute,
                ),
                influence=influences.get(one.feature),
                protected=one.feature in bench.subject.roles.protected,
            )
            for one in found
        ]
        tellers = {
            (ground.name, level): draft.add(
                "auc",
                _told(bench, ledger, ground, level),
                model="teller",
                part="out_of_fold",
                group={ground.name: ground.levels[level]},
                attribute=ground.name,
            )
            for ground, level in _levels(bench)
        }
        attributes = tuple(dict.fromkeys(one.attribute for one in found))
        chart = ProxyMap(
            title="Every feature by how strongly it goes with an attribute, and by what the model makes of it",
            attributes=attributes,
            points=tuple(points),
        )
        tables = (_table(bench, found, points, p), _teller_table(bench, tellers))
        answer = _answer(bench, draft, points, tellers)
        return draft.write(answer, charts=(chart, *_teller_strip(draft, bench, tellers)), tables=tables)


def proxies_of(bench: Bench, rows: Rows, *, crossing: bool = True) -> list[Proxy]:
    """Every feature against every attribute, and, ``crossing``, against pairs of attributes where these are not too
    many; the strongest first. A feature that is the attribute itself is left out."""
    subject = bench.subject
    grounds = [ground.take(rows) for ground in grounds_of(subject, bench.plan)]
    columns = [subject.table.column(name).take(rows) for name in subject.features]
    targets: list[tuple[str, tuple[str, ...], Column]] = [
        (ground.name, (ground.name,), as_column(ground)) for ground in grounds
    ]
    pairs = list(combinations(grounds, 2))
    if crossing and len(columns) * len(pairs) <= _MOST_CROSSED:
        targets += [(f"{a.name} × {b.name}", (a.name, b.name), crossed(a, b)) for a, b in pairs]
    found = [
        Proxy(column.name, name, associate(column, target))
        for name, parts, target in targets
        for column in columns
        if column.name not in parts
    ]
    return sorted(found, key=lambda one: -one.association.strength)


def as_column(ground: Ground) -> Column:
    """The groups of a ground as a category; a gap is none of them."""
    codes = ground.codes.astype(np.int32)
    if ground.gap is not None:
        codes = np.where(codes == ground.gap, -1, codes).astype(np.int32)
    return Column(ground.name, "category", codes, ground.levels)


def crossed(one: Ground, other: Ground) -> Column:
    """Two grounds as one category of their pairs of levels; a gap in either is a gap."""
    levels = tuple(f"{a}, {b}" for a in one.levels for b in other.levels)
    codes = one.codes * len(other.levels) + other.codes
    gaps = np.zeros(len(codes), dtype=np.bool_)
    for ground in (one, other):
        if ground.gap is not None:
            gaps |= ground.codes == ground.gap
    name = f"{one.name} × {other.name}"
    return Column(name, "category", np.where(gaps, -1, codes).astype(np.int32), levels)


def strongest(bench: Bench) -> tuple[str, ...]:
    """The features that go with a single attribute strongly enough to be called proxies, the strongest first.

    Told on at most so many rows: more would say the same. Protected columns are none.
    """
    subject = bench.subject
    found = [
        (one.association.strength, one.feature)
        for one in proxies_of(bench, some_rows(bench), crossing=False)
        if one.feature not in subject.roles.protected
    ]
    return tuple(dict.fromkeys(feature for strength, feature in found if strength >= STRONG))


def some_rows(bench: Bench) -> Rows:
    """The rows in use, or so many of them, drawn by the plan's seed; sorted."""
    rows = bench.subject.rows
    if len(rows) <= _MOST_ROWS:
        return rows
    rng = np.random.default_rng(seed_from("proxies", bench.plan.seed))
    return np.sort(rng.choice(rows, _MOST_ROWS, replace=False))


@dataclass(frozen=True)
class ProxyPair:
    """Two features that together go with an attribute, beside what the stronger of them does alone.

    All three are Cramér's V of the attribute with at most ten bins of a feature, or with their crossing.
    """

    features: tuple[str, str]
    attribute: str
    together: Figure
    alone: float

    @property
    def gain(self) -> float:
        return (self.together.value or 0.0) - self.alone


def pairs_of(bench: Bench, most: int = 30) -> list[ProxyPair]:
    """The pairs of features that go with an attribute by most more than either alone, of those that are proxies
    together; told on at most 20 000 rows."""
    subject, rows = bench.subject, some_rows(bench)
    names = [name for name in subject.features if name not in subject.roles.protected][:_MOST_PAIRED]
    binned = {name: binned_column(subject.table.column(name).take(rows)) for name in names}
    found = []
    for ground in grounds_of(subject, bench.plan):
        target = as_column(ground.take(rows))
        alone = {name: associate(column, target).strength for name, column in binned.items()}
        for one, other in combinations(names, 2):
            both = associate(_both(binned[one], binned[other]), target)
            pair = ProxyPair((one, other), ground.name, both.figure, max(alone[one], alone[other]))
            if both.strength >= STRONG:
                found.append(pair)
    return sorted(found, key=lambda pair: -pair.gain)[:most]


def _both(one: Column, other: Column) -> Column:
    codes = one.values.astype(np.int64) * len(other.levels) + other.values.astype(np.int64)
    gaps = one.missing | other.missing
    levels = tuple(f"{a}, {b}" for a in one.levels for b in other.levels)
    return Column(f"{one.name} × {other.name}", "category", np.where(gaps, -1, codes).astype(np.int32), levels)


def _adjusted(found: Sequence[Proxy]) -> list[float | None]:
    known = [one.association.p for one in found if one.association.p is not None]
    told = iter(holm(np.array(known)).tolist())
    return [None if one.association.p is None else next(told) for one in found]


# How well the attribute can be predicted from the features used.


def _levels(bench: Bench) -> list[tuple[Ground, int]]:
    """The levels that are predicted, each against all others: of two, one."""
    rows = some_rows(bench)
    found: list[tuple[Ground, int]] = []
    for ground in grounds_of(bench.subject, bench.plan):
        features = _without(bench, ground)
        counts = np.bincount(ground.codes[rows], minlength=len(ground.levels))
        known = [level for level in range(len(ground.levels)) if level != ground.gap]
        enough = [
            level
            for level in sorted(known, key=lambda one: -counts[one])[:_MOST_LEVELS]
            if min(counts[level], counts[known].sum() - counts[level]) >= max(FEW_EVENTS, FEW_ROWS)
        ]
        if not features or len(enough) < 2:
            continue
        found.extend((ground, level) for level in (enough[1:] if len(known) == 2 else sorted(enough)))
    return found


def _without(bench: Bench, ground: Ground) -> tuple[str, ...]:
    return tuple(name for name in bench.subject.features if name != ground.name)


def _folds(bench: Bench, ground: Ground) -> list[Fold]:
    """Five folds of the rows that tell the attribute, those outside test and at most so many."""
    kept = some_rows(bench)
    if ground.gap is not None:
        kept = kept[ground.codes[kept] != ground.gap]
    found = []
    for fold in bench.short_folds:
        train, test = np.intersect1d(fold.train, kept), np.intersect1d(fold.test, kept)
        found.append(Fold(fold.repeat, fold.number, train, test))
    return found


def _needs(bench: Bench, ground: Ground, level: int) -> list[Need]:
    among = np.flatnonzero(ground.codes == level)
    found = []
    for fold in _folds(bench, ground):
        hits = np.isin(fold.train, among)
        if not 0 < hits.sum() < len(hits) or not len(fold.test):
            continue
        fit = telling(bench, fold.train, among, _without(bench, ground))
        found.append(Need(fit, ScoreReading(fold.test)))
    return found


def _told(bench: Bench, ledger: Ledger, ground: Ground, level: int) -> Figure:
    """The AUC of the level against all others: the mean of the folds', as scores of different fits are not compared."""
    figures, few = [], False
    for need in _needs(bench, ground, level):
        rows = need.reading.rows
        scored = Scored(
            key=need.fit.key, outcomes=ground.codes[rows] == level, scores=ledger.scores(need), threshold=0.5
        )
        figures.append(measure("auc", scored))
        few |= scored.few_events
    return mean_of_folds(figures).marked(few=few)


def mean_of_folds(figures: Sequence[Figure]) -> Figure:
    """The mean of figures on rows that no two share, with the interval that their own intervals give together.

    >>> halves = [Figure(0.6, 50, "a", lambda level: (0.5, 0.7)), Figure(0.8, 50, "a", lambda level: (0.7, 0.9))]
    >>> [round(end, 3) for end in mean_of_folds(halves).interval(0.95)]
    [0.629, 0.771]
    """
    n = sum(one.n for one in figures)
    known = [(one.value, one.bounds) for one in figures if one.value is not None and one.bounds is not None]
    if not known or len(known) < len(figures):
        return absent(n, "in one fold it can't be computed" if figures else "no fold holds enough rows")
    value = sum(one for one, _ in known) / len(known)

    def bounds(level: float) -> tuple[float, float]:
        ends = [(one, of(level)) for one, of in known]
        down = sqrt(sum((one - end[0]) ** 2 for one, end in ends)) / len(known)
        up = sqrt(sum((end[1] - one) ** 2 for one, end in ends)) / len(known)
        return value - down, value + up

    return Figure(value, n, "mean_of_folds", bounds)


# What is shown.


def _influences(bench: Bench, draft: Draft, ledger: Ledger) -> dict[str, int]:
    if RECIPE not in bench.models:
        return {}
    need, _ = influence_needs(bench)
    read = ledger.scores(need)
    return {
        feature: draft.add(
            "influence", figure_of_influence(read[place], len(need.reading.rows)), part="unseen", feature=feature
        )
        for place, feature in enumerate(bench.subject.features)
    }


def _table(bench: Bench, found: Sequence[Proxy], points: Sequence[MapPoint], p: Sequence[float | None]) -> TableView:
    main = wording.measure_words(bench.plan.main_measure)
    listed = list(zip(found, points, p, strict=True))[:_MOST_LISTED]
    more = f", the {_MOST_LISTED} strongest of {len(found)}" if len(found) > _MOST_LISTED else ""
    return TableView(
        title=f"Features and attributes, the strongest first{more}",
        columns=("feature", "attribute", "as", "association", "p, Holm", f"{main} lost without it"),
        rows=tuple(
            (
                text(one.feature + (" (protected)" if point.protected else "")),
                text(one.attribute.replace("_", " ")),
                text(KIND_WORDS[one.association.kind]),
                at(point.association),
                text("" if adjusted is None else wording.p_value(adjusted).removeprefix("p ")),
                text("no recipe") if point.influence is None else at(point.influence),
            )
            for one, point, adjusted in listed
        ),
    )


def _teller_table(bench: Bench, tellers: dict[tuple[str, int], int]) -> TableView:
    grounds = {ground.name: ground for ground in grounds_of(bench.subject, bench.plan)}
    return TableView(
        title="How well the attribute can be predicted from the features used, out of fold; 0.5 is chance",
        columns=("attribute", "level, against all others", "AUC of boosted trees"),
        rows=tuple(
            (text(name.replace("_", " ")), text(grounds[name].levels[level]), at(place))
            for (name, level), place in tellers.items()
        ),
    )


def _teller_strip(draft: Draft, bench: Bench, tellers: dict[tuple[str, int], int]) -> list[StripChart]:
    grounds = {ground.name: ground for ground in grounds_of(bench.subject, bench.plan)}
    entries = [
        (f"{name.replace('_', ' ')} {grounds[name].levels[level]}", place, "group")
        for (name, level), place in sorted(tellers.items(), key=lambda pair: -(draft.figure(pair[1]).value or 0.0))
    ]
    return [shown.ranking("The attribute, predicted from the features used", "AUC", entries)] if entries else []


def _answer(bench: Bench, draft: Draft, points: Sequence[MapPoint], tellers: dict[tuple[str, int], int]) -> str:
    single = [
        one
        for one in points
        if one.attribute in bench.subject.roles.protected
        and not one.protected
        and abs(draft.figure(one.association).value or 0.0) >= STRONG
    ]
    said = [_proxy_words(bench, draft, single)]
    best = max(tellers.items(), key=lambda pair: draft.figure(pair[1]).value or 0.0, default=None)
    if best is not None:
        (name, level), place = best
        ground = next(one for one in grounds_of(bench.subject, bench.plan) if one.name == name)
        figure = draft.figure(place)
        # The best of several is told by an interval for them all.
        interval = figure.interval(1 - (1 - draft.level) / len(tellers))
        if interval is not None:
            can = "can be told" if interval[0] > 0.5 else "can't be told"
            said.append(
                f"From the features used, {name.replace('_', ' ')} {ground.levels[level]} {can} with an AUC of "
                f"{wording.figure(figure, draft.level)} on {wording.rows(figure.n)}, more than any other group."
            )
    return " ".join(said)


def _proxy_words(bench: Bench, draft: Draft, single: Sequence[MapPoint]) -> str:
    if not single:
        return f"No feature goes with a protected attribute by as much as {STRONG:g}."
    ranked = sorted(single, key=lambda one: _weight(draft, one), reverse=True)
    first = ranked[0]
    names = list(dict.fromkeys(one.feature for one in ranked))
    others = wording.listed(names[1:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
    figure = draft.figure(first.association)
    said = (
        f"{wording.capital(first.feature.replace('_', ' '))} goes with {first.attribute.replace('_', ' ')} "
        f"({figure.note} {wording.figure(figure, draft.level, 2)} on {wording.rows(figure.n)})"
    )
    if first.influence is not None:
        lost = draft.figure(first.influence)
        interval = lost.interval(1 - (1 - draft.level) / len(names))
        leans = interval is not None and interval[0] > 0
        said += (
            f", and the model leans on it: without its order {wording.measure_words(bench.plan.main_measure)} loses "
            f"{wording.figure(lost, draft.level)}"
            if leans
            else ", and the model is not shown to lean on it"
        )
    return f"{said}.{f' Proxies too: {others}.' if others else ''}"


def _weight(draft: Draft, one: MapPoint) -> tuple[bool, float]:
    """Features that the model is shown to lean on first, by association times influence."""
    strength = abs(draft.figure(one.association).value or 0.0)
    if one.influence is None:
        return False, strength
    return True, strength * max(0.0, draft.figure(one.influence).value or 0.0)
