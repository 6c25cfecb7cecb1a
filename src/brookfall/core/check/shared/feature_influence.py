"""What is read of every feature: its permutation importance on unseen rows, and how often the model splits on it."""

from math import sqrt

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import Bench
from brookfall.core.fit.request import InfluenceReading, Need, SplitsReading
from brookfall.core.measure.figure import Figure, Interval, normal_ends

REPEATS = 30


MOST_ROWS = 20_000
"""More would narrow the intervals, and take hours with many features."""


def influence_needs(bench: Bench) -> tuple[Need, Need]:
    """What is read of every feature: its influence on unseen rows, and how often the model splits on it."""
    fit = bench.asked
    reading = InfluenceReading(bench.asked_rows(MOST_ROWS), bench.plan.main_measure, REPEATS, bench.plan.seed)
    return Need(fit, reading), Need(fit, SplitsReading(fit.train))


def figure_of_influence(read: NDArray[np.float64], n: int) -> Figure:
    """The mean loss; its interval holds what other rows, and other shuffles of these, would have given."""
    value, of_rows, of_repeats = (float(one) for one in read)
    if not np.isfinite(value):
        return Figure(None, n, note="the measure has no value on these rows")
    if value == 0 and of_rows == 0:
        return Figure(0.0, n, note="the fitted model does not look at it")
    if not np.isfinite(of_rows):
        return Figure(value, n, note="this measure has no smooth influence of its rows")
    error = sqrt(of_rows + of_repeats)
    return Figure(value, n, "influence", Interval(normal_ends, value, error))
