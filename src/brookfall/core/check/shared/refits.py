"""Two recipes, or a recipe's two sides, over the folds: differences that hold the variance of refitting."""

from collections.abc import Sequence

import numpy as np

from brookfall.core.candidate.candidate import OUT_OF_FOLD, Candidate, ScoredPart
from brookfall.core.candidate.refitted import Refitted
from brookfall.core.check.bench import Bench
from brookfall.core.fit.ledger import Ledger
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import corrected_mean, gain, gain_over_folds, values_of
from brookfall.core.measure.registry import measure, named
from brookfall.core.measure.scored import AnyScored
from brookfall.core.resample.folds import Fold


def over_folds(bench: Bench) -> bool:
    """Whether the plan's folds hold out enough rows each to be measured one by one: all but leaving out single rows."""
    return bench.plan.cross_validation.kind != "leave_one_out"


def score_of(bench: Bench, ledger: Ledger, name: str, one: Candidate, part: str) -> Figure:
    """A measure of a candidate on a part: out of fold, of a recipe, the mean over the folds of the first repeat."""
    scored = one.scored(ledger, part).scored
    if part == OUT_OF_FOLD and over_folds(bench) and isinstance(one, Refitted):
        folds = one.fold_scored(ledger, len(one.out_of_fold_needs))
        return _mean(name, folds, overlap_of(bench.split.folds)).marked(few=measure(name, scored).few)
    return measure(name, scored)


def _mean(name: str, folds: Sequence[AnyScored], overlap: float) -> Figure:
    values = values_of([measure(name, rows) for rows in folds])
    n = sum(len(rows) for rows in folds)
    return corrected_mean(values, n, overlap, share=named(name).bounded)


def gain_of(bench: Bench, ledger: Ledger, name: str, ours: Candidate, theirs: Candidate, part: str) -> Figure:
    """How much better one candidate is than another on a part; positive whichever way the measure runs.

    Out of fold it is a difference of recipes, by the corrected t over the folds that both were fitted on; on any other
    part, and for candidates that are not fitted, one of these very fits, on the same rows.
    """
    if part == OUT_OF_FOLD and over_folds(bench) and isinstance(ours, Refitted) and isinstance(theirs, Refitted):
        folds = min(len(ours.needs(part)), len(theirs.needs(part)))
        first, second = (one.fold_scored(ledger, folds) for one in (ours, theirs))
        few = measure(name, ours.scored(ledger, part).scored).few
        return gain_over_folds(name, first, second, overlap_of(bench.split.folds)).marked(few=few)
    return gain(name, ours.scored(ledger, part).scored, theirs.scored(ledger, part).scored)


def gain_by_fold(name: str, folds: Sequence[Fold], ours: ScoredPart, theirs: ScoredPart) -> Figure:
    """How much better one recipe's held-out rows are scored than another's, over folds that hold each row out once."""
    first, second = _by_fold(folds, ours), _by_fold(folds, theirs)
    return gain_over_folds(name, first, second, overlap_of(folds)).marked(few=measure(name, ours.scored).few)


def score_by_fold(name: str, folds: Sequence[Fold], rows: ScoredPart) -> Figure:
    """A measure of held-out rows: its mean over folds that hold each row out once."""
    return _mean(name, _by_fold(folds, rows), overlap_of(folds)).marked(few=measure(name, rows.scored).few)


def _by_fold(folds: Sequence[Fold], rows: ScoredPart) -> list[AnyScored]:
    mine = [np.searchsorted(rows.positions, np.intersect1d(fold.test, rows.positions)) for fold in folds]
    return [rows.scored.take(places, f"fold:{number}") for number, places in enumerate(mine)]


def overlap_of(folds: Sequence[Fold]) -> float:
    """Rows held out over rows trained on, on average over the folds."""
    return float(np.mean([len(fold.test) / len(fold.train) for fold in folds]))
