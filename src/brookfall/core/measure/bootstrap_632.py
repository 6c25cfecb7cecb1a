"""The .632 rules, which blend the losses of seen and of unseen rows."""


def plus_632(seen: float, unseen: float, chance: float) -> float:
    """The .632+ estimate from the loss on seen rows, on rows not drawn, and by chance (Efron & Tibshirani 1997).

    Parameters
    ----------
    seen : float
        Mean loss on the rows of the fit.
    unseen : float
        Mean loss on rows that were not drawn.
    chance : float
        Mean loss where outcome and prediction have nothing to do with each other.

    Returns
    -------
    float
        The estimate, between ``seen`` and ``unseen``.

    References
    ----------
    Efron, B. & Tibshirani, R. 1997, J. Am. Stat. Assoc. 92:548.

    Examples
    --------
    >>> round(plus_632(0.1, 0.2, 0.5), 4), round(plus_632(0.0, 0.5, 0.5), 4)
    (0.1696, 0.5)
    """
    bounded = min(unseen, chance)
    overfit = (bounded - seen) / (chance - seen) if bounded > seen and chance > seen else 0.0
    weight = 0.632 / (1 - 0.368 * overfit)
    return (1 - weight) * seen + weight * bounded
