"""Cross-validation: every fold on one strip, the mean with an interval that knows the folds overlap."""

from math import sqrt

import numpy as np
import scipy

from brookfall.core.check.bench import OUT_OF_FOLD, RECIPE, Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say, upper_limit
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.refits import overlap_of
from brookfall.core.check.unseen.bootstrap_and_leave_one_out import write_whole
from brookfall.core.evidence.chart import RowsOf, StripChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.judge.standing import folds_to_tell
from brookfall.core.measure.figure import Figure, Interval, absent
from brookfall.core.measure.interval import z_of
from brookfall.core.measure.paired_tests import corrected_mean, values_of
from brookfall.core.measure.registry import measure, named, words_of

_SHOWN_FOLDS = 50


class CrossValidation(Check):
    name = "cross_validation"
    title = "Cross-validation"
    question = 3
    source = "Nadeau & Bengio 2003; Bouckaert & Frank 2004; Efron & Tibshirani 1997 (.632 and .632+)."
    refits = True
    outcomes = ANY_OUTCOME
    reads = Reads(plan=("policy.fold_sd_ratio",), subject=("claims",))

    def sentence(self, about: About) -> Sentence:
        return say(
            "Compare the folds; their spread, against what sampling alone gives, counts as unstable beyond its limit.",
            "limit: SD ≤ {ratio} × sampling",
            ratio=upper_limit(about, "fold_sd_ratio", "Limit on SD over folds, times sampling", 100),
        )

    def requests(self, bench: Bench) -> list[Need]:
        kind = bench.plan.cross_validation.kind
        return [*bench.submitted.fold_needs, *([bench.submitted.training_need] if kind == "bootstrap" else [])]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        if bench.plan.cross_validation.kind in ("leave_one_out", "bootstrap"):
            return write_whole(bench, ledger)
        draft = Draft(bench.plan.policy.level)
        scored = bench.submitted.fold_scored(ledger)
        names, main = pictures.main_measures(bench), bench.plan.main_measure
        first = sum(fold.repeat == 1 for fold in bench.split.folds)
        overlap = overlap_of(bench.split.folds)
        figures = {name: [measure(name, rows) for rows in scored] for name in names}
        n = sum(len(rows) for rows in scored[:first])
        means = {
            name: draft.add(
                name,
                corrected_mean(values_of(figures[name]), n, overlap, share=named(name).bounded),
                part=OUT_OF_FOLD,
            )
            for name in names
        }
        ratios = {
            name: draft.add(
                "fold_sd_ratio" if name == main else f"{name}_fold_sd_ratio",
                _sd_ratio(figures[name][:first]),
                part=OUT_OF_FOLD,
                limit=bench.plan.policy.fold_sd_ratio if name == main else None,
            )
            for name in names
        }
        places = {
            (name, i): draft.add(name, figures[name][i], part=f"fold:{fold.number}", repeat=fold.repeat)
            for name in names
            for i, fold in enumerate(bench.split.folds)
        }
        strip = StripChart(
            title=f"{pictures.in_words(main)} in each fold of the first repeat, and over all",
            unit="",
            groups=(
                StripGroup(
                    label="Folds",
                    rows=tuple(
                        StripRow(estimate=places[main, i], label=f"fold {i + 1}", colour="fold")
                        for i in range(min(first, _SHOWN_FOLDS))
                    ),
                ),
                StripGroup(
                    label="Mean",
                    rows=(StripRow(estimate=means[main], label=f"all {len(scored)}", colour=OUT_OF_FOLD),),
                    claim=_claim(bench),
                ),
            ),
        )
        pooled = bench.submitted.out_of_fold(ledger).scored
        title = "Confusion matrix added over the folds" + (" of the first repeat" if first < len(scored) else "")
        matrix = pictures.matrix(pooled, title, bench, RowsOf(model=RECIPE, part=OUT_OF_FOLD))
        summary = TableView(
            title=f"Over {bench.plan.cross_validation.words}",
            columns=("measure", "mean", "SD over folds", "SD against sampling alone"),
            rows=tuple(
                (
                    text(words_of(name)),
                    at(means[name]),
                    text(wording.number(_sd(figures[name]), 4)),
                    at(ratios[name]),
                )
                for name in names
            ),
        )
        folds = TableView(
            title="Fold by fold",
            columns=("fold", *(words_of(name) for name in names)),
            rows=tuple(
                (text(f"{fold.repeat}.{fold.number}"), *(at(places[name, i]) for name in names))
                for i, fold in enumerate(bench.split.folds)
            ),
        )
        charts = (strip,) if matrix is None else (strip, matrix)
        return draft.write(
            _answer(bench, draft, (n, len(scored[0])), means[main], ratios[main]),
            lines=(bench.split.fewer_folds,),
            charts=charts,
            tables=(summary, folds),
        )


def _claim(bench: Bench) -> str | None:
    main = bench.plan.main_measure
    return next((c.value for c in bench.subject.claims if c.method == "cross_validation" and c.measure == main), None)


def _sd(figures: list[Figure]) -> float | None:
    values = values_of(figures)
    return float(values.std(ddof=1)) if np.isfinite(values).all() and len(values) > 1 else None


def _sd_ratio(figures: list[Figure]) -> Figure:
    """SD over the folds of one repeat, against the SD that their sizes alone would give; chi-square interval."""
    n = sum(figure.n for figure in figures)
    sd = _sd(figures)
    halves = [(high - low) / 2 for figure in figures if (ends := figure.interval(0.95)) for low, high in [ends]]
    if sd is None or len(halves) < len(figures) or min(halves) <= 0:
        return absent(n, "a fold has no interval to compare with")
    sampling = sqrt(float(np.mean(np.square(halves)))) / z_of(0.95)
    value, freedom = sd / sampling, len(figures) - 1
    if value == 0:
        # Folds that all say the same could differ by as much as one row makes.
        of_one_row = 1 / max(figure.n for figure in figures) / sqrt(len(figures)) / sampling
        return Figure(value, n, "chi_square", Interval(_up_to_chi_square, of_one_row, freedom))
    return Figure(value, n, "chi_square", Interval(_chi_square_ends, value, freedom))


def _up_to_chi_square(value: float, freedom: int, level: float) -> tuple[float, float]:
    return 0.0, _chi_square_ends(value, freedom, level)[1]


def _chi_square_ends(value: float, freedom: int, level: float) -> tuple[float, float]:
    tail = (1 - level) / 2
    return value * sqrt(freedom / scipy.special.chdtri(freedom, tail)), value * sqrt(
        freedom / scipy.special.chdtri(freedom, 1 - tail)
    )


def _answer(bench: Bench, draft: Draft, sizes: tuple[int, int], mean: int, ratio: int) -> list[str]:
    """``sizes`` are the rows or occasions of the first repeat together, and of the first fold."""
    how = bench.plan.cross_validation
    words = words_of(bench.plan.main_measure)
    sets = f"{len(bench.split.folds)} held-out folds" if how.kind == "k_fold" else f"{how.folds} random holdouts"
    each = f" ({how.folds} × {how.repeats})" if how.repeats > 1 else ""
    counted = bench.subject.counted
    rows = counted(sizes[0]) if how.kind == "k_fold" else f"{counted(sizes[1])} each"
    spread = draft.figure(ratio)
    said = f"Over {sets}{each} of {rows}, {words} is {wording.figure(draft.figure(mean), draft.level)} on average."
    if spread.value is None:
        return [said, f"Its spread over folds was not judged: {spread.note}."]
    limit = bench.plan.policy.fold_sd_ratio
    verdicts = {
        Standing.WITHIN: "It is stable",
        Standing.NEAR: "It is somewhat unstable",
        Standing.OUTSIDE: "It is unstable",
        Standing.UNSETTLED: "Whether it is stable stays open on these rows",
        None: "Its spread is shown and not judged",
    }
    standing = draft.standing(ratio)
    settle = folds_to_tell(limit, draft.level) if standing is Standing.UNSETTLED else None
    told = f"To tell {limit.at_most:g} times from once: about {settle} folds in all." if settle else ""
    differ = f"folds differ {draft.said(ratio, 2)} times as much as sampling alone would make them"
    return [said, f"{verdicts[standing]}: {differ}.", told]
