"""The scores that the owner's own model gave, as they were supplied."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.candidate.candidate import SCORES, Candidate, ScoredPart
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation import digest
from brookfall.core.measure.scored import AnyScored
from brookfall.core.submission.predictions import Supplied
from brookfall.core.submission.subject import Subject


@dataclass(frozen=True)
class SuppliedScores(Candidate):
    """Scores by row, in the owner's own parts; ``seed`` names what is drawn of them."""

    subject: Subject
    supplied: Supplied
    seed: int
    name: str = SCORES
    words: str = "supplied scores"
    colour: str = "scores"

    @property
    def parts(self) -> tuple[str, ...]:
        return tuple(self.supplied.parts)

    def rows_of(self, part: str) -> Rows:
        """Sorted positions of the owner's own part."""
        self.refuse_other(part)
        rows = self.supplied.parts[part]
        # Of a choice only occasions all of whose alternatives are in use, and nowhere rows without an outcome.
        whole = self.subject.choices is None and self.subject.roles.observed is None
        return rows if whole else np.intersect1d(rows, self.subject.rows)

    def needs(self, part: str) -> tuple[Need, ...]:
        self.refuse_other(part)
        return ()

    def scored(self, ledger: Ledger, part: str) -> ScoredPart:  # noqa: ARG002 - nothing is fitted
        rows = self.rows_of(part)
        return ScoredPart(part, self.subject.units(rows), self.on(rows))

    def on(self, rows: Rows) -> AnyScored:
        """Rows with the scores that were supplied for them."""
        scores = None if self.supplied.scores is None else self.supplied.scores[rows]
        labels = None if self.supplied.labels is None else self.supplied.labels[rows]
        return self.subject.scored(rows, scores, f"{self.seed}/{SCORES}/{digest.of_rows(rows)}", labels)
