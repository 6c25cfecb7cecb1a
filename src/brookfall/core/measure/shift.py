"""Whether two sets of rows come from the same distribution: the population stability index, KS, chi-square."""

from dataclasses import dataclass
from math import sqrt

import numpy as np
import scipy
from numpy.typing import NDArray

from brookfall.core.measure.association import chi_square
from brookfall.core.measure.figure import FEW_ROWS, Figure, absent
from brookfall.core.table.table import Column

Numbers = NDArray[np.float64]

BINS = 10
_HALF_A_ROW = 0.5


@dataclass(frozen=True)
class Shift:
    """``psi`` without an interval, as it is positive even when nothing shifted.

    ``critical`` is what it exceeds in one of twenty cases when nothing shifted, and ``by_chance`` its mean then.
    ``distance`` is KS of a number, None else; ``p`` is of its test, or of chi-square. When nothing shifted, PSI is
    ``scale`` times chi-square of ``freedom`` degrees.
    """

    psi: Figure
    by_chance: float
    critical: float
    distance: float | None
    p: float | None
    freedom: int = 0
    scale: float = 0.0

    def critical_at(self, level: float) -> float:
        """What PSI exceeds in 1 − level of cases when nothing shifted."""
        return float(scipy.special.chdtri(self.freedom, 1 - level)) * self.scale if self.freedom else 0.0


def shift_of(before: Column, after: Column) -> Shift:
    """The shift of a column from some rows (n) to others (m); a gap is a value of its own.

    A number is cut in ten bins of equal counts of the rows before; an empty bin gets half a row. PSI over B bins is
    distributed as (1/n + 1/m) times chi-square with B − 1 degrees of freedom when nothing shifted (Yurdakul &
    Naranjo 2020, J. Risk Model Valid. 14; citation from memory), from which its critical value is taken.

    Parameters
    ----------
    before, after : Column
        The same column of n rows before and of m after.

    Returns
    -------
    Shift
        PSI with its critical value, and the distances that fit the column's kind.

    References
    ----------
    Yurdakul, B. & Naranjo, J. 2020, J. Risk Model Valid. 14 (citation from memory).

    Examples
    --------
    >>> from brookfall.core.table.infer import column_from_text
    >>> one = column_from_text("c", ["a"] * 50 + ["b"] * 50)
    >>> other = column_from_text("c", ["a"] * 30 + ["b"] * 70)
    >>> round(shift_of(one, other).psi.value, 4)
    0.1695
    """
    first, second = _binned(before, after)
    n, m = int(first.sum()), int(second.sum())
    if n == 0 or m == 0:
        return Shift(absent(n + m, "no such row"), 0.0, 0.0, None, None)
    value, freedom = psi(first, second), len(first) - 1
    scale = 1 / n + 1 / m
    distance = _ks(before, after) if before.kind == "number" else None
    if freedom < 1:
        same = Figure(0.0, n + m, note="all rows of both say the same")
        return Shift(same, 0.0, 0.0, distance, None)
    mean, critical = freedom * scale, float(scipy.special.chdtri(freedom, 0.05)) * scale
    note = f"{mean:.4f} by chance on average, beyond {critical:.4f} in one of twenty; it has no interval about nothing"
    figure = Figure(value, n + m, note=note).marked(few=min(n, m) < FEW_ROWS)
    p = (
        _ks_p(before, after, distance)
        if distance is not None
        else float(scipy.special.chdtrc(freedom, chi_square(np.stack([first, second]))))
    )
    return Shift(figure, mean, critical, distance, p, freedom, scale)


def psi(before: Numbers, after: Numbers) -> float:
    """The population stability index of two rows of counts over the same bins, half a row in each empty bin.

    Parameters
    ----------
    before, after : Numbers
        Counts over the same bins, shape (B,).

    Returns
    -------
    float
        The index, at least 0.

    Examples
    --------
    >>> round(psi(np.array([50.0, 50.0]), np.array([30.0, 70.0])), 4)
    0.1695
    """
    first, second = (np.where(counts == 0, _HALF_A_ROW, counts) for counts in (before, after))
    p, q = first / first.sum(), second / second.sum()
    return float(((p - q) * np.log(p / q)).sum())


def _binned(before: Column, after: Column) -> tuple[Numbers, Numbers]:
    """Counts of the rows before and after over the bins that either has rows in; gaps are the last."""
    if before.kind == "number":
        present = before.values[~before.missing]
        edges = np.unique(np.quantile(present, np.linspace(0, 1, BINS + 1)[1:-1])) if len(present) else np.zeros(0)
        size = len(edges) + 2
        codes = [
            np.where(column.missing, size - 1, np.searchsorted(edges, column.values, side="left"))
            for column in (before, after)
        ]
    else:
        levels = {level: place for place, level in enumerate(dict.fromkeys((*before.levels, *after.levels)))}
        size = len(levels) + 1
        codes = [
            np.array([*(levels[level] for level in column.levels), size - 1], dtype=np.int64)[
                column.values.astype(np.int64)
            ]
            for column in (before, after)
        ]
    first, second = (np.bincount(one, minlength=size).astype(np.float64) for one in codes)
    held = (first + second) > 0
    return first[held], second[held]


def _ks(before: Column, after: Column) -> float | None:
    one, other = (np.sort(column.values[~column.missing].astype(np.float64)) for column in (before, after))
    if not len(one) or not len(other):
        return None
    every = np.concatenate([one, other])
    above = np.searchsorted(one, every, side="right") / len(one)
    return float(np.abs(above - np.searchsorted(other, every, side="right") / len(other)).max())


def _ks_p(before: Column, after: Column, distance: float) -> float:
    n, m = (int((~column.missing).sum()) for column in (before, after))
    return float(scipy.special.kolmogorov(sqrt(n * m / (n + m)) * distance))
