"""Luck of the split: the measure over many random splits of the claimed size, and where the claim lies among them."""

from dataclasses import dataclass
from functools import cached_property
from math import sqrt

import numpy as np
import scipy

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, number_field, say, upper_limit
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import Line, LineChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Wanted
from brookfall.core.foundation import wording
from brookfall.core.judge.standing import in_round_numbers
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure, Interval, absent, quantile_ends
from brookfall.core.measure.interval import wilson
from brookfall.core.measure.registry import lower_is_better, named, words_of
from brookfall.core.measure.scored import Numbers
from brookfall.core.resample.declared import Shares
from brookfall.core.resample.folds import Fold, random_splits
from brookfall.core.resample.parts import By

_BINS = 20
_EDGE = 1e-6
_RARE = 0.001
"""The share of seeds under which a chosen seed no longer explains a claim (common practice)."""


@dataclass(frozen=True)
class _Spread:
    """A measure over the splits: ``values`` of shape (splits,), and the claim that is held against them, if any."""

    wanted: Wanted
    values: Numbers
    claim: str | None

    @cached_property
    def tail(self) -> float | None:
        """The share of seeds that would give as much as the claim or more: a Student tail, as the spread is that of so
        many splits, on the logit scale for shares, losses mirrored. None without a claim or without spread."""
        kept = self.values[np.isfinite(self.values)]
        if self.claim is None or len(kept) < len(self.values) or len(kept) < 2:
            return None
        one, claimed = named(self.wanted.measure), np.array([float(self.claim)])
        if one.bounded:
            kept, claimed = (scipy.special.logit(np.clip(part, _EDGE, 1 - _EDGE)) for part in (kept, claimed))
        spread = float(kept.std(ddof=1))
        if spread == 0:
            return None
        apart = one.sign * (float(claimed[0]) - float(kept.mean())) / (spread * sqrt(1 + 1 / len(kept)))
        return float(scipy.special.stdtr(len(kept) - 1, -apart))

    @property
    def words(self) -> str:
        of_class = f" of {self.wanted.class_}" if self.wanted.class_ else ""
        return words_of(self.wanted.measure) + of_class


class Luck(Check):
    name = "luck"
    title = "Luck of the split"
    question = 3
    source = "Random holdouts of the claimed size (Picard & Cook 1984, from memory); Wilson 1927 for the percentile."
    refits = True
    tiers = NOT_LIGHT
    reads = Reads(plan=("splits", "policy.percentile"), subject=("claims",))

    def sentence(self, about: About) -> Sentence:
        return say(
            "Split the rows at random {splits} times as the owner did, and see where the claim lies among the results.",
            "limit: percentile ≤ {percentile}",
            splits=number_field(about.plan.splits, "Random splits", ("splits",), 10, 1000),
            percentile=upper_limit(about, "percentile", "Limit on the percentile of a claim", 100),
        )

    def requests(self, bench: Bench) -> list[Need]:
        wanted = tuple(dict.fromkeys(one for one, _ in _asked(bench)))
        return [Need(bench.fit(split.train), bench.figures(split.test, wanted)) for split in _splits(bench)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        needs, asked = self.requests(bench), _asked(bench)
        wanted = list(dict.fromkeys(one for one, _ in asked))
        table = np.stack([ledger.scores(need) for need in needs])
        spreads = [_Spread(one, table[:, wanted.index(one)], claim) for one, claim in asked]
        tested = len(needs[0].reading.rows)
        draft = Draft(bench.plan.policy.level)
        means = [
            draft.add(
                one.wanted.measure,
                _spread(one, tested),
                part="test",
                class_=one.wanted.class_,
                threshold=one.wanted.threshold,
            )
            for one in spreads
        ]
        places = {
            number: draft.add(
                "percentile",
                _percentile(one),
                part="test",
                class_=one.wanted.class_,
                threshold=one.wanted.threshold,
                # An honest claim from other rows lies above the 95th percentile in one case of seven.
                limit=bench.plan.policy.percentile if _split_is_known(bench) else None,
            )
            for number, one in enumerate(spreads)
            if one.claim is not None
        }
        for number, place in places.items():
            tail = spreads[number].tail
            told = (
                absent(len(needs), "the splits have no spread")
                if tail is None
                else Figure(tail, len(needs), note=_TAIL)
            )
            draft.add_like(place, "p_value", told)
        series = {f"luck:{number}": _histogram(one.values) for number, one in enumerate(spreads)}
        most = wording.level_in_percent(draft.level)
        return draft.write(
            _answer(draft, spreads, means, places, needs, tested),
            lines=_lines(bench, draft, spreads, means, places, needs, tested),
            charts=(
                *pictures.strips(
                    f"Mean over {len(needs)} random splits, with the range of {most} of them", _strips(spreads, means)
                ),
                *_charts(spreads),
            ),
            series=series,
            tables=(_table(spreads, means, places, len(needs), draft.level),),
        )


_TAIL = "the share of seeds that give as much: a Student tail, on the logit scale for shares; it has no interval"


def _split_is_known(bench: Bench) -> bool:
    """Whether the owner's split came from these very rows, so that another seed would be another draw of them."""
    return bench.recipe.split is not None


def _asked(bench: Bench) -> list[tuple[Wanted, str | None]]:
    """What is measured, with what is claimed of it; the main measure where no claim is about unseen rows."""
    found: list[tuple[Wanted, str | None]] = [
        (Wanted(claim.measure, claim.threshold, claim.class_), claim.value)
        for claim in bench.subject.claims
        if claim.method is None and claim.part in ("test", "validation")
    ]
    main = bench.plan.main_measure
    if all(one.measure != main for one, _ in found):
        found.append((Wanted(main), None))
    return found


def _splits(bench: Bench) -> tuple[Fold, ...]:
    """Splits of all rows by the share that the owner held out, or else the plan's; whole groups where there are any."""
    recipe, subject = bench.recipe, bench.subject
    by: By = "groups" if subject.clusters is not None else "rows"
    planned = not isinstance(bench.plan.parts, Shares) or bench.plan.parts.stratified
    stratified = recipe.split.stratified if recipe.split else planned
    held = recipe.split.test if recipe.split else len(bench.split.parts["test"]) / len(bench.split.all_parts)
    return random_splits(subject.layout(stratified=stratified), bench.plan.splits, held, bench.plan.seed, by)


def _spread(one: _Spread, tested: int) -> Figure:
    """The mean over the splits and the range that 95 % (or any level) of them lie in."""
    kept = one.values[np.isfinite(one.values)]
    if len(kept) < len(one.values):
        return absent(tested, f"it has no value in {len(one.values) - len(kept)} of {len(one.values)} splits")
    return Figure(float(kept.mean()), tested, "range_of_splits", Interval(quantile_ends, kept))


def _percentile(one: _Spread) -> Figure:
    """Which share of the splits the claim is better than, in percent; a split that gives just the claim counts half."""
    kept = one.values[np.isfinite(one.values)]
    splits, claimed = len(kept), float(one.claim or "nan")
    if splits < len(one.values):
        return absent(len(one.values), "it has no value in some splits")
    decimals = len((one.claim or "").partition(".")[2])
    shown_values = np.round(kept, decimals)
    beaten = shown_values > claimed if lower_is_better(one.wanted.measure) else shown_values < claimed
    below = float(beaten.sum()) + 0.5 * float((shown_values == claimed).sum())
    return Figure(100 * below / splits, splits, "wilson", Interval(_percentile_ends, below, splits))


def _percentile_ends(below: float, splits: int, level: float) -> tuple[float, float]:
    low, high = wilson(below, splits, level)
    return 100 * low, 100 * high


def _histogram(values: Numbers) -> Series:
    kept = values[np.isfinite(values)]
    if not len(kept):
        return {"x": [], "y": []}
    counts, edges = np.histogram(kept, bins=_BINS)
    return {"x": ((edges[1:] + edges[:-1]) / 2).tolist(), "y": counts.astype(np.float64).tolist()}


def _charts(spreads: list[_Spread]) -> tuple[LineChart, ...]:
    return tuple(
        LineChart(
            title=f"{wording.capital(one.words)} over the splits" + (f"; claimed {one.claim}" if one.claim else ""),
            x=one.words,
            y="number of splits",
            lines=(Line(series=f"luck:{number}", label="splits", colour="test"),),
        )
        for number, one in enumerate(spreads)
    )


def _strips(spreads: list[_Spread], means: list[int]) -> list[tuple[str, StripGroup]]:
    return [
        (
            one.wanted.measure,
            StripGroup(
                label=wording.capital(one.words),
                rows=(StripRow(estimate=place, label="random splits", colour="test"),),
                claim=one.claim,
            ),
        )
        for one, place in zip(spreads, means, strict=True)
    ]


def _table(spreads: list[_Spread], means: list[int], places: dict[int, int], splits: int, level: float) -> TableView:
    most = wording.level_in_percent(level)
    return TableView(
        title=f"Over {splits} random splits; the percentile is the share of splits that the claim is better than",
        columns=(
            "measure",
            f"mean and range of {most} of the splits",
            "claimed",
            "percentile",
        ),
        rows=tuple(
            (
                text(one.words),
                at(means[number]),
                text(one.claim or "–"),
                at(places[number]) if number in places else text("–"),
            )
            for number, one in enumerate(spreads)
        ),
    )


def _answer(
    draft: Draft, spreads: list[_Spread], means: list[int], places: dict[int, int], needs: list[Need], tested: int
) -> list[str]:
    """Where the claim that lies highest is among the splits, and what that says; without a claim, the spread."""
    claimed = sorted(places, key=lambda number: -(draft.figure(places[number]).value or 0.0))
    if not claimed:
        return [wording.capital(_of_spread(draft, spreads[0], means[0], needs, tested))]
    number = claimed[0]
    return _of_claim(draft, spreads[number], places[number], len(needs), places)


def _lines(
    bench: Bench,
    draft: Draft,
    spreads: list[_Spread],
    means: list[int],
    places: dict[int, int],
    needs: list[Need],
    tested: int,
) -> tuple[str, ...]:
    """The other claims, the spread of every measure, and why a claim is not judged."""
    claimed = sorted(places, key=lambda number: -(draft.figure(places[number]).value or 0.0))
    lines = [
        line for number in claimed[1:] for line in _of_claim(draft, spreads[number], places[number], len(needs), places)
    ]
    lines += [
        wording.capital(_of_spread(draft, one, mean, needs, tested))
        for number, (one, mean) in enumerate(zip(spreads, means, strict=True))
        if claimed or number
    ]
    if claimed and not _split_is_known(bench):
        lines.append("Not judged: how the owner split these rows is not declared, so other rows may explain it.")
    return tuple(lines)


def _of_spread(draft: Draft, one: _Spread, mean: int, needs: list[Need], tested: int) -> str:
    figure = draft.figure(mean)
    if figure.value is None:
        return f"{one.words} has no value: {figure.note}."
    low, high = figure.interval(draft.level) or (figure.value, figure.value)
    trained = wording.count(len(needs[0].fit.train))
    return (
        f"{one.words} is {wording.number(figure.value)} on average over {len(needs)} random splits into {trained} "
        f"training and {wording.count(tested)} test rows; {wording.level_in_percent(draft.level)} of them lie between "
        f"{wording.number(low)} and {wording.number(high)}."
    )


def _of_claim(draft: Draft, one: _Spread, place: int, splits: int, places: dict[int, int]) -> list[str]:
    figure, standing = draft.figure(place), draft.standing(place)
    claimed = f"The claimed {one.words} of {one.claim}"
    tail = one.tail
    if figure.value is None or tail is None:
        return [f"{claimed} can't be placed among random splits: {figure.note}."]
    placed = f"{claimed} is better than {draft.said(place, 0)} % of {splits} random splits"
    together = min(1.0, tail * len(places))  # Holm's step for the smallest p; the answer is about the highest claim
    if together < _RARE:
        return [
            f"{placed}, and fewer than one seed in {_in_odds(tail)} would give as much.",
            "A chosen seed does not explain it: other rows, other code or an error may.",
        ]
    seeds = f"About one seed in {_in_odds(tail)} gives as much"
    ends = {
        Standing.OUTSIDE: [f"{placed}.", f"{seeds}, so a chosen seed is a plausible explanation."],
        Standing.NEAR: [f"{placed}.", f"{seeds}, so a chosen seed may explain it."],
        Standing.WITHIN: [f"{placed}, as a split that nobody chose may be."],
        Standing.UNSETTLED: [f"{placed}: so few splits can't tell if the seed was chosen."],
        None: [f"{placed}.", f"{seeds}."],
    }
    return ends[standing]


def _in_odds(tail: float) -> str:
    """One in how many, in words; no more than a million."""
    return "a million" if tail < 1e-6 else wording.count(max(1, in_round_numbers(1 / tail)))
