"""Errors: who is passed over and who is wrongly chosen, group by group."""

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
from brookfall.core.exhibit import Cell, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.judge.policy import Policy

_RATES = {"true_positive_rate": "of those truly positive are found", "false_positive_rate": "of the others are chosen"}


class Errors:
    """Audits single attributes (order 1) or pairs of them (order 2)."""

    question = 6
    source = "Hardt, Price & Srebro 2016 (equal opportunity, equalised odds); Newcombe 1998."

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
        audited = members_of(bench, positions, rows, self._order)
        families = {
            rate: [compare(draft, members, rate, part, policy.group_difference, "difference") for members in audited]
            for rate in _RATES
        }
        tables = tuple(
            _table(draft, found, wrong, part, policy)
            for found, wrong in zip(*(families[rate] for rate in _RATES), strict=True)
        )
        if part != "test":
            test = bench.part_scores(ledger, bench.holdout, "test")
            for members in members_of(bench, bench.parts["test"], test, self._order):
                for rate in _RATES:
                    compare(draft, members, rate, "test", None, "difference")
        strips = tuple(
            group_strip(
                f"{wording.capital(wording.measure_words(rate))}, {part.replace('_', ' ')} rows", families[rate]
            )
            for rate in _RATES
        )
        return draft.write(_answer(draft, families), charts=strips, tables=tables)


def _table(draft: Draft, found: list[Compared], wrong: list[Compared], part: str, policy: Policy) -> TableView:
    rows = []
    for hit, false in zip(found, wrong, strict=True):
        member = hit.member
        base = draft.add("base_rate", member.rate("base_rate"), part=part, group=member.group.label)
        ratio = text("reference")
        if member.reference is not None:
            ratio = at(
                draft.add(
                    "true_positive_rate_ratio",
                    member.ratio("true_positive_rate"),
                    part=part,
                    group=member.group.label,
                )
            )
        rows.append(
            (
                text(member.group.levels + (" (reference)" if member.reference is None else "")),
                at(base),
                at(hit.rate),
                _cell(hit),
                ratio,
                at(false.rate),
                _cell(false),
            )
        )
    return TableView(
        title=wording.capital(" × ".join(found[0].member.group.attributes).replace("_", " "))
        + f" (limit on differences: {policy.group_difference.words})",
        columns=("group", "base rate", "TPR", "TPR difference", "TPR ratio", "FPR", "FPR difference"),
        rows=tuple(rows),
    )


def _cell(one: Compared) -> Cell:
    return text("reference") if one.comparison is None else at(one.comparison)


def _answer(draft: Draft, families: dict[str, list[list[Compared]]]) -> str:
    flat = {rate: [one for compared in found for one in compared] for rate, found in families.items()}
    everything = [one for compared in flat.values() for one in compared]
    tally = counted(draft, everything)
    troubled = worst_first(draft, everything, 0.0)
    if not troubled or troubled[0].comparison is None:
        return f"No group's error rates are shown to lie too far from its reference. {tally}"
    worst = troubled[0]
    rate = next(rate for rate, compared in flat.items() if worst in compared)
    reference = worst.member.against
    return (
        f"With {worst.member.group.words}, {wording.percent(draft.figure(worst.rate).value)} {_RATES[rate]} "
        f"(n {wording.count(draft.figure(worst.rate).n)}), against {wording.percent(reference.rate(rate).value)} with "
        f"{reference.group.words}: a difference of "
        f"{wording.figure(draft.figure(troubled[0].comparison), draft.level)}. {tally}"
    )
