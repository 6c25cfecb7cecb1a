"""Measures of the four cells of a confusion matrix."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
import scipy

from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure.figure import Figure, Interval, absent, quantile_ends
from brookfall.core.measure.influence_function import Linear, effective_n, freedom, variance
from brookfall.core.measure.interval import proportion, share_of, z_of
from brookfall.core.measure.scored import Codes, Numbers, Outcomes, Scored

DRAWS = 4000
_JEFFREYS = 0.5
NO_DENOMINATOR = "its denominator is 0 on these rows"


@dataclass(frozen=True)
class Confusion:
    """Rows, or their weights: true negatives, false positives, false negatives, true positives."""

    tn: float
    fp: float
    fn: float
    tp: float

    @property
    def n(self) -> float:
        return self.tn + self.fp + self.fn + self.tp

    @property
    def cells(self) -> Numbers:
        return np.array([self.tn, self.fp, self.fn, self.tp], dtype=np.float64)


def cell_of(outcomes: Outcomes, decisions: Outcomes) -> Codes:
    """The cell of each row, 0 to 3 in the order of Confusion; shape (n,).

    Parameters
    ----------
    outcomes, decisions : Outcomes
        What was and what was decided, both of shape (n,).

    Returns
    -------
    Codes
        Codes 0 to 3, shape (n,).

    Examples
    --------
    >>> cell_of(np.array([False, False, True, True]), np.array([False, True, False, True])).tolist()
    [0, 1, 2, 3]
    """
    return 2 * outcomes.astype(np.int64) + decisions


def confusion(rows: Scored) -> Confusion:
    """The confusion matrix of n rows, weighted where they have weights.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Confusion
        The counts of the four cells.

    Examples
    --------
    >>> confusion(Scored(key="", outcomes=np.array([True, False]), scores=np.array([0.9, 0.8]), threshold=0.5))
    Confusion(tn=0.0, fp=1.0, fn=0.0, tp=1.0)
    """
    cells = np.bincount(cell_of(rows.outcomes, rows.decisions), weights=rows.weights, minlength=4)
    return Confusion(*(float(cell) for cell in cells))


SHARES: dict[str, tuple[tuple[int, ...], tuple[int, ...]]] = {
    "accuracy": ((0, 3), (0, 1, 2, 3)),
    "error_rate": ((1, 2), (0, 1, 2, 3)),
    "recall": ((3,), (2, 3)),
    "true_positive_rate": ((3,), (2, 3)),
    "false_negative_rate": ((2,), (2, 3)),
    "specificity": ((0,), (0, 1)),
    "true_negative_rate": ((0,), (0, 1)),
    "false_positive_rate": ((1,), (0, 1)),
    "precision": ((3,), (1, 3)),
    "positive_predictive_value": ((3,), (1, 3)),
    "negative_predictive_value": ((0,), (0, 2)),
    "selection_rate": ((1, 3), (0, 1, 2, 3)),
    "base_rate": ((2, 3), (0, 1, 2, 3)),
}
"""Every measure that is a share of rows: the cells counted, and the cells they are a share of."""


def share_rows(name: str, rows: Scored) -> tuple[Scored, Outcomes]:
    """The rows that a share is taken of, and where among them it holds.

    Parameters
    ----------
    name : str
        A key of ``SHARES``.
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    tuple[Scored, Outcomes]
        The rows of the denominator, and where the share holds among them.

    Raises
    ------
    KeyError
        There is no share of that name.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> among, hits = share_rows("recall", yes_no_rows())
    >>> len(among), int(hits.sum())
    (20, 10)
    """
    top, bottom = SHARES[name]
    cells = _cells(name, rows)
    chosen = np.isin(cells, bottom)
    if chosen.all():
        return rows, np.isin(cells, top)
    return rows.take(chosen, name), np.isin(cells[chosen], top)


def share_figure(name: str, rows: Scored) -> Figure:
    """A share of rows with Wilson's interval (of effective n in weights or clusters).

    Parameters
    ----------
    name : str
        A key of ``SHARES``.
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Raises
    ------
    KeyError
        There is no share of that name.

    References
    ----------
    Wilson, E. B. 1927, J. Am. Stat. Assoc. 22:209.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> figure = share_figure("recall", yes_no_rows())
    >>> figure.value, figure.n, figure.method
    (0.5, 20, 'wilson')
    """
    if not rows.plain:
        among, hits = share_rows(name, rows)
        return share_of(hits, among).figure()
    top, bottom = SHARES[name]
    return share_from_cells(np.bincount(_cells(name, rows), minlength=4), top, bottom)


def _cells(name: str, rows: Scored) -> Codes:
    """The cell of each row, shape (n,); a base rate is one of outcomes alone, whatever is decided."""
    return cell_of(rows.outcomes, rows.outcomes if name == "base_rate" else rows.decisions)


def share_from_cells(cells: Numbers | Codes, top: tuple[int, ...], bottom: tuple[int, ...]) -> Figure:
    """x of n rows from the cells of plain rows.

    Parameters
    ----------
    cells : Numbers
        Counts of the four cells, shape (4,).
    top : tuple[int, ...]
        Places of the cells that are counted.
    bottom : tuple[int, ...]
        Places of the cells that they are counted among.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> share_from_cells(np.array([50.0, 10.0, 5.0, 15.0]), (3,), (2, 3)).value
    0.75
    """
    return proportion(int(cells[list(top)].sum()), int(cells[list(bottom)].sum()))


def share_linear(name: str, rows: Scored) -> Linear:
    """A share of rows with the influence of each row on it.

    Parameters
    ----------
    name : str
        A key of ``SHARES``.
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Raises
    ------
    KeyError
        There is no share of that name.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> rows = yes_no_rows()
    >>> share_linear("recall", rows).value, abs(round(share_linear("recall", rows).influence.sum(), 12))
    (0.5, np.float64(0.0))
    """
    top, bottom = SHARES[name]
    weights = rows.counted
    cells = _cells(name, rows)
    among = np.where(np.isin(cells, bottom), weights, 0.0)
    total = among.sum()
    hits = np.isin(cells, top).astype(np.float64)
    value = float(among @ hits / total)
    return Linear(value, among * (hits - value) / total)


def _balanced_accuracy(cells: Numbers) -> Numbers:
    tn, fp, fn, tp = np.moveaxis(cells, -1, 0)
    return (tp / (tp + fn) + tn / (tn + fp)) / 2


def _f1(cells: Numbers) -> Numbers:
    _, fp, fn, tp = np.moveaxis(cells, -1, 0)
    return 2 * tp / (2 * tp + fp + fn)


def _mcc(cells: Numbers) -> Numbers:
    tn, fp, fn, tp = np.moveaxis(cells, -1, 0)
    return (tp * tn - fp * fn) / np.sqrt((tp + fp) * (tp + fn) * (tn + fp) * (tn + fn))


def _kappa(cells: Numbers) -> Numbers:
    tn, fp, fn, tp = np.moveaxis(cells, -1, 0)
    n = tn + fp + fn + tp
    agreed = (tp + tn) / n
    chance = ((tp + fp) * (tp + fn) + (tn + fp) * (tn + fn)) / (n * n)
    return (agreed - chance) / (1 - chance)


FUNCTIONS: dict[str, Callable[[Numbers], Numbers]] = {
    "balanced_accuracy": _balanced_accuracy,
    "f1": _f1,
    "mcc": _mcc,
    "kappa": _kappa,
}
"""Every other measure of the four cells, of an array of shape (..., 4)."""


def function_figure(name: str, rows: Scored) -> Figure:
    """A function of the four cells, with the interval that the cells' own uncertainty gives.

    Draws of the cells' shares under Jeffreys' prior, half a row a cell (Brown, Cai & DasGupta 2001 for one share):
    unlike resampled rows they never give a width of zero when a cell is empty. In weights or clusters the cells are
    brought down to the effective n of the measure itself.

    Parameters
    ----------
    name : str
        A key of ``FUNCTIONS``.
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Raises
    ------
    KeyError
        There is no function of that name.

    References
    ----------
    Brown, L. D., Cai, T. T. & DasGupta, A. 2001, Stat. Sci. 16:101.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> figure = function_figure("f1", yes_no_rows())
    >>> round(figure.value, 4), figure.method
    (0.4, 'jeffreys_cells')
    """
    cells = confusion(rows).cells
    with np.errstate(divide="ignore", invalid="ignore"):
        value = float(FUNCTIONS[name](cells))
    if not np.isfinite(value):
        return absent(len(rows), NO_DENOMINATOR)
    if not rows.plain:
        cells = (
            cells
            / cells.sum()
            * _effective(name, rows)
            * (z_of(0.95) / float(scipy.special.stdtrit(freedom(rows), 0.975))) ** 2
        )
    draws = _drawn(tuple(cells.tolist()))
    kept = FUNCTIONS[name](draws)
    return Figure(value, len(rows), "jeffreys_cells", Interval(_ends_about, value, kept))


def _ends_about(value: float, draws: Numbers, level: float) -> tuple[float, float]:
    low, high = quantile_ends(draws, level)
    return min(low, value), max(high, value)


@lru_cache(maxsize=64)
def _drawn(cells: tuple[float, ...]) -> Numbers:
    """DRAWS draws of the shares of the cells; equal cells give equal draws."""
    rng = np.random.default_rng(seed_from("cells", *(f"{cell:.12g}" for cell in cells)))
    return rng.dirichlet(np.array(cells) + _JEFFREYS, DRAWS)


def function_linear(name: str, rows: Scored) -> Linear:
    """A function of the four cells with the influence of each row: what leaving it out changes (the jackknife).

    Unlike the slope at the cells themselves, it knows that a row counts for more where a cell holds few.

    Parameters
    ----------
    name : str
        A key of ``FUNCTIONS``.
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Raises
    ------
    KeyError
        There is no function of that name.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(function_linear("f1", yes_no_rows()).value, 4)
    0.4
    """
    cells, weights = confusion(rows).cells, rows.counted
    own = cell_of(rows.outcomes, rows.decisions)
    without = cells - np.eye(4)[own] * weights[:, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        value = float(FUNCTIONS[name](cells))
        left = FUNCTIONS[name](np.maximum(without, 0.0))
    influence = np.where(np.isfinite(left), value - left, 0.0) * (1 - weights / cells.sum())
    return Linear(value, influence - weights / cells.sum() * influence.sum())


def _effective(name: str, rows: Scored) -> float:
    """The n of unrelated rows of equal weight at which the measure would vary as it does here."""
    linear = function_linear(name, rows)
    spread = variance(linear.influence, rows)
    total = rows.counted.sum()
    # What one unrelated row would vary by: the influences without weights or clusters.
    alone = float((linear.influence**2 / rows.counted).sum() * total)
    if spread <= 0 or alone <= 0:
        return effective_n(rows)
    return min(alone / spread, float(len(rows)))
