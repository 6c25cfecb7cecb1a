"""Which rows have a gap: those that a recipe drops which drops them."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.table.table import Table


def rows_with_gaps(features: Table) -> NDArray[np.bool_]:
    """True where any feature is missing; shape (n,). ``missing: drop`` takes these rows out before any split.

    Parameters
    ----------
    features : Table
        n rows of p columns.

    Returns
    -------
    NDArray[np.bool_]
        Shape (n,).

    Examples
    --------
    >>> from brookfall.core.table.infer import column_from_text
    >>> cells = {"x": ["1", "2", "4"], "c": ["a", "b", "a"], "y": ["yes", "no", "no"]}
    >>> table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    >>> rows_with_gaps(table).tolist()
    [False, False, False]
    """
    gaps = np.zeros(features.n_rows, dtype=bool)
    for column in features.columns:
        gaps |= column.missing
    return gaps
