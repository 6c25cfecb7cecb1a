"""Baseline: the model against one that always gives the most frequent answer."""

from brookfall.core import wording
from brookfall.core.bench import OUT_OF_FOLD, Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.exhibit import StripChart, StripGroup, StripRow, TableView, Versus
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.judge.limit import Standing
from brookfall.core.measure.binary import HIGHER_IS_WORSE, measure, paired_gap

_MEASURES = ("auc", "accuracy", "brier")


class Baseline:
    name = "baseline"
    title = "Baseline"
    question = 5
    source = "Newcombe 1998 (paired differences); DeLong et al. 1988."

    def requests(self, bench: Bench) -> list[Need]:
        return [bench.holdout, bench.baseline]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        part = "test" if bench.plan.deciding_part == OUT_OF_FOLD else bench.plan.deciding_part
        model = bench.part_scores(ledger, bench.holdout, part)
        simple = bench.baseline_scores(ledger, part)
        ours, theirs, gains = {}, {}, {}
        for name in _MEASURES:
            ours[name] = draft.add(name, measure(name, model), part=part)
            theirs[name] = draft.add(name, measure(name, simple), model="baseline", part=part)
            better, worse = (simple, model) if name in HIGHER_IS_WORSE else (model, simple)
            gain = paired_gap(name, better, worse)
            judged = name == bench.plan.main_measure
            gains[name] = draft.add(
                f"{name}_difference",
                gain,
                part=part,
                versus=Versus(model="baseline"),
                limit=bench.plan.policy.better_than_baseline if judged else None,
                # The same answers, row for row, gain exactly nothing: that keeps "at least 0" and beats nobody.
                standing=Standing.OUTSIDE if judged and gain.value == 0 else None,
            )
        strip = StripChart(
            title=f"The model and the most frequent answer, {part} rows",
            unit="",
            groups=tuple(
                StripGroup(
                    label=wording.capital(wording.measure_words(name)),
                    rows=(
                        StripRow(estimate=ours[name], label="model", colour="recipe"),
                        StripRow(estimate=theirs[name], label="most frequent answer", colour="baseline"),
                    ),
                )
                for name in _MEASURES
            ),
        )
        table = TableView(
            title=f"On the same {wording.rows(len(model))}; a gain is positive when the model is better",
            columns=("measure", "model", "most frequent answer", "gain"),
            rows=tuple(
                (text(wording.measure_words(name)), at(ours[name]), at(theirs[name]), at(gains[name]))
                for name in _MEASURES
            ),
        )
        main = bench.plan.main_measure
        openings = {
            Standing.WITHIN: "It beats the most frequent answer",
            Standing.OUTSIDE: "It is no better than the most frequent answer",
            Standing.NEAR: "It is no better than the most frequent answer, as far as these rows can tell",
            Standing.UNSETTLED: "These rows can't tell it from the most frequent answer",
            None: "It is set beside the most frequent answer and not judged",
        }
        answer = (
            f"{openings[draft.standing(gains[main])]}: {wording.measure_words(main)} differs by "
            f"{wording.figure(draft.figure(gains[main]), draft.level)} on {wording.rows(len(model))}. Accuracy is "
            f"{wording.number(draft.figure(ours['accuracy']).value)} against "
            f"{wording.number(draft.figure(theirs['accuracy']).value)} for always giving that answer."
        )
        return draft.write(answer, charts=(strip,), tables=(table,))
