"""Outcomes that change places: what a recipe finds where there is nothing to find."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation import digest

Places = NDArray[np.int64]


def exchange(n: int, blocks: Places | None, seed: int, number: int) -> Places:
    """Whose outcome each of n rows gets in the exchange of that number; shape (n,).

    With ``blocks`` (codes of shape (n,)) whole groups change places: each takes the outcome of another's first row,
    which is that of all its rows where outcomes are constant within groups. Ojala & Garriga 2010 (J. Mach. Learn.
    Res. 11:1833), test 1.

    Parameters
    ----------
    n : int
        How many rows.
    blocks : Places | None
        Codes of groups, shape (n,); None where rows change places one by one.
    seed, number : int
        What the exchange is seeded by.

    Returns
    -------
    Places
        The row whose outcome each row gets, shape (n,).

    References
    ----------
    Ojala, M. & Garriga, G. C. 2010, J. Mach. Learn. Res. 11:1833, test 1.

    Examples
    --------
    >>> exchange(4, None, seed=1, number=0).tolist() == exchange(4, None, seed=1, number=0).tolist()
    True
    >>> places = exchange(4, np.array([7, 7, 9, 9]), seed=1, number=0)
    >>> bool(places[0] == places[1]), bool(places[2] == places[3])
    (True, True)
    """
    rng = np.random.default_rng(digest.seed_from("exchange", seed, number))
    if blocks is None:
        return rng.permutation(n)
    _, firsts, block = np.unique(blocks, return_index=True, return_inverse=True)
    return np.asarray(firsts[rng.permutation(len(firsts))][block], dtype=np.int64)


def constant_within(values: NDArray[np.generic], blocks: Places) -> bool:
    """Whether all rows of a group have the same outcome; both of shape (n,).

    Parameters
    ----------
    values : NDArray[np.generic]
        Outcomes, shape (n,).
    blocks : Places
        Codes of groups, shape (n,).

    Returns
    -------
    bool
        Whether no group has two outcomes.

    Examples
    --------
    >>> constant_within(np.array([1, 1, 0]), np.array([5, 5, 6])), constant_within(np.array([1, 0]), np.array([5, 5]))
    (True, False)
    """
    _, firsts, block = np.unique(blocks, return_index=True, return_inverse=True)
    return bool((values[firsts][block] == values).all())
