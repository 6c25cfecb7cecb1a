"""The mean of a measure over folds, with an interval that knows that training sets overlap."""

from math import sqrt

import numpy as np
from numpy.typing import NDArray
from scipy.special import stdtrit

from brookfall.core.measure.figure import Figure, absent


def corrected_mean(values: NDArray[np.float64], n: int, test_over_train: float) -> Figure:
    """Mean over k folds × r repeats; ``values`` has shape (k·r,), ``n`` is the number of rows scored a repeat.

    t with kr − 1 degrees of freedom and variance (1/(kr) + n_test/n_train)·s²
    (Nadeau & Bengio 2003; Bouckaert & Frank 2004).
    """
    kept = values[np.isfinite(values)]
    if len(kept) < len(values):
        return absent(n, "a fold held only one class")
    if len(kept) < 2:
        return absent(n, "one fold has no spread")
    mean = float(kept.mean())
    error = sqrt((1 / len(kept) + test_over_train) * float(kept.var(ddof=1)))

    def bounds(level: float) -> tuple[float, float]:
        half = float(stdtrit(len(kept) - 1, (1 + level) / 2)) * error
        return mean - half, mean + half

    return Figure(mean, n, "corrected_t", bounds)
