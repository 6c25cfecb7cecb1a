"""The flexible calibration curve: how often events happen along the score, by local regression, with a band."""

from dataclasses import dataclass

import numpy as np
import scipy

from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure.calibration import equal_count_bins
from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.scored import Numbers, Scored

_POINTS = 60
_MOST = 1500
_FEWEST = 4
_DRAWS = 500
SPAN = 0.75
"""The share of the rows that each point of the curve is fitted to (Cleveland's default; Austin & Steyerberg 2019)."""


@dataclass(frozen=True)
class FlexibleCurve:
    """The curve at scores that rise.

    ``at``, ``rate`` (the smoothed share of events) and ``error`` (its standard error; None if rows are weighted or in
    groups) have shape (points,). ``apart`` is how far the curve lies from each score that occurs, and ``share`` the
    share of the rows that have it; both of shape (scores,).
    """

    at: Numbers
    rate: Numbers
    error: Numbers | None
    apart: Numbers
    share: Numbers

    def ends(self, level: float) -> tuple[Numbers, Numbers] | None:
        """The band at that level, pointwise, inside 0 to 1; None without an error."""
        if self.error is None:
            return None
        half = float(scipy.special.ndtri((1 + level) / 2)) * self.error
        return np.clip(self.rate - half, 0, 1), np.clip(self.rate + half, 0, 1)


def local_weights(x: Numbers, weights: Numbers, at: Numbers, span: float = SPAN, degree: int = 2) -> Numbers:
    """The matrix that turns outcomes at ``x`` into a local regression at ``at``, tricube weights (Cleveland 1979).

    Parameters
    ----------
    x : Numbers
        Places, shape (n,).
    weights : Numbers
        What each counts, above 0, shape (n,).
    at : Numbers
        Where the regression is wanted, shape (points,).
    span : float
        The share of the rows that a point is fitted to, in (0, 1].
    degree : int
        1 for lines, 2 for parabolas.

    Returns
    -------
    Numbers
        Shape (points, n); each row adds up to 1.

    References
    ----------
    Cleveland, W. S. 1979, J. Am. Stat. Assoc. 74:829.

    Examples
    --------
    >>> x = np.linspace(0, 1, 9)
    >>> found = local_weights(x, np.ones(9), np.array([0.5]))
    >>> float(np.round(found @ x**2, 6)[0])
    0.25
    """
    distance = np.abs(at[:, None] - x)
    order = np.argsort(distance, axis=1, kind="stable")
    reached = np.cumsum(weights[order], axis=1)
    last = np.minimum((reached < span * weights.sum() - 1e-9).sum(axis=1), len(x) - 1)
    width = np.take_along_axis(distance, np.take_along_axis(order, last[:, None], axis=1), axis=1)
    # Many equal scores reach the span at no distance: then the point is fitted to them alone.
    near = distance / np.where(width > 0, width, 1.0)
    kernel = np.where(near < 1, (1 - near**3) ** 3, 0.0)
    kernel = np.where(width > 0, kernel, distance == 0) * weights
    powers = (x - at[:, None])[:, :, None] ** np.arange(degree + 1)
    bread = np.einsum("pn,pni,pnj->pij", kernel, powers, powers)
    first = np.linalg.pinv(bread, hermitian=True)[:, 0, :]
    return np.einsum("pi,pni,pn->pn", first, powers, kernel)


def flexible_curve(rows: Scored) -> FlexibleCurve | str:
    """Local regression of the outcome on the score; in words why not, where it can't be had.

    Over 1 500 rows, neighbouring scores are joined first, so that a million rows cost no more.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores in [0, 1].

    Returns
    -------
    FlexibleCurve | str
        The curve at most at 60 scores that occur.

    References
    ----------
    Austin, P. C. & Steyerberg, E. W. 2019, Stat. Med. 38:4051 (from memory).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> flexible_curve(yes_no_rows()).rate.shape
    (60,)
    """
    if rows.few:
        return "too few rows for a curve"
    x, y, weights = _joined(rows)
    if len(x) < _FEWEST:
        return f"the scores have {len(x)} values, too few for a curve"
    at = x[np.unique(np.linspace(0, len(x) - 1, min(_POINTS, len(x))).round().astype(np.int64))]
    smooth = local_weights(x, weights, at)
    rate = np.clip(smooth @ y, 0, 1)
    along = np.interp(x, at, rate)
    error = None
    if rows.plain:
        rates = np.clip(along, 1e-6, 1 - 1e-6)
        error = np.sqrt((smooth**2 / weights) @ (rates * (1 - rates)))
    return FlexibleCurve(at, rate, error, np.abs(along - x), weights / weights.sum())


def _joined(rows: Scored) -> tuple[Numbers, Numbers, Numbers]:
    """Distinct scores that rise, or bins of neighbours where there are many; their shares of events; their weights."""
    scores, codes = np.unique(rows.scores, return_inverse=True)
    if len(scores) > _MOST:
        codes = equal_count_bins(rows.scores, _MOST)
    weights = np.bincount(codes, weights=rows.counted).astype(np.float64)
    x = np.bincount(codes, weights=rows.counted * rows.scores) / weights
    return x, np.bincount(codes, weights=rows.counted * rows.outcomes) / weights, weights


def distances_to_curve(rows: Scored, curve: FlexibleCurve | str) -> tuple[Figure, Figure]:
    """How far the curve lies from the score: the mean over the rows (ICI), and their 90th percentile (E90).

    They are positive even when all is well, so they have no interval: the note gives what chance alone would make of
    them, over outcomes drawn from the scores themselves.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.
    curve : FlexibleCurve | str
        Their flexible curve, or why there is none.

    Returns
    -------
    tuple[Figure, Figure]
        The mean and the 90th percentile with their n; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> rows = yes_no_rows()
    >>> [round(figure.value, 3) for figure in distances_to_curve(rows, flexible_curve(rows))]
    [0.223, 0.454]
    """
    n = len(rows)
    if isinstance(curve, str):
        return absent(n, curve), absent(n, curve)
    x, _, weights = _joined(rows)
    rng = np.random.default_rng(seed_from("ici", rows.key))
    # A joined score's share of events is binomial under the scores, as are its rows.
    drawn = rng.binomial(np.maximum(1, weights.round()).astype(np.int64), x, size=(_DRAWS, len(x)))
    shares = drawn / np.maximum(1, weights.round())
    rates = np.clip(shares @ local_weights(x, weights, curve.at).T, 0, 1)
    apart = np.abs(np.stack([np.interp(x, curve.at, one) for one in rates]) - x)
    mean, ninetieth = (
        Figure(of(curve.apart, curve.share), n, note=_by_chance(np.array([of(one, curve.share) for one in apart])))
        for of in (_mean_distance, _ninetieth)
    )
    return mean, ninetieth


def _by_chance(values: Numbers) -> str:
    return f"by chance alone {values.mean():.4f} on average, 95th percentile {np.quantile(values, 0.95):.4f}"


def _mean_distance(apart: Numbers, share: Numbers) -> float:
    return float(apart @ share)


def _ninetieth(apart: Numbers, share: Numbers) -> float:
    order = np.argsort(apart, kind="stable")
    return float(apart[order][np.searchsorted(np.cumsum(share[order]), 0.9 - 1e-12)])
