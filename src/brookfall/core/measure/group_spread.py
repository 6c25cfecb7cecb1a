"""Count measures of many groups at once, resampled as one multinomial over the joint cells of group and outcome."""

import numpy as np

from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure.counts import FUNCTIONS, SHARES, cell_of
from brookfall.core.measure.figure import Figure, Interval, absent, quantile_ends
from brookfall.core.measure.scored import Codes, Numbers, Scored

RESAMPLES = 1000


def joint_cells(rows: Scored, groups: Codes, count: int) -> Numbers:
    """Weights in the cells tn, fp, fn, tp of each group; ``groups`` are codes below ``count``; shape (count, 4).

    Rows of a code below 0 belong to no group.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.
    groups : Codes
        Codes below ``count``, shape (n,); below 0 for no group.
    count : int
        How many groups there are.

    Returns
    -------
    Numbers
        Weights, shape (count, 4).

    Examples
    --------
    >>> outcomes, scores = np.array([True, False, True]), np.array([0.9, 0.8, 0.1])
    >>> rows = Scored(key="", outcomes=outcomes, scores=scores, threshold=0.5)
    >>> joint_cells(rows, np.array([0, 0, 1]), 2).tolist()
    [[0.0, 1.0, 0.0, 1.0], [0.0, 0.0, 1.0, 0.0]]
    """
    member = groups >= 0
    place = groups[member] * 4 + cell_of(rows.outcomes[member], rows.decisions[member])
    weights = None if rows.weights is None else rows.weights[member]
    return np.bincount(place, weights=weights, minlength=count * 4).reshape(count, 4).astype(np.float64)


def of_cells(names: tuple[str, ...], cells: Numbers) -> Numbers:
    """The measures of cells of shape (..., 4); shape (len(names), ...). NaN where a denominator is 0.

    Parameters
    ----------
    names : tuple[str, ...]
        Names of measures of the four cells.
    cells : Numbers
        Weights in the four cells, shape (..., 4).

    Returns
    -------
    Numbers
        Values, shape (len(names), ...).

    Examples
    --------
    >>> of_cells(("recall", "f1"), np.array([5.0, 1.0, 1.0, 3.0])).tolist()
    [0.75, 0.75]
    """
    with np.errstate(divide="ignore", invalid="ignore"):
        return np.stack([_one(name, cells) for name in names])


def _one(name: str, cells: Numbers) -> Numbers:
    if name in FUNCTIONS:
        return FUNCTIONS[name](cells)
    top, bottom = SHARES[name]
    return cells[..., list(top)].sum(axis=-1) / cells[..., list(bottom)].sum(axis=-1)


def resampled(names: tuple[str, ...], cells: Numbers, resamples: int, rng: np.random.Generator) -> Numbers:
    """The measures of whole-number cells of shape (groups, 4) on resamples of all rows together.

    Shape (len(names), resamples, groups). Resampling n rows with replacement is one multinomial over the cells.

    Parameters
    ----------
    names : tuple[str, ...]
        Names of measures of the four cells.
    cells : Numbers
        Counts in the four cells, shape (groups, 4).
    resamples : int
        How many resamples.
    rng : np.random.Generator
        Where the draws come from.

    Returns
    -------
    Numbers
        Values, shape (len(names), resamples, groups).

    Examples
    --------
    >>> cells = np.array([[50.0, 10.0, 5.0, 15.0], [40.0, 12.0, 6.0, 10.0]])
    >>> resampled(("recall", "f1"), cells, 100, np.random.default_rng(1)).shape
    (2, 100, 2)
    """
    n = int(cells.sum())
    drawn = rng.multinomial(n, cells.ravel() / n, resamples).reshape(resamples, *cells.shape)
    return of_cells(names, drawn.astype(np.float64))


def spread(measured: Numbers) -> Numbers:
    """The largest minus the smallest group, over the last axis; groups without a value are left out.

    Parameters
    ----------
    measured : Numbers
        Values of the groups on the last axis.

    Returns
    -------
    Numbers
        Largest less smallest; one axis less.

    Examples
    --------
    >>> spread(np.array([[0.2, 0.5, np.nan], [0.4, 0.4, 0.4]])).tolist()
    [0.3, 0.0]
    """
    found: Numbers = np.fmax.reduce(measured, axis=-1) - np.fmin.reduce(measured, axis=-1)
    return found


def spread_figure(name: str, cells: Numbers, key: str) -> Figure:
    """The largest less the smallest group of a share, with a bootstrap interval and what chance alone would give.

    ``cells`` are whole numbers of rows of shape (groups, 4); ``key`` seeds the draws. Groups without a row in the
    denominator are left out. It is positive even when all groups are alike: the note gives the mean spread of groups
    of these sizes with one rate. Percentile interval of resampled rows (Efron & Tibshirani 1993).

    Parameters
    ----------
    name : str
        A share of the four cells.
    cells : Numbers
        Counts in the four cells, shape (groups, 4).
    key : str
        What the draws are seeded by.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Efron, B. & Tibshirani, R. J. 1993, An Introduction to the Bootstrap, Chapman & Hall, ch. 13.

    Examples
    --------
    >>> cells = np.array([[50.0, 10.0, 5.0, 15.0], [40.0, 12.0, 6.0, 10.0]])
    >>> round(spread_figure("recall", cells, "doc").value, 4)
    0.125
    """
    top, bottom = (cells[:, list(places)].sum(axis=1) for places in SHARES[name])
    kept = bottom > 0
    n = int(bottom.sum())
    if kept.sum() < 2:
        return absent(n, "under two groups have such a row")
    rng = np.random.default_rng(seed_from("spread", name, key))
    value = float(spread(top[kept] / bottom[kept]))
    with np.errstate(invalid="ignore"):
        drawn = spread(resampled((name,), cells[kept], RESAMPLES, rng)[0])
    alike = rng.binomial(bottom[kept].astype(np.int64), top.sum() / bottom.sum(), (RESAMPLES, int(kept.sum())))
    by_chance = spread(alike / bottom[kept])
    known = drawn[np.isfinite(drawn)]

    note = f"by chance alone {by_chance.mean():.4f} on average, 95th percentile {np.quantile(by_chance, 0.95):.4f}"
    return Figure(value, n, "bootstrap_percentile", Interval(quantile_ends, known), note)
