"""Selection: who is chosen, group by group, against the reference and by the four-fifths rule."""

import numpy as np

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.fairness.audit import (
    MARK_SOME,
    Compared,
    Comparison,
    audited,
    beside,
    compare,
    counted,
    group_strip,
    heading,
    members_of,
    nothing_protected,
    widest,
    worst_first,
)
from brookfall.core.digest import seed_from
from brookfall.core.errors import UserError
from brookfall.core.exhibit import Cell, TableView, Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.measure.interval import ratio_of_shares

FOUR_FIFTHS = 0.8
_DRAWS = 10_000
_RATE = "selection_rate"
_MEAN = "mean_score"
_RATIO: Comparison = "ratio"
_DIFFERENCE: Comparison = "difference"


class Selection:
    """Audits single attributes (order 1) or pairs of them (order 2)."""

    question = 6
    source = "29 CFR 1607.4(D) (four-fifths rule); Katz et al. 1978; Koopman 1984; Newcombe 1998."
    refits = False

    def __init__(self, name: str, title: str, order: int) -> None:
        self.name = name
        self.title = title
        self._order = order

    def requests(self, bench: Bench) -> list[Need]:
        if reason := nothing_protected(bench, self._order):
            raise UserError(reason, todo=MARK_SOME)
        return [*bench.deciding_needs, *bench.holdout_needs]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        number = bench.subject.outcome == "number"
        rate, kind, limit = (_MEAN, _DIFFERENCE, None) if number else (_RATE, _RATIO, bench.plan.policy.group_ratio)
        draft = Draft(bench.plan.policy.level)
        strips, tables = [], []
        flat: list[Compared] = []
        for read in audited(bench, ledger):
            families = [
                compare(draft, members, read, rate, limit, kind)
                for members in members_of(bench, read.positions, read.rows, self._order)
            ]
            title = "Mean prediction" if number else "Share selected"
            strips.append(group_strip(f"{title}, {read.words}", families))
            made = [_means(compared) if number else _table(draft, compared, bench.plan.seed) for compared in families]
            tables.extend(made)
            flat.extend(one for compared in families for one in compared)
        for read in beside(bench, ledger):
            for members in members_of(bench, read.positions, read.rows, self._order):
                compare(draft, members, read, rate, None, kind)
        answer = _number_answer(draft, flat) if number else _answer(draft, flat)
        return draft.write(answer, charts=tuple(strips), tables=tuple(tables))


def _means(compared: list[Compared]) -> TableView:
    return TableView(
        title=heading(compared),
        columns=("group", "mean prediction", "difference to reference"),
        rows=tuple(
            (
                text(one.member.group.levels + (" (reference)" if one.comparison is None else "")),
                at(one.rate),
                _comparison(one),
            )
            for one in compared
        ),
    )


def _table(draft: Draft, compared: list[Compared], seed: int) -> TableView:
    highest = max(compared, key=lambda one: draft.figure(one.rate).value or 0)
    read = compared[0].audited
    rows = []
    for one in compared:
        share, top = one.member.share(_RATE), highest.member.share(_RATE)
        to_highest = text("highest")
        chance = text("")
        if one is not highest:
            to_highest = at(
                draft.add(
                    "selection_rate_ratio",
                    ratio_of_shares(share, top).noted("29 CFR 1607.4(D)"),
                    model=read.model,
                    part=read.part,
                    class_=read.class_,
                    group=one.member.group.label,
                    versus=Versus(group=highest.member.group.label),
                )
            )
            selected = round(share.value * share.n) + round(top.value * top.n)
            chance = text(wording.percent(four_fifths_by_chance(selected, share.n, top.n, seed)))
        rows.append(
            (
                text(one.member.group.levels + (" (reference)" if one.comparison is None else "")),
                at(one.rate),
                _comparison(one),
                to_highest,
                chance,
            )
        )
    return TableView(
        title=heading(compared),
        columns=("group", "selected", "ratio to reference", "ratio to highest", "under 4/5 by chance"),
        rows=tuple(rows),
    )


def _comparison(one: Compared) -> Cell:
    return text("reference") if one.comparison is None else at(one.comparison)


def four_fifths_by_chance(selected: int, n: int, n_highest: int, seed: int) -> float:
    """How often two groups of these sizes with one equal rate would fall under four fifths, by simulation."""
    rng = np.random.default_rng(seed_from("four fifths", seed, selected, n, n_highest))
    rate = selected / (n + n_highest)
    first, second = rng.binomial(n, rate, _DRAWS) / n, rng.binomial(n_highest, rate, _DRAWS) / n_highest
    low, high = np.minimum(first, second), np.maximum(first, second)
    return float(np.mean(low < FOUR_FIFTHS * high))


def _number_answer(draft: Draft, compared: list[Compared]) -> str:
    far = widest(draft, compared)
    if far is None or far.comparison is None:
        return "There is nothing to compare."
    return (
        f"The mean prediction differs most with {far.member.group.words}: by "
        f"{wording.figure(draft.figure(far.comparison), draft.level)} from that with "
        f"{far.member.against.group.words}. The policy sets no limit on mean predictions, so none is judged."
    )


def _answer(draft: Draft, compared: list[Compared]) -> str:
    troubled = worst_first(draft, compared, 1.0)
    tally = counted(draft, compared)
    if not troubled or troubled[0].comparison is None:
        return f"No group is selected at a rate shown to be too far from its reference. {tally}"
    worst = troubled[0]
    ratio = draft.figure(troubled[0].comparison)
    reference = worst.member.against
    under = f", under the four fifths of {FOUR_FIFTHS}" if (ratio.value or 0) < FOUR_FIFTHS else ""
    chosen, usual = draft.figure(worst.rate).value, reference.rate(_RATE).value
    into = f"called {worst.audited.class_}" if worst.audited.class_ else "selected"
    return (
        f"Of {wording.rows(len(worst.member.group))} with {worst.member.group.words}, {wording.percent(chosen)} are "
        f"{into}, against {wording.percent(usual)} with {reference.group.words}: a ratio of "
        f"{wording.figure(ratio, draft.level, 2)}{under}. {tally}"
    )
