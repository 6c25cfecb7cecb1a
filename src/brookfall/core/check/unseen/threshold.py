"""Threshold: every rate as a function of the threshold, groups included; nothing is fitted again to move it."""

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Check, Draft, Written, at, text
from brookfall.core.check.groups.protected_groups import grounds_of, groups_of
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.threshold_sentence import UNDECIDED
from brookfall.core.evidence.chart import Chart, RowsOf, TableView, ThresholdChart
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.curves import Series, threshold_counts, threshold_grid
from brookfall.core.measure.registry import measure, words_of
from brookfall.core.measure.scored import Scored

_MEASURES = ("recall", "precision", "specificity", "selection_rate", "accuracy")
_NO_DECISION = "Only a binary outcome is decided by a threshold on one score."


class Threshold(Check):
    name = "threshold"
    title = "Threshold"
    question = 3
    source = "Wilson 1927 at the submitted threshold; counts elsewhere."
    reads = Reads(plan=("bands", "merged"), roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say("Show what moving the threshold does, to every group too.")

    def requests(self, bench: Bench) -> list[Need]:
        if bench.subject.outcome != "binary":
            raise UserError(_NO_DECISION, todo="Leave this check out.")
        return bench.deciding_needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        charts: list[Chart] = []
        series: dict[str, Series] = {}
        tables: list[TableView] = []
        answers: list[str] = []
        for model in bench.models_of(ledger):
            judged = bench.deciding(ledger, model)
            if not isinstance(judged.scored, Scored):
                continue
            known = judged.scored.known()
            rows = judged.scored.take(known, "scored").at(bench.subject.threshold)
            at_threshold = rows.threshold is not None
            if not len(rows):
                answers.append(f"No row of the {judged.part} part has a supplied score.")
                continue
            places = {
                name: draft.add(name, measure(name, rows), model=model, part=judged.part, threshold=rows.threshold)
                for name in (_MEASURES if at_threshold else ())
            }
            named = f"{judged.part.replace('_', '-')} rows{pictures.of_model(model, bench)}"
            grid, prefix = threshold_grid(rows), f"threshold:{model}"
            series[f"{prefix}:all"] = threshold_counts(rows, grid)
            groups = {}
            grounds = [one.take(judged.positions[known]) for one in grounds_of(bench.subject, bench.plan)]
            for group in groups_of(grounds, 1):
                groups[f"{prefix}:{group.words}"] = group.words
                series[f"{prefix}:{group.words}"] = threshold_counts(rows.take(group.members, group.words), grid)
            charts.append(
                ThresholdChart(
                    title=f"What the threshold decides, {named}",
                    series=f"{prefix}:all",
                    submitted=rows.threshold,
                    whose=bench.subject.whose_threshold,
                    positive=bench.subject.target.positive,
                    groups=groups,
                    rows=RowsOf(model=model, part=judged.part, threshold=rows.threshold),
                )
            )
            if rows.threshold is None:
                answers.append(UNDECIDED)
                continue
            tables.append(
                TableView(
                    title=f"At the {bench.subject.whose_threshold} threshold of {rows.threshold:g}, {named}",
                    columns=("measure", judged.part.replace("_", "-")),
                    rows=tuple((text(words_of(name)), at(place)) for name, place in places.items()),
                )
            )
            at_it = f"At the {bench.subject.whose_threshold} threshold of {rows.threshold:g}"
            answers.append(f"{at_it} {_answer(draft, places, pictures.of_model(model, bench))}")
        return draft.write(answers, charts=tuple(charts), series=series, tables=tuple(tables))


def _answer(draft: Draft, places: dict[str, int], model: str) -> str:
    return (
        f"it{model} finds {wording.figure(draft.figure(places['recall']), draft.level)} of the positive rows, and "
        f"{wording.figure(draft.figure(places['precision']), draft.level)} of the "
        f"{wording.rows(draft.figure(places['precision']).n)} it selects are positive."
    )
