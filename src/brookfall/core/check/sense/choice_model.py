"""Choice: the coefficients of a conditional logit, what they are worth in each other, and choices it has not seen."""

from collections.abc import Mapping

import numpy as np

from brookfall.core.check.bench import RECIPE, Bench
from brookfall.core.check.check import Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, ChoiceField, Option, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.choice_fit import coefficients_of
from brookfall.core.check.shared.expected_signs import SIGNS, of_signs
from brookfall.core.evidence.chart import Cell, MatrixChart, RowsOf, StripGroup, StripRow, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import CoefficientReading, Need, Rows
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure import choice
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import holm
from brookfall.core.measure.registry import forms, words_of
from brookfall.core.measure.scored import Picked
from brookfall.core.measure.wald import Coefficients

_SHOWN = 40
"""Occasions that are listed one by one."""
_MOST_COLUMNS = 8


class Choice(Check):
    name = "choice"
    title = "Choice"
    question = 7
    source = "McFadden 1974; delta method for ratios; Hall 1992 and Wilson 1927 over occasions; Holm 1979 for p."
    refits = True
    outcomes = frozenset({"choice"})
    reads = Reads(plan=("ratio_to",), subject=("expectations",))

    def sentence(self, about: About) -> Sentence:
        first = Option(value=None, words="the first feature with an expected sign")
        return say(
            "Fit the choice on training occasions; give every coefficient, what it is worth in {unit}, and what was "
            "predicted and chosen on unseen occasions.",
            "limit: no sign contrary to what is expected",
            unit=ChoiceField(
                name="Worth is given in",
                path=("ratio_to",),
                value=about.plan.ratio_to,
                options=(first, *(Option(value=name, words=name) for name in about.features)),
            ),
        )

    def requests(self, bench: Bench) -> list[Need]:
        fit = bench.submitted.holdout_fit
        return [bench.submitted.holdout, Need(fit, CoefficientReading(fit.train))]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        found = coefficients_of(bench, ledger)
        expected = {one.feature: one.sign for one in bench.subject.expectations}
        signs = _signs(draft, found, expected)
        p_values = _p_values(draft, found)
        by = _yardstick(bench, found)
        ratios = {
            place: draft.add("coefficient_ratio", _worth(found, place, by), part="training", feature=name)
            for place, name in enumerate(found.names)
            if place != by and name in bench.subject.features
        }
        parts = {part: _picked(bench, ledger, part) for part in bench.split.parts}
        fits = {
            (part, name): draft.add(name, form.take(rows), part=part)
            for part, rows in parts.items()
            for name, form in forms("choice", "parts").items()
        }
        evenly = {
            part: draft.add("hit_rate", _even_guess(rows), model="baseline", part=part) for part, rows in parts.items()
        }
        unseen = "test"
        shares = _shares(draft, parts[unseen], unseen)
        return draft.write(
            _answer(draft, found, expected, signs, ratios, by, fits, evenly, parts),
            charts=(
                *pictures.strips(f"Shares chosen and predicted, {unseen} occasions", _strips(shares)),
                *_matrix(bench, parts[unseen], unseen),
            ),
            tables=(
                _coefficient_table(found, expected, signs, p_values, ratios, by),
                _fit_table(parts, fits, evenly),
                _share_table(shares, unseen, len(parts[unseen])),
                _occasion_table(bench, parts[unseen], bench.subject.units(bench.split.parts[unseen]), unseen),
            ),
        )


def _worth(found: Coefficients, place: int, by: int) -> Figure:
    return found.ratio(place, by).noted(f"in units of {found.names[by]}")


def _signs(draft: Draft, found: Coefficients, expected: Mapping[str, str]) -> dict[int, int]:
    """The place of every coefficient's estimate; judged where a sign is expected of it."""
    return {
        place: draft.add(
            "coefficient",
            found.figure(place),
            part="training",
            feature=name,
            limit=SIGNS[expected[name]] if name in expected else None,
        )
        for place, name in enumerate(found.names)
    }


def _p_values(draft: Draft, found: Coefficients) -> dict[int, tuple[int, int]]:
    """The p value of each coefficient, and Holm's over all."""
    adjusted = holm(np.array([found.p_value(place) for place in range(len(found.names))]))
    places = {}
    for place, name in enumerate(found.names):
        alone = Figure(found.p_value(place), found.n, note="a p value has no interval")
        together = Figure(float(adjusted[place]), found.n, "holm", note="a p value has no interval")
        places[place] = (
            draft.add("coefficient", alone, comparison="p_value", part="training", feature=name),
            draft.add("coefficient", together, comparison="p_value_holm", part="training", feature=name),
        )
    return places


def _yardstick(bench: Bench, found: Coefficients) -> int:
    """What the other columns are weighed in: the plan's, else the first that something is expected of, else the first.

    UserError when the plan names a column that has no coefficient.
    """
    wanted = bench.plan.ratio_to
    if wanted is not None and wanted not in found.names:
        raise UserError(
            f"The plan weighs the coefficients in {wanted}, which has none.",
            todo=f"Choose one of {', '.join(found.names)}.",
        )
    named = [wanted] if wanted else [one.feature for one in bench.subject.expectations]
    return next((found.names.index(name) for name in named if name in found.names), 0)


def _picked(bench: Bench, ledger: Ledger, part: str) -> Picked:
    rows = bench.submitted.scored(ledger, part).scored
    if not isinstance(rows, Picked):
        raise TypeError("a choice is scored by occasion")
    return rows


def _even_guess(rows: Picked) -> Figure:
    """How often a guess at random among what could be had is right: known, not estimated."""
    return Figure(float(rows.evenly.mean()), len(rows), None, None, "what could be had is known, so it has no interval")


def _shares(draft: Draft, rows: Picked, part: str) -> list[tuple[str, int, int, int]]:
    """For every alternative: its name, and the places of the observed, the predicted, and their difference."""
    return [
        (
            name,
            draft.add("share", choice.observed_share(rows, place), model="observed", part=part, class_=name),
            draft.add("share", choice.predicted_share(rows, place), part=part, class_=name),
            draft.add("share", choice.share_difference(rows, place), comparison="difference", part=part, class_=name),
        )
        for place, name in enumerate(rows.alternatives)
    ]


def _strips(shares: list[tuple[str, int, int, int]]) -> list[tuple[str, StripGroup]]:
    return [
        (
            "share",
            StripGroup(
                label=name,
                rows=(
                    StripRow(estimate=observed, label="chosen", colour="baseline"),
                    StripRow(estimate=predicted, label="predicted", colour="recipe"),
                ),
            ),
        )
        for name, observed, predicted, _ in shares
    ]


def _coefficient_table(
    found: Coefficients,
    expected: Mapping[str, str],
    signs: dict[int, int],
    p_values: dict[int, tuple[int, int]],
    ratios: dict[int, int],
    by: int,
) -> TableView:
    return TableView(
        title=f"Coefficients on {wording.count(found.n)} training occasions; Wald intervals",
        columns=("column", "coefficient", "p", "p (Holm)", "expected", f"worth in {found.names[by]}"),
        rows=tuple(
            (
                text(name),
                at(signs[place]),
                *(at(p) for p in p_values[place]),
                text(expected.get(name, "–")),
                at(ratios[place]) if place in ratios else text("–"),
            )
            for place, name in enumerate(found.names)
        ),
    )


def _fit_table(parts: dict[str, Picked], fits: dict[tuple[str, str], int], evenly: dict[str, int]) -> TableView:
    return TableView(
        title="How probable the chosen alternative was; training stands beside unseen occasions",
        columns=("part", "occasions", *(words_of(name) for name in forms("choice", "parts")), "even guess"),
        rows=tuple(
            (
                text(part),
                text(wording.count(len(rows))),
                *(at(fits[part, name]) for name in forms("choice", "parts")),
                at(evenly[part]),
            )
            for part, rows in parts.items()
        ),
    )


def _share_table(shares: list[tuple[str, int, int, int]], part: str, n: int) -> TableView:
    return TableView(
        title=f"Shares on {wording.count(n)} {part} occasions; the predicted interval is where simulated choices fall",
        columns=("alternative", "chosen", "predicted", "predicted less chosen"),
        rows=tuple((text(name), *(at(place) for place in places)) for name, *places in shares),
    )


def _matrix(bench: Bench, rows: Picked, part: str) -> tuple[MatrixChart, ...]:
    """What was chosen against the likeliest: the occasions behind a cell can be looked at."""
    title = f"Chosen down, likeliest across, {part} occasions"
    made = pictures.matrix(rows, title, bench, RowsOf(model=RECIPE, part=part))
    return () if made is None else (made,)


def _occasion_table(bench: Bench, rows: Picked, positions: Rows, part: str) -> TableView:
    """The first occasions one by one, with a choice drawn from the model's probabilities."""
    shown, drawn = min(len(rows), _SHOWN), choice.simulated(rows)
    names = bench.subject.table.column(str(bench.subject.roles.occasion)).texts()
    listed = rows.alternatives if len(rows.alternatives) <= _MOST_COLUMNS else ()

    def row(place: int) -> tuple[Cell, ...]:
        each = [
            wording.number(float(rows.offered[place, k])) if rows.there[place, k] else "–" for k in range(len(listed))
        ]
        said = (rows.alternatives[rows.picked[place]], rows.alternatives[drawn[place]])
        chance = wording.number(float(rows.chosen[place]))
        return tuple(text(cell) for cell in (names[positions[place]] or "", *each, said[0], chance, said[1]))

    return TableView(
        title=f"The first {shown} of {wording.count(len(rows))} {part} occasions: the probability of each alternative, "
        "what was chosen, and one choice drawn from these probabilities",
        columns=("occasion", *listed, "chosen", "its probability", "simulated"),
        rows=tuple(row(place) for place in range(shown)),
    )


def _answer(
    draft: Draft,
    found: Coefficients,
    expected: Mapping[str, str],
    signs: dict[int, int],
    ratios: dict[int, int],
    by: int,
    fits: dict[tuple[str, str], int],
    evenly: dict[str, int],
    parts: dict[str, Picked],
) -> list[str]:
    said = [
        of_signs(
            draft,
            [(name, signs[place]) for place, name in enumerate(found.names) if name in expected],
            len(found.names),
        )
    ]
    probability = wording.figure(draft.figure(fits["test", "mean_chosen_probability"]), draft.level)
    hits = wording.share_with_ends(draft.figure(fits["test", "hit_rate"]), draft.level)
    guess = wording.percent(draft.figure(evenly["test"]).value, 0)
    said.append(
        f"On {wording.count(len(parts['test']))} test occasions the likeliest was chosen in {hits}, against {guess} by "
        f"guessing evenly; the chosen one had a mean probability of {probability}."
    )
    worth = [(place, draft.figure(at)) for place, at in ratios.items() if draft.figure(at).value is not None]
    if worth:
        place, figure = worth[0]
        said.append(
            f"One unit of {found.names[place]} is worth {wording.figure(figure, draft.level)} of {found.names[by]}."
        )
    return said
