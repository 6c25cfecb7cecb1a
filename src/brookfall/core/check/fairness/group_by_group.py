"""Group by group: every ground on a page, every criterion in every group, against everyone else.

Where the plan names a reference group, all others are set against that; two groups give one contrast. Three or more
groups also have an estimate of how far they lie apart in all: each against everyone else can't show a split down the
middle.
"""

from collections.abc import Sequence

import numpy as np

from brookfall.core.check.bench import RECIPE, Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.groups.audit import (
    Audited,
    Compared,
    audited,
    beside,
    compare,
    refuse_undecided,
    refuse_unprotected,
    standings_of,
    tell_others,
)
from brookfall.core.check.groups.criteria import BESIDE, Kind, criteria_of
from brookfall.core.check.groups.group_curves import curves_by_group
from brookfall.core.check.groups.group_sentence import GROUP_READS, group_sentence
from brookfall.core.check.groups.group_wording import (
    FOUR_FIFTHS,
    answer_of,
    four_fifths_words,
    lines_of,
    rows_of_group,
)
from brookfall.core.check.groups.incompatible_criteria import Forced, forced_by
from brookfall.core.check.groups.omnibus import Omnibus, is_cleared, omnibus_of, tell_p
from brookfall.core.check.groups.protected_groups import Ground
from brookfall.core.check.groups.sides import Member, members_of
from brookfall.core.check.sentence import About, Sentence
from brookfall.core.evidence.chart import Cell, CriterionStrip, GroundChart, TableView
from brookfall.core.evidence.estimate import Comparison, Versus
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure import power
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.group_spread import spread_figure
from brookfall.core.measure.registry import words_of
from brookfall.core.measure.scored import Scored

_DRAWS = 10_000
_RATE = "selection_rate"
_POINTS = 0.05
"""The difference that the power table asks about."""

Page = dict[str, list[Compared]]
"""The comparisons of one ground on some rows, by measure, each over the groups; a reference group comes first."""


class ByGroup(Check):
    name = "groups"
    title = "Group by group"
    outcomes = ANY_OUTCOME
    question = 6
    source = (
        "29 CFR 1607.4(D) (four-fifths rule); Hardt, Price & Srebro 2016; Chouldechova 2017; Newcombe 1998; Katz et "
        "al. 1978; Koopman 1984; Holm 1979; Cohen 1988 (power)."
    )
    clears = True
    reads = GROUP_READS

    def sentence(self, about: About) -> Sentence:
        return group_sentence(about)

    def requests(self, bench: Bench) -> list[Need]:
        refuse_unprotected(bench)
        refuse_undecided(bench)
        return [*bench.deciding_needs, *bench.repeat_needs, *bench.holdout_needs]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        pages: list[tuple[Audited, Ground, Page]] = []
        for read in audited(bench, ledger, repeats=True):
            pages.extend((read, ground, _page(bench, draft, read, ground)) for ground in read.grounds(bench))
        flat = [one for _, _, page in pages for compared in page.values() for one in compared]
        apart = [
            [one for compared in page.values() for one in omnibus_of(bench, draft, compared)] for _, _, page in pages
        ]
        omnibus = [one for of_page in apart for one in of_page]
        tell_p(draft, flat, omnibus)
        tell_others(draft, flat)
        charts, series, tables = [], {}, []
        forced: list[Forced] = []
        for (read, ground, page), of_page in zip(pages, apart, strict=True):
            chart, drawn = _chart(bench, draft, read, ground, page)
            charts.append(chart)
            series.update(drawn)
            if isinstance(read.rows, Scored):
                told = forced_by(bench.plan.harms, draft, read, _members(page))
                forced.extend(told)
                tables.extend(_tables(bench, draft, read, page, of_page, told))
            else:
                tables.append(_of_numbers(read, page))
                tables.extend(_between(read, page, of_page))
        for read in beside(bench, ledger):
            for ground in read.grounds(bench):
                _page(bench, draft, read, ground, judge=False)
        cleared = is_cleared(draft, [list(page.values()) for _, _, page in pages], omnibus)
        return draft.write(
            answer_of(draft, flat, omnibus, cleared=cleared),
            lines=(*lines_of(draft, flat, omnibus), *_clashes(forced), _could_show(draft, flat, pages)),
            charts=tuple(charts),
            series=series,
            tables=tuple(tables),
            cleared=cleared,
        )


def _page(bench: Bench, draft: Draft, read: Audited, ground: Ground, *, judge: bool = True) -> Page:
    (members,) = members_of([ground], read.rows, 1, bench.plan.references)
    return {
        criterion.measure: compare(bench, draft, members, read, criterion, judge=judge)
        for criterion in criteria_of(bench.plan, read.rows)
    }


def _members(page: Page) -> list[Member]:
    return [one.member for one in next(iter(page.values()))]


# The picture.


def _chart(
    bench: Bench, draft: Draft, read: Audited, ground: Ground, page: Page
) -> tuple[GroundChart, dict[str, Series]]:
    members = _members(page)
    curves, series = curves_by_group(read, ground.name, {one.group.levels: one.rows for one in members}, draft.level)
    column = bench.subject.table.column(ground.name)
    chart = GroundChart(
        title=f"{_heading(ground.name)}, {read.words}",
        attribute=ground.name,
        groups=tuple(_called(one) for one in members),
        sizes=tuple(len(one.group) for one in members),
        strips=tuple(_strip(draft, compared) for compared in page.values()),
        curves=curves,
        cuts=ground.cuts,
        levels=() if ground.cuts else column.levels,
        reference=_reference_place(members),
    )
    return chart, series


def _reference_place(members: Sequence[Member]) -> int | None:
    return next((place for place, one in enumerate(members) if one.reference is None), None)


def _strip(draft: Draft, compared: list[Compared]) -> CriterionStrip:
    criterion = compared[0].criterion
    ends = tuple(_ends(draft, one) for one in compared)
    alike = len(set(ends) - {(None, None)}) == 1
    low, high = next(pair for pair in ends if pair != (None, None)) if alike else (None, None)
    return CriterionStrip(
        measure=criterion.measure,
        words=criterion.words,
        rows=tuple(one.rate for one in compared),
        kind=criterion.kinds[0],
        against=tuple(one.by_kind.get(criterion.kinds[0]) for one in compared),
        comparisons=tuple(tuple(place for _, place in one.judged(draft)) for one in compared),
        settle=tuple(_settle(draft, one) for one in compared),
        low=low,
        high=high,
        ends=() if alike else ends,
    )


def _ends(draft: Draft, one: Compared) -> tuple[float | None, float | None]:
    """The limit of a group's judged comparison on the scale of the measure itself, as the others' value sets it."""
    for kind, place in one.judged(draft):
        limit = draft.limit(place)
        usual = None if kind == "itself" else one.member.against.rate(one.criterion.measure).value
        if limit is None or (kind != "itself" and usual is None):
            continue
        both = (limit.at_least, limit.at_most)
        if usual is None:
            return both
        low, high = (None if end is None else usual * end if kind == "ratio" else usual + end for end in both)
        return low, high
    return None, None


def _settle(draft: Draft, one: Compared) -> int | None:
    found = [rows_of_group(draft, one, kind) for kind, _ in one.judged(draft)]
    return next((rows for rows in found if rows is not None), None)


# The numbers.


def _tables(
    bench: Bench, draft: Draft, read: Audited, page: Page, apart: Sequence[Omnibus], forced: list[Forced]
) -> list[TableView]:
    of_kind = [
        _selection(bench, draft, read, page),
        _errors(draft, read, page),
        _worth(draft, read, page),
        *_between(read, page, apart),
        _spreads(draft, read, page),
        _power(draft, read, page),
    ]
    if forced:
        of_kind.append(_forced(read, page, forced))
    return of_kind


def _selection(bench: Bench, draft: Draft, read: Audited, page: Page) -> TableView:
    compared = page[_RATE]
    # A group too small to judge is nobody's yardstick, unless all are.
    large = [one for one in compared if not draft.figure(one.rate).few]
    highest = max(large or compared, key=lambda one: draft.figure(one.rate).value or 0)
    rows = []
    for one in compared:
        to_highest, chance = text("highest"), text("")
        if one is not highest:
            to_highest = _to_highest(draft, read, one, highest.member)
            share = by_chance(one.member, highest.member, bench.plan.seed)
            known = Figure(share, len(one.member.group), note=f"no interval: simulated, {_DRAWS} pairs of groups")
            _add(draft, read, one.member, "under_four_fifths_by_chance", known)
            chance = text(wording.percent(share))
        rows.append(
            (
                text(_called(one.member)),
                at(one.rate),
                _cell(one, "ratio"),
                _p(one),
                text(_four_fifths(draft, one)),
                to_highest,
                chance,
            )
        )
    return TableView(
        title="Selection and the four-fifths rule; the regulation compares with the highest rate",
        about=_about(read, one.member),
        columns=("group", "selected", "ratio", "p (Holm)", "says", "ratio to highest", "under 4/5 by chance"),
        rows=tuple(rows),
    )


def _to_highest(draft: Draft, read: Audited, one: Compared, highest: Member) -> Cell:
    """The ratio that the regulation asks for; where the highest is the reference, it stands there already."""
    if "ratio" in one.by_kind and one.member.reference is highest:
        return _cell(one, "ratio")
    figure = one.member.ratio_to(highest, _RATE)
    noted = figure.noted("29 CFR 1607.4(D)") if figure.value is not None else figure
    return at(_add(draft, read, one.member, _RATE, noted, Versus(group=highest.group.label), comparison="ratio"))


def by_chance(member: Member, highest: Member, seed: int) -> float:
    """How often two groups of these sizes with one equal rate would fall under four fifths."""
    share, top = member.share(_RATE), highest.share(_RATE)
    selected = round(share.value * share.n) + round(top.value * top.n)
    return four_fifths_by_chance(selected, share.n, top.n, seed)


def four_fifths_by_chance(selected: int, n: int, n_highest: int, seed: int) -> float:
    """The share of 10 000 simulated pairs of groups of n and n_highest rows, both selected at the one rate that
    ``selected`` of all these rows makes, of which one lies under four fifths of the other."""
    rng = np.random.default_rng(seed_from("four fifths", seed, selected, n, n_highest))
    rate = selected / (n + n_highest)
    first, second = rng.binomial(n, rate, _DRAWS) / n, rng.binomial(n_highest, rate, _DRAWS) / n_highest
    low, high = np.minimum(first, second), np.maximum(first, second)
    return float(np.mean(low < FOUR_FIFTHS * high))


def _four_fifths(draft: Draft, one: Compared) -> str:
    if "ratio" not in one.by_kind:
        return "reference"
    figure, told = draft.figure(one.by_kind["ratio"]), one.p.get("ratio")
    return four_fifths_words(figure, figure.p_of(1.0) if told is None else draft.figure(told).value)


def _errors(draft: Draft, read: Audited, page: Page) -> TableView:
    rows = []
    for found, picked in zip(page["true_positive_rate"], page["false_positive_rate"], strict=True):
        member = found.member
        rows.append(
            (
                text(_called(member)),
                at(_add(draft, read, member, "base_rate", member.rate("base_rate"))),
                at(found.rate),
                _cell(found, "difference"),
                _cell(found, "ratio"),
                _p(found),
                at(picked.rate),
                _cell(picked, "difference"),
                _cell(picked, "ratio"),
                _p(picked),
            )
        )
    return TableView(
        title="Errors: who is passed over (TPR), who is wrongly picked (FPR)",
        about=_about(read, member),
        columns=(
            "group",
            "base rate",
            "TPR",
            "difference",
            "ratio",
            "p (Holm)",
            "FPR",
            "difference ",
            "ratio ",
            "p (Holm) ",
        ),
        rows=tuple(rows),
    )


def _worth(draft: Draft, read: Audited, page: Page) -> TableView:
    rows = []
    for worth, slope, score in zip(
        page["positive_predictive_value"], page["calibration_slope"], page["mean_score"], strict=True
    ):
        member = worth.member
        told = {name: _add(draft, read, member, name, member.rate(name)) for name in BESIDE if name != "base_rate"}
        rows.append(
            (
                text(_called(member)),
                at(worth.rate),
                _cell(worth, "ratio"),
                _p(worth),
                at(told["negative_predictive_value"]),
                at(slope.rate),
                at(told["calibration_intercept"]),
                at(told["auc"]),
                at(score.rate),
            )
        )
    return TableView(
        title="Worth of a prediction: what a selection and a score mean",
        about=_about(read, member),
        columns=("group", "PPV", "ratio", "p (Holm)", "NPV", "slope", "intercept", "AUC", "mean score"),
        rows=tuple(rows),
    )


def _between(read: Audited, page: Page, apart: Sequence[Omnibus]) -> list[TableView]:
    """How far the groups lie apart with noise taken off."""
    if not apart:
        return []
    rows = [
        (
            text(one.criterion.words),
            text(one.kind),
            at(one.place),
            at(one.told[one.kind]) if one.kind in one.told else text(""),
        )
        for one in apart
    ]
    return [
        TableView(
            title="All groups at once: a typical low group (one standard deviation below the common rate, noise taken "
            "off) against a typical high one",
            about=_about(read, _members(page)[0]),
            columns=("criterion", "by", "low against high", "p (Holm)"),
            rows=tuple(rows),
        )
    ]


def _spreads(draft: Draft, read: Audited, page: Page) -> TableView:
    """The distance from the lowest to the highest group, which is positive even when all are alike."""
    members, rows = _members(page), []
    for measure in ("selection_rate", "true_positive_rate", "false_positive_rate", "positive_predictive_value"):
        if read.rows.plain:
            key = f"{read.rows.key}/{members[0].group.attributes[0]}"
            figure = spread_figure(measure, np.stack([one.cells for one in members]), key)
        else:
            figure = absent(len(read.rows), "rows are weighted or come in groups, for which it is not resampled")
        place = draft.add(
            f"{measure}_spread",
            figure,
            model=read.model,
            part=read.part,
            class_=read.class_,
            attribute=members[0].group.attributes[0],
        )
        rows.append((text(words_of(measure)), at(place), text(figure.note or "")))
    return TableView(
        title="From the lowest to the highest group as they are, which is above 0 even where all are alike",
        about=_about(read, members[0]),
        columns=("measure", "largest less smallest", "and with nothing there"),
        rows=tuple(rows),
    )


def _power(draft: Draft, read: Audited, page: Page) -> TableView:
    rows = [
        (
            text(_called(one.member)),
            text(wording.count(len(one.member.group))),
            *(text(cell) for cell in _told_power(draft, read, one)),
        )
        for one in page[_RATE]
        if one.member.reference is not None
    ]
    return TableView(
        title="What groups of this size could show: a difference of selection that shows in four of five samples",
        about=_about(read, page[_RATE][0].member),
        columns=("group", "rows", "smallest difference shown", "rows a group to show 5 points"),
        rows=tuple(rows),
    )


def _told_power(draft: Draft, read: Audited, one: Compared) -> tuple[str, str]:
    """The cells of the power table, their numbers among the estimates too."""
    for measure, value in zip(
        ("smallest_difference_shown", "rows_to_show_5_points"), _power_of(draft, one), strict=True
    ):
        note = "no interval: it follows from the sizes and the others' rate" if value is not None else "none shows"
        _add(draft, read, one.member, measure, Figure(value, len(one.member.group), note=note))
    return _power_cells(draft, one)


def _power_of(draft: Draft, one: Compared) -> tuple[float | None, int | None]:
    """The smallest difference of selection that these rows show, and the rows a group that 5 points take."""
    usual, ours = one.member.against.share(_RATE), one.member.share(_RATE)
    if not 0 < usual.value < 1:
        return None, None
    smallest = power.smallest_shown(usual.value, ours.counts()[1], usual.counts()[1], draft.level)
    return smallest, power.rows_to_show(usual.value, _POINTS, draft.level)


def _power_cells(draft: Draft, one: Compared) -> tuple[str, str]:
    smallest, needed = _power_of(draft, one)
    if not 0 < one.member.against.share(_RATE).value < 1:
        return "–", "–"
    return (
        "none" if smallest is None else f"{100 * smallest:.1f} points",
        "–" if needed is None else wording.count(needed),
    )


def _forced(read: Audited, page: Page, forced: list[Forced]) -> TableView:
    return TableView(
        title=forced[0].sentence or "Base rates that are shown to differ, and what equal TPR and PPV would then force",
        about=_about(read, _members(page)[0]),
        columns=("group", "base rate", "difference", "with equal TPR and PPV, the FPR is", "and selected"),
        rows=tuple(
            (
                text(_called(one.member)),
                at(one.base_rate),
                at(one.difference),
                text(f"{one.times_picked:.2f} times the others'"),
                text(f"{one.times_selected:.2f} times"),
            )
            for one in forced
        ),
    )


def _of_numbers(read: Audited, page: Page) -> TableView:
    columns: tuple[str, ...] = ("group",)
    rows: list[tuple[Cell, ...]] = [(text(_called(member)),) for member in _members(page)]
    for place, (measure, compared) in enumerate(page.items()):
        columns = (*columns, words_of(measure), f"difference{' ' * place}")
        rows = [(*row, at(one.rate), _cell(one, "difference")) for row, one in zip(rows, compared, strict=True)]
    return TableView(
        title="Predictions and their errors by group, in the outcome's own unit",
        about=_about(read, _members(page)[0]),
        columns=columns,
        rows=tuple(rows),
    )


def _add(
    draft: Draft,
    read: Audited,
    member: Member,
    measure: str,
    figure: Figure,
    versus: Versus | None = None,
    comparison: Comparison | None = None,
) -> int:
    return draft.add(measure, figure, comparison=comparison, versus=versus, **read.about(member.group))


def _cell(one: Compared, kind: Kind) -> Cell:
    return at(one.by_kind[kind]) if kind in one.by_kind else text("reference")


def _p(one: Compared) -> Cell:
    """Of the comparison that is judged."""
    return next((at(place) for place in one.p.values()), text(""))


def _called(member: Member) -> str:
    return member.group.levels + (" (reference)" if member.reference is None else "")


def _heading(attribute: str) -> str:
    return wording.capital(attribute.replace("_", " "))


def _about(read: Audited, member: Member) -> str:
    """The title of the chart that a table belongs to."""
    return f"{_heading(member.group.attributes[0])}, {read.words}"


# The lines below the answer.


def _clashes(forced: Sequence[Forced]) -> tuple[str, ...]:
    """The grounds on which the plan's harms can't all be avoided."""
    clashes = [one.member.group.attributes[0].replace("_", " ") for one in forced if one.sentence]
    if not clashes:
        return ()
    named = wording.listed(list(dict.fromkeys(clashes)))
    return (f"Base rates differ by {named}, so not all harms that the plan names can be avoided at once.",)


def _could_show(draft: Draft, flat: Sequence[Compared], pages: Sequence[tuple[Audited, Ground, Page]]) -> str:
    """What the smallest group that can be judged could show, where something is open."""
    if Standing.UNSETTLED not in standings_of(draft, flat):
        return ""
    judged = [
        one
        for read, _, page in pages
        if read.model == RECIPE and _RATE in page
        for one in page[_RATE]
        if one.member.reference is not None and not one.member.rate(_RATE).few
    ]
    if not judged:
        return ""
    one = min(judged, key=lambda each: len(each.member.group))
    smallest, _ = _power_cells(draft, one)
    if smallest in ("–", "none"):
        return ""
    return (
        f"The smallest group judged, {one.member.words} (n {wording.count(len(one.member.group))}), shows a difference "
        f"of {smallest} selected in four of five samples."
    )
