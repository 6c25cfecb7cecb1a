"""Threshold: every rate as a function of the threshold, groups included; nothing is fitted again to move it."""

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.curves import threshold_grid, threshold_series
from brookfall.core.check.fairness.groups import groups_of
from brookfall.core.exhibit import TableView, ThresholdChart
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.measure.binary import measure

_MEASURES = ("recall", "precision", "specificity", "selection_rate", "accuracy")


class Threshold:
    name = "threshold"
    title = "Threshold"
    question = 3
    source = "Wilson 1927 at the submitted threshold; counts elsewhere."

    def requests(self, bench: Bench) -> list[Need]:
        return bench.deciding_needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        positions, rows = bench.deciding(ledger)
        part = bench.plan.deciding_part
        places = {name: draft.add(name, measure(name, rows), part=part, threshold=rows.threshold) for name in _MEASURES}
        grid = threshold_grid(rows)
        series = {"threshold:all": threshold_series(rows, grid)}
        named: dict[str, str] = {}
        for group in groups_of(bench.subject, positions, order=1):
            name = f"threshold:{group.words}"
            series[name] = threshold_series(rows.take(group.members, group.words), grid)
            named[name] = group.words
        chart = ThresholdChart(
            title=f"What the threshold decides, {part.replace('_', ' ')} rows",
            series="threshold:all",
            submitted=rows.threshold,
            positive=bench.subject.positive_value,
            groups=named,
        )
        table = TableView(
            title=f"At the submitted threshold of {rows.threshold:g}",
            columns=("measure", part.replace("_", " ")),
            rows=tuple((text(wording.measure_words(name)), at(place)) for name, place in places.items()),
        )
        answer = (
            f"At the submitted threshold of {rows.threshold:g} it finds "
            f"{wording.figure(draft.figure(places['recall']), draft.level)} of the positive rows, and "
            f"{wording.figure(draft.figure(places['precision']), draft.level)} of the "
            f"{wording.rows(draft.figure(places['precision']).n)} it selects are positive."
        )
        return draft.write(answer, charts=(chart,), series=series, tables=(table,))
