"""Score rounding: how many decisions turn when scores are written with few decimals."""

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Check, Draft, Written, at, text
from brookfall.core.check.sentence import About, Sentence, choice_setting, limit_setting, number_setting, say
from brookfall.core.evidence.chart import TableView
from brookfall.core.evidence.limit import Limit, Standing
from brookfall.core.evidence.marks import Axis, Band, Bars, LineThrough, MarksChart, Points, Rule, Text
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.measure.interval import share_of
from brookfall.core.measure.scored import Scored, decided_at

_LIMIT = Limit(at_most=0.02, ideal=0)


class ScoreRounding(Check):
    """How many decisions turn when scores are written with few decimals, upwards or to the nearest."""

    name = "score_rounding"
    title = "Score rounding"
    question = 7
    source = "Wilson 1927; common practice."
    outcomes = frozenset({"binary"})

    def sentence(self, about: About) -> Sentence:
        return say(
            "Round scores to {decimals} decimals, {how}, and count the decisions that turn.",
            "limit: share turned ≤ {most}",
            decimals=number_setting(about, self.name, "decimals", 1, "Decimals of a score", 0, 6),
            how=choice_setting(
                about,
                self.name,
                "how",
                "nearest",
                "How scores are rounded",
                {"nearest": "to the nearest", "up": "upwards"},
            ),
            most=limit_setting(about, self.name, 0.02, "Limit on the share of decisions that turn", 0, 1),
        )

    def requests(self, bench: Bench) -> list[Need]:
        return bench.deciding_needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        judged = bench.deciding(ledger)
        rows = judged.scored
        if not isinstance(rows, Scored):
            raise TypeError("only a yes/no outcome has one score")
        chosen = int(float(str(self.setting(bench, "decimals", 1))))
        places = {}
        series: dict[str, list[float | None]] = {"x": [], "y": [], "low": [], "high": []}
        for decimals in range(5):
            turned = self._rounded(bench, rows, decimals) != rows.decisions
            figure = share_of(turned, rows).figure()
            limit = self.limit(bench, _LIMIT) if decimals == chosen else None
            places[decimals] = draft.add(
                "turned", figure, part=judged.part, feature=f"{decimals} decimals", limit=limit
            )
            low, high = figure.interval(draft.level) or (0.0, 1.0)
            for name, value in zip(series, (float(decimals), figure.value, low, high), strict=True):
                series[name].append(value)
        chart = MarksChart(
            title="Share of decisions that turn, by decimals",
            x=Axis(label="decimals"),
            y=Axis(label="share turned", low=0),
            marks=(
                Bars(series="turned", colour="baseline"),
                Band(series="turned"),
                LineThrough(series="turned", label="turned"),
                Points(series="turned", low="low", high="high"),
                Rule(y=self.limit(bench, _LIMIT).high, label="limit"),
                Text(x=0, y=0.01, words="none left"),
            ),
        )
        table = TableView(
            title="By decimals",
            columns=("decimals", "share turned"),
            rows=tuple((text(str(decimals)), at(place)) for decimals, place in places.items()),
        )
        asked = places[min(max(chosen, 0), 4)]
        stands = "beyond" if draft.standing(asked) is Standing.OUTSIDE else "not shown to be beyond"
        share = draft.figure(asked).value or 0.0
        answer = f"Rounded to {chosen} decimals {100 * share:.1f} % of decisions turn, {stands} the limit."
        return draft.write(answer, charts=(chart,), series={"turned": series}, tables=(table,))

    def _rounded(self, bench: Bench, rows: Scored, decimals: int) -> np.ndarray:
        scale = 10.0**decimals
        rule = np.ceil if self.setting(bench, "how", "nearest") == "up" else np.round
        return rule(rows.scores * scale) / scale >= decided_at(rows.threshold)
