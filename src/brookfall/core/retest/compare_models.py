"""Models side by side on rows that all of them have scored: ranked, bracketed, their curves overlaid."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from brookfall.core.candidate.baseline import Baseline
from brookfall.core.candidate.candidate import Candidate
from brookfall.core.candidate.refitted import Refitted
from brookfall.core.check.bench import ARTIFACT, BASELINE, OUT_OF_FOLD, RECIPE, SCORES, Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.better_model import brackets_of, rank
from brookfall.core.check.shared.refits import gain_of
from brookfall.core.evidence.chart import Cell, StripChart, StripGroup, StripRow, TableView
from brookfall.core.fit.ledger import FitFailedError, Ledger
from brookfall.core.fit.request import Rows
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import paired
from brookfall.core.measure.registry import forms, measure, words_of
from brookfall.core.measure.scored import AnyScored

_MOST = 12
"""Models at once: more can be neither told apart by colour nor read."""


@dataclass(frozen=True)
class _Entry:
    candidate: Candidate
    rows: AnyScored
    seconds: float | None


def compare_models(
    bench: Bench, ledger: Ledger, chosen: Sequence[Candidate], part: str, main: str
) -> tuple[Written, Rows]:
    """The comparison as an exhibit's content, and the rows that all chosen models have scored.

    UserError where fewer than two are chosen, too many, or no row has a score of each.
    """
    if not 2 <= len(chosen) <= _MOST:
        raise UserError(f"{len(chosen)} models are chosen.", todo=f"Choose from 2 to {_MOST}.")
    if main not in forms(bench.subject.outcome, "plan"):
        raise UserError(f"There is no measure '{main}' of this outcome.", todo="Choose another measure.")
    scored = {one.name: _scored(ledger, one, part) for one in chosen if one.name != BASELINE}
    common = _common(bench, part, scored)
    entries = [_Entry(one, _on(bench, one, scored, common), _seconds(ledger, one, part)) for one in chosen]
    draft = Draft(bench.plan.policy.level)
    places = {
        one.candidate.name: draft.add(main, measure(main, one.rows), model=one.candidate.name, part=part)
        for one in entries
    }
    ranked = sorted(entries, key=lambda one: rank(draft.figure(places[one.candidate.name]), main))

    def differ(first: _Entry, second: _Entry) -> Figure:
        if part == OUT_OF_FOLD and isinstance(first.candidate, Refitted) and isinstance(second.candidate, Refitted):
            return gain_of(bench, ledger, main, first.candidate, second.candidate, part)
        return paired(main, first.rows, second.rows)

    brackets = brackets_of(ranked, differ, draft.level)
    colours = {one.candidate.words: f"model:{place}" for place, one in enumerate(entries)}
    shown = {one.candidate.words: one.rows for one in entries}
    only = [kind for kind in pictures.CURVES if kind not in ("scores", "error")]
    curves, series = pictures.curve_charts(shown, draft.level, colours=colours, only=only)
    strip = _strip(ranked, places, brackets, main, part, colours)
    written = draft.write(
        _answer(draft, ranked, places, brackets, main, part, len(common), bench.subject.unit),
        charts=(strip, *curves),
        series=series,
        tables=(_table(bench, draft, ranked, places, main, part),),
    )
    return written, common


def best_of(ledger: Ledger, candidates: Sequence[Candidate], part: str, main: str, most: int) -> list[Candidate]:
    """The submitted models and the best of the others by a measure on a part, so many in all, in the order given.

    A model whose fits failed is none of them.
    """
    submitted = [one for one in candidates if one.name in (RECIPE, ARTIFACT, SCORES)]
    ranked: list[tuple[float, Candidate]] = []
    for one in candidates:
        if one not in submitted:
            try:
                ranked.append((rank(measure(main, one.scored(ledger, part).scored), main), one))
            except FitFailedError:
                continue
    ranked.sort(key=lambda pair: pair[0])
    kept = [*submitted, *(one for _, one in ranked)][: max(most, 2)]
    return [one for one in candidates if one in kept]


def _scored(ledger: Ledger, one: Candidate, part: str) -> tuple[Rows, AnyScored]:
    judged = one.scored(ledger, part)
    known = judged.scored.known()
    return judged.positions[known], judged.scored.take(known, "known")


def _common(bench: Bench, part: str, scored: Mapping[str, tuple[Rows, AnyScored]]) -> Rows:
    every = [positions for positions, _ in scored.values()]
    whole = bench.split.cross_validated if part == OUT_OF_FOLD else bench.split.parts.get(part, bench.split.all_parts)
    common = bench.subject.units(whole)
    for place, positions in enumerate(every):
        common = positions if place == 0 else np.intersect1d(common, positions)
    if not len(common):
        raise UserError("No row has a score of every chosen model.", todo="Choose others, or another part.")
    return common


def _on(bench: Bench, one: Candidate, scored: Mapping[str, tuple[Rows, AnyScored]], common: Rows) -> AnyScored:
    if one.name == BASELINE:
        return Baseline(bench.split).on(bench.subject.whole(common))
    positions, rows = scored[one.name]
    return rows.take(np.searchsorted(positions, common), "common")


def _seconds(ledger: Ledger, one: Candidate, part: str) -> float | None:
    keys = sorted({need.fit.key for need in one.needs(part)})
    return float(np.mean([ledger.seconds(key) for key in keys])) if keys else None


def _part_words(part: str) -> str:
    return part.replace("_", "-")


def _strip(
    ranked: list[_Entry],
    places: dict[str, int],
    brackets: tuple[tuple[int, int], ...],
    main: str,
    part: str,
    colours: dict[str, str],
) -> StripChart:
    rows = tuple(
        StripRow(estimate=places[one.candidate.name], label=one.candidate.words, colour=colours[one.candidate.words])
        for one in ranked
    )
    group = StripGroup(label=pictures.in_words(main), rows=rows, brackets=brackets)
    title = f"Ranked on {_part_words(part)} rows; a bracket joins those that can't be told apart"
    return StripChart(title=title, unit="", groups=(group,))


def _table(bench: Bench, draft: Draft, ranked: list[_Entry], places: dict[str, int], main: str, part: str) -> TableView:
    others = [name for name in pictures.main_measures(bench) if name != main]
    rows: list[tuple[Cell, ...]] = []
    for one in ranked:
        name = one.candidate.name
        more = [at(draft.add(other, measure(other, one.rows), model=name, part=part)) for other in others]
        took = "–" if one.seconds is None else f"{one.seconds:.2f} s"
        rows.append((text(one.candidate.words), at(places[name]), *more, text(took)))
    return TableView(
        title=f"On the same {bench.subject.counted(len(ranked[0].rows))}",
        columns=("model", words_of(main), *map(words_of, others), "a fit takes"),
        rows=tuple(rows),
    )


def _answer(
    draft: Draft,
    ranked: list[_Entry],
    places: dict[str, int],
    brackets: tuple[tuple[int, int], ...],
    main: str,
    part: str,
    n: int,
    unit: str,
) -> str:
    first = ranked[0].candidate
    figure = draft.figure(places[first.name])
    words = words_of(main)
    said = f"On the same {wording.count(n)} {_part_words(part)} {unit}s"
    if figure.value is None:
        return f"{said} {words} can't be computed: {figure.note}."
    said += f" {_named(first)} comes first of {len(ranked)} by {words}, {wording.figure(figure, draft.level)}"
    alike = max((last for start, last in brackets if start == 0), default=0)
    if alike == 0:
        return f"{said}; it is told apart from {_others(len(ranked) - 1)}."
    names = wording.listed([_named(one.candidate) for one in ranked[1 : alike + 1]])
    return f"{said}; it can't be told apart from {names}."


def _others(count: int) -> str:
    return "the other one shown" if count == 1 else f"each of the {count} others shown"


def _named(one: Candidate) -> str:
    return "the submitted recipe" if one.name == RECIPE else one.words
