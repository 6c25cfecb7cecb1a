"""Learning curve: the measure against the number of training rows."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.candidate.candidate import ScoredPart
from brookfall.core.check.bench import OUT_OF_FOLD, Bench
from brookfall.core.check.check import HIGH_STAKES, Check, Draft, Written, at, text
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.refits import gain_by_fold, overlap_of, score_by_fold
from brookfall.core.evidence.chart import Line, LineChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, ScoreReading, Wanted
from brookfall.core.foundation import digest, wording
from brookfall.core.measure.curves import Series
from brookfall.core.measure.paired_tests import corrected_mean
from brookfall.core.measure.registry import named, words_of
from brookfall.core.resample.folds import Fold

_SHARES = (0.1, 0.2, 0.35, 0.5, 0.75, 1.0)


class Learning(Check):
    name = "learning"
    title = "Learning curve"
    question = 4
    source = "Common practice; Nadeau & Bengio 2003 for the mean over folds."
    refits = True
    tiers = HIGH_STAKES

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say("Learn from a tenth of the rows up to all, and see whether more would help.")

    def requests(self, bench: Bench) -> list[Need]:
        return [need for fold in bench.split.short_folds for size in _SHARES for need in _needs(bench, fold, size)]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft, name = Draft(bench.plan.policy.level), bench.plan.main_measure
        steps = [_step(bench, ledger, size) for size in _SHARES]
        folds = bench.split.short_folds
        n, overlap = len(bench.split.cross_validated), overlap_of(folds)
        seen = [
            draft.add(
                name,
                corrected_mean(step.seen, n, overlap, share=named(name).bounded),
                model=_model(step),
                part="training",
            )
            for step in steps
        ]
        unseen = [
            draft.add(name, score_by_fold(name, folds, step.unseen), model=_model(step), part=OUT_OF_FOLD)
            for step in steps
        ]
        last, before = steps[-1], steps[-2]
        more = draft.add(
            name,
            gain_by_fold(name, folds, last.unseen, before.unseen),
            comparison="difference",
            model=_model(last),
            part=OUT_OF_FOLD,
            versus=Versus(model=_model(before)),
        )
        words = words_of(name)
        series: dict[str, Series] = {
            "learning:training": {
                "x": [float(step.rows) for step in steps],
                "y": [draft.figure(place).value for place in seen],
            },
            "learning:unseen": {
                "x": [float(step.rows) for step in steps],
                "y": [draft.figure(place).value for place in unseen],
            },
        }
        chart = LineChart(
            title=f"{wording.capital(words)} by number of training rows",
            x="training rows",
            y=words,
            lines=(
                Line(series="learning:training", label="training", colour="training"),
                Line(series="learning:unseen", label="unseen", colour="out_of_fold"),
            ),
        )
        strip = [
            (
                name,
                StripGroup(
                    label=f"{wording.capital(words)}, unseen",
                    rows=tuple(
                        StripRow(estimate=place, label=f"{wording.count(step.rows)} rows", colour="out_of_fold")
                        for step, place in zip(steps, unseen, strict=True)
                    ),
                ),
            )
        ]
        table = TableView(
            title="Each step learns from a share of every fold's training rows and is scored on the rows held out",
            columns=("training rows", f"{words}, training", f"{words}, unseen"),
            rows=tuple(
                (text(wording.count(step.rows)), at(ours), at(theirs))
                for step, ours, theirs in zip(steps, seen, unseen, strict=True)
            ),
        )
        return draft.write(
            _answer(draft, steps, unseen, more, words),
            charts=(chart, *pictures.strips("Unseen rows, by number of training rows", strip)),
            series=series,
            tables=(table,),
        )


@dataclass(frozen=True)
class _Step:
    """A share of the training rows: how many that is, the measure of each fold's own rows, and the rows held out."""

    rows: int
    seen: np.ndarray[tuple[int], np.dtype[np.float64]]
    unseen: ScoredPart


def _needs(bench: Bench, fold: Fold, size: float) -> list[Need]:
    train = _some(bench, fold, size)
    fit = bench.fit(train)
    return [Need(fit, ScoreReading(fold.test)), Need(fit, bench.figures(train, (Wanted(bench.plan.main_measure),)))]


def _some(bench: Bench, fold: Fold, size: float) -> Rows:
    """A share of a fold's training rows, classes in equal shares, whole groups; a smaller share is part of a larger."""
    if size == 1:
        return fold.train
    subject = bench.subject
    rng = np.random.default_rng(digest.seed_from("learning", bench.plan.seed, fold.number))
    units = np.arange(len(fold.train)) if subject.clusters is None else subject.clusters[fold.train]
    kinds, unit = np.unique(units, return_inverse=True)
    place = rng.permutation(len(kinds))[unit].astype(np.float64)
    strata = subject.target.strata
    if strata is None or subject.clusters is not None:
        return np.sort(fold.train[place < size * len(kinds)])
    kept = np.zeros(len(fold.train), dtype=np.bool_)
    for code in np.unique(strata[fold.train]):
        mine = np.flatnonzero(strata[fold.train] == code)
        kept[mine[np.argsort(place[mine])][: max(1, round(size * len(mine)))]] = True
    return np.sort(fold.train[kept])


def _step(bench: Bench, ledger: Ledger, size: float) -> _Step:
    needs = [_needs(bench, fold, size) for fold in bench.split.short_folds]
    rows = np.concatenate([fold.test for fold in bench.split.short_folds])
    order = np.argsort(rows, kind="stable")
    scores = np.concatenate([ledger.scores(unseen) for unseen, _ in needs])[order]
    seen = np.array([float(ledger.scores(own)[0]) for _, own in needs])
    trained = round(float(np.mean([len(unseen.fit.train) for unseen, _ in needs])))
    unseen = ScoredPart(OUT_OF_FOLD, rows[order], bench.scored(rows[order], scores, f"learning {size}"))
    return _Step(trained, seen, unseen)


def _model(step: _Step) -> str:
    return f"{step.rows} training rows"


def _answer(draft: Draft, steps: list[_Step], unseen: list[int], more: int, words: str) -> str:
    first, last = draft.figure(unseen[0]), draft.figure(unseen[-1])
    gained = draft.figure(more)
    said = (
        f"Unseen rows have {words} {wording.number(first.value)} after {wording.count(steps[0].rows)} training rows "
        f"and {wording.number(last.value)} after {wording.count(steps[-1].rows)}."
    )
    interval = gained.interval(draft.level)
    if gained.value is None or interval is None:
        return f"{said} What the last quarter of them added can't be said: {gained.note}."
    ends = (
        "so more rows may well help"
        if interval[0] > 0
        else "so more of the same rows may not help"
        if interval[1] > 0
        else "so more of the same rows do not help"
    )
    return f"{said} The last quarter of them added {wording.figure(gained, draft.level)}, {ends}."
