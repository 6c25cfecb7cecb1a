"""Small made-up rows of each kind of outcome for the examples in docstrings."""

import numpy as np

from brookfall.core.measure.scored import Picked, Scored, ScoredClasses, ScoredNumbers


def yes_no_rows() -> Scored:
    """Rows of a yes/no outcome, every third of which is positive, under scores that fall.

    Returns
    -------
    Scored
        60 rows.

    Examples
    --------
    >>> yes_no_rows().events
    20
    """
    return Scored(key="doc", outcomes=np.arange(60) % 3 == 0, scores=np.linspace(0.9, 0.1, 60), threshold=0.5)


def class_rows() -> ScoredClasses:
    """Rows of three classes in turn, decided in blocks of twenty.

    Returns
    -------
    ScoredClasses
        60 rows without scores.

    Examples
    --------
    >>> class_rows().decisions[18:22].tolist()
    [0, 0, 1, 1]
    """
    classes = ("a", "b", "c")
    return ScoredClasses(key="doc", outcomes=np.arange(60) % 3, decisions=np.arange(60) // 20, classes=classes)


def class_rows_with_scores() -> ScoredClasses:
    """Rows of three classes in turn, with probabilities that say nothing of them.

    Returns
    -------
    ScoredClasses
        60 rows, decided by the largest probability.

    Examples
    --------
    >>> class_rows_with_scores().scores.shape
    (60, 3)
    """
    chances = np.random.default_rng(1).dirichlet((1, 1, 1), 60)
    classes, outcomes = ("a", "b", "c"), np.arange(60) % 3
    return ScoredClasses(key="doc", outcomes=outcomes, decisions=chances.argmax(1), classes=classes, scores=chances)


def number_rows() -> ScoredNumbers:
    """Rows of a number, predicted with errors of 1, 0 and −2.

    Returns
    -------
    ScoredNumbers
        Three rows.

    Examples
    --------
    >>> (number_rows().predictions - number_rows().outcomes).tolist()
    [1.0, 0.0, -2.0]
    """
    return ScoredNumbers(key="doc", outcomes=np.array([1.0, 2.0, 6.0]), predictions=np.array([2.0, 2.0, 4.0]))


def occasion_rows() -> Picked:
    """Two occasions with two alternatives each: the likelier one is chosen, then the less likely one.

    Returns
    -------
    Picked
        The occasions with the probabilities of their alternatives.

    Examples
    --------
    >>> occasion_rows().chosen.tolist()
    [0.6, 0.3]
    """
    return Picked(
        key="",
        offered=np.array([[0.6, 0.4], [0.7, 0.3]]),
        there=np.ones((2, 2), dtype=np.bool_),
        picked=np.array([0, 1]),
        alternatives=("am", "pm"),
    )
