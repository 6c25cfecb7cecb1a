"""Proxies: features that go with a protected attribute, against what the model makes of them."""

from collections.abc import Sequence
from math import sqrt

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.groups.audit import refuse_unprotected
from brookfall.core.check.groups.protected_groups import Ground, grounds_of
from brookfall.core.check.groups.proxy_strength import (
    _MOST_LISTED,
    STRONG,
    Proxy,
    _adjusted,
    proxies_of,
    some_rows,
)
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.domain_classifier import telling
from brookfall.core.check.shared.feature_influence import figure_of_influence, influence_needs
from brookfall.core.evidence.chart import MapPoint, ProxyMap, StripChart, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, ScoreReading
from brookfall.core.foundation import wording
from brookfall.core.measure.association import KIND_WORDS
from brookfall.core.measure.figure import FEW_EVENTS, FEW_ROWS, Figure, Interval, absent
from brookfall.core.measure.registry import measure, words_of
from brookfall.core.measure.scored import Scored
from brookfall.core.resample.folds import Fold

_MOST_LEVELS = 6
"""Levels of an attribute that are predicted, the most frequent ones."""


class Proxies(Check):
    name = "proxies"
    title = "Proxies"
    question = 6
    needs_features = True
    source = (
        "Pearson's r, η, Cramér's V (Bergsma 2013); AUC of boosted trees that predict the attribute, out of fold "
        "(DeLong et al. 1988); influence as in question 7."
    )
    tiers = NOT_LIGHT
    reads = Reads(plan=("bands", "merged", "policy.grounds", "policy.ground_words"), roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Look for features that stand in for a protected attribute, and for what the model makes of them; see if "
            "the attribute can be predicted from the features."
        )

    def requests(self, bench: Bench) -> list[Need]:
        refuse_unprotected(bench)
        influence = list(influence_needs(bench)) if bench.can_be_asked else []
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
    for fold in bench.split.short_folds:
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
            key=need.fit.seed_key, outcomes=ground.codes[rows] == level, scores=ledger.scores(need), threshold=0.5
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
    known = [one for one in figures if one.value is not None and one.bounds is not None]
    if not known or len(known) < len(figures):
        return absent(n, "in one fold it can't be computed" if figures else "no fold holds enough rows")
    value = sum(one.value or 0.0 for one in known) / len(known)
    return Figure(value, n, "mean_of_folds", Interval(_mean_ends, value, tuple(known)))


def _mean_ends(value: float, figures: tuple[Figure, ...], level: float) -> tuple[float, float]:
    ends = [(one.value or 0.0, one.interval(level) or (0.0, 0.0)) for one in figures]
    down = sqrt(sum((one - end[0]) ** 2 for one, end in ends)) / len(figures)
    up = sqrt(sum((end[1] - one) ** 2 for one, end in ends)) / len(figures)
    return value - down, value + up


# What is shown.


def _influences(bench: Bench, draft: Draft, ledger: Ledger) -> dict[str, int]:
    if not bench.can_be_asked:
        return {}
    need, _ = influence_needs(bench)
    read = ledger.scores(need)
    return {
        feature: draft.add(
            "influence", figure_of_influence(read[place], len(need.reading.rows)), feature=feature, **bench.asked_as
        )
        for place, feature in enumerate(bench.asked_features)
    }


def _table(bench: Bench, found: Sequence[Proxy], points: Sequence[MapPoint], p: Sequence[float | None]) -> TableView:
    main = words_of(bench.plan.main_measure)
    listed = list(zip(found, points, p, strict=True))[:_MOST_LISTED]
    more = f", the {_MOST_LISTED} strongest of {len(found)}" if len(found) > _MOST_LISTED else ""
    return TableView(
        title=f"Features and attributes, the strongest first{more}",
        columns=("feature", "attribute", "as", "association", "p (Holm)", f"{main} lost without it"),
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
    return [pictures.ranking("The attribute, predicted from the features used", "AUC", entries)] if entries else []


def _answer(bench: Bench, draft: Draft, points: Sequence[MapPoint], tellers: dict[tuple[str, int], int]) -> list[str]:
    single = [
        one
        for one in points
        if one.attribute in bench.subject.roles.protected
        and not one.protected
        and abs(draft.figure(one.association).value or 0.0) >= STRONG
    ]
    said = _proxy_words(bench, draft, single)
    best = max(tellers.items(), key=lambda pair: draft.figure(pair[1]).value or 0.0, default=None)
    if best is not None:
        (name, level), place = best
        ground = next(one for one in grounds_of(bench.subject, bench.plan) if one.name == name)
        figure = draft.figure(place)
        # The best of several is told by an interval for them all.
        interval = figure.interval(1 - (1 - draft.level) / len(tellers))
        if interval is not None:
            group = f"{name.replace('_', ' ')} {ground.levels[level]}"
            opening = "No group can be told from the features used; the best is"
            if interval[0] > 0.5:
                opening = "The group best told from the features used is"
            auc = f"AUC {wording.figure(figure, draft.level)} on {wording.rows(figure.n)}"
            said.append(f"{opening} {group}: {auc}.")
    return said


def _proxy_words(bench: Bench, draft: Draft, single: Sequence[MapPoint]) -> list[str]:
    if not single:
        return [f"No feature goes with a protected attribute by as much as {STRONG:g}."]
    ranked = sorted(single, key=lambda one: _weight(draft, one), reverse=True)
    first = ranked[0]
    names = list(dict.fromkeys(one.feature for one in ranked))
    figure = draft.figure(first.association)
    said = (
        f"'{first.feature}' goes with {first.attribute.replace('_', ' ')} "
        f"({figure.note} {wording.figure(figure, draft.level, 2)} on {wording.rows(figure.n)})"
    )
    if first.influence is not None:
        lost = draft.figure(first.influence)
        interval = lost.interval(1 - (1 - draft.level) / len(names))
        leans = interval is not None and interval[0] > 0
        said += (
            f", and the model leans on it: when it is permuted, {words_of(bench.plan.main_measure)} loses "
            f"{wording.figure(lost, draft.level)}"
            if leans
            else ", and the model is not shown to lean on it"
        )
    return [f"{said}.", wording.line_of("Proxies too", [f"'{name}'" for name in names[1:]])]


def _weight(draft: Draft, one: MapPoint) -> tuple[bool, float]:
    """Features that the model is shown to lean on first, by association times influence."""
    strength = abs(draft.figure(one.association).value or 0.0)
    if one.influence is None:
        return False, strength
    return True, strength * max(0.0, draft.figure(one.influence).value or 0.0)
