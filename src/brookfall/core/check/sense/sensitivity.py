"""Sensitivity: how many decisions a small error in one feature changes."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import StripChart, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.probe.sensitivity import DISTURBANCES, NOISE
from brookfall.core.fit.request import Need, SensitivityReading
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure, Interval, absent, few_units, normal_ends
from brookfall.core.measure.interval import proportion
from brookfall.core.measure.scored import decided_at

_MOST_ROWS = 50_000
_WORDS = {
    "noise": f"noise of {100 * NOISE:g} % of an SD",
    "missing": "the value missing",
    "extreme": "an extreme value",
}


class Sensitivity(Check):
    name = "sensitivity"
    title = "Sensitivity"
    question = 7
    source = "Common practice; Wilson 1927 for the shares."
    asks = True
    tiers = NOT_LIGHT

    def sentence(self, about: About) -> Sentence:
        seen = "see how far predictions move" if about.number else "count the decisions that change"
        return say(f"Disturb one feature after another by a little noise, a gap, an extreme value, and {seen}.")

    def requests(self, bench: Bench) -> list[Need]:
        threshold = decided_at(bench.subject.threshold) if bench.subject.outcome == "binary" else None
        rows = bench.asked_rows(_MOST_ROWS)
        return [Need(bench.asked, SensitivityReading(rows, bench.plan.seed, threshold))]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        read = ledger.scores(self.requests(bench)[0])
        number, n = bench.subject.outcome == "number", len(bench.asked_rows(_MOST_ROWS))
        measure = "mean_change" if number else "changed_decisions"
        places = {
            (feature, kind): draft.add(
                f"{measure}_{kind}", _figure(read[row, column], n, number=number), feature=feature, **bench.asked_as
            )
            for row, feature in enumerate(bench.asked_features)
            for column, kind in enumerate(DISTURBANCES)
        }
        strips = [_strip(bench, draft, places, kind, number=number) for kind in DISTURBANCES]
        what = "Mean absolute change of the prediction" if number else "Share of decisions that change"
        table = TableView(
            title=f"{what} on {wording.rows(n)} {bench.asked_words} when one feature of every row is disturbed",
            columns=("feature", *_WORDS.values()),
            rows=tuple(
                (text(feature), *(at(places[feature, kind]) for kind in DISTURBANCES))
                for feature in bench.asked_features
            ),
        )
        answer = _answer(bench, draft, places, number=number)
        return draft.write(answer, lines=bench.asked_lines, charts=tuple(strips), tables=(table,))


def _figure(read: NDArray[np.float64], n: int, *, number: bool) -> Figure:
    value, second = float(read[0]), float(read[1])
    if not np.isfinite(value):
        return absent(n, "it is no number")
    if not number:
        return proportion(int(value), int(second)).marked(few=few_units(n))
    if not np.isfinite(second) or second == 0:
        return Figure(value, n, note="it is the same for every row")
    return Figure(value, n, "normal_mean", Interval(_change_ends, value, second))


def _change_ends(value: float, error: float, level: float) -> tuple[float, float]:
    low, high = normal_ends(value, error, level)
    return max(0.0, low), high


def _strip(bench: Bench, draft: Draft, places: dict[tuple[str, str], int], kind: str, *, number: bool) -> StripChart:
    mine = [
        (feature, place)
        for (feature, of), place in places.items()
        if of == kind and draft.figure(place).value is not None
    ]
    mine.sort(key=lambda pair: -(draft.figure(pair[1]).value or 0.0))
    return pictures.ranking(
        wording.capital(_WORDS[kind]),
        "Mean change" if number else "Decisions changed",
        [(feature, place, bench.asked_name) for feature, place in mine],
        most=8,
    )


def _answer(bench: Bench, draft: Draft, places: dict[tuple[str, str], int], *, number: bool) -> list[str]:
    """The feature that matters most to each disturbance, in the order of the disturbances."""
    on = f", on {wording.rows(len(bench.asked_rows(_MOST_ROWS)))} {bench.asked_words}"
    said: list[str] = []
    for kind in DISTURBANCES:
        known = [
            (feature, draft.figure(place))
            for (feature, of), place in places.items()
            if of == kind and draft.figure(place).value is not None
        ]
        if not known:
            continue
        feature, figure = max(known, key=lambda pair: pair[1].value or 0.0)
        told = (
            f"the predicted '{bench.subject.roles.target}' moves by {wording.figure_to(figure, draft.level)} on average"
            if number
            else f"{wording.figure_to(figure.mapped(_percent), draft.level, 1)} % of decisions change"
        )
        said.append(f"{wording.capital(_WORDS[kind])} does most in '{feature}': {told}{'' if said else on}.")
    return said or ["There is no feature to disturb."]


def _percent(value: float) -> float:
    return 100 * value
