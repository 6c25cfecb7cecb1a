"""At which values of a feature the shape of a model is drawn."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.table.table import Column

POINTS = 20


def grid_of(column: Column, rows: NDArray[np.int64]) -> NDArray[np.float64]:
    """At most 20 values that these rows hold, in order: evenly many rows apart of a number, all levels of others.

    Of more than 20 levels the most frequent ones; a gap is not among them.

    >>> from brookfall.core.table.infer import column_from_text
    >>> grid_of(column_from_text("x", ["3", "1", "2", "1"]), np.arange(4)).tolist()
    [1.0, 2.0, 3.0]
    """
    values = column.values[rows][~column.missing[rows]].astype(np.float64)
    if not len(values):
        return np.empty(0)
    distinct, counts = np.unique(values, return_counts=True)
    if len(distinct) <= POINTS:
        return distinct
    if column.kind == "number":
        return np.unique(np.quantile(values, np.linspace(0, 1, POINTS), method="nearest"))
    return np.sort(distinct[np.argsort(-counts, kind="stable")[:POINTS]])
