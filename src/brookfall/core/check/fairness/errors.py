"""Errors: who is passed over and who is wrongly chosen, group by group."""

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.fairness.audit import (
    MARK_SOME,
    Audited,
    Compared,
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
from brookfall.core.errors import UserError
from brookfall.core.exhibit import Cell, StripChart, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.judge.policy import Policy
from brookfall.core.measure.figure import Figure

_RATES = {"true_positive_rate": "of those truly positive are found", "false_positive_rate": "of the others are chosen"}
_OF_NUMBERS = {"bias": "mean error (prediction − outcome)", "mae": "mean absolute error"}


class Errors:
    """Audits single attributes (order 1) or pairs of them (order 2)."""

    question = 6
    source = "Hardt, Price & Srebro 2016 (equal opportunity, equalised odds); Newcombe 1998; Zou & Donner 2008."
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
        policy = bench.plan.policy
        number = bench.subject.outcome == "number"
        rates = tuple(_OF_NUMBERS) if number else tuple(_RATES)
        limit = None if number else policy.group_difference
        draft = Draft(policy.level)
        strips: list[StripChart] = []
        tables: list[TableView] = []
        flat: dict[str, list[Compared]] = {rate: [] for rate in rates}
        for read in audited(bench, ledger):
            members = members_of(bench, read.positions, read.rows, self._order)
            found = {rate: [compare(draft, one, read, rate, limit, "difference") for one in members] for rate in rates}
            strips.extend(
                group_strip(f"{wording.capital(wording.measure_words(rate))}, {read.words}", found[rate])
                for rate in rates
            )
            pairs = zip(found[rates[0]], found[rates[1]], strict=True)
            tables.extend(
                _of_numbers(first, second) if number else _table(draft, read, first, second, policy)
                for first, second in pairs
            )
            for rate in rates:
                flat[rate].extend(one for compared in found[rate] for one in compared)
        for read in beside(bench, ledger):
            for one in members_of(bench, read.positions, read.rows, self._order):
                for rate in rates:
                    compare(draft, one, read, rate, None, "difference")
        answer = _number_answer(draft, flat) if number else _answer(draft, flat)
        return draft.write(answer, charts=tuple(strips), tables=tuple(tables))


def _of_numbers(bias: list[Compared], size: list[Compared]) -> TableView:
    return TableView(
        title=heading(bias),
        columns=("group", "mean error", "difference", "mean absolute error", "difference "),
        rows=tuple(
            (
                text(one.member.group.levels + (" (reference)" if one.comparison is None else "")),
                at(one.rate),
                _cell(one),
                at(other.rate),
                _cell(other),
            )
            for one, other in zip(bias, size, strict=True)
        ),
    )


def _table(draft: Draft, read: Audited, found: list[Compared], wrong: list[Compared], policy: Policy) -> TableView:
    rows = []
    for hit, false in zip(found, wrong, strict=True):
        member = hit.member

        def add(measure: str, figure: Figure, group: dict[str, str] = member.group.label) -> Cell:
            return at(draft.add(measure, figure, model=read.model, part=read.part, class_=read.class_, group=group))

        ratio = text("reference")
        if member.reference is not None:
            ratio = add("true_positive_rate_ratio", member.ratio("true_positive_rate"))
        rows.append(
            (
                text(member.group.levels + (" (reference)" if member.reference is None else "")),
                add("base_rate", member.rate("base_rate")),
                at(hit.rate),
                _cell(hit),
                ratio,
                at(false.rate),
                _cell(false),
            )
        )
    return TableView(
        title=f"{heading(found)} (limit on differences: {policy.group_difference.words})",
        columns=("group", "base rate", "TPR", "TPR difference", "TPR ratio", "FPR", "FPR difference"),
        rows=tuple(rows),
    )


def _cell(one: Compared) -> Cell:
    return text("reference") if one.comparison is None else at(one.comparison)


def _number_answer(draft: Draft, flat: dict[str, list[Compared]]) -> str:
    said = []
    for rate, words in _OF_NUMBERS.items():
        far = widest(draft, flat[rate])
        if far is not None and far.comparison is not None:
            said.append(
                f"The {words} differs most with {far.member.group.words}: by "
                f"{wording.figure(draft.figure(far.comparison), draft.level)} from that with "
                f"{far.member.against.group.words}."
            )
    if not said:
        return "There is nothing to compare."
    return f"{' '.join(said)} The policy sets no limit on them, so none is judged."


def _answer(draft: Draft, flat: dict[str, list[Compared]]) -> str:
    everything = [one for compared in flat.values() for one in compared]
    tally = counted(draft, everything)
    troubled = worst_first(draft, everything, 0.0)
    if not troubled or troubled[0].comparison is None:
        return f"No group's error rates are shown to lie too far from its reference. {tally}"
    worst = troubled[0]
    rate = next(rate for rate, compared in flat.items() if worst in compared)
    reference = worst.member.against
    of_class = f" as {worst.audited.class_}" if worst.audited.class_ else ""
    return (
        f"With {worst.member.group.words}, {wording.percent(draft.figure(worst.rate).value)} {_RATES[rate]}{of_class} "
        f"(n {wording.count(draft.figure(worst.rate).n)}), against {wording.percent(reference.rate(rate).value)} with "
        f"{reference.group.words}: a difference of "
        f"{wording.figure(draft.figure(troubled[0].comparison), draft.level)}. {tally}"
    )
