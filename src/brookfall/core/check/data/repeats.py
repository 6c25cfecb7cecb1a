"""Repeats: rows that stand there twice, that contradict each other, and that training and unseen rows share."""

from dataclasses import dataclass

import numpy as np

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.exhibit import TableView, Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.judge.limit import Limit, Standing
from brookfall.core.measure.figure import Figure
from brookfall.core.subject import Subject
from brookfall.core.table.repeats import group_of_each, groups_by
from brookfall.core.table.table import Table

_COUNTED = "counted, not estimated"
_NONE_SHARED = Limit(at_most=0, ideal=0)


class Repeats:
    name = "repeats"
    title = "Repeated and shared rows"
    question = 1
    source = "Exact counts; common practice."
    refits = False

    def requests(self, bench: Bench) -> list[Need]:  # noqa: ARG002 - needs no fit
        return []

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:  # noqa: ARG002 - needs no fit
        subject = bench.subject
        n = subject.table.n_rows
        found = repeats_of(subject)
        draft = Draft(bench.plan.policy.level)
        counts = [
            ("rows that repeat an earlier one", "repeated_share", len(found.repeated)),
            ("rows whose features stand elsewhere with another outcome", "contradicted_share", len(found.contradicted)),
        ]
        rows = [
            (
                text(words),
                at(draft.add(measure, _share(count, n), model="data", part="all")),
                text(wording.count(count)),
            )
            for words, measure, count in counts
        ]
        shared = shared_with_training(bench)
        for one in shared:
            judged = one.names
            place = draft.add(
                one.measure,
                _share(len(one.rows), one.n),
                model="data",
                part=one.part,
                feature=one.column,
                versus=Versus(part="training"),
                limit=_NONE_SHARED if judged else None,
                standing=(Standing.OUTSIDE if len(one.rows) else Standing.WITHIN) if judged else None,
            )
            rows.append((text(one.words), at(place), text(wording.count(len(one.rows)))))
        table = TableView(title="Counted over all rows", columns=("what", "share", "rows"), rows=tuple(rows))
        return draft.write(_answer(subject, found, shared), tables=(table,))


@dataclass(frozen=True)
class Repeated:
    """Sorted positions of rows: those that say what an earlier one says, and those whose features contradict."""

    repeated: Rows
    contradicted: Rows


@dataclass(frozen=True)
class Shared:
    """Rows of a part that training holds too: whole rows (``column`` None), or a value of one column."""

    part: str
    column: str | None
    measure: str
    rows: Rows
    n: int

    @property
    def names(self) -> bool:
        """Whether what is shared names somebody or something, so that nothing may be shared."""
        return self.column is not None

    @property
    def words(self) -> str:
        if self.column is None:
            return f"{self.part} rows that say what a training row says, outcome included"
        return f"{self.part} rows whose {self.column} is in training too"

    @property
    def sentence(self) -> str:
        """The same as a sentence."""
        count = f"{wording.count(len(self.rows))} of {wording.count(self.n)} {self.part} rows"
        if self.column is None:
            return f"{count} say what a training row says, outcome included."
        return f"{count} share their {self.column} with a training row."


def repeats_of(subject: Subject) -> Repeated:
    """Identifiers are left out of the comparison: two rows of one home under two numbers are one row twice."""
    table, roles = subject.table, subject.roles
    said = [name for name in table.names if name not in (*roles.identifier, roles.part)]
    whole, features, both = groups_by(table, said, subject.features, [*subject.features, roles.target])
    first = np.unique(whole, return_index=True)[1]
    repeated = np.setdiff1d(np.arange(table.n_rows), first)
    # Features with more than one outcome: as many distinct pairs as there are outcomes.
    # Of a choice only whole occasions could contradict each other: that a slot was taken here and not there is no
    # contradiction.
    judged = subject.outcome in ("binary", "multiclass")
    pairs = np.unique(np.stack([features, both]), axis=1)
    outcomes = np.bincount(pairs[0])
    contradicted = np.flatnonzero(outcomes[features] > 1) if judged else np.zeros(0, np.int64)
    return Repeated(repeated, contradicted)


def shared_with_training(bench: Bench) -> list[Shared]:
    """What every unseen part shares with training: whole rows, then identifiers and groups."""
    subject, training = bench.subject, bench.parts["training"]
    table, roles = subject.table, subject.roles
    whole = group_of_each(table.select([*subject.features, roles.target]))
    found = []
    for part, rows in bench.parts.items():
        if part == "training":
            continue
        alike = rows[np.isin(whole[rows], whole[training])]
        if subject.choices is None:
            found.append(Shared(part, None, "shared_share", alike, len(rows)))
        for name in roles.naming:
            column = table.column(name)
            codes = group_of_each(Table((column,)))
            held = rows[np.isin(codes[rows], codes[training]) & ~column.missing[rows]]
            found.append(Shared(part, name, "shared_share", held, len(rows)))
    return found


def _share(count: int, n: int) -> Figure:
    return Figure(count / n if n else None, n, note=_COUNTED)


def _answer(subject: Subject, found: Repeated, shared: list[Shared]) -> str:
    n = subject.table.n_rows
    said = [
        f"{wording.capital(wording.rows(len(found.repeated)))} of {wording.count(n)} repeat an earlier one, "
        "identifiers aside."
    ]
    if len(found.contradicted):
        said.append(
            f"{wording.capital(wording.rows(len(found.contradicted)))} have the features of another row and another "
            f"{subject.roles.target}: no model can be right on all of them."
        )
    said += [one.sentence for one in shared if len(one.rows) and (one.names or one.part == "test")]
    if shared and not any(len(one.rows) for one in shared):
        said.append("Training and unseen rows share none.")
    return " ".join(said)
