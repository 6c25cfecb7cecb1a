"""The rows that may be split, and what a split must respect: classes, groups, time."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation.errors import UserError

Rows = NDArray[np.int64]
Codes = NDArray[np.int64]


@dataclass(frozen=True)
class Layout:
    """``rows`` are sorted positions; the other arrays have their shape.

    ``strata`` are classes whose shares every part should have, ``groups`` are codes of rows that must stay together,
    ``times`` put rows in order; None where it doesn't matter. ``group_names`` names the codes in messages.
    """

    rows: Rows
    strata: Codes | None = None
    groups: Codes | None = None
    times: NDArray[np.float64] | None = None
    group_names: tuple[str, ...] = ()

    def __len__(self) -> int:
        return len(self.rows)

    @property
    def classes(self) -> Codes:
        """The class of each row; all 0 where classes don't matter."""
        return np.zeros(len(self), dtype=np.int64) if self.strata is None else self.strata

    def within(self, rows: Rows) -> "Layout":
        """The same for some of the rows, which are sorted and among ``self.rows``."""
        kept = np.searchsorted(self.rows, rows)
        return Layout(
            rows,
            None if self.strata is None else self.strata[kept],
            None if self.groups is None else self.groups[kept],
            None if self.times is None else self.times[kept],
            self.group_names,
        )


def deal_groups(layout: Layout, quotas: NDArray[np.float64], rng: np.random.Generator) -> Codes:
    """The part of each row, whole groups together; ``quotas`` are wanted rows of part × class.

    The largest groups first, in random order among equals, each to the part that it leaves nearest to its quotas.

    Parameters
    ----------
    layout : Layout
        The rows with their groups and strata.
    quotas : NDArray[np.float64]
        Wanted rows of each part and class, shape (parts, classes).
    rng : np.random.Generator
        Where the order among equals comes from.

    Returns
    -------
    Codes
        The part of each row, shape (n,).

    Raises
    ------
    UserError
        A group is larger than the largest part.
    ValueError
        The layout has no groups.

    Examples
    --------
    >>> layout = Layout(np.arange(6), groups=np.array([0, 0, 0, 1, 1, 2]))
    >>> deal_groups(layout, np.array([[3.0], [3.0]]), np.random.default_rng(1)).tolist()
    [0, 0, 0, 1, 1, 1]
    """
    if layout.groups is None:
        raise ValueError("there are no groups to deal")
    named, inverse = np.unique(layout.groups, return_inverse=True)
    classes = layout.classes
    k = quotas.shape[1]
    sizes = np.bincount(inverse * k + classes, minlength=len(named) * k).reshape(len(named), k).astype(np.float64)
    totals = sizes.sum(axis=1)
    room = quotas.sum(axis=1)
    if totals.max() > room.max() + 1e-9:
        largest = named[int(totals.argmax())]
        label = layout.group_names[largest] if layout.group_names else str(largest)
        raise UserError(
            f"The group '{label}' holds {int(totals.max())} of {len(layout)} rows, more than the largest part can "
            f"take ({room.max():.0f}).",
            todo="Give a part a larger share, use fewer folds, or split by rows.",
        )
    shuffled = rng.permutation(len(named))
    order = shuffled[np.argsort(-totals[shuffled], kind="stable")]
    filled = np.zeros_like(quotas)
    part_of = np.empty(len(named), dtype=np.int64)
    scale = np.maximum(quotas, 1.0)
    for group in order:
        # How far over or under each part's quotas would be, counting only what this group changes.
        before = (((filled - quotas) / scale) ** 2).sum(axis=1) * room
        after = (((filled + sizes[group] - quotas) / scale) ** 2).sum(axis=1) * room
        chosen = int(np.argmin(after - before))
        filled[chosen] += sizes[group]
        part_of[group] = chosen
    return part_of[inverse]


def in_time(layout: Layout) -> Rows:
    """Places in ``layout.rows`` from the earliest to the latest, rows of one moment in their own order.

    Parameters
    ----------
    layout : Layout
        The rows with their moments.

    Returns
    -------
    Rows
        Places in ``layout.rows``, shape (n,).

    Raises
    ------
    UserError
        No column says when a row was.

    Examples
    --------
    >>> in_time(Layout(np.arange(3), times=np.array([5.0, 1.0, 3.0]))).tolist()
    [1, 2, 0]
    """
    if layout.times is None:
        raise UserError(
            "The plan splits by time, and no column has the role time.",
            todo="Give a column that role, or split at random.",
        )
    return np.argsort(layout.times, kind="stable")
