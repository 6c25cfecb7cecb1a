"""Optimism: how much better a model looks on the rows it was fitted on, by the bootstrap."""

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import HIGH_STAKES, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.resamples import resamples
from brookfall.core.evidence.chart import StripGroup, StripRow, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows, Wanted
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.registry import lower_is_better, measure, words_of
from brookfall.core.measure.spread_of_draws import mean_of_draws, range_of_draws

_NEARLY_ALL = 0.99


class Optimism(Check):
    name = "optimism"
    title = "Optimism"
    question = 4
    source = (
        "Harrell 2015, ch. 5 (Efron's optimism bootstrap); the corrected interval is shifted (Noma et al. 2021, from "
        "memory)."
    )
    refits = True
    tiers = HIGH_STAKES
    reads = Reads(plan=("shuffles",))

    def sentence(self, about: About) -> Sentence:
        return say(f"Correct the score on its own rows for optimism, by {about.plan.shuffles} resamples.")

    def requests(self, bench: Bench) -> list[Need]:
        wanted = tuple(Wanted(name) for name in pictures.main_measures(bench))
        rows = bench.split.cross_validated
        return [
            bench.submitted.training_need,
            *(
                Need(bench.fit(drawn), bench.figures(read, wanted))
                for drawn in resamples(bench)
                for read in (drawn, rows, _not_drawn(rows, drawn))
            ),
        ]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft, names = Draft(bench.plan.policy.level), pictures.main_measures(bench)
        read = np.stack([ledger.scores(need) for need in self.requests(bench)[1:]])
        own, whole, apart = read[0::3], read[1::3], read[2::3]
        scored = bench.submitted.all_trained(ledger)
        places = {}
        for column, name in enumerate(names):
            sign = -1.0 if lower_is_better(name) else 1.0
            apparent = measure(name, scored)
            optimism = mean_of_draws(sign * (own[:, column] - whole[:, column]), len(scored))
            places[name] = (
                draft.add(name, apparent, part="training"),
                draft.add(f"{name}_optimism", optimism, part="training"),
                draft.add(name, corrected(apparent, optimism, sign), model="corrected", part="training"),
                draft.add(name, range_of_draws(apart[:, column], len(scored)), model="resampled", part="out_of_bag"),
            )
        groups = [
            (
                name,
                StripGroup(
                    label=pictures.in_words(name),
                    rows=(
                        StripRow(estimate=apparent, label="on its own rows", colour="training"),
                        StripRow(estimate=fair, label="corrected", colour="out_of_fold"),
                        StripRow(estimate=out, label="rows not drawn", colour="test"),
                    ),
                ),
            )
            for name, (apparent, _, fair, out) in places.items()
        ]
        table = TableView(
            title=f"Over {len(own)} resamples of {wording.rows(len(scored))}",
            columns=("measure", "on its own rows", "optimism", "corrected", "rows not drawn: mean, and range of 95 %"),
            rows=tuple((text(words_of(name)), *(at(place) for place in found)) for name, found in places.items()),
        )
        main = bench.plan.main_measure
        apparent, optimism, fair, out = (draft.figure(place) for place in places[main])
        answer = [
            f"{wording.capital(words_of(main))} on its own rows is {wording.number(apparent.value)}, of "
            f"which {wording.figure(optimism, draft.level)} is optimism; corrected for it, it is "
            f"{wording.figure(fair, draft.level)}."
        ]
        if _is_too_small(fair, out, -1.0 if lower_is_better(main) else 1.0):
            answer += [
                f"That correction is too small here: on rows that were not drawn it is {wording.number(out.value)}.",
                "Most rows it is measured on were among those drawn; a recipe that memorises is read by the others.",
            ]
        return draft.write(
            answer, charts=pictures.strips("In-sample, and corrected for optimism", groups), tables=(table,)
        )


def _is_too_small(fair: Figure, out: Figure, sign: float) -> bool:
    """Whether the corrected figure flatters beyond nearly every resample's own unseen rows (Efron 1983)."""
    interval = out.interval(_NEARLY_ALL)
    if fair.value is None or interval is None:
        return False
    return fair.value > interval[1] if sign > 0 else fair.value < interval[0]


def _not_drawn(rows: Rows, drawn: Rows) -> Rows:
    held = np.zeros(int(rows[-1]) + 1, dtype=np.bool_)
    held[rows] = True
    held[drawn] = False
    return np.flatnonzero(held)


def corrected(apparent: Figure, optimism: Figure, sign: float) -> Figure:
    """The in-sample figure less the optimism; its interval moves along."""
    if apparent.value is None or optimism.value is None:
        return apparent if apparent.value is None else absent(apparent.n, optimism.note or "there is no optimism")
    shift = sign * optimism.value
    return apparent.mapped(lambda value: value - shift)
