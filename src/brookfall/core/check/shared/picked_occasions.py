"""Occasions of a choice with what a model said of their alternatives."""

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.fit.request import Need, Rows
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.choice import Picked, picked_from
from brookfall.core.measure.scored import Numbers
from brookfall.core.table.occasions import Choices


def choices_of_bench(bench: Bench) -> Choices:
    """Which rows stand side by side; UserError where the outcome is no choice."""
    if bench.subject.choices is None:
        raise UserError("This is no choice between alternatives.", todo="Declare the outcome as choice.")
    return bench.subject.choices


def picked_of(bench: Bench, need: Need, scores: Numbers, rows: Rows, name: str) -> Picked:
    """Rows (m,) of whole occasions, scored by a need that reads them among others; ``name`` is their part's."""
    choices, clusters = choices_of_bench(bench), bench.subject.clusters
    return picked_from(
        f"{bench.plan.seed}/{need.fit.seed_key}/{name}",
        choices.occasion[rows],
        choices.alternative[rows],
        len(choices.alternatives),
        bench.subject.target.hits[rows],
        scores[np.searchsorted(need.reading.rows, rows)],
        None if clusters is None else clusters[rows],
    )
