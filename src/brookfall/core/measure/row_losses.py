"""Losses of rows under many models at once, and their means with intervals."""

import numpy as np

from brookfall.core.measure.figure import Figure
from brookfall.core.measure.influence_function import figure_of, mean_of
from brookfall.core.measure.registry import forms
from brookfall.core.measure.scored import Numbers, Sampled
from brookfall.core.table.target import Target


def criteria(outcome: str) -> tuple[str, ...]:
    """The squared loss first, then the error rate, where the outcome has classes.

    Parameters
    ----------
    outcome : str
        The kind of outcome.

    Returns
    -------
    tuple[str, ...]
        Names of losses.

    Examples
    --------
    >>> criteria("binary"), criteria("number")
    (('brier', 'error_rate'), ('mse',))
    """
    return tuple(forms(outcome, "dial"))


def losses(
    target: Target, rows: np.ndarray[tuple[int], np.dtype[np.int64]], scores: Numbers, threshold: float | None
) -> dict[str, Numbers]:
    """The losses (n, v) by criterion of n rows under v models: scores (n, v), or (n, v, classes).

    Parameters
    ----------
    target : Target
        The outcome of all rows.
    rows : np.ndarray[tuple[int], np.dtype[np.int64]]
        Positions of n rows, shape (n,).
    scores : Numbers
        Scores under v models, shape (n, v), or (n, v, K) of several classes.
    threshold : float | None
        What a yes/no is decided at; None leaves the error rate out.

    Returns
    -------
    dict[str, Numbers]
        Losses by name, shape (n, v) each.

    Examples
    --------
    >>> target = Target("binary", np.array([True, False]), ("no", "yes"))
    >>> found = losses(target, np.arange(2), np.array([[0.9, 0.4], [0.2, 0.6]]), 0.5)
    >>> found["error_rate"].tolist()
    [[0.0, 1.0], [0.0, 1.0]]
    """
    if target.outcome == "number":
        return {"mse": (scores - target.numbers[rows][:, None]) ** 2}
    if target.outcome == "binary":
        hits = target.hits[rows][:, None]
        squared = {"brier": (scores - hits) ** 2}
        if threshold is None:
            return squared
        return squared | {"error_rate": ((scores >= threshold) != hits).astype(np.float64)}
    codes = target.codes[rows]
    truth = np.eye(len(target.classes))[codes][:, None, :]
    wrong = scores.argmax(axis=2) != codes[:, None]
    return {"brier": ((scores - truth) ** 2).sum(axis=2), "error_rate": wrong.astype(np.float64)}


def mean_loss(values: Numbers, rows: Sampled) -> Figure:
    """The mean loss (n,) with Hall's interval over rows, or over groups of rows; marked when they are too few.

    Parameters
    ----------
    values : Numbers
        Losses, shape (n,).
    rows : Sampled
        The n rows, which say what was sampled.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import number_rows
    >>> mean_loss(np.array([0.0, 1.0, 1.0]), number_rows()).value
    0.6666666666666666
    """
    return figure_of(mean_of(values, rows.counted), rows, 0.0).marked(few=rows.few)
