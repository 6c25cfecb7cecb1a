"""Threshold: every rate as a function of the threshold, groups included; nothing is fitted again to move it."""

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check import shown
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.fairness.groups import grounds_of, groups_of
from brookfall.core.errors import UserError
from brookfall.core.exhibit import Chart, RowsOf, TableView, ThresholdChart
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.measure.curves import Series, threshold_counts, threshold_grid
from brookfall.core.measure.measures import measure
from brookfall.core.measure.scored import Scored

_MEASURES = ("recall", "precision", "specificity", "selection_rate", "accuracy")
_NO_DECISION = "Only a binary outcome is decided by a threshold on one score."


_READ = ("recall", "precision", "selection_rate")


class Threshold:
    name = "threshold"
    title = "Threshold"
    question = 3
    source = "Wilson 1927 at the submitted threshold; counts elsewhere."
    refits = False

    def requests(self, bench: Bench) -> list[Need]:
        if bench.subject.outcome != "binary":
            raise UserError(_NO_DECISION, todo="Leave this check out.")
        return bench.deciding_needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        charts: list[Chart] = []
        series: dict[str, Series] = {}
        tables, answers = [], []
        for model in bench.models:
            judged = bench.deciding(ledger, model)
            if not isinstance(judged.scored, Scored):
                continue
            known = judged.scored.known()
            rows = judged.scored.take(known, "scored").at(bench.subject.threshold)
            if not len(rows):
                answers.append(f"No row of the {judged.part} part has a supplied score.")
                continue
            places = {
                name: draft.add(name, measure(name, rows), model=model, part=judged.part, threshold=rows.threshold)
                for name in _MEASURES
            }
            named = f"{judged.part.replace('_', '-')} rows{shown.of_model(model, bench)}"
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
                    positive=bench.subject.target.positive,
                    groups=groups,
                    rows=RowsOf(model=model, part=judged.part, threshold=rows.threshold),
                )
            )
            tables.append(
                TableView(
                    title=f"At the submitted threshold of {rows.threshold:g}, {named}",
                    columns=("measure", judged.part.replace("_", "-")),
                    rows=tuple((text(wording.measure_words(name)), at(place)) for name, place in places.items()),
                )
            )
            answers.append(_answer(draft, places, rows, shown.of_model(model, bench)))
        return draft.write(" ".join(answers), charts=tuple(charts), series=series, tables=tuple(tables))


def _answer(draft: Draft, places: dict[str, int], rows: Scored, model: str) -> str:
    return (
        f"At the submitted threshold of {rows.threshold:g} it{model} finds "
        f"{wording.figure(draft.figure(places['recall']), draft.level)} of the positive rows, and "
        f"{wording.figure(draft.figure(places['precision']), draft.level)} of the "
        f"{wording.rows(draft.figure(places['precision']).n)} it selects are positive."
    )


def read_at(rows: Scored, part: str, threshold: float, miss_cost: float | None, level: float) -> str:
    """What a threshold decides on these rows, in a sentence with intervals; and its cost, where a miss has one.

    >>> import numpy as np
    >>> rows = Scored(key="", outcomes=np.arange(60) % 2 == 0, scores=np.linspace(1, 0, 60), threshold=0.5)
    >>> read_at(rows, "test", 0.5, None, 0.95)
    'At a threshold of 0.5, on 60 test rows: recall 0.500 [0.332, 0.668], precision 0.500 [0.332, 0.668], \
selection rate 0.500 [0.377, 0.623].'
    """
    known = rows.take(rows.known(), "scored")
    there = known.at(threshold)
    figures = [f"{wording.measure_words(name)} {wording.figure(measure(name, there), level)}" for name in _READ]
    part_words = part.replace("_", "-")
    said = f"At a threshold of {threshold:g}, on {wording.count(len(known))} {part_words} rows: {', '.join(figures)}."
    if miss_cost is None:
        return said
    cost, submitted = (wording.number(_cost(known.at(at), miss_cost), 0) for at in (threshold, rows.threshold))
    return (
        f"{said} With a miss as dear as {miss_cost:g} false alarms it costs {cost} false alarms; at the submitted "
        f"{rows.threshold:g} it is {submitted}."
    )


def _cost(rows: Scored, miss_cost: float) -> float:
    """In false alarms, weights counted."""
    missed = float(rows.counted[rows.outcomes & ~rows.decisions].sum())
    wrong = float(rows.counted[~rows.outcomes & rows.decisions].sum())
    return wrong + miss_cost * missed
