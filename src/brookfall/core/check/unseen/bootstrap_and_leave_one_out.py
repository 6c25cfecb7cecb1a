"""Cross-validation without folds to compare: leave-one-out, pooled; and the bootstrap with .632 and .632+."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import partial
from operator import mul

import numpy as np

from brookfall.core.check.bench import OUT_OF_FOLD, RECIPE, Bench
from brookfall.core.check.check import Draft, Written, at, text
from brookfall.core.check.shared import pictures
from brookfall.core.evidence.chart import RowsOf, StripChart, StripGroup, StripRow, TableView
from brookfall.core.fit.ledger import Ledger
from brookfall.core.foundation import wording
from brookfall.core.measure.bootstrap_632 import plus_632
from brookfall.core.measure.figure import Figure
from brookfall.core.measure.influence_function import figure_of, mean_of
from brookfall.core.measure.registry import forms, measure, words_of
from brookfall.core.measure.scored import AnyScored, Needs, Numbers
from brookfall.core.table.outcome import Outcome

_POOLED = "pooled over all left-out rows, which for a ranking mixes the scores of different fits"


def write_whole(bench: Bench, ledger: Ledger) -> Written:
    """The exhibit of a plan that leaves every row out once, or draws bootstrap resamples."""
    return _bootstrap(bench, ledger) if bench.plan.cross_validation.kind == "bootstrap" else _pooled(bench, ledger)


def _pooled(bench: Bench, ledger: Ledger) -> Written:
    draft = Draft(bench.plan.policy.level)
    rows = bench.submitted.out_of_fold(ledger).scored
    names = tuple(forms(bench.subject.outcome, "strip"))
    names = tuple(dict.fromkeys((bench.plan.main_measure, *names)))
    places = {}
    for name in names:
        figure = measure(name, rows)
        places[name] = draft.add(name, figure.noted(_POOLED) if name == "auc" else figure, part=OUT_OF_FOLD)
    table = TableView(
        title=f"Every one of {wording.rows(len(rows))} scored by a fit without it",
        columns=("measure", "left out"),
        rows=tuple((text(words_of(name)), at(place)) for name, place in places.items()),
    )
    of = RowsOf(model=RECIPE, part=OUT_OF_FOLD)
    matrix = pictures.matrix(rows, "Confusion matrix of the left-out rows", bench, of)
    main = bench.plan.main_measure
    how = (
        "by algebra, without refitting"
        if bench.submitted.by_algebra
        else f"by {wording.count(len(bench.split.folds))} fits"
    )
    answer = (
        f"With each of {wording.rows(len(rows))} left out in turn ({how}), {words_of(main)} is "
        f"{wording.figure(draft.figure(places[main]), draft.level)}."
    )
    strips = _strips(places, "Left-out rows")
    return draft.write(answer, charts=strips if matrix is None else (*strips, matrix), tables=(table,))


def _strips(places: dict[str, int], title: str) -> tuple[StripChart, ...]:
    groups = [
        (
            name,
            StripGroup(
                label=pictures.in_words(name),
                rows=(StripRow(estimate=place, label="unseen", colour=OUT_OF_FOLD),),
            ),
        )
        for name, place in places.items()
    ]
    return pictures.strips(title, groups)


def _bootstrap(bench: Bench, ledger: Ledger) -> Written:
    draft = Draft(bench.plan.policy.level)
    whole = bench.submitted.all_trained(ledger)
    held = bench.submitted.fold_scored(ledger)
    body, places = [], {}
    for name, form in _losses(bench.subject.outcome):
        if whole.lacks(form.needs) is not None:
            continue
        outside = _left_out_losses(bench, [form.losses(rows) for rows in held])
        known = np.isfinite(outside)
        among = whole.take(known, "drawn without")
        unseen = figure_of(mean_of(outside[known], among.counted), among, 0.0)
        seen = measure(name, whole)
        blended, plus = _632(seen, unseen, form.chance_loss(whole))
        places[name] = draft.add(name, plus, part="out_of_bag")
        cells = [at(draft.add(name, seen, part="training")), at(draft.add(name, unseen, part="out_of_bag"))]
        cells += [at(draft.add(name, blended, part="out_of_bag")), at(places[name])]
        body.append((text(words_of(name)), *cells))
    table = TableView(
        title=f"Over {bench.plan.cross_validation.words}",
        columns=("measure", "training rows", "rows not drawn", ".632", ".632+"),
        rows=tuple(body),
    )
    first = next(iter(places))
    answer = (
        f"Over {bench.plan.cross_validation.words} of {wording.rows(len(whole))}, {words_of(first)} is "
        f"{wording.figure(draft.figure(places[first]), draft.level)} by the .632+ rule; on its own training rows it "
        f"is {wording.number(measure(first, whole).value)}."
    )
    return draft.write(answer, charts=_strips(places, "Unseen rows, .632+"), tables=(table,))


@dataclass(frozen=True)
class _Loss:
    """A measure that is the mean of a loss of each row: what it needs, these losses, and their mean by chance."""

    needs: Needs
    losses: Callable[[AnyScored], Numbers]
    chance_loss: Callable[[AnyScored], float]


def _losses(outcome: Outcome) -> list[tuple[str, _Loss]]:
    """Every such measure of an outcome: the share of wrong decisions first, then the squared loss."""
    found = [
        (name, form.hits is None, "dial" not in form.shown, _Loss(form.needs, form.losses, form.chance_loss))
        for name, form in forms(outcome).items()
        if form.losses is not None and form.chance_loss is not None
    ]
    return [(name, loss) for name, *_, loss in sorted(found, key=lambda one: one[1:3])]


def _left_out_losses(bench: Bench, losses: list[Numbers]) -> Numbers:
    """The mean loss of each cross-validated row over the fits that did not draw it; NaN where all did."""
    rows = bench.split.cross_validated
    total, times = np.zeros(len(rows)), np.zeros(len(rows))
    for fold, found in zip(bench.split.folds, losses, strict=True):
        place = np.searchsorted(rows, fold.test)
        total[place] += found
        times[place] += 1
    return np.divide(total, times, out=np.full(len(rows), np.nan), where=times > 0)


def _632(seen: Figure, unseen: Figure, chance: float) -> tuple[Figure, Figure]:
    """The .632 and .632+ estimates, with the interval of the unseen loss brought along in proportion."""
    if seen.value is None or unseen.value is None:
        return unseen, unseen
    values = (0.368 * seen.value + 0.632 * unseen.value, plus_632(seen.value, unseen.value, chance))
    ratios = [value / unseen.value if unseen.value > 0 else 1.0 for value in values]
    first, second = (unseen.mapped(partial(mul, ratio)) for ratio in ratios)
    return replace(first, method="bootstrap_632"), replace(second, method="bootstrap_632_plus")
