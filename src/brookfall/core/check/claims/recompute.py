"""Every claimed figure recomputed: on the owner's own scores, by refits on the owner's own rows, or on others."""

from collections.abc import Iterator
from contextlib import suppress
from dataclasses import dataclass
from typing import Literal

import numpy as np

from brookfall.core.check.bench import ARTIFACT, RECIPE, SCORES, Bench
from brookfall.core.check.claims.conventions import values_by_convention
from brookfall.core.check.claims.score_agreement import owner_parts
from brookfall.core.check.claims.verdict import Apart, Refits, agrees, apart_of
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading
from brookfall.core.foundation import wording
from brookfall.core.foundation.digest import seed_from
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.figure import TOO_FEW, Figure, absent
from brookfall.core.measure.paired_tests import corrected_mean, values_of
from brookfall.core.measure.registry import measure_at, named
from brookfall.core.measure.scored import AnyScored, Numbers
from brookfall.core.resample.bootstrap import drawn_again
from brookfall.core.resample.declared import Folds
from brookfall.core.submission.schema import Claim

SEEDS = 50
_REFITS = 20
_LEFT_OUT = 10
"""Of a choice, into how many parts its training occasions are cut, each left out once."""
_RESAMPLES = 100


@dataclass(frozen=True)
class Recomputed:
    """A claim's own value, recomputed, and what it is held against.

    ``exact``: the same scores on the same rows; ``seeds``: the owner's own split, and what other seeds give there;
    ``other``: rows or fits that are not the owner's, and how far the claim lies from what they give; ``none``: it
    can't be checked, and ``on`` says why. ``convention`` is one under which the same scores give the claimed value;
    ``drawn`` are the values on resampled rows, shape (resamples,).
    """

    figure: Figure
    on: str
    how: Literal["exact", "seeds", "other", "none"]
    seeds: Numbers | None = None
    apart: Apart | None = None
    convention: str = ""
    drawn: Numbers | None = None

    @property
    def is_checked(self) -> bool:
        return self.how != "none"


def recomputed(bench: Bench, ledger: Ledger, claim: Claim, level: float) -> list[tuple[str, Recomputed]]:
    """The claim on each model that it can be put to; on one that can't, only where there is no other."""
    whole = [model for model in (SCORES, ARTIFACT) if model in bench.models_of(ledger) and claim.method is None]
    found = [(model, _on_owners(bench, ledger, claim, model)) for model in whole]
    if RECIPE in bench.models:
        found.append((RECIPE, _on_refit(bench, ledger, claim, level)))
    checked = [one for one in found if one[1].is_checked]
    if checked:
        return checked
    return found[:1] or [(SCORES, _unchecked("it needs a refit, and no recipe was submitted"))]


def _unchecked(why: str, figure: Figure | None = None) -> Recomputed:
    return Recomputed(figure or absent(0, why), why, "none")


def _doubt(figure: Figure) -> str | None:
    """Why nothing can be said by a figure; None where something can."""
    if figure.value is None:
        return figure.note or "the measure has no value on these rows"
    return TOO_FEW if figure.few else None


# On the owner's own scores.


def _on_owners(bench: Bench, ledger: Ledger, claim: Claim, model: str) -> Recomputed:
    """The owner's own scores, or those of the owner's own fitted model, on the owner's own rows: the figure must agree
    to its decimals."""
    parts = bench.supplied_parts if model == SCORES else bench.artifact.owners
    if claim.part in (None, "all"):
        rows = np.sort(np.concatenate(list(parts.values())))
    elif claim.part in parts:
        rows = parts[str(claim.part)]
    else:
        whose = "supplied score is" if model == SCORES else "row that the fitted model scores is"
        return _unchecked(f"no {whose} of a part named {claim.part}")
    scored = bench.supplied_scores.on(rows) if model == SCORES else bench.artifact.on(ledger, rows)
    figure = _measured(claim, scored)
    if doubt := _doubt(figure):
        return _unchecked(doubt, figure)
    convention = ""
    material = bench.plan.policy.materiality
    if figure.value is not None and not agrees(claim, figure.value, material):
        tried = values_by_convention(scored, claim, bench.plan.policy.conventions)
        convention = next((name for name, value in tried if agrees(claim, value, material)), "")
    whose = "the supplied scores of" if model == SCORES else "the fitted model on"
    return Recomputed(figure, f"{whose} {wording.rows(len(rows))}", "exact", convention=convention)


def _measured(claim: Claim, rows: AnyScored) -> Figure:
    """The claimed measure on rows, at the claim's threshold or of its class."""
    return measure_at(rows, claim.measure, claim.threshold, claim.class_)


# By refits.


def needs_of(bench: Bench, claims: tuple[Claim, ...]) -> Iterator[Need]:
    """The fits that the claims take: folds, seeds on the owner's own split, or refits on resampled training rows."""
    for claim in claims:
        if claim.method == "cross_validation":
            # Where the folds can't be made, the claim can't be checked, and its verdict says why.
            with suppress(UserError):
                yield from _fold_needs(bench, claim)
        elif _rows_of(bench, claim) is not None:
            yield from _part_needs(bench)


def _fold_needs(bench: Bench, claim: Claim) -> list[Need]:
    planned = bench.plan.cross_validation
    folds = Folds(folds=claim.folds or 10, repeats=1, stratified=planned.stratified, by=planned.by)
    return [bench.submitted.fold_need(fold) for fold in bench.split.folds_as(folds)]


def _part_needs(bench: Bench) -> list[Need]:
    """The recipe on the owner's training rows, then other seeds of it, or refits on other training rows."""
    parts, same_rows = owner_parts(bench)
    reading = ScoreReading(np.sort(np.concatenate(list(parts.values()))))
    recipe, train = bench.recipe, parts["training"]
    own = Need(bench.fit(train), reading)
    if same_rows:
        steps = range(1, SEEDS)
        others = [recipe.model_copy(update={"seed": (recipe.seed + step) % 2**32}) for step in steps]
        return [own, *(Need(bench.fit(train, other), reading) for other in others)]
    return [own, *(Need(bench.fit(rows), reading) for rows in _other_training(bench, train))]


def _other_training(bench: Bench, train: Rows) -> list[Rows]:
    """Training rows drawn again; of a choice, whose occasions can't stand twice, each tenth of them left out."""
    if bench.subject.choices is not None:
        occasion = bench.subject.choices.occasion[train]
        tenth = np.random.default_rng(seed_from("claims", bench.plan.seed)).permutation(int(occasion.max()) + 1)
        return [train[tenth[occasion] % _LEFT_OUT != place] for place in range(_LEFT_OUT)]
    clusters = bench.subject.clusters
    groups = None if clusters is None else clusters[train]
    return drawn_again(train, groups, "claims", bench.plan.seed, _REFITS)


def _rows_of(bench: Bench, claim: Claim) -> Rows | None:
    """The rows of the part that a claim names; None where there is no such part."""
    parts, _ = owner_parts(bench)
    if claim.part in (None, "all"):
        return np.sort(np.concatenate(list(parts.values())))
    return parts.get(str(claim.part))


def _on_refit(bench: Bench, ledger: Ledger, claim: Claim, level: float) -> Recomputed:
    if claim.method == "cross_validation":
        return _by_folds(bench, ledger, claim, level)
    rows = _rows_of(bench, claim)
    if rows is None:
        return _unchecked(f"no row is in a part named {claim.part}")
    own, *others = _part_needs(bench)
    scored = _scored(bench, ledger, own, rows)
    figure = _measured(claim, scored)
    interval = figure.interval(level)
    doubt = _doubt(figure)
    if doubt or figure.value is None or interval is None:
        return _unchecked(doubt or figure.note or "it has no interval", figure)
    values = np.array(
        [value for need in others if (value := _measured(claim, _scored(bench, ledger, need, rows)).value) is not None]
    )
    if owner_parts(bench)[1]:
        on = f"the owner's own {bench.subject.counted(len(scored))}, {SEEDS} seeds"
        return Recomputed(figure, on, "seeds", seeds=np.array([figure.value, *values]))
    material = bench.plan.policy.materiality
    times = (_LEFT_OUT - 1) ** 2 / _LEFT_OUT if bench.subject.outcome == "choice" else 1.0
    apart = apart_of(claim, figure.value, interval, level, len(scored), Refits(values, times), material)
    how = "a split of the owner's size" if bench.recipe.split else "this plan's split"
    drawn = _on_resampled(bench, claim, scored)
    return Recomputed(figure, f"{how}, {bench.subject.counted(len(scored))}", "other", apart=apart, drawn=drawn)


def _scored(bench: Bench, ledger: Ledger, need: Need, rows: Rows) -> AnyScored:
    scores = ledger.scores(need)
    return bench.scored(rows, scores[np.searchsorted(need.reading.rows, rows)], need.fit.seed_key)


def _on_resampled(bench: Bench, claim: Claim, rows: AnyScored) -> Numbers:
    """The measure on rows drawn again, the same draws for every claim on rows of that number."""
    rng = np.random.default_rng(seed_from("claims together", bench.plan.seed, len(rows)))
    drawn = []
    for number in range(_RESAMPLES):
        again = rows.take(np.sort(rng.integers(0, len(rows), len(rows))), f"drawn {number}")
        value = _measured(claim, again).value
        drawn.append(np.nan if value is None else value)
    return np.array(drawn)


def _by_folds(bench: Bench, ledger: Ledger, claim: Claim, level: float) -> Recomputed:
    try:
        needs = _fold_needs(bench, claim)
    except UserError as problem:
        return _unchecked(str(problem))
    held = [_scored(bench, ledger, need, need.reading.rows) for need in needs]
    figures = [_measured(claim, rows) for rows in held]
    values = values_of(figures)
    overlap = float(np.mean([len(need.reading.rows) / len(need.fit.train) for need in needs]))
    n = sum(len(rows) for rows in held)
    figure = corrected_mean(values, n, overlap, share=named(claim.measure).bounded)
    interval = figure.interval(level)
    doubt = _doubt(figure)
    if doubt or figure.value is None or interval is None:
        return _unchecked(doubt or figure.note or "it has no interval", figure)
    # The corrected interval holds the variance of refitting already.
    apart = apart_of(claim, figure.value, interval, level, n, material=bench.plan.policy.materiality)
    return Recomputed(figure, f"{len(needs)} folds made here", "other", apart=apart)
