"""Who trains and who is held out: k folds in every variant, leave-one-out, random splits, bootstrap."""

from dataclasses import dataclass

import numpy as np

from brookfall.core.foundation.digest import seed_from
from brookfall.core.foundation.errors import UserError
from brookfall.core.resample.parts import By, split_parts
from brookfall.core.resample.strata import Layout, Rows, deal_groups, in_time


@dataclass(frozen=True)
class Fold:
    """One fold of one repeat (both from 1): the rows that train and the rows that are held out, sorted.

    In a bootstrap a training row stands as often as it was drawn.
    """

    repeat: int
    number: int
    train: Rows
    test: Rows


def k_folds(layout: Layout, folds: int, repeats: int, seed: int, by: By = "rows") -> tuple[Fold, ...]:
    """folds × repeats folds over the layout's rows.

    By rows or groups every row is held out once a repeat; class sizes differ by at most one over folds (by rows with
    strata). By time a fold is trained on all that came before it, so the first block is never held out, and repeats
    would all be the same.

    Parameters
    ----------
    layout : Layout
        The rows with their strata, groups and moments.
    folds : int
        Folds a repeat, at least 2.
    repeats : int
        How often the rows are dealt anew.
    seed : int
        What they are dealt by.
    by : By
        Whether single rows, whole groups or blocks of time are dealt.

    Returns
    -------
    tuple[Fold, ...]
        Folds in the order of the repeats.

    Raises
    ------
    UserError
        So many folds can't be made, with the number that can.

    Examples
    --------
    >>> [fold.test.tolist() for fold in k_folds(Layout(np.arange(4)), 2, 1, seed=3)]
    [[0, 3], [1, 2]]
    """
    if by == "time":
        return _forward(layout, folds)
    return tuple(fold for repeat in range(1, repeats + 1) for fold in _one_repeat(layout, folds, repeat, seed, by))


def _one_repeat(layout: Layout, folds: int, repeat: int, seed: int, by: By) -> list[Fold]:
    rng = np.random.default_rng(seed_from("folds", seed, repeat))
    folds = folds_that_can_be(layout, folds, by)
    fold_of = _dealt_rows(layout, folds, rng) if by == "rows" else _dealt_groups(layout, folds, rng)
    rows = layout.rows
    return [Fold(repeat, number + 1, rows[fold_of != number], rows[fold_of == number]) for number in range(folds)]


def folds_that_can_be(layout: Layout, folds: int, by: By = "rows") -> int:
    """So many folds, or as many as the rarest class has rows, or as there are groups to keep together.

    Parameters
    ----------
    layout : Layout
        The rows with their strata and groups.
    folds : int
        How many are asked for, at least 2.
    by : By
        Whether single rows, whole groups or blocks of time are held out.

    Returns
    -------
    int
        From 2 to ``folds``; of blocks of time as many as are asked for.

    Raises
    ------
    UserError
        Not even two can be made.

    Examples
    --------
    >>> folds_that_can_be(Layout(np.arange(9), strata=np.array([0, 0, 0, 0, 0, 0, 1, 1, 1])), 10)
    3
    """
    if by == "time":
        return folds
    if by == "groups":
        if layout.groups is None:
            raise UserError(
                "The plan folds by groups, and no column has the role group.",
                todo="Give a column that role, or fold by rows.",
            )
        most, what, todo = len(np.unique(layout.groups)), "there is only 1 group to keep together", "Fold by rows."
    else:
        counts = np.bincount(layout.classes)
        most = int(counts[counts > 0].min()) if len(layout) else 0
        what = "one class has only 1 row" if layout.strata is not None else "there are under 2 rows"
        todo = "Use rows that have more of that class."
    if most < 2:
        raise UserError(f"No folds can be made: {what} to cross-validate.", todo=todo)
    return min(folds, most)


def _dealt_rows(layout: Layout, folds: int, rng: np.random.Generator) -> Rows:
    """Rows are shuffled within each class and dealt in turn, the next class going on where the last one stopped."""
    classes = layout.classes
    shuffled = np.concatenate([rng.permutation(np.flatnonzero(classes == code)) for code in np.unique(classes)[::-1]])
    fold_of = np.empty(len(layout), dtype=np.int64)
    fold_of[shuffled] = np.arange(len(layout)) % folds
    return fold_of


def _dealt_groups(layout: Layout, folds: int, rng: np.random.Generator) -> Rows:
    quotas = np.tile(np.bincount(layout.classes) / folds, (folds, 1))
    fold_of = deal_groups(layout, quotas, rng)
    held = np.bincount(fold_of, minlength=folds)
    if (held == 0).any():
        raise UserError(
            f"{folds} folds can't be made: the groups are so unequal that a fold would be empty.",
            todo=f"Use at most {int((held > 0).sum())} folds.",
        )
    return fold_of


def _forward(layout: Layout, folds: int) -> tuple[Fold, ...]:
    order = in_time(layout)
    times = layout.times if layout.times is not None else np.zeros(0)
    moments = np.unique(times)
    if len(moments) < 3:
        raise UserError(
            f"Folds by time need at least 3 different times, and there are {len(moments)}.", todo="Fold by rows."
        )
    folds = min(folds, len(moments) - 1)
    block = np.empty(len(layout), dtype=np.int64)
    block[order] = np.arange(len(layout)) * (folds + 1) // len(layout)
    # A moment belongs to the block of its first row.
    _, inverse = np.unique(times, return_inverse=True)
    first = np.full(len(moments), folds + 1)
    np.minimum.at(first, inverse, block)
    block = np.unique(first[inverse], return_inverse=True)[1]
    made = int(block.max())
    if made < 2:
        raise UserError("Folds by time can't be made: many rows share one time.", todo="Fold by rows.")
    return tuple(
        Fold(1, number, layout.rows[block < number], layout.rows[block == number]) for number in range(1, made + 1)
    )


def leave_one_out(layout: Layout) -> tuple[Fold, ...]:
    """Every row held out alone once; with groups, every group. Needs at least two.

    Parameters
    ----------
    layout : Layout
        The rows with their groups.

    Returns
    -------
    tuple[Fold, ...]
        A fold a row, or a group.

    Raises
    ------
    UserError
        There is but one row or group.

    Examples
    --------
    >>> [fold.test.tolist() for fold in leave_one_out(Layout(np.arange(3)))]
    [[0], [1], [2]]
    """
    unit = np.arange(len(layout)) if layout.groups is None else np.unique(layout.groups, return_inverse=True)[1]
    count = int(unit.max()) + 1 if len(unit) else 0
    if count < 2:
        raise UserError("Leaving one out needs at least two rows or groups.", todo="Use more rows.")
    rows = layout.rows
    return tuple(Fold(1, number + 1, rows[unit != number], rows[unit == number]) for number in range(count))


def random_splits(layout: Layout, splits: int, test: float, seed: int, by: By = "rows") -> tuple[Fold, ...]:
    """``splits`` holdouts of the test share in (0, 1), each with its own seed (Monte Carlo cross-validation).

    Parameters
    ----------
    layout : Layout
        The rows with their strata, groups and moments.
    splits : int
        How many splits.
    test : float
        The share held out, in (0, 1).
    seed : int
        What they are drawn by.
    by : By
        Whether single rows, whole groups or blocks of time are held out.

    Returns
    -------
    tuple[Fold, ...]
        A fold a split.

    Raises
    ------
    UserError
        By time there is one split alone; or a part would be empty.

    Examples
    --------
    >>> [len(fold.test) for fold in random_splits(Layout(np.arange(10)), 3, 0.2, seed=1)]
    [2, 2, 2]
    """
    shares = {"training": 1 - test, "test": test}
    if by == "time":
        raise UserError("Random splits know no time.", todo="Use folds by time, or split by rows or groups.")
    made = []
    for number in range(1, splits + 1):
        parts = split_parts(layout, shares, int(seed_from("splits", seed, number).generate_state(1)[0]), by)
        made.append(Fold(1, number, parts["training"], parts["test"]))
    return tuple(made)


def bootstraps(layout: Layout, resamples: int, seed: int) -> tuple[Fold, ...]:
    """Training rows drawn with replacement, as many as there are (whole groups where there are groups); the rows
    never drawn are held out (Efron & Tibshirani 1997). A draw that holds out nothing is drawn again.

    Parameters
    ----------
    layout : Layout
        The rows with their groups.
    resamples : int
        How many draws.
    seed : int
        What they are drawn by.

    Returns
    -------
    tuple[Fold, ...]
        A fold a draw, its training rows repeated as often as they were drawn.

    Raises
    ------
    UserError
        There is but one row or group.

    References
    ----------
    Efron, B. & Tibshirani, R. 1997, J. Am. Stat. Assoc. 92:548.

    Examples
    --------
    >>> [len(fold.train) for fold in bootstraps(Layout(np.arange(10)), 3, seed=1)]
    [10, 10, 10]
    """
    rows = layout.rows
    unit = np.arange(len(layout)) if layout.groups is None else np.unique(layout.groups, return_inverse=True)[1]
    count = int(unit.max()) + 1 if len(unit) else 0
    if count < 2:
        raise UserError("A bootstrap needs at least two rows or groups.", todo="Use more rows.")
    made = []
    for number in range(1, resamples + 1):
        rng = np.random.default_rng(seed_from("bootstrap rows", seed, number))
        times = np.ones(count, dtype=np.int64)
        while (times > 0).all():
            times = np.bincount(rng.integers(0, count, count), minlength=count)
        drawn = times[unit]
        made.append(Fold(1, number, np.repeat(rows, drawn), rows[drawn == 0]))
    return tuple(made)
