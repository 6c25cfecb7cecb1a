"""What equal criteria force upon each other where base rates differ.

In every group FPR = p/(1 − p) · (1 − PPV)/PPV · TPR with p its base rate (Chouldechova 2017, Big Data 5:153, eq. 2.6),
and the share selected = TPR · p / PPV. So two groups of different p can't agree in all of them, unless the model is
perfect or selects nobody (Kleinberg, Mullainathan & Raghavan 2016).
"""


def ratio_of_false_positives(base_rate: float, other: float) -> float:
    """How many times the other group's false positive rate a group has, where TPR and PPV are equal.

    Parameters
    ----------
    base_rate, other : float
        Base rates of the group and of the other one, in (0, 1).

    Returns
    -------
    float
        The ratio, 1 where base rates are equal.

    References
    ----------
    Chouldechova, A. 2017, Big Data 5:153.

    Examples
    --------
    >>> round(ratio_of_false_positives(0.3, 0.2), 4)
    1.7143
    """
    return base_rate / (1 - base_rate) / (other / (1 - other))


def ratio_of_selection(base_rate: float, other: float) -> float:
    """How many times the other group's share is selected of a group, where TPR and PPV are equal.

    Parameters
    ----------
    base_rate, other : float
        Base rates of the group and of the other one, in (0, 1).

    Returns
    -------
    float
        The ratio, 1 where base rates are equal.

    Examples
    --------
    >>> ratio_of_selection(0.3, 0.2)
    1.4999999999999998
    """
    return base_rate / other
