"""How many of the positives the first so many rows hold: gain, lift and precision at any depth, with intervals.

The cut is where that share of the rows ends, so it moves with the rows: a row among the first counts by whether it is
positive less the share of positives at the cut, which it pushes out (the influence of a quantile). Rows of one score at
the cut are taken in part, all alike.
"""

from dataclasses import dataclass
from functools import cached_property
from math import sqrt

import numpy as np
from numpy.typing import NDArray

from brookfall.core.measure.curves import Series, columns_of_figures, series_of
from brookfall.core.measure.figure import ONE_CLASS, Figure, Interval, absent
from brookfall.core.measure.influence_function import effective_n, freedom, hall_ends
from brookfall.core.measure.interval import wilson
from brookfall.core.measure.scored import Numbers, Scored

_NEAR_ROWS = 25
_NEAR_SHARE = 0.05
"""The share of positives at the cut is that of the rows within 5 % of all, at least 25, on either side of it."""
_FEW = 10
"""Rows on either side of a share under which it has the score interval of a proportion."""
_METHOD = "hall_linear_at_depth"
_NOTHING = 1e-20
_KNOWN = "all rows have one score, so that any share of them holds that share of the positives"


@dataclass(frozen=True)
class AtDepth:
    """What the first ``share`` of the rows hold.

    Attributes
    ----------
    share : float
        Of the rows, by weight, in (0, 1].
    cut : float
        The lowest score among them.
    gain : Figure
        Share of all positives that they hold.
    lift : Figure
        How many times as many positives as so many rows by chance.
    precision : Figure
        Share of positives among them.
    """

    share: float
    cut: float
    gain: Figure
    lift: Figure
    precision: Figure


class Depths:
    """Rows in the order of their scores, so that any depth is read off without sorting again.

    Parameters
    ----------
    rows : Scored
        n rows, all with a score and a weight above 0.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(100) < 30, scores=np.linspace(1, 0, 100), threshold=None)
    >>> found = Depths(rows).at(0.2)
    >>> found.gain.value, found.lift.value, found.precision.value
    (0.6666666666666666, 3.333333333333333, 1.0)
    """

    def __init__(self, rows: Scored) -> None:
        self.rows = rows
        order = np.argsort(-rows.scores, kind="stable")
        self._scores, self._hits = rows.scores[order], rows.outcomes[order].astype(np.float64)
        weights = rows.counted[order]
        self._weights, self._total = weights, float(weights.sum())
        self._reach = np.cumsum(weights)
        self._found = np.cumsum(weights * self._hits)
        self._order = order
        # Sums of powers of the weights up to each row, of positives and of all: moments of influences come from them.
        powers = [np.stack([weights**power * self._hits, weights**power]) for power in (1, 2, 3)]
        self._sums = np.concatenate([np.zeros((3, 2, 1)), np.cumsum(np.stack(powers), axis=2)], axis=2)

    def at(self, share: float) -> AtDepth:
        """What the first so many rows hold.

        Parameters
        ----------
        share : float
            Of the rows, by weight, in (0, 1].

        Returns
        -------
        AtDepth
            Gain, lift and precision with n and interval; absent with the reason where one outcome is missing.

        Examples
        --------
        >>> rows = Scored(key="", outcomes=np.ones(3, dtype=bool), scores=np.ones(3), threshold=None)
        >>> Depths(rows).at(0.5).gain.note
        'only one class among these rows'
        """
        n, wanted = len(self.rows), share * self._total
        place = min(int(np.searchsorted(self._reach, wanted * (1 - 1e-12))), n - 1)
        cut = float(self._scores[place])
        first = int(np.searchsorted(-self._scores, -cut, side="left"))
        last = int(np.searchsorted(-self._scores, -cut, side="right"))
        if not self.rows.has_both:
            none = absent(n, ONE_CLASS)
            return AtDepth(share, cut, none, none, none)
        above, through = self._sums[0, :, first], self._sums[0, :, last]
        part = float(np.clip((wanted - above[1]) / (through[1] - above[1]), 0.0, 1.0))
        held = float(above[0] + part * (through[0] - above[0]))
        positives = float(self._found[-1])
        base, gain = positives / self._total, held / positives
        near = self._share_near(first, last)
        of_gain = _Influence(gain, near, part, 1 / base)
        of_precision = _Influence(0.0, near, part, 1 / share)
        places = (first, last)
        found = self._figure(gain, of_gain, places, 1.0, positives)
        return AtDepth(
            share,
            cut,
            found,
            self._figure(gain / share, of_gain.times(1 / share), places, 1 / share, positives),
            self._figure(min(held / wanted, 1.0), of_precision, places, 1.0, wanted),
        )

    def _share_near(self, first: int, last: int) -> float:
        reach = max(_NEAR_ROWS, round(_NEAR_SHARE * len(self.rows)))
        low, high = max(0, first - reach), min(len(self.rows), last + reach)
        hits, weight = self._sums[0, :, high] - self._sums[0, :, low]
        return float(hits / weight)

    def _figure(
        self, value: float, influence: "_Influence", places: tuple[int, int], most: float, among: float
    ) -> Figure:
        """A share, up to ``most``, with Hall's interval; near its ends with the score interval of a proportion.

        ``among`` is the weight of the rows that it is a share of.
        """
        n = len(self.rows)
        share, rows = value / most, max(1.0, effective_n(self.rows) * among / self._total)
        if min(share, 1 - share) * rows < _FEW:
            return Figure(value, n, "wilson_effective_n", Interval(_scaled_wilson, share * rows, rows, most))
        count, squares, cubes = self._moments(influence, places)
        if squares < _NOTHING:
            return Figure(value, n, note=_KNOWN)
        error = sqrt(squares * count / (count - 1))
        ends = Interval(hall_ends, value, error, cubes / squares**1.5, freedom(self.rows), 0.0, most)
        return Figure(value, n, _METHOD, ends)

    def _moments(self, influence: "_Influence", places: tuple[int, int]) -> tuple[int, float, float]:
        """Number of sampled units, and the sums of squares and cubes of their influences."""
        if self.rows.clusters is not None:
            return self._moments_of_clusters(influence, places)
        squares = cubes = 0.0
        for taken, (start, end) in zip((1.0, influence.part, 0.0), self._stretches(places), strict=True):
            of = self._sums[:, :, end] - self._sums[:, :, start]
            for value, sums in ((influence.of(taken, 1.0), of[:, 0]), (influence.of(taken, 0.0), of[:, 1] - of[:, 0])):
                centred = float(value) - self._mean(influence, places)
                squares += centred**2 * float(sums[1])
                cubes += centred**3 * float(sums[2])
        return len(self.rows), squares / self._total**2, cubes / self._total**3

    def _moments_of_clusters(self, influence: "_Influence", places: tuple[int, int]) -> tuple[int, float, float]:
        taken = np.zeros(len(self.rows))
        for share, (start, end) in zip((1.0, influence.part, 0.0), self._stretches(places), strict=True):
            taken[start:end] = share
        values = influence.of(taken, self._hits) - self._mean(influence, places)
        added = np.bincount(self._cluster_places, weights=self._weights * values / self._total)
        return len(added), float((added**2).sum()), float((added**3).sum())

    @cached_property
    def _cluster_places(self) -> NDArray[np.int64]:
        """A place from 0 on for the cluster of each row, in the order of the scores."""
        codes = np.zeros(len(self.rows), dtype=np.int64) if self.rows.clusters is None else self.rows.clusters
        _, inverse = np.unique(codes, return_inverse=True)
        return inverse[self._order].astype(np.int64)

    def _stretches(self, places: tuple[int, int]) -> tuple[tuple[int, int], ...]:
        first, last = places
        return (0, first), (first, last), (last, len(self.rows))

    def _mean(self, influence: "_Influence", places: tuple[int, int]) -> float:
        """The weighted mean over all rows of what an influence is before it is centred."""
        total = 0.0
        for taken, (start, end) in zip((1.0, influence.part, 0.0), self._stretches(places), strict=True):
            hits, weight = self._sums[0, :, end] - self._sums[0, :, start]
            total += float(hits) * float(influence.of(taken, 1.0)) + float(weight - hits) * float(
                influence.of(taken, 0.0)
            )
        return total / self._total


@dataclass(frozen=True)
class _Influence:
    """What a row adds, before centring: as ``taken`` (1 among the first, ``part`` at the cut, else 0) and positive or
    not; ``near`` is the share of positives at the cut."""

    of_all: float
    near: float
    part: float
    scale: float

    def of(self, taken: Numbers | float, hit: Numbers | float) -> Numbers | float:
        return (taken * (hit - self.near) - self.of_all * hit) * self.scale

    def times(self, factor: float) -> "_Influence":
        return _Influence(self.of_all, self.near, self.part, self.scale * factor)


def _scaled_wilson(hits: float, n: float, most: float, level: float) -> tuple[float, float]:
    low, high = wilson(hits, n, level)
    return low * most, high * most


def depth_columns(rows: Scored, level: float) -> Series:
    """Gain, lift and precision at every hundredth of the rows, with the ends of their intervals.

    Parameters
    ----------
    rows : Scored
        n rows, all with a score and a weight above 0.
    level : float
        Level of the intervals, in (0, 1).

    Returns
    -------
    Series
        ``x`` is the depth; ``y``, ``low``, ``high`` the gain; ``lift``, ``precision`` and their ends beside; and the
        score at the ``cut``.

    Examples
    --------
    >>> rows = Scored(key="", outcomes=np.arange(100) < 30, scores=np.linspace(1, 0, 100), threshold=None)
    >>> columns = depth_columns(rows, 0.95)
    >>> len(columns["x"]), columns["x"][19], columns["y"][19]
    (100, 0.2, 0.666667)
    """
    depths = Depths(rows)
    found = [depths.at(hundredth / 100) for hundredth in range(1, 101)]
    columns = {"x": [one.share for one in found], "cut": [one.cut for one in found]}
    for name, figures in (
        ("", [one.gain for one in found]),
        ("lift", [one.lift for one in found]),
        ("precision", [one.precision for one in found]),
    ):
        columns[name or "y"], low, high = columns_of_figures(figures, level)
        columns[f"{name}_low" if name else "low"], columns[f"{name}_high" if name else "high"] = low, high
    return series_of(**{name: np.array(values) for name, values in columns.items()})
