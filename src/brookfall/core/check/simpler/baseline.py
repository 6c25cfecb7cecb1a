"""Baseline: the model against one that always gives the most frequent answer, or the mean."""

import numpy as np

from brookfall.core.candidate.baseline import Baseline as AlwaysTheSame
from brookfall.core.check.bench import ARTIFACT, BASELINE, OUT_OF_FOLD, RECIPE, Bench
from brookfall.core.check.check import ANY_OUTCOME, Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import StripChart, StripGroup, StripRow, TableView
from brookfall.core.evidence.estimate import Versus
from brookfall.core.evidence.limit import Standing
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation import wording
from brookfall.core.measure.paired_tests import gain
from brookfall.core.measure.registry import measure, words_of
from brookfall.core.measure.scored import AnyScored, Picked


class Baseline(Check):
    name = "baseline"
    title = "Baseline"
    question = 5
    source = "Newcombe 1998 (paired differences); DeLong et al. 1988; Hall 1992 on influence values."
    outcomes = ANY_OUTCOME
    reads = Reads(plan=("policy.better_than_baseline",))

    def sentence(self, about: About) -> Sentence:
        against = {"number": "always predicting the mean", "choice": "what the observed shares would say"}
        simple = against.get(about.outcome, "the most frequent answer")
        same = "occasions" if about.outcome == "choice" else "rows"
        return say(f"Set it against {simple}, on the same {same}.", "limit: better by more than its interval")

    def requests(self, bench: Bench) -> list[Need]:
        return bench.holdout_needs

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        strips: list[StripChart] = []
        tables: list[TableView] = []
        answers: list[str] = []
        for model in bench.models_of(ledger):
            part, positions, rows = _judged(bench, ledger, model)
            known = rows.known()
            learned, remark = _learned_from(bench, model, positions)
            rows, simple = (
                rows.take(known, "known"),
                AlwaysTheSame(bench.split, learned).on(bench.subject.whole(positions[known])),
            )
            names = pictures.main_measures(bench)
            ours, theirs, gains = {}, {}, {}
            for name in names:
                ours[name] = draft.add(name, measure(name, rows), model=model, part=part)
                theirs[name] = draft.add(name, measure(name, simple), model=BASELINE, part=part)
                gained = gain(name, rows, simple)
                judged = name == bench.plan.main_measure
                gains[name] = draft.add(
                    name,
                    gained,
                    comparison="difference",
                    model=model,
                    part=part,
                    versus=Versus(model=BASELINE),
                    limit=bench.plan.policy.better_than_baseline if judged else None,
                    # The same answers, row for row, gain exactly nothing: that keeps "at least 0" and beats nobody.
                    standing=Standing.OUTSIDE if judged and gained.value == 0 else None,
                )
            evens = {
                name: draft.add(name, measure(name, rows.guessed_evenly), model="equal_shares", part=part)
                for name in names
                if isinstance(rows, Picked)
            }
            named = pictures.of_model(model, bench)
            strips.extend(_strips(bench, names, part, named, (ours, theirs, evens)))
            tables.append(_table(bench, names, len(rows), named, (ours, theirs, gains, evens)))
            answers.extend((*_answer(bench, draft, len(rows), named, ours, theirs, gains), remark))
        return draft.write(answers, charts=tuple(strips), tables=tuple(tables))


def _judged(bench: Bench, ledger: Ledger, model: str) -> tuple[str, Rows, AnyScored]:
    """A holdout part: the baseline is learned once, from training rows."""
    if model == RECIPE:
        part = "test" if bench.plan.deciding_part == OUT_OF_FOLD else bench.plan.deciding_part
        scored = bench.submitted.scored(ledger, part)
        return part, scored.positions, scored.scored
    judged = bench.deciding(ledger, model)
    return judged.part, judged.positions, judged.scored


def _learned_from(bench: Bench, model: str, positions: Rows) -> tuple[Rows, str]:
    """The rows that the baseline learns from, and what has to be said of them."""
    if model == RECIPE:
        return bench.split.parts["training"], ""
    owners = (bench.artifact.owners if model == ARTIFACT else bench.supplied_parts).get("training")
    others = np.setdiff1d(bench.subject.rows, positions) if owners is None else owners
    if len(others):
        return others, ""
    return positions, "Every row has a supplied score, so that answer was learned from these same rows."


_SIMPLE = {"number": "the mean", "choice": "the observed shares"}
Places = dict[str, int]
"""Places in the draft by measure."""


def _simple(bench: Bench) -> str:
    return _SIMPLE.get(bench.subject.outcome, "the most frequent answer")


def _strips(
    bench: Bench, names: tuple[str, ...], part: str, named: str, places: tuple[Places, Places, Places]
) -> tuple[StripChart, ...]:
    ours, theirs, evens = places
    groups = [
        (
            name,
            StripGroup(
                label=pictures.in_words(name),
                rows=(
                    StripRow(estimate=ours[name], label="model", colour="recipe"),
                    StripRow(estimate=theirs[name], label=_simple(bench).removeprefix("the "), colour="baseline"),
                    *(
                        StripRow(estimate=evens[one], label="equal shares", colour="reference")
                        for one in evens
                        if one == name
                    ),
                ),
            ),
        )
        for name in names
    ]
    return pictures.strips(f"The model{named} and {_simple(bench)}, {part} {bench.subject.unit}s", groups)


def _table(
    bench: Bench, names: tuple[str, ...], n: int, named: str, places: tuple[Places, Places, Places, Places]
) -> TableView:
    ours, theirs, gains, evens = places
    return TableView(
        title=f"On the same {bench.subject.counted(n)}{named}; a gain is positive when the model is better",
        columns=("measure", "model", "baseline", "gain", *(("equal shares",) if evens else ())),
        rows=tuple(
            (text(words_of(name)), *(at(each[name]) for each in (ours, theirs, gains, evens) if each)) for name in names
        ),
    )


def _answer(
    bench: Bench,
    draft: Draft,
    n: int,
    named: str,
    ours: dict[str, int],
    theirs: dict[str, int],
    gains: dict[str, int],
) -> list[str]:
    main, simple = bench.plan.main_measure, _simple(bench)
    openings = {
        Standing.WITHIN: f"It{named} beats {simple}",
        Standing.OUTSIDE: f"It{named} is not shown to beat {simple}",
        None: f"It{named} is set beside {simple} and not judged",
    }
    second = next((name for name in ("accuracy", "rmse", "hit_rate") if name in ours and name != main), None)
    said = (
        f"{openings[draft.standing(gains[main])]}: {words_of(main)} differs by "
        f"{draft.said(gains[main])} on {bench.subject.counted(n)}."
    )
    if second is None:
        return [said]
    by_it = "by the shares" if bench.subject.choices is not None else "for always giving that answer"
    return [
        said,
        f"{pictures.in_words(second)} is {wording.number(draft.figure(ours[second]).value)} against "
        f"{wording.number(draft.figure(theirs[second]).value)} {by_it}.",
    ]
