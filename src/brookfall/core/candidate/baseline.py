"""The baseline: who knows only the outcomes of the rows learned from."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.candidate.candidate import BASELINE, OUT_OF_FOLD, Candidate, ScoredPart
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.fit.split import Split
from brookfall.core.foundation import digest
from brookfall.core.measure.scored import AnyScored, Scored

_MAJORITY = 0.5


@dataclass(frozen=True)
class Baseline(Candidate):
    """Class shares, or the mean, of the rows ``learned`` from (the training part where None); it decides by majority,
    whatever the model's threshold."""

    split: Split
    learned: Rows | None = None
    name: str = BASELINE
    words: str = "baseline"
    colour: str = "baseline"

    @property
    def parts(self) -> tuple[str, ...]:
        return (OUT_OF_FOLD, *self.split.parts)

    def needs(self, part: str) -> tuple[Need, ...]:
        self.refuse_other(part)
        return ()

    def scored(self, ledger: Ledger, part: str) -> ScoredPart:  # noqa: ARG002 - nothing is fitted
        self.refuse_other(part)
        rows = self.split.cross_validated if part == OUT_OF_FOLD else self.split.parts[part]
        return ScoredPart(part, rows, self.on(rows))

    def on(self, rows: Rows) -> AnyScored:
        """Rows with the one answer that it gives to all of them."""
        subject, target = self.split.subject, self.split.subject.target
        learned = self.split.parts["training"] if self.learned is None else self.learned
        outcomes = target.values[learned]
        weights = np.ones(len(learned)) if subject.weights is None else subject.weights[learned]
        if target.outcome == "number":
            answer = np.array(float(weights @ outcomes / weights.sum()))
        else:
            answer = np.bincount(outcomes.astype(np.int64), weights, len(target.classes)) / weights.sum()
        known = answer[1] if target.outcome == "binary" else answer
        scores = np.broadcast_to(known, (len(rows), *known.shape)).copy()
        found = subject.scored(rows, scores, f"{self.split.seed}/{BASELINE}/{digest.of_rows(rows)}")
        return found.at(_MAJORITY) if isinstance(found, Scored) else found
