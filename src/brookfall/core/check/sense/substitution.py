"""Substitution: what more of a feature takes from the other alternatives, and whether they stay as they were.

Elasticities are of the shares expected on unseen occasions, for features with more than two values, with delta-method
intervals over the coefficients. A conditional logit takes for granted that the odds of two alternatives do not depend
on the third: leaving one out should change no coefficient beyond chance (Hausman & McFadden 1984). The recipe is
refitted without each alternative in turn, on the training occasions that chose another; p values are Holm's over them.
"""

from dataclasses import dataclass, replace

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.check import NOT_LIGHT, Check, Draft, Written, at, text
from brookfall.core.check.sentence import About, Sentence, say
from brookfall.core.check.shared import pictures
from brookfall.core.check.shared.choice_fit import choices_of_bench, coefficients_of, occasions_of
from brookfall.core.check.shared.design_matrix import prepared_of
from brookfall.core.evidence.chart import StripChart, StripGroup, StripRow, TableView
from brookfall.core.fit.ledger import FitFailedError, Ledger
from brookfall.core.fit.request import CoefficientReading, Need, Rows
from brookfall.core.foundation import wording
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.paired_tests import Test, holm
from brookfall.core.measure.scored import Numbers
from brookfall.core.measure.substitution import delta_figures, elasticities, independence
from brookfall.core.measure.wald import Coefficients
from brookfall.core.recipe.families import resolved_settings
from brookfall.core.recipe.preprocess import raw_matrix

_LEAST_LEFT = 2
_NOT_DEFINITE = "the covariances do not differ as the test takes for granted, which is no evidence against independence"


@dataclass(frozen=True)
class _Moved:
    """A feature of one alternative: places of the elasticity of its own share and of the others'."""

    feature: str
    alternative: str
    own: int
    others: int


@dataclass(frozen=True)
class _Left:
    """An alternative left out: how many occasions remain, and the test; a reason where there is none."""

    alternative: str
    occasions: int
    freedom: int
    test: Test | None
    why: str = ""


class Substitution(Check):
    name = "substitution"
    title = "Substitution"
    question = 7
    source = "Train 2009 (elasticities, from memory); Hausman & McFadden 1984 (independence); delta method; Holm 1979."
    refits = True
    tiers = NOT_LIGHT
    outcomes = frozenset({"choice"})

    def sentence(self, about: About) -> Sentence:  # noqa: ARG002 - the same under every plan
        return say(
            "Say what 1 % more of a feature does to each share, and refit without each alternative to see whether the "
            "others stay as they were."
        )

    def requests(self, bench: Bench) -> list[Need]:
        fit = bench.submitted.holdout_fit
        return [Need(fit, CoefficientReading(fit.train)), *_needs_without(bench).values()]

    def evaluate(self, bench: Bench, ledger: Ledger) -> Written:
        draft = Draft(bench.plan.policy.level)
        found = coefficients_of(bench, ledger)
        moved = _elasticities(bench, draft, found)
        left = _independence(bench, ledger, found)
        places = _told(draft, left)
        return draft.write(
            [*_said_of_elasticities(draft, moved), _said_of_independence(draft, left, places)],
            charts=_strips(moved),
            tables=(*_elasticity_tables(moved), _independence_table(left, places)),
        )


# Elasticities.


def _elasticities(bench: Bench, draft: Draft, found: Coefficients) -> list[_Moved]:
    rows, choices = bench.split.parts["test"], choices_of_bench(bench)
    fit = bench.submitted.holdout_fit
    prepared, _ = prepared_of(bench, fit)
    raw = raw_matrix(bench.subject.table.select(fit.features))
    everything = prepared.transform(raw)
    design = everything[rows]
    side = occasions_of(bench).take(rows)
    columns = np.column_stack([design, side.constants()[:, 1:]]) if len(found.names) > design.shape[1] else design
    _, unit = np.unique(side.occasion, return_inverse=True)
    shape = (int(unit.max()) + 1, side.alternatives)
    moved = []
    for place, name in enumerate(found.names[: design.shape[1]]):
        slope = _slope(raw, everything, fit.features, name, place)
        if slope is None:
            continue
        values = raw[rows, fit.features.index(name)]

        def of(estimates: Numbers, values: Numbers = values, place: int = place, slope: float = slope) -> Numbers:
            offered, effect = np.zeros(shape), np.zeros(shape)
            offered[unit, side.alternative] = side.shares(columns @ estimates)
            effect[unit, side.alternative] = estimates[place] * slope * np.nan_to_num(values)
            return np.concatenate(elasticities(offered, effect))

        figures = delta_figures(of, found.estimates, found.covariance, shape[0])
        k = side.alternatives
        for number, alternative in enumerate(choices.alternatives):
            own, others = (
                draft.add("elasticity", figure, part="test", feature=name, class_=alternative, model=model)
                for figure, model in ((figures[number], "recipe"), (figures[k + number], "other_alternatives"))
            )
            moved.append(_Moved(name, alternative, own, others))
    return moved


def _slope(raw: Numbers, prepared: Numbers, features: tuple[str, ...], name: str, place: int) -> float | None:
    """How a prepared column rises with its feature; None for what has no per cent: a yes/no, or a level of a column."""
    if name not in features:
        return None
    values = raw[:, features.index(name)]
    known = np.isfinite(values)
    if len(np.unique(values[known])) <= 2:
        return None
    return float(np.polyfit(values[known], prepared[known, place], 1)[0])


# Independence.


def _needs_without(bench: Bench) -> dict[int, Need]:
    """The recipe without each alternative in turn, prepared as with all of them."""
    train = bench.submitted.holdout_fit.train
    found = {}
    for place in range(len(choices_of_bench(bench).alternatives)):
        rows = _rows_without(bench, place)
        if len(rows):
            found[place] = Need(replace(bench.fit(rows), prepared_on=train), CoefficientReading(rows))
    return found


def _rows_without(bench: Bench, place: int) -> Rows:
    """Training rows of the other alternatives, on occasions that chose one of them and leave two to choose from."""
    train, choices = bench.submitted.holdout_fit.train, choices_of_bench(bench)
    mine = choices.alternative[train] == place
    occasion = choices.occasion[train]
    chose_it = np.bincount(occasion, mine & bench.subject.target.hits[train]) > 0
    remaining = np.bincount(occasion, ~mine)
    kept = ~mine & ~chose_it[occasion] & (remaining >= _LEAST_LEFT)[occasion]
    return train[kept]


def _independence(bench: Bench, ledger: Ledger, found: Coefficients) -> list[_Left]:
    choices, needs = choices_of_bench(bench), _needs_without(bench)
    has_constants = resolved_settings(bench.recipe).model_dump()["constants"]
    constants = len(found.names) - (len(choices.alternatives) - 1) if has_constants else None
    left = []
    for place, name in enumerate(choices.alternatives):
        need = needs.get(place)
        if need is None:
            left.append(_Left(name, 0, 0, None, "no occasion leaves two others to choose from"))
            continue
        occasions = len(np.unique(choices.occasion[need.fit.train]))
        try:
            read = ledger.scores(need)
        except FitFailedError as problem:
            left.append(_Left(name, occasions, 0, None, str(problem)))
            continue
        whole, without = _in_common(found, read, constants if place == 0 else None)
        test = independence(whole, without)
        left.append(_Left(name, occasions, len(whole[0]), test, "" if test else _NOT_DEFINITE))
    return left


def _in_common(
    found: Coefficients, read: Numbers, first_constant: int | None
) -> tuple[tuple[Numbers, Numbers], tuple[Numbers, Numbers]]:
    """The coefficients that both fits have, with their covariances: features, and constants against the same one.

    ``first_constant`` is the place of the first constant where the alternative that is left out is the one that the
    constants are against: without it they are against the next.
    """
    estimates, covariance = read[0], read[1:]
    known = np.flatnonzero(np.isfinite(estimates))
    turn = np.eye(len(estimates))[known]
    if first_constant is not None:
        turn[known >= first_constant, first_constant] = -1
    return (
        (turn @ found.estimates, turn @ found.covariance @ turn.T),
        (estimates[known], covariance[np.ix_(known, known)]),
    )


def _told(draft: Draft, left: list[_Left]) -> dict[str, tuple[int, int, int]]:
    """Places of the statistic, its p and Holm's p for every alternative."""
    tests = {one.alternative: one.test for one in left if one.test is not None}
    adjusted = dict(zip(tests, holm(np.array([test.p for test in tests.values()])), strict=True)) if tests else {}
    places = {}
    for one in left:
        n, test = one.occasions, one.test
        if test is None or test.statistic is None:
            figures = (absent(n, one.why), absent(n, one.why), absent(n, one.why))
        else:
            note = "a p value has no interval"
            figures = (
                Figure(test.statistic, n, test.method, note="a test statistic has no interval; its p stands beside"),
                Figure(test.p, n, note=note),
                Figure(float(adjusted[one.alternative]), n, "holm", note=note),
            )
        statistic = draft.add("hausman_mcfadden", figures[0], part="training", class_=one.alternative)
        places[one.alternative] = (
            statistic,
            draft.add_like(statistic, "p_value", figures[1]),
            draft.add_like(statistic, "p_value_holm", figures[2]),
        )
    return places


# How it is shown and said.


def _strips(moved: list[_Moved]) -> tuple[StripChart, ...]:
    groups = [
        (
            "elasticity",
            StripGroup(
                label=feature,
                rows=tuple(
                    StripRow(estimate=one.own, label=one.alternative, colour="recipe")
                    for one in moved
                    if one.feature == feature
                ),
            ),
        )
        for feature in dict.fromkeys(one.feature for one in moved)
    ]
    title = "What 1 % more of a feature of one alternative does to its own share, in per cent, test occasions"
    return pictures.strips(title, groups) if groups else ()


def _elasticity_tables(moved: list[_Moved]) -> tuple[TableView, ...]:
    if not moved:
        return ()
    return (
        TableView(
            title="Elasticities: 1 % more of a feature of one alternative changes, in per cent",
            columns=("feature", "of", "its own share", "the others' share"),
            rows=tuple((text(one.feature), text(one.alternative), at(one.own), at(one.others)) for one in moved),
        ),
    )


def _independence_table(left: list[_Left], places: dict[str, tuple[int, int, int]]) -> TableView:
    return TableView(
        title="Refitted without one alternative: have the coefficients that both fits share moved beyond chance?",
        columns=("without", "occasions left", "coefficients", "chi-square", "p", "p (Holm)"),
        rows=tuple(
            (
                text(one.alternative),
                text(wording.count(one.occasions)),
                text(wording.count(one.freedom)),
                *(at(place) for place in places[one.alternative]),
            )
            for one in left
        ),
    )


def _said_of_elasticities(draft: Draft, moved: list[_Moved]) -> list[str]:
    known = [one for one in moved if draft.figure(one.own).value is not None]
    if not known:
        return ["No feature has more than two values, so none has a per cent to be changed by."]
    most = max(known, key=lambda one: abs(draft.figure(one.own).value or 0.0))
    figure = draft.figure(most.own)
    value = figure.value or 0.0
    low, high = figure.interval(draft.level) or (value, value)
    size, ends = abs(value), sorted((abs(low), abs(high)))
    interval = f" [{ends[0]:.2f} to {ends[1]:.2f}]" if low * high > 0 else ""
    way = "takes" if value < 0 else "adds"
    where = "off" if value < 0 else "to"
    feature = most.feature.replace("_", " ")
    return [f"1 % more {feature} {way} {size:.2f} %{interval} {where} the share of {most.alternative}, the most."]


def _said_of_independence(draft: Draft, left: list[_Left], places: dict[str, tuple[int, int, int]]) -> str:
    tested = [one for one in left if one.test is not None]
    if not tested:
        return "Whether the alternatives are independent of each other can't be tested here; the table says why."
    told = {one.alternative: draft.figure(places[one.alternative][2]).value or 0.0 for one in tested}
    moved = {name: p for name, p in told.items() if p <= 1 - draft.level}
    if moved:
        most = "at most " if len(moved) > 1 else ""
        return (
            f"Without {wording.listed(list(moved))} the other alternatives are weighed otherwise "
            f"({most}{wording.p_value(max(moved.values()))}, Holm): they are not independent of it."
        )
    p = wording.p_value(min(told.values()))
    some = "" if len(tested) == len(left) else f" that can be tested ({len(tested)} of {len(left)})"
    return (
        f"Leaving out any one alternative{some} moves the others' coefficients no more than chance would ({p}, Holm)."
    )
