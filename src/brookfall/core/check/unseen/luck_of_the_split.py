"""Luck of the split: the measure over many random splits of the claimed size, and where the claim lies among them."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, number_field, say, upper_limit
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import Line, LineChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import FigureReading, Need, Wanted
from brookfall.core.foundation import wording
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure, Interval, absent, quantile_ends
from brookfall.core.measure.interval import wilson
from brookfall.core.measure.registry import lower_is_better, words_of
from brookfall.core.measure.scored import Numbers
from brookfall.core.resample.declared import Shares
from brookfall.core.resample.folds import Fold, random_splits
from brookfall.core.resample.parts import By

_BINS = 20


@dataclass(frozen=True)
class _Spread:
    """A measure over the splits: ``values`` of shape (splits,), and the claim that is held against them, if any."""

    wanted: Wanted
    values: Numbers
    claim: str | None

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
        return [Need(bench.fit(split.train), FigureReading(split.test, wanted)) for split in _splits(bench)]

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
                limit=bench.plan.policy.percentile,
            )
            for number, one in enumerate(spreads)
            if one.claim is not None
        }
        series = {f"luck:{number}": _histogram(one.values) for number, one in enumerate(spreads)}
        most = wording.level_in_percent(draft.level)
        return draft.write(
            _answer(draft, spreads, means, places, needs, tested),
            charts=(
                *pictures.strips(
                    f"Mean over {len(needs)} random splits, with the range of {most} of them", _strips(spreads, means)
                ),
                *_charts(spreads),
            ),
            series=series,
            tables=(_table(spreads, means, places, len(needs), draft.level),),
        )


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
) -> str:
    trained = len(needs[0].fit.train)
    how = (
        f"Over {len(needs)} random splits into {wording.count(trained)} training and {wording.count(tested)} test rows"
    )
    said = []
    for number, one in enumerate(spreads):
        mean = draft.figure(means[number])
        if mean.value is None:
            said.append(f"{wording.capital(one.words)} has no value: {mean.note}.")
            continue
        low, high = mean.interval(draft.level) or (mean.value, mean.value)
        most = wording.level_in_percent(draft.level)
        sentence = (
            f"{one.words} is {wording.number(mean.value)} on average and {most} of them "
            f"lie between {wording.number(low)} and {wording.number(high)}"
        )
        said.append(f"{sentence}. {_of_claim(draft, one, places[number])}" if number in places else f"{sentence}.")
    first, *others = said
    return " ".join([f"{how}, {first}", *(wording.capital(one) for one in others)])


def _of_claim(draft: Draft, one: _Spread, place: int) -> str:
    figure, standing = draft.figure(place), draft.standing(place)
    if figure.value is None:
        return f"The claimed {one.claim} can't be placed: {figure.note}."
    placed = f"The claimed {one.claim} is better than {wording.figure(figure, draft.level, 1)} % of them"
    ends = {
        Standing.OUTSIDE: ": a chosen seed is a plausible explanation.",
        Standing.NEAR: ", so a chosen seed may explain it.",
        Standing.WITHIN: ", as a split that nobody chose may.",
        Standing.UNSETTLED: ", and so few splits can't tell if the seed was chosen.",
        None: ".",
    }
    return placed + ends[standing]
