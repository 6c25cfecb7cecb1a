"""Not collected: grounds on the policy's list that the data lack, and samples that were joined to make up for it."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.groups.audit import Audited, audited
from brookfall.core.check.groups.criteria import GROUPS_OF_PLAN
from brookfall.core.check.groups.protected_groups import Group, grounds_of
from brookfall.core.check.groups.sides import Member
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.evidence.chart import Cell, TableView
from brookfall.core.evidence.estimate import Comparison, Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import proportion
from brookfall.core.measure.registry import words_of
from brookfall.core.table.change import JoinSample

_JOIN = (
    "Add a table that has one to the Data step and join it by a key; those rows are then audited with what they show."
)


@dataclass(frozen=True)
class _Joined:
    """A protected column that came with a sample."""

    column: str
    sample: str


class NotCollected(Check):
    name = "not_collected"
    title = "Not collected"
    question = 6
    source = "The policy's own list of grounds; Wilson 1927; Newcombe 1998."
    tiers = NOT_LIGHT
    reads = Reads(plan=GROUPS_OF_PLAN, roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Say which grounds on the policy's list the data lack, and audit samples that were joined to have them."
        )

    def requests(self, bench: Bench) -> list[Need]:
        return bench.deciding_needs if _joined(bench) else []

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        joined = _joined(bench)
        tables = [_coverage(bench, draft, joined)]
        said = _missing_words(bench)
        for one in joined:
            cells = [_like_the_others(bench, draft, one, read) for read in audited(bench, ledger)]
            tables.append(_likeness(one, [row for rows in cells for row in rows]))
            said.append(_joined_words(bench, one))
        return draft.write(said, tables=tuple(tables))


def _joined(bench: Bench) -> list[_Joined]:
    came = {
        name: change.sample
        for change in bench.subject.changes
        if isinstance(change, JoinSample)
        for name in change.columns
    }
    return [_Joined(name, came[name]) for name in bench.subject.roles.protected if name in came]


def _coverage(bench: Bench, draft: Draft, joined: list[_Joined]) -> TableView:
    """Every ground: which column has it, and of how many rows."""
    rows, total = bench.subject.rows, len(bench.subject.rows)
    listed, ties = bench.plan.policy.listed, bench.subject.roles.grounds
    from_sample = {one.column: one.sample for one in joined}
    body: list[tuple[Cell, ...]] = []
    for name in bench.subject.roles.protected:
        known = int((~bench.subject.table.column(name).take(rows).missing).sum())
        place = draft.add("recorded", proportion(known, total), model="data", part="all", attribute=name)
        body.append(
            (
                text(listed.of(name, ties) or "not on the list"),
                text(name),
                text(wording.count(known)),
                at(place),
                text(from_sample.get(name, "the data themselves")),
            )
        )
    body += [
        (text(ground), text("none"), text("0"), text("–"), text("–"))
        for ground in listed.missing(bench.subject.roles.protected, ties)
    ]
    return TableView(
        title="The policy's grounds, and what is recorded of them",
        columns=("ground", "column", "rows", "share of rows", "comes from"),
        rows=tuple(body),
    )


def _like_the_others(bench: Bench, draft: Draft, one: _Joined, read: Audited) -> list[tuple[Cell, ...]]:
    """Whether the rows of the sample are treated like the others: if not, it is no fair sample of them."""
    ground = next(each for each in grounds_of(bench.subject, bench.plan) if each.name == one.column)
    codes = ground.codes[read.positions]
    among = codes != ground.gap if ground.gap is not None else np.ones(len(codes), dtype=np.bool_)
    if among.all() or not among.any():
        return []
    label, other = {one.column: "recorded"}, {one.column: "not recorded"}
    rest = Member(Group(other, np.flatnonzero(~among)), read.rows.take(~among, "not recorded"), None)
    member = Member(Group(label, np.flatnonzero(among)), read.rows.take(among, "recorded"), rest)
    number = bench.subject.outcome == "number"
    rows: list[tuple[Cell, ...]] = []
    for measure in ("mean_score", "bias") if number else ("base_rate", "selection_rate"):
        ours, theirs, apart = (
            draft.add(measure, figure, comparison=comparison, versus=versus, **read.about(of.group))
            for figure, of, comparison, versus in _sides(measure, member, rest)
        )
        rows.append((text(f"{words_of(measure)}, {read.words}"), at(ours), at(theirs), at(apart)))
    return rows


Side = tuple[Figure, Member, Comparison | None, Versus | None]


def _sides(measure: str, member: Member, rest: Member) -> tuple[Side, Side, Side]:
    """The measure in the sample, in the others, and the difference."""
    return (
        (member.rate(measure), member, None, None),
        (rest.rate(measure), rest, None, None),
        (member.difference(measure), member, "difference", Versus(group=rest.group.label)),
    )


def _likeness(one: _Joined, rows: list[tuple[Cell, ...]]) -> TableView:
    return TableView(
        title=f"Is {one.sample} a fair sample? Its rows against those where {one.column} is not recorded",
        columns=("measure", "in the sample", "not recorded", "difference"),
        rows=tuple(rows),
    )


def _missing_words(bench: Bench) -> list[str]:
    roles, listed = bench.subject.roles, bench.plan.policy.listed
    missing = listed.missing(roles.protected, roles.grounds)
    if not missing:
        return ["Every ground on the policy's list is marked among the columns."]
    are = "is" if len(missing) == 1 else "are"
    return [
        f"Of {len(listed.names)} grounds on the policy's list {wording.listed(missing)} {are} not among the data, so "
        f"nothing here says how people are treated by {'it' if len(missing) == 1 else 'them'}.",
        _JOIN,
    ]


def _joined_words(bench: Bench, one: _Joined) -> str:
    known = int((~bench.subject.table.column(one.column).take(bench.subject.rows).missing).sum())
    return (
        f"{wording.capital(one.column.replace('_', ' '))} was joined from {one.sample}: {wording.rows(known)} of "
        f"{wording.count(len(bench.subject.rows))} have it, and are audited by it."
    )
