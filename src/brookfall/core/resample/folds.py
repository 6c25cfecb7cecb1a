"""k-fold cross-validation, repeated, stratified or not."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.digest import seed_from
from brookfall.core.errors import UserError
from brookfall.core.resample.parts import Rows


@dataclass(frozen=True)
class Fold:
    """One fold of one repeat (both from 1): the rows that train and the rows that are held out, sorted."""

    repeat: int
    number: int
    train: Rows
    test: Rows


def k_folds(
    rows: Rows, positive: NDArray[np.bool_], folds: int, repeats: int, seed: int, *, stratified: bool
) -> tuple[Fold, ...]:
    """folds × repeats folds over ``rows``; ``positive`` are their outcomes (same shape).

    Within a repeat every row is held out once. Rows are shuffled within each class and dealt in turn, the next
    class going on where the last one stopped, so fold sizes differ by at most one, and so do the classes'.
    Raises UserError when a class has fewer rows than there are folds.
    """
    classes = [positive, ~positive] if stratified else [np.ones(len(rows), dtype=bool)]
    fewest = min(int(members.sum()) for members in classes)
    if fewest < folds:
        raise UserError(
            f"{folds} folds can't be made: one class has only {fewest} rows to cross-validate.",
            todo=f"Use at most {fewest} folds." if fewest >= 2 else "Use rows that have more of that class.",
        )
    made: list[Fold] = []
    for repeat in range(1, repeats + 1):
        rng = np.random.default_rng(seed_from("folds", seed, repeat))
        shuffled = np.concatenate([rng.permutation(np.flatnonzero(members)) for members in classes])
        fold_of = np.empty(len(rows), dtype=np.int64)
        fold_of[shuffled] = np.arange(len(rows)) % folds
        made.extend(
            Fold(repeat, number + 1, rows[fold_of != number], rows[fold_of == number]) for number in range(folds)
        )
    return tuple(made)
