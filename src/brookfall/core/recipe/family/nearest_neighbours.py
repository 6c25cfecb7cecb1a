"""Nearest neighbours, and the score of every row from its neighbours without itself."""

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from brookfall.core.recipe.family.family import ANY, Count, Dial, Estimator, Family, LeftOut, Made, Matrix, Settings

Metric = Literal["sqeuclidean", "cityblock"]
Places = NDArray[np.signedinteger]
_BLOCK_CELLS = 8_000_000


class NeighboursSettings(Settings):
    """The k nearest training rows, each counting alike or by the inverse of its distance."""

    k: Count = 5
    weights: Literal["uniform", "distance"] = "uniform"
    metric: Literal["euclidean", "manhattan"] = "euclidean"


def _neighbours(made: Made) -> Estimator:
    from sklearn.neighbors import KNeighborsClassifier, KNeighborsRegressor

    settings: NeighboursSettings = made.settings
    kind = KNeighborsClassifier if made.classifies else KNeighborsRegressor
    return kind(n_neighbors=settings.k, weights=settings.weights, metric=settings.metric, algorithm="auto", n_jobs=1)


def neighbour_votes(nearest: Places, distances: Matrix | None, values: Matrix) -> Matrix:
    """The mean of the neighbours' values, by the inverse of their distances where these are given.

    Positions and distances (n, k), values (all rows, m); shape (n, m).

    Parameters
    ----------
    nearest : Places
        Positions of the k neighbours, shape (n, k).
    distances : Matrix | None
        Their distances, shape (n, k); None where all count alike.
    values : Matrix
        The value of each row of the fit, shape (rows, m).

    Returns
    -------
    Matrix
        Means, shape (n, m).

    Examples
    --------
    >>> neighbour_votes(np.array([[0, 1]]), None, np.array([[1.0], [3.0]])).tolist()
    [[2.0]]
    """
    taken = values[nearest]
    if distances is None:
        return taken.mean(axis=1)
    with np.errstate(divide="ignore"):
        near = 1 / distances
    exact = np.isinf(near)
    # A neighbour at distance 0 decides alone.
    near = np.where(exact.any(axis=1, keepdims=True), exact.astype(np.float64), near)
    return (taken * near[..., None]).sum(axis=1) / near.sum(axis=1)[:, None]


def left_out_neighbours(made: Made, rows: LeftOut) -> Matrix:
    """Scores of each row from its k nearest among the other rows: (n,) for a number, (n, classes) for classes.

    Where columns are scaled, the distances of a row are in the scale that the other rows give.

    Parameters
    ----------
    made : Made
        The fit on all n rows.
    rows : LeftOut
        The rows, their matrix and their outcomes.

    Returns
    -------
    Matrix
        Scores, shape (n,) of a number, (n, K) of classes.

    Raises
    ------
    ValueError
        There are not so many other rows.

    Examples
    --------
    >>> rows = LeftOut(np.array([[0.0], [1.0], [5.0]]), np.array([1.0, 2.0, 9.0]), None, None, 0)
    >>> left_out_neighbours(Made(NeighboursSettings(k=1), "number", 0), rows).tolist()
    [2.0, 1.0, 2.0]
    """
    settings: NeighboursSettings = made.settings
    n = len(rows.target)
    if settings.k >= n:
        raise ValueError(f"k is {settings.k} and only {n - 1} other rows are there to be neighbours")
    values = rows.target[:, None] if not rows.classes else np.eye(rows.classes)[rows.target.astype(np.int64)]
    if rows.divisors is None and settings.weights == "uniform":
        from sklearn.neighbors import NearestNeighbors

        # One search for all; a row is not its own neighbour.
        search = NearestNeighbors(n_neighbors=settings.k, metric=settings.metric, algorithm="brute", n_jobs=1)
        nearest = search.fit(rows.design).kneighbors(return_distance=False)
        votes = neighbour_votes(nearest, None, values)
        return votes if rows.classes else votes[:, 0]
    from scipy.spatial.distance import cdist

    found = np.empty((n, values.shape[1]))
    metric: Metric = "sqeuclidean" if settings.metric == "euclidean" else "cityblock"
    block = max(1, _BLOCK_CELLS // n)
    for start in range(0, n, block):
        chosen = np.arange(start, min(start + block, n))
        if rows.divisors is None:
            distances = cdist(rows.design[chosen], rows.design, metric)
        else:
            distances = _scaled(rows.design, rows.divisors, chosen, metric)
        distances[np.arange(len(chosen)), chosen] = np.inf
        nearest = np.argpartition(distances, settings.k - 1, axis=1)[:, : settings.k]
        near = np.take_along_axis(distances, nearest, axis=1)
        near = np.sqrt(near) if metric == "sqeuclidean" else near
        found[chosen] = neighbour_votes(nearest, near if settings.weights == "distance" else None, values)
    return found if rows.classes else found[:, 0]


def _scaled(design: Matrix, divisors: Matrix, chosen: Places, metric: Metric) -> Matrix:
    distances = np.empty((len(chosen), len(design)))
    for place, row in enumerate(chosen):
        gaps = (design - design[row]) / divisors[row]
        distances[place] = (gaps**2).sum(axis=1) if metric == "sqeuclidean" else np.abs(gaps).sum(axis=1)
    return distances


def _along(made: Made, fitted: Estimator, rows: Matrix, values: tuple[float, ...]) -> Matrix:
    """Scores for every k from one search for the nearest of them all."""
    settings: NeighboursSettings = made.settings
    distances, nearest = fitted.kneighbors(rows, n_neighbors=int(max(values)))
    target = fitted._y.ravel()
    learned = np.eye(len(fitted.classes_))[target] if made.classifies else target[:, None].astype(np.float64)
    if settings.weights == "uniform":
        sums = np.cumsum(learned[nearest], axis=1)
        votes = np.stack([sums[:, int(k) - 1] / int(k) for k in values], axis=1)
    else:
        votes = np.stack(
            [neighbour_votes(nearest[:, : int(k)], distances[:, : int(k)], learned) for k in values], axis=1
        )
    return votes if made.classifies else votes[..., 0]


def _by_construction(settings: NeighboursSettings) -> str | None:
    if settings.weights == "uniform":
        return None
    return (
        "Neighbours weighted by distance reproduce their training rows by construction, so each is read by its "
        "neighbours without itself; the plain training score stands beside."
    )


def _without_itself(made: Made, fitted: Estimator, design: Matrix, outcomes: NDArray[np.generic]) -> Matrix:
    classes = len(fitted.classes_) if made.classifies else 0
    target = np.searchsorted(fitted.classes_, outcomes) if classes else outcomes
    return left_out_neighbours(made, LeftOut(design, target.astype(np.float64), None, None, classes))


NEIGHBOURS = Family(
    "nearest_neighbours",
    "nearest neighbours",
    ANY,
    NeighboursSettings,
    _neighbours,
    Dial("k", rising=False),
    weighted=False,
    left_out=left_out_neighbours,
    left_out_scaled=True,
    along=_along,
    by_construction=_by_construction,
    without_itself=_without_itself,
)
