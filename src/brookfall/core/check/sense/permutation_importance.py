"""Influence: what unseen rows lose when one feature's values change places."""

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.feature_influence import MOST_ROWS, REPEATS, figure_of_influence, influence_needs
from brookfall.core.check.shared.tree_chart import marked, which_is
from brookfall.core.evidence.chart import TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.registry import words_of


class Influence(Check):
    name = "influence"
    title = "Influence"
    question = 7
    source = "Breiman 2001; Fisher, Rudin & Dominici 2019 (from memory); intervals over rows and repeats together."
    asks = True
    reads = Reads(roles=("protected",))

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say("Let one feature after another change places among unseen rows, and see what the score loses.")

    def requests(self, bench: Bench) -> list[Need]:
        return [*influence_needs(bench), bench.asked_scores]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        losses, own = (ledger.scores(need) for need in self.requests(bench)[:2])
        n = len(bench.asked_rows(MOST_ROWS))
        few = bench.few_asked(ledger)
        order = np.argsort(-losses[:, 0], kind="stable")
        features = [bench.asked_features[place] for place in order]
        places = [
            draft.add(
                "influence", figure_of_influence(losses[place], n).marked(few=few), feature=name, **bench.asked_as
            )
            for place, name in zip(order, features, strict=True)
        ]
        words, marks = words_of(bench.plan.main_measure), marked(bench)
        strip = pictures.ranking(
            f"What {words} of rows {bench.asked_words} loses when one feature's values change places",
            f"Loss of {words}",
            [(name, place, bench.asked_name) for name, place in zip(features, places, strict=True)],
        )
        return draft.write(
            _answer(bench, draft, features, places, words, marks),
            lines=bench.asked_lines,
            charts=(strip,),
            tables=(_table(bench, draft, features, places, own[order], n, marks),),
        )


def _table(
    bench: Bench,
    draft: Draft,
    features: list[str],
    places: list[int],
    own: NDArray[np.float64],
    n: int,
    marks: Mapping[str, str],
) -> TableView:
    has_own = bool(np.isfinite(own[:, 1]).any())
    trained = len(bench.asked.train)
    rows = []
    for name, place, read in zip(features, places, own, strict=True):
        cells = [text(name), at(place)]
        if has_own:
            figure = Figure(float(read[1]), trained, note="the family's own, read off its training rows")
            cells.append(at(draft.add("own_importance", figure, part="training", feature=name)))
        rows.append((*cells, text(marks.get(name, "–"))))
    return TableView(
        title=f"Mean of {REPEATS} repeats on {wording.rows(n)} {bench.asked_words}",
        columns=("feature", "loss when shuffled", *(("the model's own importance",) if has_own else ()), "look twice"),
        rows=tuple(rows),
    )


def _answer(
    bench: Bench, draft: Draft, features: list[str], places: list[int], words: str, marks: Mapping[str, str]
) -> list[str]:
    said = []
    first = draft.figure(places[0])
    if first.value is None:
        return [f"The influence of features can't be said: {first.note}."]
    said.append(
        f"'{features[0]}' has the largest permutation importance: {words} loses "
        f"{wording.figure_to(first, draft.level)} on {wording.rows(first.n)} {bench.asked_words}."
    )
    clear = [
        name
        for name, place in zip(features, places, strict=True)
        if (interval := draft.figure(place).interval(draft.level)) is not None and interval[0] > 0
    ]
    leaning = [which_is(name, marks) for name in clear if name in marks]
    if leaning:
        said.append(wording.line_of("It leans on", leaning).replace("It leans on:", "It leans on", 1))
    some, verb = ("None", "has") if not clear else (wording.count(len(clear)), "has" if len(clear) == 1 else "have")
    said.append(f"{some} of {wording.counted(len(features), 'feature')} {verb} an influence told from none.")
    return said
