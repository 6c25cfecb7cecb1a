"""Holdout: every part side by side, the confusion matrix at the threshold, the ROC curve."""

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.curves import roc_series
from brookfall.core.exhibit import (
    Line,
    LineChart,
    MatrixChart,
    StripChart,
    StripGroup,
    StripRow,
    TableView,
)
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.measure.binary import measure
from brookfall.core.measure.ranking import Outcomes

MEASURES = (
    "auc",
    "accuracy",
    "brier",
    "recall",
    "specificity",
    "precision",
    "negative_predictive_value",
    "selection_rate",
    "base_rate",
    "f1",
    "mcc",
    "average_precision",
    "log_loss",
)
_ON_STRIP = ("auc", "accuracy", "recall", "precision", "brier")


class Holdout:
    name = "holdout"
    title = "Holdout"
    question = 3
    source = "Wilson 1927; DeLong, DeLong & Clarke-Pearson 1988; Efron & Tibshirani 1993."

    def requests(self, bench: Bench) -> list[Need]:
        return [bench.holdout]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        parts = {part: bench.part_scores(ledger, bench.holdout, part) for part in bench.parts}
        places = {
            (name, part): draft.add(name, measure(name, rows), part=part, threshold=rows.threshold)
            for name in MEASURES
            for part, rows in parts.items()
        }
        claims = {
            claim.measure: claim.value
            for claim in bench.subject.claims
            if claim.part == "test" and claim.threshold in (None, bench.subject.threshold)
        }
        strip = StripChart(
            title="Each part on one scale",
            unit="",
            groups=tuple(
                StripGroup(
                    label=wording.capital(wording.measure_words(name)),
                    rows=tuple(StripRow(estimate=places[name, part], label=part, colour=part) for part in parts),
                    claim=claims.get(name),
                )
                for name in _ON_STRIP
            ),
        )
        series = {f"roc:{part}": roc_series(rows) for part, rows in parts.items() if _has_both(rows.outcomes)}
        roc = LineChart(
            title="ROC curve",
            x="false positive rate",
            y="true positive rate",
            lines=tuple(
                Line(series=name, label=name.removeprefix("roc:"), colour=name.removeprefix("roc:")) for name in series
            ),
            diagonal=True,
        )
        test = parts["test"].confusion
        matrix = MatrixChart(
            title=f"Confusion matrix, test rows, score ≥ {bench.subject.threshold:g}",
            tn=test.tn,
            fp=test.fp,
            fn=test.fn,
            tp=test.tp,
            positive=bench.subject.positive_value,
        )
        table = TableView(
            title="All measures by part",
            columns=("measure", *parts),
            rows=tuple(
                (text(wording.measure_words(name)), *(at(places[name, part]) for part in parts)) for name in MEASURES
            ),
        )
        return draft.write(_answer(bench, draft, places), charts=(strip, roc, matrix), series=series, tables=(table,))


def _answer(bench: Bench, draft: Draft, places: dict[tuple[str, str], int]) -> str:
    main = bench.plan.main_measure
    words = wording.measure_words(main)
    n = len(bench.parts["test"])
    said = (
        f"On {wording.rows(n)} it has not seen, {words} is "
        f"{wording.figure(draft.figure(places[main, 'test']), draft.level)}; on its own "
        f"{wording.count(len(bench.parts['training']))} training rows it is "
        f"{wording.number(draft.figure(places[main, 'training']).value)}."
    )
    share = len(bench.parts["training"]) / len(bench.all_parts)
    if not 0.5 <= share <= 0.8:
        said += f" Training holds {wording.percent(share, 0)} of the rows; between 50 % and 80 % is common practice."
    return said


def _has_both(outcomes: Outcomes) -> bool:
    return bool(outcomes.any() and not outcomes.all())
