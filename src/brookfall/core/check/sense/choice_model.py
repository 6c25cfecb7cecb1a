"""Choice: the coefficients of a conditional logit, what they are worth in each other, and choices it has not seen."""

from collections.abc import Mapping

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import Check, Draft, Written, at, text
from brookfall.core.check.reads import Reads
from brookfall.core.check.sentence import About, ChoiceField, Option, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.design_matrix import prepared_of
from brookfall.core.check.shared.expected_signs import SIGNS, of_signs
from brookfall.core.check.shared.picked_occasions import choices_of_bench, picked_of
from brookfall.core.evidence.chart import StripGroup, StripRow, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import CoefficientReading, Need
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure import choice
from brookfall.core.measure.choice import Picked
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import holm
from brookfall.core.measure.registry import forms, words_of
from brookfall.core.measure.wald import Coefficients
from brookfall.core.recipe.families import resolved_settings


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
        _refuse_split_occasions(bench)
        fit = bench.submitted.holdout.fit
        return [bench.submitted.holdout, Need(fit, CoefficientReading(fit.train))]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        found = _coefficients(bench, ledger)
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
        shares = _shares(draft, parts[unseen], choices_of_bench(bench).alternatives, unseen)
        return draft.write(
            _answer(draft, found, expected, signs, ratios, by, fits, evenly, parts),
            charts=pictures.strips(f"Shares chosen and predicted, {unseen} occasions", _strips(shares)),
            tables=(
                _coefficient_table(found, expected, signs, p_values, ratios, by),
                _fit_table(parts, fits, evenly),
                _share_table(shares, unseen, len(parts[unseen])),
            ),
        )


def _refuse_split_occasions(bench: Bench) -> None:
    """A model that has seen some alternatives of an occasion knows the choice among the others."""
    occasion = choices_of_bench(bench).occasion
    seen = occasion[bench.split.parts["training"]]
    for part, rows in bench.split.parts.items():
        if part != "training" and np.isin(occasion[rows], seen).any():
            raise UserError(
                f"Training and {part} rows share occasions, so the choice in them is known.",
                todo="Split by whole groups of rows, or name the part of each occasion.",
                column=bench.subject.roles.part,
            )


def _coefficients(bench: Bench, ledger: Ledger) -> Coefficients:
    """What was read, under the names of the prepared columns and, after them, of the alternatives' constants."""
    need = Need(bench.submitted.holdout.fit, CoefficientReading(bench.submitted.holdout.fit.train))
    read, train = ledger.scores(need), bench.submitted.holdout.fit.train
    prepared, _ = prepared_of(bench, bench.submitted.holdout.fit)
    names = prepared.names(bench.subject.table.select(bench.subject.features))
    choices = choices_of_bench(bench)
    if resolved_settings(bench.recipe).model_dump()["constants"]:
        names = (*names, *(f"constant of {name}" for name in choices.alternatives[1:]))
    return Coefficients(names, read[0], read[1:], len(np.unique(choices.occasion[train])))


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
    need = bench.submitted.holdout
    return picked_of(bench, need, ledger.scores(need), bench.split.parts[part], part)


def _even_guess(rows: Picked) -> Figure:
    """How often a guess at random among what could be had is right: known, not estimated."""
    return Figure(float(rows.evenly.mean()), len(rows), None, None, "what could be had is known, so it has no interval")


def _shares(draft: Draft, rows: Picked, names: tuple[str, ...], part: str) -> list[tuple[str, int, int, int]]:
    """For every alternative: its name, and the places of the observed, the predicted, and their difference."""
    return [
        (
            name,
            draft.add("share", choice.observed_share(rows, place), model="observed", part=part, class_=name),
            draft.add("share", choice.predicted_share(rows, place), part=part, class_=name),
            draft.add("share", choice.share_difference(rows, place), comparison="difference", part=part, class_=name),
        )
        for place, name in enumerate(names)
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
) -> str:
    said = [
        of_signs(
            draft,
            [(name, signs[place]) for place, name in enumerate(found.names) if name in expected],
            len(found.names),
        )
    ]
    probability = wording.figure(draft.figure(fits["test", "mean_chosen_probability"]), draft.level)
    hits = wording.figure(draft.figure(fits["test", "hit_rate"]), draft.level)
    guess = wording.number(draft.figure(evenly["test"]).value)
    said.append(
        f"On {wording.count(len(parts['test']))} test occasions the alternative actually chosen had a mean probability "
        f"of {probability}, and the likeliest was chosen in a share of {hits}, against {guess} by guessing evenly."
    )
    worth = [(place, draft.figure(at)) for place, at in ratios.items() if draft.figure(at).value is not None]
    if worth:
        place, figure = worth[0]
        said.append(
            f"One unit of {found.names[place]} is worth {wording.figure(figure, draft.level)} of {found.names[by]}."
        )
    return " ".join(said)
