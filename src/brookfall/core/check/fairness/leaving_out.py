"""Leaving out: the recipe refitted without protected columns, then without the strongest proxies too: what it costs in
score, what it gains in parity."""

from dataclasses import replace

from brookfall.core.candidate.refitted import Refitted
from brookfall.core.check.bench import Bench, ScoredPart
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.groups.audit import refuse_undecided, refuse_unprotected
from brookfall.core.check.groups.criteria import GROUPS_OF_PLAN, followed
from brookfall.core.check.groups.parity_change import Both, both_of, farthest, in_direction, nearer
from brookfall.core.check.groups.proxy_strength import STRONG, strongest
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.refits import gain_of, score_of
from brookfall.core.evidence.chart import Cell, StripChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import words_of

_SUBMITTED = "as submitted"
_MOST_PROXIES = 3
Variants = dict[str, Refitted]


class LeavingOut(Check):
    name = "leaving_out"
    title = "Leaving out"
    question = 6
    source = (
        "Corrected resampled t over the same folds (Nadeau & Bengio 2003); on a part, paired intervals on the "
        "same rows (DeLong et al. 1988; Newcombe 1998; Hall 1992; Zou & Donner 2008)."
    )
    refits = True
    tiers = NOT_LIGHT
    reads = Reads(plan=GROUPS_OF_PLAN, roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Refit without the protected columns, then without the strongest proxies too: what it costs in score, what "
            "it gains in parity."
        )

    def requests(self, bench: Bench) -> list[Need]:
        refuse_unprotected(bench)
        refuse_undecided(bench)
        others = [need for one in _variants(bench).values() for need in one.needs(bench.plan.deciding_part)]
        return [*bench.deciding_needs, *others]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        variants, submitted = _variants(bench), bench.deciding(ledger)
        scored = {name: one.scored(ledger, bench.plan.deciding_part) for name, one in variants.items()}
        strips, score_table, costs = _cost(bench, ledger, draft, submitted, scored, variants)
        parity = {name: both_of(bench, submitted, found) for name, found in scored.items()}
        tables, charts, said = [], [], []
        for criterion in followed(bench.subject.outcome, bench.plan):
            chart, table, words = _parity(draft, criterion, parity)
            charts.extend(chart)
            tables.extend(table)
            said.append(words)
        answer = [_cost_words(bench, draft, variants, costs), *said[:1]]
        return draft.write(answer, charts=(*strips, *charts), tables=(score_table, *tables))


def _variants(bench: Bench) -> Variants:
    """The recipe refitted without columns: protected ones, the strongest proxy, the few strongest."""
    features = bench.subject.features
    protected = [name for name in features if name in bench.subject.roles.protected]
    proxies = strongest(bench)[:_MOST_PROXIES]
    found: dict[str, tuple[str, ...]] = {}
    if protected:
        found["without protected columns"] = tuple(name for name in features if name not in protected)
    for count in sorted({1, len(proxies)} if proxies else set()):
        gone = [*protected, *proxies[:count]]
        too = " too" if protected else ""
        found[f"without {wording.listed(proxies[:count])}{too}"] = tuple(n for n in features if n not in gone)
    found = {name: kept for name, kept in found.items() if kept}
    if not found:
        raise UserError(
            f"No protected column is among the features, and none goes with one by as much as {STRONG:g}.",
            todo="There is nothing to leave out.",
        )
    return {name: replace(bench.submitted, name=name, words=name, features=kept) for name, kept in found.items()}


# What it costs in score.


def _cost(
    bench: Bench,
    ledger: Ledger,
    draft: Draft,
    submitted: ScoredPart,
    scored: dict[str, ScoredPart],
    variants: Variants,
) -> tuple[tuple[StripChart, ...], TableView, dict[str, int]]:
    main = bench.plan.main_measure
    whole = draft.add(main, score_of(bench, ledger, main, bench.submitted, submitted.part), part=submitted.part)
    places = {
        name: draft.add(main, score_of(bench, ledger, main, variants[name], one.part), model=name, part=one.part)
        for name, one in scored.items()
    }
    costs = {
        name: draft.add(
            main,
            gain_of(bench, ledger, main, bench.submitted, variants[name], one.part),
            comparison="difference",
            part=one.part,
            versus=Versus(model=name),
        )
        for name, one in scored.items()
    }
    rows = (
        StripRow(estimate=whole, label=_SUBMITTED, colour="recipe"),
        *(StripRow(estimate=place, label=pictures.cut(name), colour="fold") for name, place in places.items()),
    )
    strips = pictures.strips(
        "What leaving out costs in score", [(main, StripGroup(label=pictures.in_words(main), rows=rows))]
    )
    body: list[tuple[Cell, ...]] = [(text(_SUBMITTED), at(whole), text("–"))]
    body += [(text(name), at(places[name]), at(costs[name])) for name in scored]
    words = words_of(main)
    table = TableView(title="Score", columns=("", words, "better as submitted by"), rows=tuple(body))
    return strips, table, costs


def _cost_words(bench: Bench, draft: Draft, variants: Variants, costs: dict[str, int]) -> str:
    last = list(variants)[-1]
    figure = draft.figure(costs[last])
    words = words_of(bench.plan.main_measure)
    gone = [name for name in bench.subject.features if name not in (variants[last].features or ())]
    interval = figure.interval(draft.level)
    named = [f"'{name}'" for name in gone]
    lead = f"Without {wording.listed(named)}"
    if interval is None or figure.value is None:
        return f"{lead}, what it costs can't be said: {figure.note}."
    if interval[0] > 0:
        return f"{lead}, {words} is worse by {wording.figure(figure, draft.level)} on {wording.rows(figure.n)}."
    if interval[1] < 0:
        return f"{lead}, {words} is no worse: it loses {wording.figure(figure, draft.level)}."
    return (
        f"{lead}, no change of {words} is shown: a loss of {wording.figure(figure, draft.level)} on "
        f"{wording.rows(figure.n)}."
    )


# What it gains in parity.


def _parity(
    draft: Draft, criterion: str, parity: dict[str, list[Both]]
) -> tuple[list[StripChart], list[TableView], str]:
    """For every ground the group that was farthest from parity, followed through all variants."""
    first = next(iter(parity.values()))
    worst = farthest(first, criterion)
    groups, rows, said = [], [], []
    level = 1 - (1 - draft.level) / max(1, len(worst) * len(parity))
    for key, chosen in worst.items():
        before = draft.add(
            criterion,
            chosen.before.difference(criterion),
            comparison="difference",
            part=chosen.read.part,
            class_=chosen.read.class_,
            group=chosen.before.group.label,
            versus=chosen.before.against.versus,
        )
        strip = [StripRow(estimate=before, label=_SUBMITTED, colour="recipe")]
        rows.append((text(chosen.words), text(_SUBMITTED), at(before), text("–"), text("")))
        for name, every in parity.items():
            one = next(each for each in every if _same(each, chosen) and _key(each) == key)
            place, change = _add(draft, criterion, name, one)
            word = nearer(draft.figure(before), draft.figure(change), level)
            strip.append(StripRow(estimate=place, label=pictures.cut(name), colour="fold"))
            rows.append((text(one.words), text(name), at(place), at(change), text(word)))
            said.append((name, one, before, place, word))
        groups.append(StripGroup(label=chosen.words, rows=tuple(strip)))
    if not groups:
        return [], [], ""
    words = words_of(criterion)
    chart = StripChart(title=f"Difference in {words}, group by group", unit="", groups=tuple(groups))
    table = TableView(
        title=f"What leaving out gains in parity of the {words}: of each ground the group farthest off as submitted",
        columns=("group", "", "difference", "changes by", "so it comes"),
        rows=tuple(rows),
    )
    return [chart], [table], _parity_words(draft, criterion, said)


def _key(one: Both) -> tuple[str, str | None]:
    return one.before.group.attributes[0], one.read.class_


def _same(one: Both, other: Both) -> bool:
    return one.before.group.label == other.before.group.label


def _add(draft: Draft, criterion: str, name: str, one: Both) -> tuple[int, int]:
    group, against = one.after.group.label, one.after.against.versus
    place = draft.add(
        criterion,
        one.after.difference(criterion),
        comparison="difference",
        model=name,
        part=one.read.part,
        class_=one.read.class_,
        group=group,
        versus=against,
    )
    change = draft.add(
        f"{criterion}_difference",
        one.change(criterion),
        comparison="change",
        model=name,
        part=one.read.part,
        class_=one.read.class_,
        group=group,
        versus=Versus(model="recipe"),
    )
    return place, change


def _parity_words(draft: Draft, criterion: str, said: list[tuple[str, Both, int, int, str]]) -> str:
    """Of the last variant, what became of the group that was farthest off."""
    last = said[-1][0]
    mine = [one for one in said if one[0] == last]
    _, both, before, after, word = max(mine, key=lambda one: abs(draft.figure(one[2]).value or 0.0))
    return (
        f"{wording.capital(both.words)}, {words_of(criterion)} against {both.before.against.words}: from "
        f"{in_direction(draft, criterion, before)} to {in_direction(draft, criterion, after)}: {word}."
    )
