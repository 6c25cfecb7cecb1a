"""Cross-validation: every fold on one strip, the mean with an interval that knows the folds overlap."""

from math import sqrt

import numpy as np
from scipy.special import chdtri

from brookfall.core import wording
from brookfall.core.bench import OUT_OF_FOLD, Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.exhibit import MatrixChart, StripChart, StripGroup, StripRow, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.judge.limit import Standing, rows_to_settle
from brookfall.core.measure.binary import measure
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.interval import z_of
from brookfall.core.measure.ranking import Scores
from brookfall.core.measure.resampled import corrected_mean

_MEASURES = ("auc", "accuracy", "brier")


class CrossValidation:
    name = "cross_validation"
    title = "Cross-validation"
    question = 3
    source = "Nadeau & Bengio 2003; Bouckaert & Frank 2004."

    def requests(self, bench: Bench) -> list[Need]:
        return list(bench.fold_needs)

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        how = bench.plan.cross_validation
        draft = Draft(bench.plan.policy.level)
        scored = [
            bench.scored(fold.test, ledger.scores(need), need.fit.key)
            for fold, need in zip(bench.folds, bench.fold_needs, strict=True)
        ]
        figures = {name: [measure(name, rows) for rows in scored] for name in _MEASURES}
        means = {
            name: draft.add(name, _mean(figures[name], len(bench.cross_validated), how.folds), part=OUT_OF_FOLD)
            for name in _MEASURES
        }
        ratios = {
            name: draft.add(
                "fold_sd_ratio" if name == bench.plan.main_measure else f"{name}_fold_sd_ratio",
                _sd_ratio(figures[name][: how.folds]),
                part=OUT_OF_FOLD,
                limit=bench.plan.policy.fold_sd_ratio if name == bench.plan.main_measure else None,
            )
            for name in _MEASURES
        }
        places = {
            (name, i): draft.add(name, figures[name][i], part=f"fold:{fold.number}", repeat=fold.repeat)
            for name in _MEASURES
            for i, fold in enumerate(bench.folds)
        }
        main = bench.plan.main_measure
        strip = StripChart(
            title=f"{wording.capital(wording.measure_words(main))} in each fold of the first repeat, and over all",
            unit="",
            groups=(
                StripGroup(
                    label="Folds",
                    rows=tuple(
                        StripRow(estimate=places[main, i], label=f"fold {i + 1}", colour="fold")
                        for i in range(how.folds)
                    ),
                ),
                StripGroup(
                    label="Mean",
                    rows=(StripRow(estimate=means[main], label=f"all {len(scored)}", colour=OUT_OF_FOLD),),
                    claim=_claim(bench),
                ),
            ),
        )
        pooled = bench.out_of_fold(ledger).confusion
        matrix = MatrixChart(
            title=f"Confusion matrix added over the {how.folds} folds of the first repeat",
            tn=pooled.tn,
            fp=pooled.fp,
            fn=pooled.fn,
            tp=pooled.tp,
            positive=bench.subject.positive_value,
        )
        summary = TableView(
            title=f"Over {how.folds} folds × {how.repeats}",
            columns=("measure", "mean", "SD over folds", "SD against sampling alone"),
            rows=tuple(
                (
                    text(wording.measure_words(name)),
                    at(means[name]),
                    text(wording.number(_sd(figures[name]), 4)),
                    at(ratios[name]),
                )
                for name in _MEASURES
            ),
        )
        folds = TableView(
            title="Fold by fold",
            columns=("fold", *(wording.measure_words(name) for name in _MEASURES)),
            rows=tuple(
                (text(f"{fold.repeat}.{fold.number}"), *(at(places[name, i]) for name in _MEASURES))
                for i, fold in enumerate(bench.folds)
            ),
        )
        answer = _answer(bench, draft, means[main], ratios[main])
        return draft.write(answer, charts=(strip, matrix), tables=(summary, folds))


def _claim(bench: Bench) -> str | None:
    main = bench.plan.main_measure
    return next((c.value for c in bench.subject.claims if c.method == "cross_validation" and c.measure == main), None)


def _values(figures: list[Figure]) -> Scores:
    return np.array([np.nan if figure.value is None else figure.value for figure in figures])


def _sd(figures: list[Figure]) -> float | None:
    values = _values(figures)
    return float(values.std(ddof=1)) if np.isfinite(values).all() and len(values) > 1 else None


def _mean(figures: list[Figure], n: int, folds: int) -> Figure:
    return corrected_mean(_values(figures), n, 1 / (folds - 1))


def _sd_ratio(figures: list[Figure]) -> Figure:
    """SD over the folds of one repeat, against the SD that their sizes alone would give; chi-square interval."""
    n = sum(figure.n for figure in figures)
    sd = _sd(figures)
    halves = [(high - low) / 2 for figure in figures if (ends := figure.interval(0.95)) for low, high in [ends]]
    if sd is None or len(halves) < len(figures) or min(halves) <= 0:
        return absent(n, "a fold has no interval to compare with")
    sampling = sqrt(float(np.mean(np.square(halves)))) / z_of(0.95)
    value, freedom = sd / sampling, len(figures) - 1

    def bounds(level: float) -> tuple[float, float]:
        tail = (1 - level) / 2
        return value * sqrt(freedom / chdtri(freedom, tail)), value * sqrt(freedom / chdtri(freedom, 1 - tail))

    return Figure(value, n, "chi_square", bounds)


def _answer(bench: Bench, draft: Draft, mean: int, ratio: int) -> str:
    how = bench.plan.cross_validation
    words = wording.measure_words(bench.plan.main_measure)
    fits = len(bench.folds)
    spread = draft.figure(ratio)
    said = (
        f"Over {fits} held-out folds of {wording.rows(len(bench.cross_validated))}, {words} is "
        f"{wording.figure(draft.figure(mean), draft.level)} on average."
    )
    if how.repeats > 1:
        said = said.replace("held-out folds", f"held-out folds ({how.folds} × {how.repeats})")
    if spread.value is None:
        return f"{said} Its spread over folds was not judged: {spread.note}."
    limit = bench.plan.policy.fold_sd_ratio
    verdicts = {
        Standing.WITHIN: "It is stable",
        Standing.NEAR: "It is somewhat unstable",
        Standing.OUTSIDE: "It is unstable",
        Standing.UNSETTLED: "Whether it is stable stays open on these rows",
        None: "Its spread is shown and not judged",
    }
    standing = draft.standing(ratio)
    settle = rows_to_settle(spread, limit, draft.wide_level) if standing is Standing.UNSETTLED else None
    return (
        f"{said} {verdicts[standing]}: folds differ {wording.figure(spread, draft.level, 2)} times as much as "
        f"sampling alone would make them." + (f" About {wording.rows(settle)} would settle it." if settle else "")
    )
