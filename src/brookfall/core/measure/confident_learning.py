"""Labels that the data themselves contradict: confident learning for classes, robust residuals for numbers.

Northcutt, Jiang & Chuang 2021 (J. Artif. Intell. Res. 70:1373) for classes; for numbers the modified z score of the
residuals beyond 3.5 (Iglewicz & Hoaglin 1993; from memory).
"""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.measure.scored import Codes, Numbers

_FAR = 3.5
_MAD_OF_A_NORMAL = 1.4826


@dataclass(frozen=True)
class Contradicted:
    """Which of n rows are suspects, what each would rather be, and how strongly.

    ``suggested`` (n,) is a class, or a number; ``margin`` (n,) is how much more probable the suggestion is than the
    label (0 to 1), or the modified z score of a number's residual, signed. ``rows`` are the suspects' places, the
    strongest first.
    """

    rows: NDArray[np.int64]
    suggested: Numbers
    margin: Numbers


@dataclass(frozen=True)
class Noise:
    """Of K classes: ``joint`` (K, K) estimates the share of rows labelled i that are truly j, adding up to 1;
    ``counts`` (K, K) the confident rows it rests on; ``thresholds`` (K,) how probable a class must be to count."""

    joint: Numbers
    counts: Codes
    thresholds: Numbers

    @property
    def wrong(self) -> float:
        """The estimated share of wrong labels."""
        return float(1 - np.trace(self.joint))

    @property
    def labelled_given_true(self) -> Numbers:
        """How rows truly of class j are labelled: column j adds up to 1; NaN where no row is estimated to be of j."""
        of_true = self.joint.sum(axis=0)
        return np.divide(self.joint, of_true, out=np.full_like(self.joint, np.nan), where=of_true > 0)


def noise(labels: Codes, probabilities: Numbers) -> Noise:
    """The confident joint of n labels (n,) and unseen probabilities (n, K), calibrated to the counts of the labels.

    A class counts for a row when its probability reaches the mean probability of the class among rows labelled so;
    of several the most probable one counts. A label that no row holds has no threshold, and counts for none.

    Parameters
    ----------
    labels : Codes
        Codes of the labels, shape (n,).
    probabilities : Numbers
        Probabilities of rows that no fit has seen, shape (n, K).

    Returns
    -------
    Noise
        The confident joint and the thresholds it rests on.

    References
    ----------
    Northcutt, C., Jiang, L. & Chuang, I. 2021, J. Artif. Intell. Res. 70:1373.

    Examples
    --------
    >>> labels = np.array([0, 0, 0, 1, 1, 1])
    >>> sure = np.array([0.9, 0.8, 0.1, 0.1, 0.2, 0.1])
    >>> noise(labels, np.column_stack([sure, 1 - sure])).counts.tolist()
    [[2, 1], [0, 2]]
    """
    classes = probabilities.shape[1]
    held = np.bincount(labels, minlength=classes)
    own = np.bincount(labels, probabilities[np.arange(len(labels)), labels], classes)
    thresholds = np.divide(own, held, out=np.full(classes, np.inf), where=held > 0)
    sure = probabilities >= thresholds - 1e-12
    confident = sure.any(axis=1)
    best = np.where(sure, probabilities, -1.0).argmax(axis=1)
    counts = np.zeros((classes, classes), dtype=np.int64)
    np.add.at(counts, (labels[confident], best[confident]), 1)
    found = counts.sum(axis=1)
    # A label with no confident row is taken at its word.
    shares = np.divide(counts, found[:, None], out=np.eye(classes), where=found[:, None] > 0)
    joint = shares * held[:, None] / len(labels)
    return Noise(joint, counts, thresholds)


def contradicted(labels: Codes, probabilities: Numbers) -> Contradicted:
    """The rows that the confident joint counts off its diagonal, by how much more probable the other class is.

    Parameters
    ----------
    labels : Codes
        Codes of the labels, shape (n,).
    probabilities : Numbers
        Probabilities of rows that no fit has seen, shape (n, K).

    Returns
    -------
    Contradicted
        The rows, the most contradicted first, with the class each should have.

    Examples
    --------
    >>> labels = np.array([0, 0, 0, 1, 1, 1])
    >>> sure = np.array([0.9, 0.8, 0.1, 0.1, 0.2, 0.1])
    >>> contradicted(labels, np.column_stack([sure, 1 - sure])).rows.tolist()
    [2]
    """
    thresholds = noise(labels, probabilities).thresholds
    sure = probabilities >= thresholds - 1e-12
    best = np.where(sure.any(axis=1), np.where(sure, probabilities, -1.0).argmax(axis=1), labels)
    here = np.arange(len(labels))
    margin = probabilities[here, best] - probabilities[here, labels]
    suspects = np.flatnonzero(best != labels)
    order = np.argsort(-margin[suspects], kind="stable")
    return Contradicted(suspects[order], best.astype(np.float64), margin)


def far_off(outcomes: Numbers, predictions: Numbers) -> Contradicted:
    """The rows whose outcome lies further from an unseen prediction than 3.5 robust standard deviations; both (n,).

    Parameters
    ----------
    outcomes : Numbers
        Outcomes, shape (n,).
    predictions : Numbers
        Predictions of rows that no fit has seen, shape (n,).

    Returns
    -------
    Contradicted
        The rows, the furthest first.

    Examples
    --------
    >>> outcomes = np.array([1.0, 2.0, 3.0, 4.0, 50.0])
    >>> far_off(outcomes, np.array([1.1, 1.9, 3.1, 3.9, 5.0])).rows.tolist()
    [4]
    """
    residuals = outcomes - predictions
    centred = residuals - np.median(residuals)
    spread = _MAD_OF_A_NORMAL * float(np.median(np.abs(centred)))
    score = centred / spread if spread > 0 else np.zeros(len(residuals))
    suspects = np.flatnonzero(np.abs(score) > _FAR)
    order = np.argsort(-np.abs(score[suspects]), kind="stable")
    return Contradicted(suspects[order], predictions, score)


def as_classes(scores: Numbers) -> Numbers:
    """Scores of a yes/no (n,) as the probabilities of its two classes (n, 2); of several classes as they are.

    Parameters
    ----------
    scores : Numbers
        Scores of a yes/no, shape (n,), or probabilities, shape (n, K).

    Returns
    -------
    Numbers
        Probabilities, shape (n, 2) or (n, K).

    Examples
    --------
    >>> as_classes(np.array([0.25])).tolist()
    [[0.75, 0.25]]
    """
    return np.column_stack([1 - scores, scores]) if scores.ndim == 1 else scores
