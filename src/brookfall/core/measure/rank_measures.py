"""Measures of the ranking that have no smooth influence: average precision, KS, lift and gain at a depth.

Bootstrap of rows, or of whole clusters, from one sort: every resample is a set of weights on the sorted rows. Over
a few thousand rows the ranking is first joined into bins, single ranks at its head and wider ones further down, so
that a million rows cost no more than a few thousand; the value itself is of the rows as they are.
"""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
import scipy

from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure.figure import ONE_CLASS, Bounds, Figure, Interval, absent
from brookfall.core.measure.influence_function import effective_n
from brookfall.core.measure.interval import wilson
from brookfall.core.measure.scored import Codes, Numbers, Scored

RESAMPLES = 1000
DEPTH = 0.2
_SINGLE_RANKS = 200
_WIDENING = 0.01
_BLOCK = 4_000_000
_PERMUTED = 500


@dataclass(frozen=True)
class Ranked:
    """Positive and negative weight in each bin from the highest score down; arrays of shape (..., bins)."""

    hits: Numbers
    misses: Numbers


Formula = Callable[[Ranked], Numbers]


def _average_precision(ranked: Ranked) -> Numbers:
    true, false = np.cumsum(ranked.hits, axis=-1), np.cumsum(ranked.misses, axis=-1)
    depth = true + false
    precision = np.divide(true, depth, out=np.zeros_like(true), where=depth > 0)
    return (ranked.hits * precision).sum(axis=-1) / true[..., -1]


def _ks(ranked: Ranked) -> Numbers:
    true, false = np.cumsum(ranked.hits, axis=-1), np.cumsum(ranked.misses, axis=-1)
    return np.abs(true / true[..., -1:] - false / false[..., -1:]).max(axis=-1)


def _gain(ranked: Ranked) -> Numbers:
    """Share of the positive weight in the first fifth of the rows; a bin that crosses the depth counts in part."""
    sizes = ranked.hits + ranked.misses
    ends = np.cumsum(sizes, axis=-1)
    depth = DEPTH * ends[..., -1:]
    inside = np.clip(depth - (ends - sizes), 0, sizes)
    part = np.divide(inside, sizes, out=np.zeros_like(sizes), where=sizes > 0)
    return (ranked.hits * part).sum(axis=-1) / ranked.hits.sum(axis=-1)


def _auc(ranked: Ranked) -> Numbers:
    above = np.cumsum(ranked.hits, axis=-1) - ranked.hits / 2
    total = ranked.hits.sum(axis=-1) * ranked.misses.sum(axis=-1)
    return (above * ranked.misses).sum(axis=-1) / total


FORMULAS: dict[str, Formula] = {
    "average_precision": _average_precision,
    "ks": _ks,
    "gain_at_20": _gain,
    "auc": _auc,
}
"""Each measure of a ranking; ``auc`` is here to check DeLong's interval by another way."""


def rank_value(name: str, rows: Scored) -> float:
    """The measure of that name on rows of both classes.

    Parameters
    ----------
    name : str
        A key of ``FORMULAS``.
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    float
        The value, without interval.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(10) < 2, scores=-np.arange(10.0), threshold=0)
    >>> rank_value("gain_at_20", rows)
    1.0
    """
    return float(FORMULAS[name](_ranked(rows, _bins(rows))))


def value_if_any(name: str, rows: Scored) -> float | None:
    """As :func:`rank_value`, of any rows.

    Parameters
    ----------
    name : str
        A key of ``FORMULAS``.
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    float | None
        The value; None where all rows have one outcome.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(10) < 2, scores=-np.arange(10.0), threshold=0)
    >>> value_if_any("gain_at_20", rows), value_if_any("gain_at_20", rows.take(rows.outcomes, "yes"))
    (1.0, None)
    """
    return rank_value(name, rows) if rows.has_both else None


def rank_figure(name: str, rows: Scored) -> Figure:
    """The measure with a bootstrap of rows or clusters (Efron & Tibshirani 1993), B = 1000.

    Gain: percentiles. Average precision and KS: t interval on the logit scale (for average precision as Boyd, Eng &
    Page 2013 do; citation from memory) with the spread of the resamples and as many degrees of freedom as the rarer
    outcome gives; KS, which is too high in samples, less the bias that the resamples show. At an end of its range,
    where every resample says the same, the bound of a share with the effective n.

    Parameters
    ----------
    name : str
        A key of ``FORMULAS``.
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Efron, B. & Tibshirani, R. J. 1993, An Introduction to the Bootstrap, Chapman & Hall. Boyd, K., Eng, K. H. & Page,
    C. D. 2013, ECML PKDD, LNCS 8190:451 (citation from memory).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> figure = rank_figure("ks", yes_no_rows())
    >>> round(figure.value, 4), figure.method
    (0.05, 'bootstrap_logit')
    """
    if not rows.has_both:
        return absent(len(rows), ONE_CLASS)
    value = rank_value(name, rows)
    draws = rank_draws(name, rows)
    kept = draws[np.isfinite(draws)]
    if len(kept) < RESAMPLES * 0.9:
        return Figure(value, len(rows), note="too many resamples had no value for an interval")
    fewest = min(effective_n(rows), float(rows.events), float(len(rows) - rows.events))
    if np.ptp(kept) < 1e-12 and (value <= 0 or value >= 1):
        return Figure(value, len(rows), "wilson_edge", Interval(wilson, value * fewest, fewest))
    if name == "gain_at_20":
        return Figure(
            value,
            len(rows),
            "bootstrap_percentile" if rows.clusters is None else "bootstrap_clusters",
            Interval(_percentiles, value, kept),
        )
    bounds = _logit_bounds(value, kept, max(fewest - 1, 1.0), unbiased=name == "ks")
    return Figure(value, len(rows), f"bootstrap_logit{'' if rows.clusters is None else '_clusters'}", bounds)


def _percentiles(value: float, draws: Numbers, level: float) -> tuple[float, float]:
    low, high = np.quantile(draws, [(1 - level) / 2, (1 + level) / 2])
    return min(float(low), value), max(float(high), value)


def _logit_bounds(value: float, draws: Numbers, degrees: float, *, unbiased: bool) -> Bounds:
    edge = 1e-6
    drawn, centre = (
        scipy.special.logit(np.clip(draws, edge, 1 - edge)),
        float(scipy.special.logit(np.clip(value, edge, 1 - edge))),
    )
    error = float(drawn.std(ddof=1))
    middle = 2 * centre - float(drawn.mean()) if unbiased else centre

    return Interval(_logit_ends, value, middle, error, degrees)


def _logit_ends(value: float, middle: float, error: float, degrees: float, level: float) -> tuple[float, float]:
    half = float(scipy.special.stdtrit(degrees, (1 + level) / 2)) * error
    return min(float(scipy.special.expit(middle - half)), value), max(float(scipy.special.expit(middle + half)), value)


def ks_by_chance(rows: Scored) -> str:
    """What KS would be if the scores said nothing, in words: it is above 0 even then. By 500 permutations.

    Of many rows a smaller sample of the same mix is permuted, and its distances shrunk by the root of the sizes.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    str
        The sentence that stands beside KS.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> ks_by_chance(yes_no_rows())
    'by chance alone 0.223 on average, 95th percentile 0.350'
    """
    few = min(len(rows), 2000)
    hits = min(max(round(few * rows.events / len(rows)), 1), few - 1)
    rng = np.random.default_rng(seed_from("ks", rows.key))
    order = rng.permuted(np.tile(np.arange(few) < hits, (_PERMUTED, 1)), axis=1)
    true = np.cumsum(order, axis=1)
    far = np.abs(true / hits - (np.arange(1, few + 1) - true) / (few - hits)).max(axis=1) * np.sqrt(few / len(rows))
    return f"by chance alone {far.mean():.3f} on average, 95th percentile {np.quantile(far, 0.95):.3f}"


def rank_draws(name: str, rows: Scored, resamples: int = RESAMPLES) -> Numbers:
    """The measure on ``resamples`` resamples of the rows, or of their clusters; shape (resamples,).

    Parameters
    ----------
    name : str
        A key of ``FORMULAS``.
    rows : Scored
        n rows with their outcomes and scores.
    resamples : int
        How many resamples.

    Returns
    -------
    Numbers
        Values, shape (resamples,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> rank_draws("auc", yes_no_rows(), 50).shape
    (50,)
    """
    rng = np.random.default_rng(seed_from("bootstrap", rows.key, name))
    formula = FORMULAS[name]
    binned = _joined(_bins(rows))
    shift = float(FORMULAS[name](_ranked(rows, _bins(rows)))) - float(formula(_ranked(rows, binned)))
    with np.errstate(divide="ignore", invalid="ignore"):
        if not rows.plain:
            return _unit_draws(formula, rows, binned, rng, resamples) + shift
        whole = _ranked(rows, binned)
        return _plain_draws(formula, whole, len(rows), rng, resamples) + shift


def _plain_draws(formula: Formula, whole: Ranked, n: int, rng: np.random.Generator, resamples: int) -> Numbers:
    """Rows drawn with replacement: one multinomial over the bins of both classes."""
    shares = np.concatenate([whole.hits, whole.misses]) / n
    filled = np.flatnonzero(shares)
    bins = len(whole.hits)
    draws = np.empty(resamples)
    block = max(1, _BLOCK // (2 * bins))
    for start in range(0, resamples, block):
        size = min(block, resamples - start)
        counts = np.zeros((size, 2 * bins))
        if n <= 4 * len(filled):
            cumulated = np.repeat(filled, np.round(shares[filled] * n).astype(np.int64))
            picks = cumulated[rng.integers(0, n, (size, n), dtype=np.uint32)]
            picks += np.arange(size)[:, None] * 2 * bins
            counts[:] = np.bincount(picks.ravel(), minlength=size * 2 * bins).reshape(size, -1)
        else:
            counts[:, filled] = rng.multinomial(n, shares[filled] / shares[filled].sum(), size)
        draws[start : start + size] = formula(Ranked(counts[:, :bins], counts[:, bins:]))
    return draws


def _unit_draws(formula: Formula, rows: Scored, binned: Codes, rng: np.random.Generator, resamples: int) -> Numbers:
    """Rows of a weight each, or whole clusters, drawn with replacement; a unit at a time into its bins."""
    units = np.arange(len(rows)) if rows.clusters is None else np.unique(rows.clusters, return_inverse=True)[1]
    count = int(units.max()) + 1
    bins = int(binned.max()) + 1
    weights = rows.counted
    draws = np.empty(resamples)
    block = max(1, _BLOCK // max(len(rows), 2 * bins))
    place = np.where(rows.outcomes, binned, binned + bins)
    for start in range(0, resamples, block):
        size = min(block, resamples - start)
        picks = rng.integers(0, count, (size, count)) + np.arange(size)[:, None] * count
        times = np.bincount(picks.ravel(), minlength=size * count).reshape(size, count)
        where = (place + np.arange(size)[:, None] * 2 * bins).ravel()
        cells = _sums(where, (times[:, units] * weights).ravel(), size * 2 * bins).reshape(size, 2 * bins)
        draws[start : start + size] = formula(Ranked(cells[:, :bins], cells[:, bins:]))
    return draws


def _bins(rows: Scored) -> Codes:
    """The rank of each row's score among the distinct scores, from the highest, 0 first; shape (n,)."""
    distinct, inverse = np.unique(-rows.scores, return_inverse=True)
    return inverse.astype(np.int64) if len(distinct) else np.zeros(0, dtype=np.int64)


def _joined(bins: Codes) -> Codes:
    """Bins joined where there are many: single at the head of the ranking, wider further down."""
    sizes = np.bincount(bins)
    if len(sizes) <= 4 * _SINGLE_RANKS:
        return bins
    ends = np.cumsum(sizes)
    head = np.minimum(ends - 1, _SINGLE_RANKS)
    tail = np.log(np.maximum(ends, _SINGLE_RANKS) / _SINGLE_RANKS) / np.log1p(_WIDENING)
    return np.unique(head + np.floor(tail).astype(np.int64), return_inverse=True)[1].astype(np.int64)[bins]


def _sums(bins: Codes, weights: Numbers, count: int) -> Numbers:
    return np.bincount(bins, weights=weights, minlength=count).astype(np.float64)


def _ranked(rows: Scored, bins: Codes) -> Ranked:
    count = int(bins.max()) + 1
    weights = rows.counted
    return Ranked(
        _sums(bins, np.where(rows.outcomes, weights, 0.0), count),
        _sums(bins, np.where(rows.outcomes, 0.0, weights), count),
    )
