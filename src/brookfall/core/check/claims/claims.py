"""Claims: every claimed figure recomputed, on the owner's own scores and split where they can be had."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import RECIPE, Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, not_applicable, text
from brookfall.core.check.claims.recompute import Recomputed, needs_of, recomputed
from brookfall.core.check.claims.score_agreement import agree, agree_needs
from brookfall.core.check.claims.verdict import (
    agrees,
    band_of,
    critical,
    honest_span,
    log_size,
    of_other_rows,
    of_seeds,
)
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import Cell, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Verdict
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.judge.policy import MATERIALITY, Materiality
from brookfall.core.measure.registry import words_of
from brookfall.core.measure.scored import Numbers
from brookfall.core.submission.schema import Claim

_WRONG: tuple[Verdict, ...] = ("overstated", "not_reproduced")
_WORDS = {
    "reproduced": "reproduced",
    "compatible": "compatible",
    "not_reproduced": "not reproduced",
    "overstated": "overstated",
    "understated": "understated",
    "cannot_be_checked": "can't be checked",
}


class Claims(Check):
    name = "claims"
    title = "Claims"
    question = 2
    source = (
        "Prediction intervals: of one more seed (Student) on the owner's own split, of other rows and another fit "
        "elsewhere (Zou & Donner 2008), all claims together, one-sided."
    )
    outcomes = ANY_OUTCOME
    reads = Reads(plan=("policy.conventions", "policy.materiality"), subject=("claims",))

    def sentence(self, about: About) -> Sentence:
        claims = "the claim" if about.claims == 1 else f"the {about.claims} claims"
        return say(
            f"Recompute {claims}; on the owner's own scores each must come out as claimed, elsewhere within what these "
            "rows allow.",
            "limit: none overstated or not reproduced",
        )

    def requests(self, bench: Bench) -> list[Need]:
        refits = needs_of(bench, bench.subject.claims) if RECIPE in bench.models else ()
        return [*refits, *bench.artifact_needs, *agree_needs(bench)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        claims = bench.subject.claims
        draft = Draft(bench.plan.policy.level)
        if not claims:
            alone = agree(bench, ledger, draft)
            if alone is None:
                return not_applicable("The submission claims no figure.")
            first, *others = alone.sentences
            return draft.write(f"The submission claims no figure. {first}", lines=tuple(others), tables=alone.tables)
        rows: list[tuple[Cell, ...]] = []
        groups: list[tuple[str, StripGroup]] = []
        verdicts: list[Verdict] = []
        found = [recomputed(bench, ledger, claim, draft.level) for claim in claims]
        judged = judged_together(claims, found, bench.plan.seed, bench.plan.policy.materiality)
        for number, claim in enumerate(claims):
            places = []
            for model, one in found[number]:
                judgement = judged[number, model]
                verdict = judgement.verdict
                place = draft.add(
                    claim.measure,
                    one.figure,
                    model=model,
                    part=_part(claim),
                    class_=claim.class_,
                    threshold=claim.threshold,
                    verdict=verdict,
                    standing=judgement.standing,
                )
                places.append((model, place, verdict))
                rows.append(
                    (
                        text(_named(claim) + pictures.of_model(model, bench)),
                        text(claim.value),
                        at(place),
                        text(_span_words(judgement.span, claim)),
                        text(one.on),
                        text(_told(verdict, one)),
                    )
                )
            verdicts.append(_worst([verdict for _, _, verdict in places]))
            strip_rows = tuple(
                StripRow(
                    estimate=place,
                    label=f"recomputed{pictures.of_model(model, bench)}",
                    colour=claim.part or "out_of_fold",
                )
                for model, place, _ in places
            )
            label = wording.capital(_named(claim))
            groups.append((claim.measure, StripGroup(label=label, rows=strip_rows, claim=claim.value)))
        strips = pictures.strips("Each claim (flag) and its recomputed value", groups)
        table = TableView(
            title="Claim by claim",
            columns=("claim", "claimed", "recomputed", "an honest claim", "on", "verdict"),
            rows=tuple(rows),
        )
        agreed = agree(bench, ledger, draft)
        return draft.write(
            _answer(claims, found, judged, verdicts),
            lines=(
                *_conventions(claims, found),
                *_unchecked_lines(claims, found),
                *(() if agreed is None else agreed.sentences),
            ),
            charts=strips,
            tables=(table, *(() if agreed is None else agreed.tables)),
        )


def _named(claim: Claim) -> str:
    of_class = f" of {claim.class_}" if claim.class_ else ""
    return f"{words_of(claim.measure)}{of_class}, {claim.where}"


@dataclass(frozen=True)
class Judgement:
    """What a claim comes to, and between which values an honest one lies."""

    verdict: Verdict
    standing: Standing
    span: tuple[float, float] | None = None


def judged_together(
    claims: tuple[Claim, ...],
    found: list[list[tuple[str, Recomputed]]],
    seed: int,
    material: Materiality = MATERIALITY,
) -> dict[tuple[int, str], Judgement]:
    """What every claim comes to on every model, by the claim's place and the model; those on other rows are judged
    together."""
    together = [one.drawn for of_claim in found for _, one in of_claim if one.apart is not None]
    beyond = critical(_correlation(together), seed) if together else 0.0
    return {
        (number, model): _judged(claim, one, beyond, len(claims), material)
        for number, claim in enumerate(claims)
        for model, one in found[number]
    }


def _judged(claim: Claim, one: Recomputed, beyond: float, claims: int, material: Materiality) -> Judgement:
    value = one.figure.value
    if not one.is_checked or value is None:
        return Judgement("cannot_be_checked", Standing.UNSETTLED)
    if one.apart is not None:
        verdict = of_other_rows(one.apart, beyond)
        return Judgement(verdict, _STANDINGS[verdict], honest_span(claim, value, one.apart, beyond, material))
    if one.seeds is not None:
        verdict, span = of_seeds(claim, value, one.seeds, claims, material)
        return Judgement(verdict, _STANDINGS[verdict], span)
    band = band_of(claim, material)
    span = (value - band, value + band)
    if one.convention:
        return Judgement("reproduced", Standing.NEAR, span)
    verdict = "reproduced" if agrees(claim, value, material) else "not_reproduced"
    return Judgement(verdict, _STANDINGS[verdict], span)


def _correlation(drawn: list[Numbers | None]) -> Numbers:
    """Of the figures over resampled rows; 0 where two are not of the same draws, which errs on the careful side."""
    found = np.eye(len(drawn))
    for i, one in enumerate(drawn):
        for j, other in enumerate(drawn[:i]):
            if one is None or other is None:
                continue
            known = np.isfinite(one) & np.isfinite(other)
            spread = known.sum() > 2 and one[known].std() > 0 and other[known].std() > 0
            found[i, j] = found[j, i] = np.corrcoef(one[known], other[known])[0, 1] if spread else 0.0
    return found


def _told(verdict: Verdict, one: Recomputed) -> str:
    return f"{_WORDS[verdict]}, {one.convention}" if one.convention else _WORDS[verdict]


def _conventions(claims: tuple[Claim, ...], found: list[list[tuple[str, Recomputed]]]) -> tuple[str, ...]:
    """The claims that only come out by another convention, and which."""
    items = [
        f"{_named(claim)} as {claim.value} by: {one.convention}"
        for claim, of_claim in zip(claims, found, strict=True)
        for _, one in of_claim
        if one.convention
    ]
    return (wording.line_of("Only by another convention", items),)


def _unchecked_lines(claims: tuple[Claim, ...], found: list[list[tuple[str, Recomputed]]]) -> tuple[str, ...]:
    """The claims that can't be checked, and why."""
    items = [
        f"{_named(claim)} ({one.on})"
        for claim, of_claim in zip(claims, found, strict=True)
        for _, one in of_claim
        if not one.is_checked
    ]
    return (wording.line_of("Can't be checked", items),)


def _worst(verdicts: list[Verdict]) -> Verdict:
    """The verdict on a claim that was put to several models: the gravest."""
    grave: tuple[Verdict, ...] = (
        *("overstated", "not_reproduced", "understated", "compatible", "reproduced", "cannot_be_checked"),
    )
    return min(verdicts, key=grave.index)


_STANDINGS: dict[Verdict, Standing] = {
    "reproduced": Standing.WITHIN,
    "compatible": Standing.WITHIN,
    "cannot_be_checked": Standing.UNSETTLED,
    "understated": Standing.NEAR,
    "overstated": Standing.OUTSIDE,
    "not_reproduced": Standing.OUTSIDE,
}


def _part(claim: Claim) -> str:
    return "out_of_fold" if claim.method else claim.part or "all"


def _span_words(span: tuple[float, float] | None, claim: Claim) -> str:
    decimals = max(3, min(claim.decimals, 4))
    return "" if span is None else " to ".join(wording.number(end, decimals) for end in span)


def _answer(
    claims: tuple[Claim, ...],
    found: list[list[tuple[str, Recomputed]]],
    judged: dict[tuple[int, str], Judgement],
    verdicts: list[Verdict],
) -> str:
    counts = [(verdicts.count(verdict), words) for verdict, words in _WORDS.items() if verdict in verdicts]
    checkable = verdicts[0] != "cannot_be_checked"
    if len(counts) > 1:
        said = f"Of {len(verdicts)} claims {wording.listed([f'{number} {words}' for number, words in counts])}"
    elif len(verdicts) == 1:
        said = f"The one claim {'is ' if checkable else ''}{counts[0][1]}"
    else:
        said = f"All {len(verdicts)} claims {'are ' if checkable else ''}{counts[0][1]}"
    worst = _farthest(claims, found, judged)
    if worst is None:
        return f"{said}."
    claim, one, span = worst
    others = "" if one.how == "exact" else f", where an honest claim lies between {_ends(span, claim)}"
    came = f"comes out at {wording.number(one.figure.value, max(3, min(claim.decimals, 4)))}"
    lead = "" if len(claims) == 1 else "farthest off, "
    return f"{said}: {lead}{_named(claim)} was claimed as {claim.value} and {came} on {one.on}{others}."


def _ends(span: tuple[float, float] | None, claim: Claim) -> str:
    return _span_words(span, claim).replace(" to ", " and ")


def _farthest(
    claims: tuple[Claim, ...],
    found: list[list[tuple[str, Recomputed]]],
    judged: dict[tuple[int, str], Judgement],
    verdicts: tuple[Verdict, ...] = _WRONG,
) -> tuple[Claim, Recomputed, tuple[float, float] | None] | None:
    """Of the claims that are overstated or not reproduced, else of those understated, the one farthest from its
    recomputed value, by its size."""
    wrong = [
        (log_size(claim, one.figure.value or 0.0), number, one, judged[number, model].span)
        for number, claim in enumerate(claims)
        for model, one in found[number]
        if judged[number, model].verdict in verdicts
    ]
    if not wrong:
        return None if verdicts != _WRONG else _farthest(claims, found, judged, ("understated",))
    _, number, one, span = max(wrong, key=lambda each: each[0])
    return claims[number], one, span
