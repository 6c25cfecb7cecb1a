"""Free text as columns of numbers: how much each word weighs in it, learned from the training rows (TF-IDF)."""

from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.base import BaseEstimator, TransformerMixin
from sklearn.feature_extraction.text import TfidfVectorizer

MOST_WORDS = 500
"""The most frequent words of the training rows that become columns, each in two of them at least."""
_LEAST_ROWS = 2


class WordWeights(TransformerMixin, BaseEstimator):  # type: ignore[misc]
    """One text column of codes among its levels, (n, 1), -1 for a gap, to the weight of each word in it, (n, words).

    Words are lower-case runs of two letters or digits and more; a weight is the count of the word times the logarithm
    of how rare rows with it are among training rows, each row scaled to length 1 (Salton & Buckley 1988). A row without
    a known word, or with a gap, is all 0. Where no word stands in two training rows there is no column.

    Parameters
    ----------
    levels : tuple[str, ...]
        The distinct texts that the codes are places among.

    Examples
    --------
    >>> words = WordWeights(("no answer", "refusal likely")).fit(np.array([[0.0], [1.0], [1.0], [0.0]]))
    >>> words.get_feature_names_out(["note"]).tolist()
    ['note_answer', 'note_likely', 'note_no', 'note_refusal']
    >>> words.transform(np.array([[1.0], [-1.0]])).round(2).tolist()
    [[0.0, 0.71, 0.0, 0.71], [0.0, 0.0, 0.0, 0.0]]
    """

    def __init__(self, levels: tuple[str, ...]) -> None:
        self.levels = levels

    def fit(self, rows: NDArray[np.float64], outcomes: NDArray[Any] | None = None) -> "WordWeights":  # noqa: ARG002
        codes = rows[:, 0].astype(np.int64)
        self.vectorizer_ = TfidfVectorizer(max_features=MOST_WORDS, min_df=_LEAST_ROWS)
        try:
            self.vectorizer_.fit([self.levels[code] if code >= 0 else "" for code in codes])
        except ValueError:
            # No word stands in two rows.
            self.vectorizer_ = None
        return self

    def transform(self, rows: NDArray[np.float64]) -> NDArray[np.float64]:
        codes = rows[:, 0].astype(np.int64)
        if self.vectorizer_ is None:
            return np.zeros((len(codes), 0))
        held, places = np.unique(codes, return_inverse=True)
        texts = [self.levels[code] if code >= 0 else "" for code in held]
        return np.asarray(self.vectorizer_.transform(texts).toarray()[places], dtype=np.float64)

    def get_feature_names_out(self, names: "list[str] | NDArray[np.object_]") -> NDArray[np.object_]:
        words = () if self.vectorizer_ is None else self.vectorizer_.get_feature_names_out()
        return np.array([f"{names[0]}_{word}" for word in words], dtype=object)
