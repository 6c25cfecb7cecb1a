"""A choice as it was fitted on training occasions: which rows stand side by side, and the coefficients."""

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.shared.design_matrix import prepared_of
from brookfall.core.fit.ledger import Ledger
from brookfall.core.fit.request import CoefficientReading, Need
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.wald import Coefficients
from brookfall.core.recipe.families import resolved_settings
from brookfall.core.recipe.family.choice import Occasions
from brookfall.core.table.occasions import Choices


def choices_of_bench(bench: Bench) -> Choices:
    """Which rows stand side by side; UserError where the outcome is no choice."""
    if bench.subject.choices is None:
        raise UserError("This is no choice between alternatives.", todo="Declare the outcome as choice.")
    return bench.subject.choices


def occasions_of(bench: Bench) -> Occasions:
    """The same, as the family takes them."""
    choices = choices_of_bench(bench)
    return Occasions(choices.occasion, choices.alternative, len(choices.alternatives))


def coefficients_of(bench: Bench, ledger: Ledger) -> Coefficients:
    """What was read, under the names of the prepared columns and, after them, of the alternatives' constants."""
    need = Need(bench.submitted.holdout_fit, CoefficientReading(bench.submitted.holdout_fit.train))
    read, train = ledger.scores(need), bench.submitted.holdout_fit.train
    prepared, _ = prepared_of(bench, bench.submitted.holdout_fit)
    names = prepared.names(bench.subject.table.select(bench.subject.features))
    choices = choices_of_bench(bench)
    if resolved_settings(bench.recipe).model_dump()["constants"]:
        names = (*names, *(f"constant of {name}" for name in choices.alternatives[1:]))
    return Coefficients(names, read[0], read[1:], len(np.unique(choices.occasion[train])))
