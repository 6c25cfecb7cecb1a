"""The baseline: who knows only the outcomes of the rows learned from."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.candidate.candidate import BASELINE, OUT_OF_FOLD, Candidate, ScoredPart
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.fit.split import Split
from brookfall.core.foundation import digest
from brookfall.core.measure.scored import AnyScored, Numbers, Scored
from brookfall.core.table.occasions import Choices

_MAJORITY = 0.5


@dataclass(frozen=True)
class Baseline(Candidate):
    """Class shares, or the mean, of the rows ``learned`` from (the training part where None); it decides by majority,
    whatever the model's threshold. Of a choice, how often each alternative was chosen where it could be had."""

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
        return ScoredPart(part, self.split.subject.units(rows), self.on(rows))

    def on(self, rows: Rows) -> AnyScored:
        """Rows with the one answer that it gives to all of them."""
        subject, target = self.split.subject, self.split.subject.target
        learned = self.split.parts["training"] if self.learned is None else self.learned
        key = f"{self.split.seed}/{self.name}/{digest.of_rows(rows)}"
        outcomes = target.values[learned]
        weights = np.ones(len(learned)) if subject.weights is None else subject.weights[learned]
        if subject.choices is not None:
            chosen = weights * target.hits[learned]
            shares = _shares(subject.choices.take(learned), chosen, weights, subject.choices.take(rows))
            return subject.scored(rows, shares, key)
        if target.outcome == "number":
            answer = np.array(float(weights @ outcomes / weights.sum()))
        else:
            answer = np.bincount(outcomes.astype(np.int64), weights, len(target.classes)) / weights.sum()
        known = answer[1] if target.outcome == "binary" else answer
        scores = np.broadcast_to(known, (len(rows), *known.shape)).copy()
        found = subject.scored(rows, scores, key)
        return found.at(_MAJORITY) if isinstance(found, Scored) else found


def _shares(learned: Choices, chosen: Numbers, weights: Numbers, rows: Choices) -> Numbers:
    """How often the alternative of each of ``rows`` was chosen where it could be had, among those learned from, made to
    add up to 1 over its occasion; even where none of them ever was. ``chosen`` is the weight of a row that was chosen,
    0 for any other."""
    k = len(rows.alternatives)
    offered = np.bincount(learned.alternative, weights, k)
    taken = np.bincount(learned.alternative, chosen, k)
    each = np.divide(taken, offered, out=np.zeros(k), where=offered > 0)[rows.alternative]
    _, code = np.unique(rows.occasion, return_inverse=True)
    total, evenly = np.bincount(code, each)[code], 1 / np.bincount(code)[code]
    return np.divide(each, total, out=evenly, where=total > 0)
