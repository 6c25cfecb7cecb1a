"""Claims: every claimed figure recomputed, on the owner's own scores and split where they can be had."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import RECIPE, SCORES, Bench
from brookfall.core.check.check import Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.claims.score_agreement import agree, agree_needs, owner_parts
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import Cell, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Verdict
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.paired_tests import corrected_mean
from brookfall.core.measure.registry import flatters, measure_at, words_of
from brookfall.core.measure.scored import AnyScored
from brookfall.core.resample.declared import Folds
from brookfall.core.submission.schema import Claim

SEEDS = 20
_WORDS = {
    "reproduced": "reproduced",
    "compatible": "compatible",
    "overstated": "overstated",
    "understated": "understated",
    "cannot_be_checked": "can't be checked",
}


@dataclass(frozen=True)
class _Recomputed:
    """A claim's own value, recomputed, and the range a compatible claim lies in; None when it can't be checked.

    ``exact``: the same scores on the same rows, where no range excuses a difference.
    """

    figure: Figure
    on: str
    span: tuple[float, float] | None = None
    same_rows: bool = False
    exact: bool = False


class Claims(Check):
    name = "claims"
    title = "Claims"
    question = 2
    source = "Recomputed with the interval of each measure; the range of 20 seeds on the owner's own rows."
    reads = Reads(subject=("claims",))

    def sentence(self, about: About) -> Sentence:
        claims = "the claim" if about.claims == 1 else f"the {about.claims} claims"
        return say(
            f"Recompute {claims}; call one overstated when it lies beyond what these rows allow, in the direction that "
            "flatters.",
            "limit: none overstated",
        )

    def requests(self, bench: Bench) -> list[Need]:
        if RECIPE not in bench.models:
            return []
        return [*(need for claim in bench.subject.claims for need in _needs(bench, claim)), *agree_needs(bench)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        claims = bench.subject.claims
        draft = Draft(bench.plan.policy.level)
        if not claims:
            alone = agree(bench, ledger, draft)
            if alone is None:
                return not_applicable("The submission claims no figure.")
            return draft.write(f"The submission claims no figure. {alone.sentence}", tables=(alone.table,))
        rows: list[tuple[Cell, ...]] = []
        groups: list[tuple[str, StripGroup]] = []
        verdicts: list[Verdict] = []
        for claim in claims:
            places = []
            for model, recomputed in _recomputed(bench, ledger, claim, draft.level):
                verdict = _verdict(claim, recomputed)
                place = draft.add(
                    claim.measure,
                    recomputed.figure,
                    model=model,
                    part=_part(claim),
                    class_=claim.class_,
                    threshold=claim.threshold,
                    verdict=verdict,
                    standing=_standing(verdict),
                )
                places.append((model, place, verdict))
                rows.append(
                    (
                        text(_named(claim) + pictures.of_model(model, bench)),
                        text(claim.value),
                        at(place),
                        text(recomputed.on),
                        text(_WORDS[verdict]),
                    )
                )
            verdicts.append(_worst([verdict for _, _, verdict in places]))
            recomputed_rows = tuple(
                StripRow(
                    estimate=place,
                    label=f"recomputed{pictures.of_model(model, bench)}",
                    colour=claim.part or "out_of_fold",
                )
                for model, place, _ in places
            )
            label = wording.capital(_named(claim))
            groups.append((claim.measure, StripGroup(label=label, rows=recomputed_rows, claim=claim.value)))
        strips = pictures.strips("Each claim (flag) and its recomputed value", groups)
        table = TableView(
            title="Claim by claim", columns=("claim", "claimed", "recomputed", "on", "verdict"), rows=tuple(rows)
        )
        answer = _answer(claims, verdicts, draft)
        agreed = agree(bench, ledger, draft)
        if agreed is None:
            return draft.write(answer, charts=strips, tables=(table,))
        return draft.write(f"{answer} {agreed.sentence}", charts=strips, tables=(table, agreed.table))


def _named(claim: Claim) -> str:
    of_class = f" of {claim.class_}" if claim.class_ else ""
    return f"{words_of(claim.measure)}{of_class}, {claim.where}"


def _recomputed(bench: Bench, ledger: Ledger, claim: Claim, level: float) -> list[tuple[str, _Recomputed]]:
    """The claim on each model that it can be put to; on one that can't, only where there is no other."""
    found: list[tuple[str, _Recomputed]] = []
    if SCORES in bench.models and claim.method is None:
        found.append((SCORES, _on_supplied(bench, claim)))
    if RECIPE in bench.models:
        found.append((RECIPE, _on_refit(bench, ledger, claim, level)))
    checked = [one for one in found if one[1].span is not None or one[1].exact]
    if checked:
        return checked
    return found[:1] or [(SCORES, _unchecked("it needs a refit, and no recipe was submitted"))]


def _on_supplied(bench: Bench, claim: Claim) -> _Recomputed:
    """The owner's own scores on the owner's own rows: the figure must agree to its decimals."""
    parts = bench.supplied_parts
    if claim.part in (None, "all"):
        rows = np.sort(np.concatenate(list(parts.values())))
    elif claim.part in parts:
        rows = parts[str(claim.part)]
    else:
        return _unchecked(f"no supplied score is of a part named {claim.part}")
    figure = _measured(claim, bench.supplied_scores.on(rows))
    if figure.value is None:
        return _unchecked(figure.note or "the measure has no value on these rows", figure)
    return _Recomputed(figure, f"the supplied scores of {wording.rows(len(rows))}", same_rows=True, exact=True)


def _measured(claim: Claim, rows: AnyScored) -> Figure:
    """The claimed measure on rows, at the claim's threshold or of its class."""
    return measure_at(rows, claim.measure, claim.threshold, claim.class_)


def _needs(bench: Bench, claim: Claim) -> Iterator[Need]:
    if claim.method == "cross_validation":
        yield from (bench.submitted.fold_need(fold) for fold in bench.split.folds_as(_claimed_folds(bench, claim)))
        return
    parts, same_rows = owner_parts(bench)
    if claim.part not in parts and claim.part not in (None, "all"):
        return
    reading = ScoreReading(np.sort(np.concatenate(list(parts.values()))))
    recipe = bench.recipe
    seeds = range(SEEDS) if same_rows else range(1)
    for step in seeds:
        reseeded = recipe.model_copy(update={"seed": (recipe.seed + step) % 2**32})
        yield Need(bench.fit(parts["training"], reseeded), reading)


def _claimed_folds(bench: Bench, claim: Claim) -> Folds:
    planned = bench.plan.cross_validation
    return Folds(folds=claim.folds or 10, repeats=1, stratified=planned.stratified, by=planned.by)


def _on_refit(bench: Bench, ledger: Ledger, claim: Claim, level: float) -> _Recomputed:
    try:
        needs = list(_needs(bench, claim))
    except UserError as problem:
        return _unchecked(str(problem))
    if not needs:
        return _unchecked(f"no row is in a part named {claim.part}")
    if claim.method == "cross_validation":
        return _by_folds(bench, ledger, claim, needs, level)
    parts, same_rows = owner_parts(bench)
    rows = np.sort(np.concatenate(list(parts.values()))) if claim.part in (None, "all") else parts[claim.part or "all"]
    figures = [_measured(claim, _scored(bench, ledger, need, rows)) for need in needs]
    figure = figures[0]
    if figure.value is None:
        return _unchecked(figure.note or "the measure has no value on these rows", figure)
    if same_rows:
        values = [other.value for other in figures if other.value is not None]
        on = f"the owner's own {wording.rows(len(rows))}, {SEEDS} seeds"
        return _Recomputed(figure, on, (min(values), max(values)), same_rows=True)
    interval = figure.interval(level)
    if interval is None:
        return _unchecked(figure.note or "it has no interval", figure)
    how = "a split of the owner's size" if bench.recipe.split else "this plan's split"
    return _Recomputed(figure, f"{how}, {wording.rows(len(rows))}", interval)


def _scored(bench: Bench, ledger: Ledger, need: Need, rows: Rows) -> AnyScored:
    scores = ledger.scores(need)[np.searchsorted(need.reading.rows, rows)]
    return bench.scored(rows, scores, need.fit.seed_key)


def _by_folds(bench: Bench, ledger: Ledger, claim: Claim, needs: list[Need], level: float) -> _Recomputed:
    figures = [_measured(claim, _scored(bench, ledger, need, need.reading.rows)) for need in needs]
    values = np.array([np.nan if figure.value is None else figure.value for figure in figures])
    overlap = float(np.mean([len(need.reading.rows) / len(need.fit.train) for need in needs]))
    figure = corrected_mean(values, sum(len(need.reading.rows) for need in needs), overlap)
    interval = figure.interval(level)
    if interval is None:
        return _unchecked(figure.note or "it has no interval", figure)
    return _Recomputed(figure, f"{len(needs)} folds made here", interval)


def _unchecked(why: str, figure: Figure | None = None) -> _Recomputed:
    return _Recomputed(figure or absent(0, why), why)


def _verdict(claim: Claim, recomputed: _Recomputed) -> Verdict:
    value = recomputed.figure.value
    if value is None or (recomputed.span is None and not recomputed.exact):
        return "cannot_be_checked"
    claimed, rounding = float(claim.value), 0.5 * 10**-claim.decimals
    if recomputed.same_rows and abs(value - claimed) <= rounding * (1 + 1e-9):
        return "reproduced"
    if recomputed.span is not None and recomputed.span[0] - rounding <= claimed <= recomputed.span[1] + rounding:
        return "compatible"
    return "overstated" if flatters(claim.measure, claimed, value) else "understated"


def _worst(verdicts: list[Verdict]) -> Verdict:
    """The verdict on a claim that was put to several models: the gravest."""
    grave: tuple[Verdict, ...] = ("overstated", "understated", "compatible", "reproduced", "cannot_be_checked")
    return min(verdicts, key=grave.index)


def _standing(verdict: Verdict) -> Standing | None:
    if verdict == "cannot_be_checked":
        return None
    return Standing.OUTSIDE if verdict == "overstated" else Standing.WITHIN


def _part(claim: Claim) -> str:
    return "out_of_fold" if claim.method else claim.part or "all"


def _answer(claims: tuple[Claim, ...], verdicts: list[Verdict], draft: Draft) -> str:
    counts = [(verdicts.count(verdict), words) for verdict, words in _WORDS.items() if verdict in verdicts]
    checkable = verdicts[0] != "cannot_be_checked"
    if len(counts) > 1:
        said = f"Of {len(verdicts)} claims: {wording.listed([f'{number} {words}' for number, words in counts])}."
    elif len(verdicts) == 1:
        said = f"The one claim {'is ' if checkable else ''}{counts[0][1]}."
    else:
        said = f"All {len(verdicts)} claims {'are ' if checkable else ''}{counts[0][1]}."
    worst = _farthest(claims, draft)
    if worst is None:
        return said
    claim, figure = worst
    return (
        f"{said} The farthest off: {_named(claim)}, was claimed as {claim.value} "
        f"and comes out at {wording.figure(figure, draft.level)}."
    )


def _farthest(claims: tuple[Claim, ...], draft: Draft) -> tuple[Claim, Figure] | None:
    """The overstated claim whose recomputed value lies farthest from it, against its own size."""
    found: list[tuple[float, Claim, Figure]] = []
    for place, estimate in enumerate(draft.drafted()):
        if estimate.said["verdict"] != "overstated" or estimate.value is None:
            continue
        labels = estimate.labels
        claim = next(
            claim
            for claim in claims
            if (claim.measure, _part(claim), claim.class_, claim.threshold)
            == (labels.quantity, labels.part, labels.class_, labels.threshold)
        )
        distance = abs(float(claim.value) - estimate.value) / max(abs(estimate.value), 1e-12)
        found.append((distance, claim, draft.figure(place)))
    return None if not found else max(found, key=lambda one: one[0])[1:]
