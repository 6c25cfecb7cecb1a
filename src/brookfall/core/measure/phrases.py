"""Words and phrases of a text column: which of them tells an outcome, and which is of one outcome alone."""

from dataclasses import dataclass
from typing import Any

import numpy as np
import scipy
from numpy.typing import NDArray
from sklearn.feature_extraction.text import CountVectorizer

from brookfall.core.measure.scored import Codes, Numbers
from brookfall.core.table.table import Column

_LEAST_ROWS = 10
_MOST = 20_000
_PURE_ROWS = 20
_CHANCE = 0.05


@dataclass(frozen=True)
class Phrases:
    """Which of m words and phrases of two words each of n rows holds: ``held`` is sparse, of 0 and 1, shape (n, m)."""

    names: tuple[str, ...]
    held: Any


@dataclass(frozen=True)
class Told:
    """A phrase, how strongly it goes with an outcome (0 to 1), and which rows hold it, shape (n,)."""

    phrase: str
    strength: float
    there: NDArray[np.bool_]


@dataclass(frozen=True)
class Pure:
    """A phrase whose n rows are all of the class ``code``."""

    phrase: str
    n: int
    code: int


def phrases_in(column: Column) -> Phrases:
    """The words and phrases of two that stand in at least ten rows of a text column of n rows.

    Parameters
    ----------
    column : Column
        A column of levels.

    Returns
    -------
    Phrases
        None of them where nothing stands in ten rows.

    Examples
    --------
    >>> codes = np.repeat([0, 1], 10).astype(np.int32)
    >>> phrases_in(Column("note", "text", codes, ("no answer", "refusal likely"))).names
    ('answer', 'likely', 'no', 'no answer', 'refusal', 'refusal likely')
    """
    codes = column.values.astype(np.int64)
    counts = np.bincount(codes + 1, minlength=len(column.levels) + 1)[1:]
    try:
        counter = CountVectorizer(binary=True, ngram_range=(1, 2))
        of_levels = counter.fit_transform(column.levels)
    except ValueError:
        return Phrases((), scipy.sparse.csr_matrix((len(codes), 0)))
    rows = np.asarray(of_levels.T @ counts).ravel()
    kept = np.flatnonzero(rows >= _LEAST_ROWS)
    kept = np.sort(kept[np.argsort(-rows[kept], kind="stable")[:_MOST]])
    empty = scipy.sparse.csr_matrix((1, len(kept)), dtype=of_levels.dtype)
    # The last row is that of a gap.
    held = scipy.sparse.vstack([of_levels[:, kept], empty]).tocsr()[codes]
    names = counter.get_feature_names_out()[kept]
    return Phrases(tuple(str(name) for name in names), held)


def strongest(phrases: Phrases, outcomes: Numbers, among: NDArray[np.bool_]) -> Told | None:
    """The phrase that is most strongly correlated with an outcome, either way, on some of the rows.

    Parameters
    ----------
    phrases : Phrases
        What n rows hold.
    outcomes : Numbers
        0 and 1, or numbers, shape (n,).
    among : NDArray[np.bool_]
        The rows to look at, shape (n,).

    Returns
    -------
    Told | None
        The phrase; None where there is none, or the outcome is the same in all these rows.

    Examples
    --------
    >>> codes = np.repeat([0, 1], 10).astype(np.int32)
    >>> phrases = phrases_in(Column("note", "text", codes, ("no answer", "refusal likely")))
    >>> strongest(phrases, np.repeat([0.0, 1.0], 10), np.ones(20, dtype=bool)).phrase
    'answer'
    """
    held, values = phrases.held[np.flatnonzero(among)], outcomes[among]
    n, spread = len(values), float(values.std()) if len(values) else 0.0
    if not phrases.names or spread == 0:
        return None
    share = np.asarray(held.sum(axis=0)).ravel() / n
    together = np.asarray(held.T @ values).ravel() / n
    own = np.sqrt(share * (1 - share))
    apart = np.abs(together - share * values.mean())
    correlation = np.divide(apart, own * spread, out=np.zeros(len(share)), where=own > 0)
    best = int(np.argmax(correlation))
    if correlation[best] == 0:
        return None
    there = np.asarray(phrases.held[:, best].todense()).ravel() > 0
    return Told(phrases.names[best], float(correlation[best]), there)


def pure_phrase(phrases: Phrases, codes: Codes, classes: int) -> Pure | None:
    """The most frequent phrase whose rows are all of one class beyond chance, the longer one of two that are as many.

    Beyond chance: rows of the class's own share would all be of it in one of 20 cases at most, over all phrases and
    classes together (Bonferroni); in 20 rows at least.

    Parameters
    ----------
    phrases : Phrases
        What n rows hold.
    codes : Codes
        The class of each row, shape (n,).
    classes : int
        How many classes there are.

    Returns
    -------
    Pure | None
        The phrase; None where there is none.

    Examples
    --------
    >>> rows = np.repeat([0, 1], 30)
    >>> phrases = phrases_in(Column("note", "text", rows.astype(np.int32), ("no answer", "refusal likely")))
    >>> pure_phrase(phrases, rows, 2)
    Pure(phrase='refusal likely', n=30, code=1)
    """
    if not phrases.names:
        return None
    n = np.asarray(phrases.held.sum(axis=0)).ravel()
    found: list[tuple[int, int, int, int]] = []
    for code in range(classes):
        hits = np.asarray(phrases.held.T @ (codes == code).astype(np.int64)).ravel()
        share = float((codes == code).mean())
        pure = (hits == n) & (n >= _PURE_ROWS)
        pure &= share ** np.maximum(n, 1) * len(n) * classes <= _CHANCE
        found += [(int(n[i]), phrases.names[i].count(" "), code, int(i)) for i in np.flatnonzero(pure)]
    if not found:
        return None
    count, _, code, place = max(found)
    return Pure(phrases.names[place], count, code)
