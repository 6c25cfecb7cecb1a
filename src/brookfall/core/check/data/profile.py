"""Profile: how many rows, how complete, how balanced, how many twice."""

import numpy as np

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.exhibit import TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.measure.interval import proportion
from brookfall.core.recipe.preprocess import raw_matrix, rows_with_gaps
from brookfall.core.table.profile import profile_column


class Profile:
    name = "profile"
    title = "Profile"
    question = 1
    source = "Counts; Wilson 1927 for shares of rows."

    def requests(self, bench: Bench) -> list[Need]:  # noqa: ARG002 - needs no fit
        return []

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:  # noqa: ARG002 - needs no fit
        subject = bench.subject
        table = subject.table.select(subject.features)
        n = table.n_rows
        gaps = int(rows_with_gaps(table).sum())
        matrix = np.column_stack([raw_matrix(table), subject.positive])
        repeated = n - len(np.unique(matrix, axis=0))
        draft = Draft(bench.plan.policy.level)
        base = draft.add("base_rate", proportion(int(subject.positive.sum()), n), part="all")
        per_part = [
            (part, draft.add("base_rate", proportion(int(subject.positive[rows].sum()), len(rows)), part=part))
            for part, rows in bench.parts.items()
        ]
        answer = (
            f"{wording.capital(wording.rows(n))} with {len(subject.features)} features; the share of "
            f"'{subject.positive_value}' is {wording.figure(draft.figure(base), draft.level)}. "
            f"{wording.capital(wording.rows(gaps))} have a gap in a feature and {wording.rows(repeated)} "
            f"repeat another row's features and outcome."
        )
        if subject.dropped:
            answer += f" {wording.capital(wording.rows(subject.dropped))} with gaps were dropped before any split."
        columns = TableView(
            title="The features",
            columns=("column", "what it is", "distinct"),
            rows=tuple(
                (text(column.name), text(described.words), text(wording.count(described.distinct)))
                for column in table.columns
                for described in [profile_column(column)]
            ),
        )
        balance = TableView(
            title=f"Share of '{subject.positive_value}' by part",
            columns=("part", "share"),
            rows=((text("all rows"), at(base)), *((text(part), at(place)) for part, place in per_part)),
        )
        return draft.write(answer, tables=(balance, columns))
