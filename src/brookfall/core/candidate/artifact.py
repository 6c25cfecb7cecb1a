"""The fitted model that was submitted, asked about the rows as it is: nothing is fitted."""

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from brookfall.core.candidate.candidate import ARTIFACT, Candidate, ScoredPart
from brookfall.core.fit.artifact import artifact_request, columns_read, unseen_by_owner
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import ArtifactRequest, Need, Rows, ScoreReading
from brookfall.core.foundation import digest
from brookfall.core.measure.scored import AnyScored
from brookfall.core.submission.subject import Subject


@dataclass(frozen=True)
class Artifact(Candidate):
    """A fitted model in an open format, on the owner's own parts.

    Parameters
    ----------
    subject
        Whose rows, and whose fitted model.
    seed
        Names what is drawn of its scores.
    """

    subject: Subject
    seed: int
    name: str = ARTIFACT
    words: str = "fitted model as submitted"
    colour: str = "artifact"

    @property
    def owners(self) -> Mapping[str, Rows]:
        """The owner's parts by name, sorted row positions; empty where nothing says which rows it learned from."""
        return self.subject.owners

    @property
    def parts(self) -> tuple[str, ...]:
        return tuple(self.owners)

    @property
    def unseen(self) -> tuple[str, Rows]:
        """The rows that it is asked about where rows are made up for it, and what these are: the owner's test part,
        else another than training, else all rows in use."""
        return unseen_by_owner(self.subject) or ("all", self.subject.rows)

    @cached_property
    def features(self) -> tuple[str, ...]:
        """The columns that it reads, features in the case's roles or not."""
        return columns_read(self.subject)

    @cached_property
    def fit(self) -> ArtifactRequest:
        """What is asked of the file; the rows that it learned from are all in use where nothing is said of them."""
        return artifact_request(self.subject, self.features)

    @cached_property
    def need(self) -> Need:
        """Its scores of all rows in use: they cost little more than those of a part."""
        return Need(self.fit, ScoreReading(self.subject.rows))

    def needs(self, part: str) -> tuple[Need, ...]:
        self.refuse_other(part)
        return (self.need,)

    def scored(self, ledger: Ledger, part: str) -> ScoredPart:
        self.refuse_other(part)
        rows = self.owners[part]
        return ScoredPart(part, self.subject.units(rows), self.on(ledger, rows))

    def on(self, ledger: Ledger, rows: Rows) -> AnyScored:
        """Rows in use, sorted, with its scores."""
        scores = ledger.scores(self.need)[np.searchsorted(self.subject.rows, rows)]
        return self.subject.scored(rows, scores, f"{self.seed}/{self.fit.seed_key}/{digest.of_rows(rows)}")
