"""What one column by itself says of the outcome, told on rows it was not learned from."""

from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation.digest import seed_from
from brookfall.core.table.table import Column

Numbers = NDArray[np.float64]

_FOLDS = 5
_BINS = 100


def told_alone(column: Column, outcomes: Numbers, seed: int) -> Numbers:
    """For each of n rows the mean outcome of the other folds' rows that say the same in this column; shape (n,).

    A number is cut in at most 100 bins of equal counts, a gap is a value of its own, and a value that no other fold
    has gets the mean of them all. ``outcomes`` has shape (n,): 0 and 1, or numbers. A column of unique values tells
    nothing this way, which is right: it can't be known of new rows.

    Parameters
    ----------
    column : Column
        A column of n rows.
    outcomes : Numbers
        0 and 1, or numbers, shape (n,).
    seed : int
        What the folds are dealt by.

    Returns
    -------
    Numbers
        Mean outcomes, shape (n,).

    Examples
    --------
    >>> from brookfall.core.table.infer import column_from_text
    >>> column = column_from_text("c", ["a", "b"] * 20)
    >>> told_alone(column, np.array([1.0, 0.0] * 20), seed=1)[:4].tolist()
    [1.0, 0.0, 1.0, 0.0]
    """
    n = len(outcomes)
    codes = _codes(column)
    size = int(codes.max()) + 1 if n else 0
    folds = _folds(n, seed)
    sums = np.bincount(folds * size + codes, outcomes, _FOLDS * size).reshape(_FOLDS, size)
    counts = np.bincount(folds * size + codes, minlength=_FOLDS * size).reshape(_FOLDS, size)
    other_sums, other_counts = sums.sum(axis=0) - sums, counts.sum(axis=0) - counts
    overall = other_sums.sum(axis=1, keepdims=True) / np.maximum(other_counts.sum(axis=1, keepdims=True), 1)
    means = np.where(other_counts > 0, other_sums / np.maximum(other_counts, 1), overall)
    told: Numbers = means[folds, codes]
    return told


@lru_cache(maxsize=2)
def _folds(n: int, seed: int) -> NDArray[np.int64]:
    """The fold of each row: the same for every column."""
    folds: NDArray[np.int64] = np.random.default_rng(seed_from(seed, "alone")).permutation(n) % _FOLDS
    folds.setflags(write=False)
    return folds


def _codes(column: Column) -> NDArray[np.int64]:
    if column.kind == "number":
        present = column.values[~column.missing]
        edges = np.unique(np.quantile(present, np.linspace(0, 1, _BINS + 1)[1:-1])) if len(present) else np.zeros(0)
        codes = np.searchsorted(edges, column.values, side="left")
        codes[column.missing] = len(edges) + 1
        return codes.astype(np.int64)
    codes = column.values.astype(np.int64)
    return np.where(codes < 0, len(column.levels), codes)
