"""The outcome of every row, whatever its kind."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.table.outcome import Outcome


@dataclass(frozen=True)
class Target:
    """``values`` of shape (n,): True where positive (binary), positions in ``classes`` (multiclass), or numbers.

    ``classes`` are the values as the data write them: (negative, positive) for binary, in sorted order for
    multiclass, none for a number. Of a choice a row is an alternative of an occasion, and positive where it was chosen.
    """

    outcome: Outcome
    values: NDArray[np.bool_] | NDArray[np.int64] | NDArray[np.float64]
    classes: tuple[str, ...] = ()

    @property
    def positive(self) -> str:
        """The positive value of a binary outcome, as the data write it."""
        return self.classes[1]

    @property
    def hits(self) -> NDArray[np.bool_]:
        """True where a binary outcome is positive; shape (n,)."""
        return self.values.astype(np.bool_)

    @property
    def codes(self) -> NDArray[np.int64]:
        """The place of each row's outcome in ``classes``; shape (n,)."""
        return self.values.astype(np.int64)

    @property
    def numbers(self) -> NDArray[np.float64]:
        """The outcomes as numbers; shape (n,)."""
        return self.values.astype(np.float64)

    @property
    def yes_no(self) -> bool:
        """Whether every row is positive or negative: of a binary outcome, or an alternative chosen or not."""
        return self.outcome in ("binary", "choice")

    @property
    def strata(self) -> NDArray[np.int64] | None:
        """The class of every row for stratifying; None for a number, and for a choice, which is made by occasion."""
        return self.codes if self.outcome in ("binary", "multiclass") else None


def membership(n: int, rows: NDArray[np.int64]) -> Target:
    """The yes/no outcome of n rows that asks whether a row is among those positions.

    >>> membership(3, np.array([1])).hits.tolist()
    [False, True, False]
    """
    among = np.zeros(n, dtype=np.bool_)
    among[rows] = True
    return Target("binary", among, ("no", "yes"))
