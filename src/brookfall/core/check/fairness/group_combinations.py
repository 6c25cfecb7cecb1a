"""Combinations: groups that two or three grounds make together, and where these are worse off than either alone."""

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.groups.audit import (
    Audited,
    Compared,
    audited,
    compare,
    refuse_undecided,
    refuse_unprotected,
    tell_others,
    troubled,
)
from brookfall.core.check.groups.criteria import Criterion, criteria_of
from brookfall.core.check.groups.group_sentence import GROUP_READS
from brookfall.core.check.groups.group_wording import answer_of, contrast_words, lines_of, short_of
from brookfall.core.check.groups.omnibus import is_cleared, omnibus_of, tell_p
from brookfall.core.check.groups.protected_groups import Group, label_words
from brookfall.core.check.groups.sides import Member, members_of
from brookfall.core.check.sentence import NO_LIMIT, About, Sentence, say
from brookfall.core.evidence.chart import Cell, Combination, CombinationChart, CombinedGroup, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.measure.counts import SHARES, share_from_cells
from brookfall.core.measure.figure import FEW_ROWS, Figure
from brookfall.core.measure.interval import independent_difference
from brookfall.core.measure.registry import words_of

_NOT_CROSSED = frozenset({"calibration_slope"})
"""What takes more rows than small groups have."""
_MOST_LEVELS = 40
"""Levels of a ground beyond which crossing it makes groups of a few rows each."""
_MOST_TRIPLES = 1_000
"""Groups of three grounds in all, beyond which nobody reads them."""
_MOST_LISTED = 40


@dataclass(frozen=True)
class Worse:
    """A group that does worse by a measure than each of the others who share all its levels but one: places of the
    differences to these, by the attribute that they don't share. ``lower`` says which way it lies."""

    compared: Compared
    rests: dict[str, int]
    lower: bool


@dataclass(frozen=True)
class _Crossed:
    """What was found on the rows of one model: by order (1, 2, 3), by combination, by measure, over its groups."""

    read: Audited
    whole: Member
    by_order: dict[int, list[dict[str, list[Compared]]]]
    left_out: int

    @cached_property
    def by_label(self) -> dict[tuple[tuple[str, str], ...], Member]:
        """Every group of one ground or two, by the levels of its grounds."""
        families = [family for order in (1, 2) for family in self.by_order[order]]
        firsts = [one for family in families for one in next(iter(family.values()))]
        return {tuple(one.member.group.label.items()): one.member for one in firsts}

    def crossed(self) -> list[dict[str, list[Compared]]]:
        """The pairs and triples of grounds, each with its comparisons by measure."""
        return [family for order, families in self.by_order.items() if order > 1 for family in families]

    def combined(self) -> list[Compared]:
        return [one for family in self.crossed() for compared in family.values() for one in compared]


class Combined(Check):
    name = "combinations"
    title = "Combinations"
    outcomes = ANY_OUTCOME
    question = 6
    source = "Newcombe 1998; Katz et al. 1978; Koopman 1984; Holm 1979; intersection–union test (Berger 1982)."
    reads = GROUP_READS

    def sentence(self, about: About) -> Sentence:
        return say(
            "The same for every pair and every triple of grounds that has groups large enough; find who is worse off "
            "than either ground alone would make them.",
            NO_LIMIT if about.number else "the same limits",
        )

    def requests(self, bench: Bench) -> list[Need]:
        refuse_unprotected(bench, 2)
        refuse_undecided(bench)
        return [*bench.deciding_needs, *bench.repeat_needs]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        found = [_crossed(bench, draft, read) for read in audited(bench, ledger, repeats=True)]
        flat = [one for each in found for one in each.combined()]
        families = [family for each in found for family in each.crossed()]
        omnibus = [one for family in families for each in family.values() for one in omnibus_of(bench, draft, each)]
        tell_p(draft, flat, omnibus)
        tell_others(draft, flat)
        worse = [_worse_than_either(bench, draft, each) for each in found]
        charts = [_chart(bench, draft, *pair) for pair in zip(found, worse, strict=True)]
        every = [one for some in worse for one in some]
        cleared = is_cleared(draft, [list(family.values()) for family in families], omnibus)
        return draft.write(
            _worse_words(draft, every) if every else answer_of(draft, flat, omnibus, cleared=cleared),
            lines=(
                *_worse_lines(draft, every, troubled(draft, flat)),
                *lines_of(draft, flat, omnibus),
                _left_out_words(sum(each.left_out for each in found)),
            ),
            charts=tuple(charts),
            tables=(*_worse_table(every), *_table(draft, flat)),
            cleared=cleared,
        )


def _crossed(bench: Bench, draft: Draft, read: Audited) -> _Crossed:
    grounds = [ground for ground in read.grounds(bench) if len(ground.levels) <= _MOST_LEVELS]
    criteria = _crossed_criteria(bench, read)
    whole = Member(Group({}, np.arange(len(read.rows))), read.rows, None)
    families = {order: members_of(grounds, read.rows, order, bench.plan.references) for order in (1, 2)}
    families[3], left_out = _triples(members_of(grounds, read.rows, 3, bench.plan.references))
    by_order = {
        order: [
            {one.measure: compare(bench, draft, members, read, one, judge=order > 1) for one in criteria}
            for members in of_order
        ]
        for order, of_order in families.items()
    }
    return _Crossed(read, whole, by_order, left_out)


def _crossed_criteria(bench: Bench, read: Audited) -> list[Criterion]:
    return [one for one in criteria_of(bench.plan, read.rows) if one.measure not in _NOT_CROSSED]


def _triples(families: list[list[Member]]) -> tuple[list[list[Member]], int]:
    """Those in which a group beside the reference can be judged, until there are too many groups to read; and how many
    were left out for that, those with the fewest judged first."""
    judged = [(sum(not member.rows.few for member in one), one) for one in families]
    enough = sorted((pair for pair in judged if pair[0] > 1), key=lambda pair: -pair[0])
    kept, groups = [], 0
    for _, one in enough:
        groups += len(one)
        if groups > _MOST_TRIPLES:
            break
        kept.append(one)
    return kept, len(enough) - len(kept)


# Worse than either ground alone.


def _worse_than_either(bench: Bench, draft: Draft, found: _Crossed) -> list[Worse]:
    """Groups of a combination whose rate is worse than among each of the others who share all its levels but one; the
    clearest first.

    All these differences must be shown, so no correction is due for their number within a group (Berger 1982); over the
    groups the level is Bonferroni's.
    """
    read = found.read
    tried = [
        (one, _rests(found, one))
        for one in found.combined()
        if one.criterion.is_share and not draft.figure(one.rate).few and one.member.group.recorded
    ]
    tried = [(one, rests) for one, rests in tried if len(rests) == len(one.member.group.label)]
    level = 1 - (1 - draft.level) / max(1, len(tried))
    worse = []
    for one, rests in tried:
        ends = [figure.interval(level) for figure, _ in rests.values()]
        lower = one.criterion.lower_is_worse(bench.plan)
        if not all(end is not None and (end[1] < 0 if lower else end[0] > 0) for end in ends):
            continue
        places = {
            attribute: draft.add(
                one.criterion.measure,
                figure,
                comparison="difference",
                versus=Versus(group=label),
                **read.about(one.member.group),
            )
            for attribute, (figure, label) in rests.items()
        }
        worse.append(Worse(one, places, lower))
    return sorted(worse, key=lambda one: _order(draft, one))


def _order(draft: Draft, one: Worse) -> tuple[bool, float]:
    outside = any(draft.standing(place) is Standing.OUTSIDE for _, place in one.compared.judged(draft))
    return not outside, -min(abs(draft.figure(place).value or 0.0) for place in one.rests.values())


def _rests(found: _Crossed, one: Compared) -> dict[str, tuple[Figure, dict[str, str]]]:
    """The group's rate less that of the others who share all its levels but one, by the attribute of that one."""
    own, rests = one.member, {}
    rate = own.rate(one.criterion.measure)
    for attribute, level in own.group.label.items():
        shared = {name: each for name, each in own.group.label.items() if name != attribute}
        wider = found.by_label.get(tuple(shared.items()))
        if wider is None:
            continue
        other = _rate_of_others(one.criterion.measure, wider, own)
        if other.value is not None and not other.few:
            rests[attribute] = (independent_difference(rate, other), {**shared, attribute: f"other than {level}"})
    return rests


def _rate_of_others(measure: str, wider: Member, own: Member) -> Figure:
    """The share in a group less a part of it: from their cells, or row by row where rows don't all count alike."""
    if wider.rows.plain:
        left = wider.cells - own.cells
        figure = share_from_cells(left, *SHARES[measure])
        return figure.marked(few=figure.n < FEW_ROWS or int(left.sum()) < FEW_ROWS)
    kept = ~np.isin(wider.group.members, own.group.members, assume_unique=True)
    rest = Member(wider.group, wider.rows.take(kept, f"but {own.group.words}"), None)
    figure = rest.rate(measure)
    return figure.marked(few=rest.rows.few) if figure.value is not None else figure


# The picture.


def _chart(bench: Bench, draft: Draft, found: _Crossed, worse: list[Worse]) -> CombinationChart:
    about = found.read
    named = {(tuple(one.compared.member.group.label.items()), one.compared.criterion.measure) for one in worse}
    whole = {
        one.measure: draft.add(one.measure, found.whole.rate(one.measure), **about.about())
        for one in _crossed_criteria(bench, about)
    }

    def combination(family: dict[str, list[Compared]]) -> Combination:
        first = next(iter(family.values()))
        return Combination(
            attributes=first[0].member.group.attributes,
            groups=tuple(
                CombinedGroup(
                    levels=tuple(one.member.group.label.values()),
                    n=len(one.member.group),
                    rates={measure: compared[place].rate for measure, compared in family.items()},
                    judged={
                        measure: tuple(at_ for _, at_ in compared[place].judged(draft))
                        for measure, compared in family.items()
                    },
                    worse=tuple(
                        measure for measure in family if (tuple(one.member.group.label.items()), measure) in named
                    ),
                )
                for place, one in enumerate(first)
            ),
            reference=next((i for i, one in enumerate(first) if one.member.reference is None), None),
        )

    return CombinationChart(
        title=f"Groups that grounds make together, {about.words}",
        criteria={one.measure: one.words for one in _crossed_criteria(bench, about)},
        whole=CombinedGroup(levels=(), n=len(about.rows), rates=whole),
        singles=tuple(combination(family) for family in found.by_order[1]),
        combinations=tuple(combination(family) for order in (2, 3) for family in found.by_order[order]),
    )


# The numbers.


def _worse_table(worse: list[Worse]) -> list[TableView]:
    if not worse:
        return []
    return [
        TableView(
            title="Worse off than either ground alone would make them: against the others who share all but one level",
            columns=("group", "measure", "value", "against", "by"),
            rows=tuple(
                (
                    text(one.compared.member.group.words),
                    text(words_of(one.compared.criterion.measure)),
                    at(one.compared.rate),
                    text(_other_words(one.compared.member.group, attribute)),
                    at(place),
                )
                for one in worse
                for attribute, place in one.rests.items()
            ),
        )
    ]


def _other_words(group: Group, attribute: str) -> str:
    """Those who share all levels but one: ``others among women``."""
    shared = {name: level for name, level in group.label.items() if name != attribute}
    return f"others among {label_words(shared, group.spoken)}"


def _table(draft: Draft, flat: Sequence[Compared]) -> list[TableView]:
    """The judged comparisons that are outside or near, the clearest first."""
    found = troubled(draft, flat)
    if not found:
        return []
    rows: list[tuple[Cell, ...]] = [
        (
            text(one.member.group.words),
            text(one.member.against.words if one.member.reference else "itself"),
            at(one.rate),
            text(kind),
            at(one.by_kind[kind]),
            at(one.p[kind]) if kind in one.p else text(""),
        )
        for one, kind in found[:_MOST_LISTED]
    ]
    more = f", the {_MOST_LISTED} clearest of {len(found)}" if len(found) > _MOST_LISTED else ""
    return [
        TableView(
            title=f"Outside or near their limits{more}",
            columns=("group", "against", "value", "compared as", "comparison", "p (Holm)"),
            rows=tuple(rows),
        )
    ]


# The answer.


def _left_out_words(triples: int) -> str:
    if not triples:
        return ""
    which = "1 triple of grounds is" if triples == 1 else f"{triples} triples of grounds are"
    return f"{wording.capital(which)} left out, as there would be more than {_MOST_TRIPLES} groups of three."


def _worse_words(draft: Draft, worse: list[Worse]) -> str:
    """The group that is worse off than either ground alone would make it, and how it stands."""
    one = worse[0]
    group, rate = one.compared.member.group, draft.figure(one.compared.rate)
    kind = next((kind for kind, _ in one.compared.judged(draft) if one.compared.member.reference is not None), None)
    first = (
        contrast_words(draft, one.compared, kind)
        if kind
        else f"The {short_of(one.compared.criterion)} of {group.words} is {wording.figure_to(rate, draft.level)} "
        f"(n {wording.count(rate.n)})."
    )
    alone = "Neither ground alone accounts" if len(group.label) == 2 else "No two of its grounds account"
    return f"{first} {alone} for it."


def _worse_lines(draft: Draft, worse: list[Worse], found: Sequence[object]) -> tuple[str, ...]:
    """By how much the first is worse off than those like it, and the others that are; that none is, where some are
    ``found`` outside or near."""
    if not worse:
        return ("No group is shown to be worse off than either ground alone would make it.",) if found else ()
    one, words = worse[0], [each.compared.member.words for each in worse]
    least = min((draft.figure(place) for place in one.rests.values()), key=lambda figure: abs(figure.value or 0.0))
    return (
        f"Against others who share all but one of its levels it is at least {wording.points(least, draft.level)}.",
        wording.line_of("Also worse off than either ground alone", list(dict.fromkeys(words))[1:]),
    )
