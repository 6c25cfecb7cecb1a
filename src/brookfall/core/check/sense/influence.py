"""Influence: what unseen rows lose when one feature's values change places."""

from collections.abc import Mapping
from math import sqrt

import numpy as np
from numpy.typing import NDArray

from brookfall.core import wording
from brookfall.core.bench import Bench
from brookfall.core.check import shown
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.memory.tree_chart import marked
from brookfall.core.exhibit import TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import InfluenceReading, Need, SplitsReading
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.interval import z_of

REPEATS = 30
_MOST_ROWS = 20_000
"""More would narrow the intervals, and take hours with many features."""


def influence_needs(bench: Bench) -> tuple[Need, Need]:
    """What is read of every feature: its influence on unseen rows, and how often the model splits on it."""
    fit = bench.holdout.fit
    reading = InfluenceReading(bench.some_unseen(_MOST_ROWS), bench.plan.main_measure, REPEATS, bench.plan.seed)
    return Need(fit, reading), Need(fit, SplitsReading(fit.train))


class Influence:
    name = "influence"
    title = "Influence"
    question = 7
    source = "Breiman 2001; Fisher, Rudin & Dominici 2019 (from memory); intervals over rows and repeats together."
    refits = True

    def requests(self, bench: Bench) -> list[Need]:
        return [*influence_needs(bench), bench.holdout]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        losses, own = (ledger.scores(need) for need in self.requests(bench)[:2])
        n = len(bench.some_unseen(_MOST_ROWS))
        few = bench.model_parts(ledger, "recipe")["test"].few
        order = np.argsort(-losses[:, 0], kind="stable")
        features = [bench.subject.features[place] for place in order]
        places = [
            draft.add("influence", figure_of_influence(losses[place], n).marked(few=few), part="unseen", feature=name)
            for place, name in zip(order, features, strict=True)
        ]
        words, marks = wording.measure_words(bench.plan.main_measure), marked(bench)
        strip = shown.ranking(
            f"What {words} of unseen rows loses when one feature's values change places",
            f"Loss of {words}",
            [(name, place, "recipe") for name, place in zip(features, places, strict=True)],
        )
        return draft.write(
            _answer(draft, features, places, words, marks),
            charts=(strip,),
            tables=(_table(bench, draft, features, places, own[order], n, marks),),
        )


def figure_of_influence(read: NDArray[np.float64], n: int) -> Figure:
    """The mean loss; its interval holds what other rows, and other shuffles of these, would have given."""
    value, of_rows, of_repeats = (float(one) for one in read)
    if not np.isfinite(value):
        return Figure(None, n, note="the measure has no value on these rows")
    if value == 0 and of_rows == 0:
        return Figure(0.0, n, note="the fitted model does not look at it")
    if not np.isfinite(of_rows):
        return Figure(value, n, note="this measure has no smooth influence of its rows")
    error = sqrt(of_rows + of_repeats)
    return Figure(value, n, "influence", lambda level: (value - z_of(level) * error, value + z_of(level) * error))


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
    trained = len(bench.parts["training"])
    rows = []
    for name, place, read in zip(features, places, own, strict=True):
        cells = [text(name), at(place)]
        if has_own:
            figure = Figure(float(read[1]), trained, note="the family's own, read off its training rows")
            cells.append(at(draft.add("own_importance", figure, part="training", feature=name)))
        rows.append((*cells, text(marks.get(name, "–"))))
    return TableView(
        title=f"Mean of {REPEATS} repeats on {wording.rows(n)} unseen",
        columns=("feature", "loss when shuffled", *(("the model's own importance",) if has_own else ()), "look twice"),
        rows=tuple(rows),
    )


def _answer(draft: Draft, features: list[str], places: list[int], words: str, marks: Mapping[str, str]) -> str:
    said = []
    first = draft.figure(places[0])
    if first.value is None:
        return f"The influence of features can't be said: {first.note}."
    said.append(
        f"Unseen rows lose most {words} when {features[0]} changes places: {wording.figure(first, draft.level)} on "
        f"{wording.rows(first.n)}."
    )
    clear = [
        name
        for name, place in zip(features, places, strict=True)
        if (interval := draft.figure(place).interval(draft.level)) is not None and interval[0] > 0
    ]
    said.append(
        f"{wording.count(len(clear))} of {wording.count(len(features))} features have an influence that is told from "
        "none."
    )
    leaning = [f"{name} ({marks[name]})" for name in clear if name in marks]
    if leaning:
        said.append(f"It leans on {wording.listed(leaning)}.")
    return " ".join(said)
