"""Two models on the same rows, or on the same folds; and many comparisons at once."""

from dataclasses import dataclass
from math import sqrt

import numpy as np
from scipy.special import bdtr, chdtrc, stdtr, stdtrit

from brookfall.core.measure import influence_function as influences
from brookfall.core.measure.figure import Figure, Interval, absent
from brookfall.core.measure.interval import paired_difference
from brookfall.core.measure.ranking import auc_difference
from brookfall.core.measure.registry import forms, linear, lower_is_better, measure
from brookfall.core.measure.scored import AnyScored, Numbers, Scored

_EXACT_UNDER = 25


def paired(name: str, first: AnyScored, second: AnyScored) -> Figure:
    """``first`` minus ``second`` of a measure, both on the same rows in the same order.

    Shares of all rows: Newcombe's paired score (1998, Stat. Med. 17:2635); AUC: DeLong's covariance; any other
    smooth measure: Hall's interval on the differences of the influences. Marked when the rows are too few.

    Parameters
    ----------
    name : str
        A measure of that kind of outcome.
    first, second : AnyScored
        Two models on the same n rows in the same order.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Newcombe, R. G. 1998, Stat. Med. 17:2635. DeLong, E. R., DeLong, D. M. & Clarke-Pearson, D. L. 1988, Biometrics
    44:837. Hall, P. 1992, J. R. Stat. Soc. B 54:221.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> rows = yes_no_rows()
    >>> other = rows.at(0.7)
    >>> figure = paired("accuracy", rows, other)
    >>> round(figure.value, 4), figure.method
    (-0.0833, 'newcombe_paired')
    """
    ours, theirs = measure(name, first), measure(name, second)
    n = min(ours.n, theirs.n)
    if ours.value is None or theirs.value is None:
        return absent(n, (ours if ours.value is None else theirs).note or "one side can't be computed")
    known = first.known() & second.known()
    if not known.all():
        first, second = first.take(known, "both"), second.take(known, "both")
    figure = _paired(name, first, second)
    return figure.marked(few=ours.few or theirs.few)


def gain(name: str, ours: AnyScored, theirs: AnyScored) -> Figure:
    """How much better ours are than theirs on the same rows; positive whichever way the measure runs.

    Parameters
    ----------
    name : str
        A measure of that kind of outcome.
    ours, theirs : AnyScored
        Two models on the same n rows in the same order.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> rows = yes_no_rows()
    >>> gain("error_rate", rows, rows.at(0.7)).value == paired("error_rate", rows.at(0.7), rows).value
    True
    """
    return paired(name, theirs, ours) if lower_is_better(name) else paired(name, ours, theirs)


def _paired(name: str, first: AnyScored, second: AnyScored) -> Figure:
    hits = forms(first.outcome)[name].hits
    if first.plain and hits is not None:
        a, b = hits(first), hits(second)
        cells = np.bincount(2 * a.astype(np.int64) + b, minlength=4)
        return paired_difference(int(cells[3]), int(cells[2]), int(cells[1]), int(cells[0]))
    if name == "auc" and isinstance(first, Scored) and isinstance(second, Scored):
        return auc_difference(first, second)
    ours, theirs = linear(name, first), linear(name, second)
    if ours is None or theirs is None:
        return absent(len(first), "this measure has no paired interval")
    return influences.figure_of(ours.minus(theirs), first)


@dataclass(frozen=True)
class Test:
    """A test of no difference: its statistic (None for an exact test), its two-sided p, what it rests on."""

    statistic: float | None
    p: float
    method: str


def mcnemar(first_alone: int, second_alone: int) -> Test:
    """McNemar's test of two classifiers on the same rows: rows that only one of them gets right.

    Exact binomial under 25 discordant rows, else chi-square with continuity correction (McNemar 1947;
    Edwards 1948).

    Parameters
    ----------
    first_alone, second_alone : int
        Rows that only the first, and only the second, gets right.

    Returns
    -------
    Test
        The statistic and its two-sided p.

    References
    ----------
    McNemar, Q. 1947, Psychometrika 12:153. Edwards, A. L. 1948, Psychometrika 13:185.

    Examples
    --------
    >>> mcnemar(0, 0).p
    1.0
    """
    discordant = first_alone + second_alone
    if discordant < _EXACT_UNDER:
        tail = float(bdtr(min(first_alone, second_alone), discordant, 0.5)) if discordant else 1.0
        return Test(None, min(1.0, 2 * tail), "mcnemar_exact")
    statistic = max(abs(first_alone - second_alone) - 1, 0) ** 2 / discordant
    return Test(statistic, float(chdtrc(1, statistic)), "mcnemar")


def corrected_t(differences: Numbers, test_over_train: float) -> Test:
    """Corrected resampled t test of k·r differences on the same folds (Nadeau & Bengio 2003).

    ``differences`` has shape (k·r,), at least 2. All equal to 0 gives p = 1.

    Parameters
    ----------
    differences : Numbers
        The difference of each fold, shape (k·r,), at least 2.
    test_over_train : float
        Rows held out over rows trained on.

    Returns
    -------
    Test
        The statistic and its two-sided p.

    References
    ----------
    Nadeau, C. & Bengio, Y. 2003, Mach. Learn. 52:239.

    Examples
    --------
    >>> test = corrected_t(np.array([0.02, 0.01, 0.03, 0.02]), 1 / 3)
    >>> round(test.p, 4)
    0.0491
    """
    count = len(differences)
    mean, spread = float(differences.mean()), float(differences.var(ddof=1))
    if spread == 0:
        return Test(None, 1.0 if mean == 0 else 0.0, "corrected_t")
    statistic = mean / sqrt((1 / count + test_over_train) * spread)
    return Test(statistic, 2 * float(stdtr(count - 1, -abs(statistic))), "corrected_t")


def corrected_mean(values: Numbers, n: int, test_over_train: float) -> Figure:
    """Mean over k folds × r repeats; ``values`` has shape (k·r,), ``n`` is the number of rows scored a repeat.

    t with kr − 1 degrees of freedom and variance (1/(kr) + n_test/n_train)·s²
    (Nadeau & Bengio 2003; Bouckaert & Frank 2004).

    Parameters
    ----------
    values : Numbers
        The value of each fold, shape (k·r,).
    n : int
        Rows scored a repeat.
    test_over_train : float
        Rows held out over rows trained on.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Nadeau, C. & Bengio, Y. 2003, Mach. Learn. 52:239. Bouckaert, R. R. & Frank, E. 2004, PAKDD, LNCS 3056:3.

    Examples
    --------
    >>> corrected_mean(np.array([0.7, 0.8]), 100, 1.0).value
    0.75
    """
    kept = values[np.isfinite(values)]
    if len(kept) < len(values):
        return absent(n, "in one fold it has no value")
    if len(kept) < 2:
        return absent(n, "one fold has no spread")
    mean = float(kept.mean())
    error = sqrt((1 / len(kept) + test_over_train) * float(kept.var(ddof=1)))
    return Figure(mean, n, "corrected_t", Interval(t_ends, mean, error, len(kept) - 1))


def t_ends(value: float, error: float, degrees: float, level: float) -> tuple[float, float]:
    """The value, less and plus Student's quantile times its standard error.

    Parameters
    ----------
    value : float
        The estimate.
    error : float
        Its standard error.
    degrees : float
        Its degrees of freedom, above 0.
    level : float
        Level of the interval, in (0, 1).

    Returns
    -------
    tuple[float, float]
        Lower and upper end.

    Examples
    --------
    >>> [round(end, 2) for end in t_ends(0.0, 1.0, 10, 0.95)]
    [-2.23, 2.23]
    """
    half = float(stdtrit(degrees, (1 + level) / 2)) * error
    return value - half, value + half


def holm(p: Numbers) -> Numbers:
    """p values adjusted for their number (Holm 1979); same shape and order.

    Parameters
    ----------
    p : Numbers
        p values in [0, 1], any shape.

    Returns
    -------
    Numbers
        Adjusted p values, same shape and order.

    References
    ----------
    Holm, S. 1979, Scand. J. Stat. 6:65.

    Examples
    --------
    >>> holm(np.array([0.01, 0.04, 0.03])).tolist()
    [0.03, 0.06, 0.06]
    """
    count = len(p)
    order = np.argsort(p, kind="stable")
    adjusted = np.empty(count)
    adjusted[order] = np.minimum(1.0, np.maximum.accumulate(p[order] * (count - np.arange(count))))
    return adjusted
