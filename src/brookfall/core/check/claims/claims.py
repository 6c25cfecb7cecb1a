"""Claims: every claimed figure recomputed, on the owner's own split where it can be had."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check.check import Draft, Written, at, not_applicable, text
from brookfall.core.errors import UserError
from brookfall.core.exhibit import StripChart, StripGroup, StripRow, TableView, Verdict
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading
from brookfall.core.judge.limit import Standing
from brookfall.core.measure.binary import HIGHER_IS_WORSE, Scored, measure
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.resampled import corrected_mean
from brookfall.core.resample.parts import split_parts
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
    """A claim's own value, recomputed, and the range a compatible claim lies in; None when it can't be checked."""

    figure: Figure
    on: str
    span: tuple[float, float] | None = None
    same_rows: bool = False


class Claims:
    name = "claims"
    title = "Claims"
    question = 2
    source = "Recomputed with the interval of each measure; the range of 20 seeds on the owner's own rows."

    def requests(self, bench: Bench) -> list[Need]:
        return [need for claim in bench.subject.claims for need in _needs(bench, claim)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        claims = bench.subject.claims
        if not claims:
            return not_applicable("The submission claims no figure.")
        draft = Draft(bench.plan.policy.level)
        rows, groups, verdicts = [], [], []
        for claim in claims:
            recomputed = _recompute(bench, ledger, claim, draft.level)
            verdict = _verdict(claim, recomputed)
            verdicts.append(verdict)
            place = draft.add(
                claim.measure,
                recomputed.figure,
                part=_part(claim),
                threshold=claim.threshold,
                verdict=verdict,
                standing=_standing(verdict),
            )
            groups.append(
                StripGroup(
                    label=f"{wording.capital(wording.measure_words(claim.measure))}, {claim.where}",
                    rows=(StripRow(estimate=place, label="recomputed", colour=claim.part or "out_of_fold"),),
                    claim=claim.value,
                )
            )
            rows.append(
                (
                    text(f"{wording.measure_words(claim.measure)}, {claim.where}"),
                    text(claim.value),
                    at(place),
                    text(recomputed.on),
                    text(_WORDS[verdict]),
                )
            )
        strip = StripChart(title="Each claim (flag) and its recomputed value", unit="", groups=tuple(groups))
        table = TableView(
            title="Claim by claim", columns=("claim", "claimed", "recomputed", "on", "verdict"), rows=tuple(rows)
        )
        return draft.write(_answer(claims, verdicts, draft), charts=(strip,), tables=(table,))


def _needs(bench: Bench, claim: Claim) -> Iterator[Need]:
    if claim.method == "cross_validation":
        folds = bench.folds_of(claim.folds or bench.plan.cross_validation.folds, 1)
        yield from (bench.fold_need(fold) for fold in folds)
        return
    parts, same_rows = _owner_parts(bench)
    if claim.part not in parts and claim.part not in (None, "all"):
        return
    reading = ScoreReading(np.sort(np.concatenate(list(parts.values()))))
    recipe = bench.recipe
    seeds = range(SEEDS) if same_rows else range(1)
    for step in seeds:
        reseeded = recipe.model_copy(update={"seed": (recipe.seed + step) % 2**32})
        yield Need(bench.fit(parts["training"], reseeded), reading)


def _owner_parts(bench: Bench) -> tuple[dict[str, Rows], bool]:
    """The owner's split as far as it is known, and whether its rows are exactly those the owner used."""
    subject, split = bench.subject, bench.recipe.split
    if subject.roles.part is not None:
        return bench.given_parts, True
    if split is None:
        return bench.parts, False
    shares = {"training": 1 - split.test, "test": split.test}
    outcomes = subject.positive[subject.rows]
    return split_parts(subject.rows, outcomes, shares, split.seed, stratified=split.stratified), False


def _recompute(bench: Bench, ledger: Ledger, claim: Claim, level: float) -> _Recomputed:
    try:
        needs = list(_needs(bench, claim))
    except UserError as problem:
        return _unchecked(str(problem))
    if not needs:
        return _unchecked(f"no row is in a part named {claim.part}")
    if claim.method == "cross_validation":
        return _by_folds(bench, ledger, claim, needs, level)
    parts, same_rows = _owner_parts(bench)
    rows = np.sort(np.concatenate(list(parts.values()))) if claim.part in (None, "all") else parts[claim.part or "all"]
    figures = [measure(claim.measure, _scored(bench, ledger, need, rows, claim)) for need in needs]
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


def _scored(bench: Bench, ledger: Ledger, need: Need, rows: Rows, claim: Claim) -> Scored:
    scores = ledger.scores(need)[np.searchsorted(need.reading.rows, rows)]
    scored = bench.scored(rows, scores, need.fit.key)
    threshold = scored.threshold if claim.threshold is None else claim.threshold
    return Scored(scored.outcomes, scored.scores, threshold, scored.key)


def _by_folds(bench: Bench, ledger: Ledger, claim: Claim, needs: list[Need], level: float) -> _Recomputed:
    figures = [measure(claim.measure, _scored(bench, ledger, need, need.reading.rows, claim)) for need in needs]
    values = np.array([np.nan if figure.value is None else figure.value for figure in figures])
    figure = corrected_mean(values, len(bench.cross_validated), 1 / (len(needs) - 1))
    interval = figure.interval(level)
    if interval is None:
        return _unchecked(figure.note or "it has no interval", figure)
    return _Recomputed(figure, f"{len(needs)} folds made here", interval)


def _unchecked(why: str, figure: Figure | None = None) -> _Recomputed:
    return _Recomputed(figure or absent(0, why), why)


def _verdict(claim: Claim, recomputed: _Recomputed) -> Verdict:
    value = recomputed.figure.value
    if value is None or recomputed.span is None:
        return "cannot_be_checked"
    low, high = recomputed.span
    claimed, rounding = float(claim.value), 0.5 * 10**-claim.decimals
    if recomputed.same_rows and abs(value - claimed) <= rounding * (1 + 1e-9):
        return "reproduced"
    if low - rounding <= claimed <= high + rounding:
        return "compatible"
    flatters = claimed < value if claim.measure in HIGHER_IS_WORSE else claimed > value
    return "overstated" if flatters else "understated"


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
    if "overstated" not in verdicts:
        return said
    place = max(
        (place for place, verdict in enumerate(verdicts) if verdict == "overstated"),
        key=lambda place: abs(float(claims[place].value) - (draft.figure(place).value or 0.0)),
    )
    claim = claims[place]
    return (
        f"{said} The farthest off: {wording.measure_words(claim.measure)}, {claim.where}, was claimed as {claim.value} "
        f"and comes out at {wording.figure(draft.figure(place), draft.level)}."
    )
