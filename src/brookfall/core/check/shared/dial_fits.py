"""The recipe turned along its family's own dial, and the tree that its handle prunes."""

from dataclasses import replace

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.shared.tree_chart import trees_need
from brookfall.core.fit.request import DialReading, FitRequest, Need, ScoreReading
from brookfall.core.foundation import digest, wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.plan.plan import Plan
from brookfall.core.recipe.dials import Dialled, Facts, dialled
from brookfall.core.recipe.families import family_of, resolved_settings
from brookfall.core.resample.folds import Fold

_MOST_CELLS = 1_500_000
"""Rows × values × classes that one reading holds."""


def dial_of(bench: Bench) -> Dialled:
    """The dial; UserError where the family has none."""
    target, rows = bench.subject.target, bench.split.parts["training"]
    if target.outcome == "number":
        impurity = float(target.numbers[rows].var())
    else:
        shares = np.bincount(target.codes[rows]) / len(rows)
        impurity = float(1 - (shares**2).sum())
        if resolved_settings(bench.recipe).model_dump().get("criterion") in ("entropy", "log_loss"):
            kept = shares[shares > 0]
            impurity = float(-(kept * np.log2(kept)).sum())
    found = dialled(bench.recipe, Facts(len(rows), impurity), asked_values(bench.plan) or None)
    if found is None:
        raise UserError(
            f"{wording.capital(family_of(bench.recipe).words)} as submitted has no dial that makes it simpler.",
            todo="Read the gap and the shuffled target instead.",
        )
    return found


def asked_values(plan: Plan) -> tuple[float, ...]:
    """The values of the dial that the plan asks for; none for the family's own."""
    asked = plan.settings.get("complexity", {}).get("values")
    return tuple(float(one) for one in asked if isinstance(one, int | float)) if isinstance(asked, list) else ()


def training_fold(bench: Bench, dial: Dialled) -> Fold:
    """The training part, scored on itself."""
    return _read(bench, dial, Fold(0, 0, bench.split.parts["training"], bench.split.parts["training"]))


def dial_folds(bench: Bench, dial: Dialled) -> list[Fold]:
    return [_read(bench, dial, fold) for fold in bench.split.long_folds]


def _read(bench: Bench, dial: Dialled, fold: Fold) -> Fold:
    """The fold with as many of its held-out rows, drawn by the plan's seed, as can be read at every value at once."""
    most = _MOST_CELLS // (len(dial.values) * max(1, len(bench.subject.target.classes)))
    if len(fold.test) <= most:
        return fold
    rng = np.random.default_rng(digest.seed_from("complexity", bench.plan.seed, fold.repeat, fold.number))
    return replace(fold, test=np.sort(rng.choice(fold.test, most, replace=False)))


def most_complex(bench: Bench, dial: Dialled, train: np.ndarray[tuple[int], np.dtype[np.int64]]) -> FitRequest:
    return bench.fit(train, recipe=dial.values[-1].recipe)


def dial_needs(bench: Bench, dial: Dialled, fold: Fold) -> list[Need]:
    """One sweep where the family allows, else a fit a value."""
    if family_of(bench.recipe).along is not None:
        values = tuple(float(turn.value or 0.0) for turn in dial.values)
        # Neighbours learn the same whatever their number, so the submitted fit serves.
        same = dial.setting == "k"
        fit = bench.fit(fold.train) if same else most_complex(bench, dial, fold.train)
        return [Need(fit, DialReading(fold.test, values))]
    return [
        Need(
            bench.fit(fold.train) if place == dial.submitted else bench.fit(fold.train, recipe=turn.recipe),
            ScoreReading(fold.test),
        )
        for place, turn in enumerate(dial.values)
    ]


def tree_need(bench: Bench) -> Need:
    """The tree that the handle prunes: grown on the training part to its most complex."""
    return trees_need(bench, most_complex(bench, dial_of(bench), bench.split.parts["training"]))
