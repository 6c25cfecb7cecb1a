"""Whole numbers of rows from shares."""

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray


def largest_remainder(n: int, shares: Sequence[float]) -> NDArray[np.int64]:
    """Sizes that add up to n and lie within one of n × share; shape (len(shares),).

    Each gets the floor of its quota; what is left goes to the largest remainders, earlier shares first on a tie.

    Parameters
    ----------
    n : int
        How many there are.
    shares : Sequence[float]
        Shares that add up to 1.

    Returns
    -------
    NDArray[np.int64]
        Sizes, shape (len(shares),).

    Examples
    --------
    >>> largest_remainder(8059, [0.7, 0.3]).tolist()
    [5641, 2418]
    """
    weights = np.asarray(shares, dtype=np.float64)
    # Rounded, so that 0.6 of 10 is 6 and not a hair under it.
    quotas = np.round(n * weights / weights.sum(), 9)
    sizes = np.floor(quotas).astype(np.int64)
    left = n - int(sizes.sum())
    sizes[np.argsort(-(quotas - sizes), kind="stable")[:left]] += 1
    return sizes


def allocate(strata: NDArray[np.int64], shares: Sequence[float]) -> NDArray[np.int64]:
    """Sizes of part × stratum: margins by largest remainder both ways; shape (len(shares), number of strata).

    Each cell starts at the floor of its quota; what is left is dealt by largest remainder among the cells
    whose part and stratum still have room.

    Parameters
    ----------
    strata : NDArray[np.int64]
        The size of each stratum, shape (strata,).
    shares : Sequence[float]
        Shares of the parts that add up to 1.

    Returns
    -------
    NDArray[np.int64]
        Sizes, shape (len(shares), strata).

    Examples
    --------
    >>> allocate(np.array([30, 70]), [60, 40]).tolist()
    [[18, 42], [12, 28]]
    """
    counts = strata.astype(np.int64)
    weights = np.asarray(shares, dtype=np.float64)
    weights = weights / weights.sum()
    quotas = np.round(np.outer(weights, counts), 9)
    cells = np.floor(quotas).astype(np.int64)
    row_room = largest_remainder(int(counts.sum()), shares) - cells.sum(axis=1)
    column_room = counts - cells.sum(axis=0)
    remainders = quotas - cells
    for place in np.argsort(-remainders, axis=None, kind="stable"):
        part, stratum = divmod(int(place), len(counts))
        if row_room[part] > 0 and column_room[stratum] > 0:
            cells[part, stratum] += 1
            row_room[part] -= 1
            column_room[stratum] -= 1
    for stratum in np.flatnonzero(column_room).tolist():
        for part in np.argsort(-row_room, kind="stable").tolist():
            take = min(int(row_room[part]), int(column_room[stratum]))
            cells[part, stratum] += take
            row_room[part] -= take
            column_room[stratum] -= take
    return cells
