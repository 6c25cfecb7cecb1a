"""How measures are taken of a number outcome. Errors are prediction minus outcome."""

from collections.abc import Callable
from math import sqrt

import numpy as np

from brookfall.core.measure.figure import Figure, absent
from brookfall.core.measure.influence_function import Linear, figure_of, mean_of, ratio_of
from brookfall.core.measure.scored import Numbers, ScoredNumbers


def of_linear(linear: Callable[[ScoredNumbers], Linear | None], low: float, high: float, rows: ScoredNumbers) -> Figure:
    """A smooth measure with Hall's interval inside its range; absent where the outcome does not vary.

    Parameters
    ----------
    linear : Callable[[ScoredNumbers], Linear | None]
        The measure with the influence of each row.
    low, high : float
        The range of the measure.
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> of_linear(bias, -np.inf, np.inf, number_rows()).value
    -0.3333333333333333
    """
    found = linear(rows)
    if found is None:
        return absent(len(rows), "the outcome is the same in all rows")
    return figure_of(found, rows, low, high)


def mse(rows: ScoredNumbers) -> Linear:
    """The mean squared error with the influence of each row.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> mse(number_rows()).value
    1.6666666666666665
    """
    return mean_of(squared_errors(rows), rows.counted)


def rmse(rows: ScoredNumbers) -> Linear:
    """The root of the mean squared error with the influence of each row.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> round(rmse(number_rows()).value, 4)
    1.291
    """
    square = mse(rows)
    root = sqrt(square.value)
    return Linear(root, square.influence / (2 * root)) if root > 0 else square


def rmse_figure(rows: ScoredNumbers) -> Figure:
    """The root of the mean squared error; the ends of its interval are the roots of that one's.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> round(rmse_figure(number_rows()).value, 4)
    1.291
    """
    return figure_of(mse(rows), rows, 0.0).mapped(sqrt)


def mae(rows: ScoredNumbers) -> Linear:
    """The mean absolute error with the influence of each row.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Examples
    --------
    >>> rows = ScoredNumbers(key="doc", outcomes=np.arange(40.0), predictions=np.arange(40.0)[::-1] + 1)
    >>> mae(rows).value
    20.0
    """
    return mean_of(absolute_errors(rows), rows.counted)


def bias(rows: ScoredNumbers) -> Linear:
    """The mean of prediction less outcome with the influence of each row.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> round(bias(number_rows()).value, 4)
    -0.3333
    """
    return mean_of(rows.predictions - rows.outcomes, rows.counted)


def mean_prediction(rows: ScoredNumbers) -> Linear:
    """The mean prediction with the influence of each row.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Linear
        The value, and the influence of each row, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> round(mean_prediction(number_rows()).value, 4)
    2.6667
    """
    return mean_of(rows.predictions, rows.counted)


def r2(rows: ScoredNumbers) -> Linear | None:
    """1 less the squared error over that of the mean outcome; None where the outcome does not vary.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> round(r2(number_rows()).value, 4)
    0.6429
    """
    mean = float(rows.counted @ rows.outcomes / rows.counted.sum())
    # The mean's own influence drops out: the spread about it is at its least.
    spread = mean_of((rows.outcomes - mean) ** 2, rows.counted)
    if spread.value <= 1e-12 * max(mean**2, 1e-300):
        return None
    share = ratio_of(mse(rows), spread)
    return Linear(1 - share.value, -share.influence)


def mean_error_in_sd(rows: ScoredNumbers) -> Linear | None:
    """The mean of prediction minus outcome, in standard deviations of the outcome; None where it does not vary.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> round(mean_error_in_sd(number_rows()).value, 4)
    -0.1543
    """
    centre = mean_of(rows.outcomes, rows.counted)
    square = mean_of((rows.outcomes - centre.value) ** 2, rows.counted)
    if square.value <= 0:
        return None
    spread = sqrt(square.value)
    return ratio_of(bias(rows), Linear(spread, square.influence / (2 * spread)))


def calibration_slope(rows: ScoredNumbers) -> Linear | None:
    """The slope of the least-squares line of the outcome on the prediction; None where one of them does not vary.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Linear | None
        The value, and the influence of each row, shape (n,); None where it has no value.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> round(calibration_slope(number_rows()).value, 4)
    2.25
    """
    share = rows.counted / rows.counted.sum()
    x, y = rows.predictions - share @ rows.predictions, rows.outcomes - share @ rows.outcomes
    square = float(share @ x**2)
    if square <= 0 or float(share @ y**2) <= 0:
        return None
    slope = float(share @ (x * y)) / square
    return Linear(slope, share * x * (y - slope * x) / square)


def squared_errors(rows: ScoredNumbers) -> Numbers:
    """The squared error of each row; shape (n,).

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Numbers
        Squared errors, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> squared_errors(number_rows()).tolist()
    [1.0, 0.0, 4.0]
    """
    return (rows.predictions - rows.outcomes) ** 2


def absolute_errors(rows: ScoredNumbers) -> Numbers:
    """The absolute error of each row; shape (n,).

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    Numbers
        Absolute errors, shape (n,).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> absolute_errors(number_rows()).tolist()
    [1.0, 0.0, 2.0]
    """
    return np.abs(rows.predictions - rows.outcomes)


def square_by_chance(rows: ScoredNumbers) -> float:
    """The mean squared error over all pairs of one row's outcome and another's prediction.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    float
        The squared error that the predictions would have in any other order, on average.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> round(square_by_chance(number_rows()), 4)
    5.6667
    """
    share = rows.counted / rows.counted.sum()
    cross = float(share @ rows.predictions) * float(share @ rows.outcomes)
    return float(share @ rows.predictions**2) - 2 * cross + float(share @ rows.outcomes**2)


def distance_by_chance(rows: ScoredNumbers) -> float:
    """The mean absolute error over all pairs of one row's outcome and another's prediction, from one sort.

    Parameters
    ----------
    rows : ScoredNumbers
        n rows with their outcomes and predictions.

    Returns
    -------
    float
        The absolute error that the predictions would have in any other order, on average.

    Examples
    --------
    >>> rows = ScoredNumbers(key="doc", outcomes=np.arange(40.0), predictions=np.arange(40.0)[::-1] + 1)
    >>> distance_by_chance(rows)
    13.350000000000001
    """
    share = rows.counted / rows.counted.sum()
    order = np.argsort(rows.outcomes, kind="stable")
    values, weights = rows.outcomes[order], share[order]
    below = np.concatenate(([0.0], np.cumsum(weights)))
    sums = np.concatenate(([0.0], np.cumsum(weights * values)))
    place = np.searchsorted(values, rows.predictions)
    left = rows.predictions * below[place] - sums[place]
    right = (sums[-1] - sums[place]) - rows.predictions * (below[-1] - below[place])
    return float(share @ (left + right))
