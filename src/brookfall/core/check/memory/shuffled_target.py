"""Shuffled target: what the recipe finds where there is nothing to find, on its own rows and on unseen ones."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np

from brookfall.core.check.bench import OUT_OF_FOLD, Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, number_field, say, upper_limit
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import AxisMark, Line, LineChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import FigureReading, FitRequest, Need, Shuffles, Wanted
from brookfall.core.foundation import wording
from brookfall.core.judge.policy import Policy
from brookfall.core.measure.capacity import capacity, chance, measure_of_capacity
from brookfall.core.measure.curves import Series
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.registry import words_of
from brookfall.core.measure.scored import Numbers
from brookfall.core.measure.spread_of_draws import mean_of_draws, range_of_draws
from brookfall.core.recipe.families import family_of, resolved_settings
from brookfall.core.resample.folds import Fold
from brookfall.core.resample.permutation import constant_within

_AT_ONCE, _ONE_BY_ONE = 25, 5
"""Shuffles in one piece of work: where they are fitted together, and where a fit follows another."""
_BINS = 12
_ENOUGH = 99
"""Shuffles from which p is judged."""


class Shuffled(Check):
    name = "shuffled"
    title = "Shuffled target"
    question = 4
    source = "Ojala & Garriga 2010 (test 1); Phipson & Smyth 2010 for p."
    refits = True
    tiers = NOT_LIGHT
    reads = Reads(plan=("shuffles", "policy.capacity", "policy.shuffled_p"))

    def sentence(self, about: About) -> Sentence:
        return say(
            "Shuffle the outcomes {shuffles} times and refit: what it still gets right on its own rows, it memorises; "
            "what it gets right on unseen rows is chance.",
            "limits: p ≤ {p}; capacity ≤ {capacity}, where 1 is none",
            shuffles=number_field(about.plan.shuffles, "Shuffles", ("shuffles",), 20, 1000),
            capacity=upper_limit(about, "capacity", "Limit on the capacity to memorise"),
            p=upper_limit(about, "shuffled_p", "Limit on p against shuffled outcomes"),
        )

    def requests(self, bench: Bench) -> list[Need]:
        asked = _Asked(bench)
        return [need for fold in bench.split.short_folds for need in (*asked.observed(fold), *asked.shuffled(fold))]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        found = _read(bench, ledger)
        draft, policy = Draft(bench.plan.policy.level), bench.plan.policy
        trained, tested = len(bench.split.short_folds[0].train), len(bench.split.cross_validated)
        scale = _Asked(bench).scale
        reached = capacity(found.seen, found.chance)
        places = {
            "seen": draft.add(scale, _single(found.observed_seen, trained), part="training"),
            "unseen": draft.add(scale, _single(found.observed_unseen, tested), part=OUT_OF_FOLD),
            "shuffled seen": draft.add(scale, range_of_draws(found.seen, trained), model="shuffled", part="training"),
            "shuffled unseen": draft.add(
                scale, range_of_draws(found.unseen, tested), model="shuffled", part=OUT_OF_FOLD
            ),
            "capacity": draft.add(
                "capacity", mean_of_draws(reached, trained, 0.0, 1.0), part="training", limit=_limit_on_capacity(policy)
            ),
        }
        p = _p(found)
        keeps = p.value is not None and policy.shuffled_p.keeps(p.value)
        places["p"] = draft.add(
            "shuffled_p",
            p,
            part=OUT_OF_FOLD,
            limit=policy.shuffled_p if _enough(p) else None,
            # The p value is exact for these shuffles: it keeps its limit or it does not.
            standing=None if p.value is None or not _enough(p) else (Standing.WITHIN if keeps else Standing.OUTSIDE),
        )
        if found.plain is not None:
            places["plain"] = draft.add(scale, range_of_draws(found.plain, trained), model="shuffled, as fitted")
        charts, series = _pictures(found, scale)
        return draft.write(
            _answer(bench, draft, places, found, scale),
            charts=(*pictures.strips("Shuffled and true outcomes on one scale", _strips(places, scale)), *charts),
            series=series,
            tables=(_table(places, scale, bench.plan.shuffles),),
        )


class _Asked:
    """What is asked of the fits of each fold."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self.scale = measure_of_capacity(bench.plan.main_measure, bench.subject.outcome)
        self.family = family_of(bench.recipe)
        self.reason = self.family.by_construction(resolved_settings(bench.recipe))

    @property
    def _wanted(self) -> tuple[Wanted, ...]:
        return (Wanted(self.scale),)

    def readings(self, fold: Fold) -> tuple[FigureReading, ...]:
        """Its own rows, unseen rows, and, where its own rows say nothing, its own rows as fitted."""
        bench = self._bench
        plain = bench.figures(fold.train, self._wanted)
        unseen = bench.figures(fold.test, self._wanted)
        if self.reason is None:
            return plain, unseen
        return bench.figures(fold.train, self._wanted, "without itself"), unseen, plain

    def observed(self, fold: Fold) -> list[Need]:
        fit = self._bench.fit(fold.train)
        return [Need(fit, reading) for reading in self.readings(fold)]

    def shuffled(self, fold: Fold) -> list[Need]:
        return [Need(fit, reading) for fit in self.fits(fold) for reading in self.readings(fold)]

    def fits(self, fold: Fold) -> list[FitRequest]:
        bench, whole = self._bench, self._bench.fit(fold.train)
        count, at_once = bench.plan.shuffles, _ONE_BY_ONE if self.family.many is None else _AT_ONCE
        return [
            replace(
                whole,
                shuffles=Shuffles(
                    bench.split.cross_validated, bench.plan.seed, first, min(at_once, count - first), self.blocks
                ),
            )
            for first in range(0, count, at_once)
        ]

    @cached_property
    def blocks(self) -> np.ndarray[tuple[int], np.dtype[np.int64]] | None:
        """The groups that change places, where all rows of a group have one outcome."""
        clusters, rows = self._bench.subject.clusters, self._bench.split.cross_validated
        if clusters is None or not constant_within(self._bench.subject.target.values[rows], clusters[rows]):
            return None
        return np.asarray(clusters[rows])


@dataclass(frozen=True)
class _Found:
    """The measure over the shuffles (shuffles,), each a mean over the folds, and of the true outcomes.

    ``plain`` are its own rows as fitted, where these are not what is judged.
    """

    seen: Numbers
    unseen: Numbers
    plain: Numbers | None
    observed_seen: float
    observed_unseen: float
    chance: float
    blocks: bool


def _read(bench: Bench, ledger: Ledger) -> _Found:
    asked = _Asked(bench)
    readings = len(asked.readings(bench.split.short_folds[0]))
    observed, shuffled = np.empty((len(bench.split.short_folds), readings)), []
    for number, fold in enumerate(bench.split.short_folds):
        observed[number] = [float(ledger.scores(need)[0]) for need in asked.observed(fold)]
        of_fold = [
            [ledger.scores(Need(fit, reading))[:, 0] for reading in asked.readings(fold)] for fit in asked.fits(fold)
        ]
        shuffled.append(np.concatenate(of_fold, axis=1))
    means = _means(np.stack(shuffled))
    true = observed.mean(axis=0)
    target = bench.subject.target
    counts = np.zeros(0)
    if target.outcome != "number":
        counts = np.bincount(target.codes[bench.split.cross_validated], minlength=len(target.classes)).astype(
            np.float64
        )
    guess = chance(asked.scale, bench.subject.outcome, counts / counts.sum() if len(counts) else counts)
    plain = means[2] if readings > 2 else None
    return _Found(means[0], means[1], plain, float(true[0]), float(true[1]), guess, asked.blocks is not None)


def _means(values: Numbers) -> Numbers:
    """Over the folds (folds, readings, shuffles) that have a value; NaN where none has."""
    known = np.isfinite(values)
    total = np.where(known, values, 0.0).sum(axis=0)
    return np.divide(total, known.sum(axis=0), out=np.full(total.shape, np.nan), where=known.any(axis=0))


def _single(value: float, n: int) -> Figure:
    if not np.isfinite(value):
        return absent(n, "in one fold it has no value")
    return Figure(value, n, note="a mean over folds; its interval is in cross-validation")


def _p(found: _Found) -> Figure:
    known = found.unseen[np.isfinite(found.unseen)]
    if not np.isfinite(found.observed_unseen) or not len(known):
        return absent(len(known), "the measure has no value on these rows")
    reached = int((known >= found.observed_unseen).sum())
    value = (1 + reached) / (len(known) + 1)
    return Figure(value, len(known), "phipson_smyth", note="exact for these shuffles, so it has no interval")


def _strips(places: dict[str, int], scale: str) -> list[tuple[str, StripGroup]]:
    def group(label: str, true: str, shuffled: str) -> tuple[str, StripGroup]:
        rows = (
            StripRow(estimate=places[true], label="true outcomes", colour="recipe"),
            StripRow(estimate=places[shuffled], label="shuffled", colour="baseline"),
        )
        return scale, StripGroup(label=label, rows=rows)

    words = pictures.in_words(scale)
    return [
        group(f"{words}, its own rows", "seen", "shuffled seen"),
        group(f"{words}, unseen rows", "unseen", "shuffled unseen"),
    ]


def _pictures(found: _Found, scale: str) -> tuple[tuple[LineChart, ...], dict[str, Series]]:
    words = words_of(scale)
    charts, series = [], {}
    for name, label, values, observed in (
        ("seen", "its own rows", found.seen, found.observed_seen),
        ("unseen", "unseen rows", found.unseen, found.observed_unseen),
    ):
        series[f"shuffled:{name}"] = _histogram(values)
        charts.append(
            LineChart(
                title=f"{wording.capital(words)} on {label}, outcomes shuffled",
                x=f"{words} on {label}",
                y="number of shuffles",
                lines=(Line(series=f"shuffled:{name}", label="shuffled outcomes", colour="baseline"),),
                marks=(AxisMark(x=observed, label="true outcomes"),) if np.isfinite(observed) else (),
            )
        )
    return tuple(charts), series


def _histogram(values: Numbers) -> Series:
    kept = values[np.isfinite(values)]
    if not len(kept):
        return {"x": [], "y": []}
    counts, edges = np.histogram(kept, bins=_BINS if np.ptp(kept) > 0 else 1)
    return {"x": ((edges[1:] + edges[:-1]) / 2).tolist(), "y": counts.astype(np.float64).tolist()}


def _table(places: dict[str, int], scale: str, shuffles: int) -> TableView:
    words = words_of(scale)
    rows = [
        (text(f"{words}, true outcomes"), at(places["seen"]), at(places["unseen"])),
        (
            text(f"{words}, shuffled: mean and range of 95 %"),
            at(places["shuffled seen"]),
            at(places["shuffled unseen"]),
        ),
        (text("capacity, 0 chance to 1 perfect"), at(places["capacity"]), text("–")),
        (text("p, that nothing was learned"), text("–"), at(places["p"])),
    ]
    if "plain" in places:
        rows.append((text(f"{words}, shuffled, as fitted (not judged)"), at(places["plain"]), text("–")))
    title = f"Over {shuffles} shuffles; each value is a mean over five folds"
    return TableView(title=title, columns=("", "its own rows", "unseen rows"), rows=tuple(rows))


def _answer(bench: Bench, draft: Draft, places: dict[str, int], found: _Found, scale: str) -> list[str]:
    words = words_of(scale)
    shuffled, unseen = draft.figure(places["shuffled seen"]), draft.figure(places["shuffled unseen"])
    if shuffled.value is None or unseen.value is None:
        return [f"Nothing can be said of shuffled outcomes: {shuffled.note or unseen.note}."]
    said = []
    p = draft.figure(places["p"])
    if p.value is not None:
        learned = bench.plan.policy.shuffled_p.keeps(p.value)
        opening = "It learned something" if learned else "Nothing shows that it learned anything"
        said.append(
            f"{opening}: {words} on unseen rows is {wording.number(found.observed_unseen)}, with shuffled "
            f"outcomes {wording.number(unseen.value)} "
            f"(p {p.value:.3f})."
        )
    said.append(_memorised(bench, draft, places["capacity"]))
    said.append(
        f"With shuffled outcomes {words} is {wording.number(shuffled.value)} on its own rows, where chance is "
        f"{wording.number(found.chance)}."
    )
    moved = "Whole groups of outcomes" if found.blocks else "Outcomes"
    few = "" if _enough(p) else f"; p is judged from {_ENOUGH} times on"
    return [
        *said,
        _Asked(bench).reason or "",
        f"{moved} changed places {wording.times_over(bench.plan.shuffles)}{few}.",
    ]


def _memorised(bench: Bench, draft: Draft, place: int) -> str:
    """How far it gets on its own rows with outcomes that say nothing, and how that stands where a limit is set."""
    reached = draft.figure(place).mapped(lambda value: 100 * value)
    ends = reached.interval(draft.level_of(place))
    told = wording.number(reached.value, 0) if ends is None else wording.figure_to(reached, draft.level_of(place), 0)
    limit = f"the limit of {100 * bench.plan.policy.capacity.high:g} %"
    stands = {
        Standing.WITHIN: f", within {limit}",
        Standing.OUTSIDE: f", beyond {limit}",
        Standing.NEAR: f", near {limit}",
        Standing.UNSETTLED: f"; too few rows to tell, against {limit}",
        None: "",
    }
    return f"It memorises {told} % of the way from chance to perfect{stands[draft.standing(place)]}."


def _limit_on_capacity(policy: Policy) -> Limit | None:
    """None where a policy's limit is all that there can be: forests and boosting reach 1 on sound data."""
    return policy.capacity if policy.capacity.high < 1 else None


def _enough(p: Figure) -> bool:
    """Whether so many shuffles were made that p can be small enough to be judged."""
    return p.n >= _ENOUGH
