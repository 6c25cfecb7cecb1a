"""Permutation influence: what a measure of unseen rows loses when one feature's values change places.

Breiman 2001 (Mach. Learn. 45:5); Fisher, Rudin & Dominici 2019 (J. Mach. Learn. Res. 20:177; from memory).
"""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.fitted import Fitted, Model
from brookfall.core.fit.probe.prepared_columns import columns_of
from brookfall.core.fit.request import InfluenceReading
from brookfall.core.foundation import digest
from brookfall.core.measure.influence_function import Linear, variance
from brookfall.core.measure.registry import linear, lower_is_better, measure
from brookfall.core.measure.scored import AnyScored
from brookfall.core.recipe.family.family import Matrix

Values = NDArray[np.float64]
_CELLS = 4_000_000
"""How many cells of permuted rows are scored at once."""


def influence(model: Model, reading: InfluenceReading) -> Values:
    """Shape (features, 3): the mean loss, its variance from the rows, and the variance of the mean over the repeats.

    A feature that no tree splits on, or no coefficient weighs, loses exactly 0 without being tried.
    """
    design = model.designed(model.raw(reading.rows))
    plain = _measured(model, reading, model.of_design(design))
    found = np.zeros((len(model.features.names), 3))
    used = _used(model, design)
    for feature, columns in enumerate(columns_of(model)):
        if not used.intersection(columns):
            continue
        orders = [_order(reading, feature, repeat) for repeat in range(reading.repeats)]
        losses = [_loss(plain, _measured(model, reading, scores)) for scores in _each(model, design, columns, orders)]
        found[feature] = _summed(losses, reading)
    return found


def _order(reading: InfluenceReading, feature: int, repeat: int) -> NDArray[np.int64]:
    rng = np.random.default_rng(digest.seed_from("influence", reading.seed, feature, repeat))
    return rng.permutation(len(reading.rows))


def _used(model: Model, design: Matrix) -> set[int]:
    """The columns that the model looks at, all of them where that can't be told."""
    everything = set(range(design.shape[1]))
    if not isinstance(model, Fitted):
        return everything
    if model.family.trees is not None:
        return {int(column) for grown in model.family.trees(model.estimator) for column in grown.column} - {-1}
    if model.family.straight is not None:
        weighed = (model.family.straight(model.made, model.estimator).coefficients != 0).any(axis=1)
        return set(np.flatnonzero(weighed).tolist())
    return everything


def _each(model: Model, design: Matrix, columns: list[int], orders: list[NDArray[np.int64]]) -> list[Values]:
    """The scores under each order of these columns' rows."""
    if isinstance(model, Fitted) and model.family.straight is not None:
        sums = model.family.straight(model.made, model.estimator)
        whole, part = sums.sums(design), design[:, columns] @ sums.coefficients[columns]
        return [model.spread(sums.answers(whole - part + part[order])) for order in orders]
    at_once = max(1, _CELLS // max(1, design.size))
    found: list[Values] = []
    for start in range(0, len(orders), at_once):
        some = orders[start : start + at_once]
        permuted = np.tile(design, (len(some), 1))
        for place, order in enumerate(some):
            rows = slice(place * len(design), (place + 1) * len(design))
            permuted[rows, columns] = design[order][:, columns]
        found.extend(np.split(model.of_design(permuted), len(some)))
    return found


def _measured(model: Model, reading: InfluenceReading, scores: Values) -> tuple[AnyScored, Linear]:
    rows = model.subject.scored(reading.rows, scores, model.request.seed_key, target=model.target)
    found = linear(reading.measure, rows)
    if found is None:
        value = measure(reading.measure, rows).value
        found = Linear(np.nan if value is None else value, np.full(len(rows), np.nan))
    sign = -1.0 if lower_is_better(reading.measure) else 1.0
    return rows, Linear(sign * found.value, sign * found.influence)


def _loss(plain: tuple[AnyScored, Linear], permuted: tuple[AnyScored, Linear]) -> tuple[AnyScored, Linear]:
    return plain[0], plain[1].minus(permuted[1])


def _summed(losses: list[tuple[AnyScored, Linear]], reading: InfluenceReading) -> Values:
    values = np.array([loss.value for _, loss in losses])
    mean_influence = np.mean([loss.influence for _, loss in losses], axis=0)
    spread = float(values.var(ddof=1)) / len(values) if reading.repeats > 1 else np.nan
    return np.array([values.mean(), variance(mean_influence, losses[0][0]), spread])
