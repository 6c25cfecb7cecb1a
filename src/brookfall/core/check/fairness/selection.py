"""Selection: who is chosen, group by group, against the reference and by the four-fifths rule."""

import numpy as np

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check.check import Draft, Written, at, not_applicable, text
from brookfall.core.check.fairness.audit import (
    Compared,
    compare,
    counted,
    group_strip,
    members_of,
    nothing_protected,
    worst_first,
)
from brookfall.core.digest import seed_from
from brookfall.core.exhibit import Cell, TableView, Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import ratio_of_proportions

FOUR_FIFTHS = 0.8
_DRAWS = 10_000
_RATE = "selection_rate"


class Selection:
    """Audits single attributes (order 1) or pairs of them (order 2)."""

    question = 6
    source = "29 CFR 1607.4(D) (four-fifths rule); Katz et al. 1978; Koopman 1984; Newcombe 1998."

    def __init__(self, name: str, title: str, order: int) -> None:
        self.name = name
        self.title = title
        self._order = order

    def requests(self, bench: Bench) -> list[Need]:
        return [] if nothing_protected(bench, self._order) else [*bench.deciding_needs, bench.holdout]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        if reason := nothing_protected(bench, self._order):
            return not_applicable(reason)
        policy, part = bench.plan.policy, bench.plan.deciding_part
        draft = Draft(policy.level)
        positions, rows = bench.deciding(ledger)
        families = [
            compare(draft, members, _RATE, part, policy.group_ratio, "ratio")
            for members in members_of(bench, positions, rows, self._order)
        ]
        tables = [_table(draft, compared, part, bench.plan.seed) for compared in families]
        if part != "test":
            test = bench.part_scores(ledger, bench.holdout, "test")
            for members in members_of(bench, bench.parts["test"], test, self._order):
                compare(draft, members, _RATE, "test", None, "ratio")
        flat = [one for compared in families for one in compared]
        strip = group_strip(f"Share selected, {part.replace('_', ' ')} rows", families)
        return draft.write(_answer(draft, flat), charts=(strip,), tables=tuple(tables))


def _table(draft: Draft, compared: list[Compared], part: str, seed: int) -> TableView:
    highest = max(compared, key=lambda one: draft.figure(one.rate).value or 0)
    rows = []
    for one in compared:
        x, n = one.member.matrix.shares()[_RATE]
        x_top, n_top = highest.member.matrix.shares()[_RATE]
        to_highest = text("highest")
        chance = text("")
        if one is not highest:
            figure = ratio_of_proportions(x, n, x_top, n_top)
            to_highest = at(
                draft.add(
                    "selection_rate_ratio",
                    Figure(figure.value, figure.n, figure.method, figure.bounds, "29 CFR 1607.4(D)"),
                    part=part,
                    group=one.member.group.label,
                    versus=Versus(group=highest.member.group.label),
                )
            )
            chance = text(wording.percent(four_fifths_by_chance(x + x_top, n, n_top, seed)))
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
        title=wording.capital(" × ".join(compared[0].member.group.attributes).replace("_", " ")),
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
    return (
        f"Of {wording.rows(len(worst.member.group))} with {worst.member.group.words}, {wording.percent(chosen)} are "
        f"selected, against {wording.percent(usual)} with {reference.group.words}: a ratio of "
        f"{wording.figure(ratio, draft.level, 2)}{under}. {tally}"
    )
