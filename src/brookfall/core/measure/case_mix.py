"""What a measure would be if the scores were the true probabilities: so much of it is the mix of cases, not the model.

Among rows whose scores lie close together nobody ranks well, and where outcomes are near even nobody is often right.
"""

from dataclasses import replace

import numpy as np

from brookfall.core.foundation.digest import seed_from
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import AnyScored, Scored, ScoredClasses

DRAWS = 25


def expected(name: str, rows: AnyScored, seed: int = 0, draws: int = DRAWS) -> float | None:
    """The mean of a measure over outcomes that are drawn from the scores, as if these were true.

    Parameters
    ----------
    name : str
        A measure that these rows can have.
    rows : AnyScored
        n rows with the model's probabilities.
    seed, draws : int
        What the draws are seeded by, and how many.

    Returns
    -------
    float or None
        None where the scores are no probabilities, or a draw has no value.

    References
    ----------
    van Klaveren, Gönen, Steyerberg & Vergouwe 2016, Stat. Med. 35:4136 (model-based concordance; from memory).

    Examples
    --------
    >>> rng = np.random.default_rng(1)
    >>> scores = rng.uniform(0.1, 0.9, 2000)
    >>> rows = Scored(key="doc", outcomes=rng.random(2000) < scores, scores=scores, threshold=0.5)
    >>> narrow = rows.take(np.flatnonzero((scores > 0.4) & (scores < 0.6)), "narrow")
    >>> [round(expected("auc", each), 1) for each in (rows, narrow)]
    [0.8, 0.6]
    """
    if not isinstance(rows, Scored | ScoredClasses) or not rows.probable or not len(rows):
        return None
    rng = np.random.default_rng(seed_from("case mix", name, seed, rows.key))
    values = [measure(name, _drawn(rows, rng)).value for _ in range(draws)]
    known = [value for value in values if value is not None]
    return float(np.mean(known)) if len(known) == draws else None


def _drawn(rows: Scored | ScoredClasses, rng: np.random.Generator) -> Scored | ScoredClasses:
    if isinstance(rows, Scored):
        return replace(rows, outcomes=rng.random(len(rows)) < rows.scores)
    if rows.scores is None:
        raise ValueError("without scores nothing is drawn")
    edges = rows.scores.cumsum(axis=1)
    places = (rng.random((len(rows), 1)) >= edges).sum(axis=1)
    return replace(rows, outcomes=np.minimum(places, len(rows.classes) - 1).astype(np.int64))
