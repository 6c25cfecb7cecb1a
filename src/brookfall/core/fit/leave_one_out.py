"""Leave-one-out without refitting: when algebra gives exactly what n fits would, and what it needs."""

import numpy as np

from brookfall.core.recipe.families import family_of
from brookfall.core.recipe.family.family import Matrix
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.table.table import Column, Table

_QUARTILES = (0.25, 0.75)


def left_out_by_algebra(recipe: Recipe, features: Table, rows: np.ndarray[tuple[int], np.dtype[np.int64]]) -> bool:
    """Whether leaving each of ``rows`` out in turn can be had from one fit, to rounding the same as from n fits.

    It can when the family has the algebra and nothing else is learned from a single row: no gap is filled from the
    others, every level is held by two rows at least, and scales only where the family allows for them.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> import numpy as np
    >>> features = bench.subject.table.select(["x"])
    >>> left_out_by_algebra(Recipe(family="nearest_neighbours"), features, np.arange(90))
    True
    """
    family, steps = family_of(recipe), recipe.preprocess
    if family.left_out is None or (steps.scale != "none" and not family.left_out_scaled):
        return False
    return all(_unlearned(column.take(rows), recipe) for column in features.columns)


def _unlearned(column: Column, recipe: Recipe) -> bool:
    steps = recipe.preprocess
    if column.kind == "number":
        return steps.missing == "constant" or not column.missing.any()
    if column.kind == "text" and steps.text == "words":
        return False
    if steps.encode == "target" or steps.rare > 0 or (steps.missing == "mode" and column.missing.any()):
        return False
    counts = np.bincount(column.values.astype(np.int64) + 1)
    return bool((counts[counts > 0] >= 2).all())


def divisors_without(design: Matrix, numbers: int, scale: str) -> Matrix | None:
    """What each of the first ``numbers`` columns of (n, p) is divided by when a row is left out; shape (n, p).

    None where nothing is scaled. A column that is constant without the row is divided by 1.

    >>> divisors_without(np.array([[1.0], [2.0], [6.0]]), 1, "minmax").tolist()
    [[4.0], [5.0], [1.0]]
    """
    if scale == "none":
        return None
    divisors = np.ones_like(design)
    for place in range(numbers):
        divisors[:, place] = _SPREADS[scale](design[:, place])
    return np.where(divisors > 0, divisors, 1.0)


def _deviation_without(values: Matrix) -> Matrix:
    n = len(values)
    centred = values - values.mean()
    mean = -centred / (n - 1)
    square = ((centred**2).sum() - centred**2) / (n - 1)
    variance = square - mean**2
    return np.sqrt(np.where(variance > 1e-14 * max(float(square.max()), 1e-300), variance, 0.0))


def _range_without(values: Matrix) -> Matrix:
    ordered = np.sort(values)
    high = np.where(values == ordered[-1], ordered[-2], ordered[-1])
    low = np.where(values == ordered[0], ordered[1], ordered[0])
    return high - low


def _quartiles_without(values: Matrix) -> Matrix:
    n = len(values)
    order = np.argsort(values, kind="stable")
    place = np.empty(n, dtype=np.int64)
    place[order] = np.arange(n)
    ordered = values[order]
    low, high = (_quantile_without(ordered, place, share) for share in _QUARTILES)
    return high - low


def _quantile_without(ordered: Matrix, place: np.ndarray[tuple[int], np.dtype[np.int64]], share: float) -> Matrix:
    """The quantile (type 7) of the sorted values without the one at each place."""
    reached = (len(ordered) - 2) * share
    first = int(np.floor(reached))
    below = ordered[first + (place <= first)]
    second = min(first + 1, len(ordered) - 2)
    above = ordered[second + (place <= second)]
    return below + (reached - first) * (above - below)


_SPREADS = {"standard": _deviation_without, "minmax": _range_without, "robust": _quartiles_without}
