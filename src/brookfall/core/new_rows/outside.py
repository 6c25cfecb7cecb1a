"""Which values of new rows lie outside what the rows learned from held."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.request import Rows
from brookfall.core.table.table import Column, Table


def outside(known: Table, train: Rows, new: Table) -> NDArray[np.bool_]:
    """Whether the value of each new row in each column was never held by a row learned from; shape (m, p).

    A number is outside beyond their least and greatest; a level where none of them has it; a gap where none of them has
    one. Free text is never outside. ``known`` and ``new`` have the same columns in the same coding.

    >>> from brookfall.core.table.infer import column_from_text
    >>> known, new = (Table((column_from_text("x", cells),)) for cells in (["1", "5", "9"], ["0", "5", ""]))
    >>> outside(known, np.array([0, 1]), new)[:, 0].tolist()
    [True, False, True]
    """
    found = np.zeros((new.n_rows, len(new.columns)), dtype=np.bool_)
    for place, column in enumerate(new.columns):
        if column.kind != "text":
            found[:, place] = _outside(known.columns[place].take(train), column)
    return found


def _outside(known: Column, new: Column) -> NDArray[np.bool_]:
    beyond = np.zeros(len(new.values), dtype=np.bool_)
    held: NDArray[np.bool_] = ~known.missing
    if new.kind == "number":
        if held.any():
            values = known.values[held]
            beyond |= (new.values < values.min()) | (new.values > values.max())
    else:
        seen = np.zeros(len(new.levels) + 1, dtype=np.bool_)
        seen[known.values[held].astype(np.int64)] = True
        beyond |= ~seen[new.values.astype(np.int64)]
    gaps: NDArray[np.bool_] = new.missing
    beyond[gaps] = bool(held.all())
    return beyond
