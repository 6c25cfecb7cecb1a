"""Rows that repeat or contradict another, and those that training and unseen rows share."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.fit.request import Rows
from brookfall.core.foundation import wording
from brookfall.core.submission.subject import Subject
from brookfall.core.table.duplicate_rows import group_of_each, groups_by
from brookfall.core.table.table import Table


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
            return f"{count} say{'s' if len(self.rows) == 1 else ''} what a training row says, outcome included."
        if len(self.rows) == 1:
            return f"{count} shares its '{self.column}' with a training row."
        return f"{count} share their '{self.column}' with a training row."


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
    judged = bool(subject.features) and subject.outcome in ("binary", "multiclass")
    known = subject.with_outcome
    pairs = np.unique(both[known], return_index=True)[1]
    outcomes = np.bincount(features[known][pairs], minlength=table.n_rows)
    contradicted = known[outcomes[features[known]] > 1] if judged else np.zeros(0, np.int64)
    return Repeated(repeated, contradicted)


def shared_with_training(bench: Bench) -> list[Shared]:
    """What every unseen part shares with training: whole rows, then identifiers and groups."""
    subject, training = bench.subject, bench.split.parts["training"]
    table, roles = subject.table, subject.roles
    whole = group_of_each(table.select([*subject.features, roles.target]))
    found = []
    for part, rows in bench.split.parts.items():
        if part == "training":
            continue
        alike = rows[np.isin(whole[rows], whole[training])]
        if subject.choices is None and subject.features:
            found.append(Shared(part, None, "shared_share", alike, len(rows)))
        for name in roles.naming:
            column = table.column(name)
            codes = group_of_each(Table((column,)))
            held = rows[np.isin(codes[rows], codes[training]) & ~column.missing[rows]]
            found.append(Shared(part, name, "shared_share", held, len(rows)))
    return found
