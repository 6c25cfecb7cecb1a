"""Rows drawn with replacement, as many as there are; whole groups where they come in groups (Efron 1979)."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation import digest

Rows = NDArray[np.int64]


def drawn_again(rows: Rows, groups: NDArray[np.int64] | None, name: str, seed: int, times: int) -> list[Rows]:
    """``times`` draws of sorted ``rows`` (n,), each sorted, a row as often as it was drawn.

    ``groups`` are codes of shape (n,); ``name`` and ``seed`` key the draws.

    Parameters
    ----------
    rows : Rows
        Positions that rise, shape (n,).
    groups : NDArray[np.int64] | None
        Codes of shape (n,); None where rows are drawn one by one.
    name, seed : str
        What the draws are seeded by.
    times : int
        How many draws.

    Returns
    -------
    list[Rows]
        A draw each: positions that rise, a row as often as it was drawn.

    Examples
    --------
    >>> rows = np.arange(6)
    >>> [len(drawn) for drawn in drawn_again(rows, None, "doc", 1, 2)]
    [6, 6]
    >>> drawn = drawn_again(rows, np.array([0, 0, 1, 1, 2, 2]), "doc", 1, 1)[0]
    >>> counts = np.bincount(drawn, minlength=6)
    >>> (counts[::2] == counts[1::2]).all()
    np.True_
    """
    kinds, unit = (np.arange(len(rows)), np.arange(len(rows)))
    if groups is not None:
        kinds, unit = np.unique(groups, return_inverse=True)
    found = []
    for number in range(times):
        rng = np.random.default_rng(digest.seed_from(name, seed, number))
        drawn = np.bincount(rng.integers(len(kinds), size=len(kinds)), minlength=len(kinds))
        found.append(np.repeat(rows, drawn[unit]))
    return found
