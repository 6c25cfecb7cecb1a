"""Two models on the same rows, or on the same folds; and many comparisons at once."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import sqrt

import numpy as np
import scipy

from brookfall.core.measure import influence_function as influences
from brookfall.core.measure.figure import Figure, Interval, absent
from brookfall.core.measure.interval import paired_difference, wilson
from brookfall.core.measure.ranking import auc_difference
from brookfall.core.measure.registry import forms, linear, lower_is_better, measure, named
from brookfall.core.measure.scored import AnyScored, Codes, Numbers, Scored

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
        tail = float(scipy.special.bdtr(min(first_alone, second_alone), discordant, 0.5)) if discordant else 1.0
        return Test(None, min(1.0, 2 * tail), "mcnemar_exact")
    statistic = max(abs(first_alone - second_alone) - 1, 0) ** 2 / discordant
    return Test(statistic, float(scipy.special.chdtrc(1, statistic)), "mcnemar")


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
    return Test(statistic, 2 * float(scipy.special.stdtr(count - 1, -abs(statistic))), "corrected_t")


def corrected_mean(values: Numbers, n: int, test_over_train: float, *, share: bool = False) -> Figure:
    """Mean over k folds × r repeats; ``values`` has shape (k·r,), ``n`` is the number of rows scored a repeat.

    t with kr − 1 degrees of freedom and variance (1/(kr) + n_test/n_train)·s² (Nadeau & Bengio 2003; Bouckaert & Frank
    2004); of a share on the logit scale, so that no end leaves 0 to 1.

    Parameters
    ----------
    values : Numbers
        The value of each fold, shape (k·r,).
    n : int
        Rows scored a repeat.
    test_over_train : float
        Rows held out over rows trained on.
    share : bool
        Whether the measure lies in [0, 1]: folds that all say the same then differ by as much as one row could make.

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
    >>> [round(end, 3) for end in corrected_mean(np.array([0.8, 0.8, 0.9]), 90, 0.5, share=True).interval(0.95)]
    [0.494, 0.962]
    >>> [round(end, 3) for end in corrected_mean(np.ones(3), 90, 0.5, share=True).interval(0.95)]
    [0.959, 1.0]
    """
    if problem := _no_spread_over(values):
        return absent(n, problem)
    mean, error = float(values.mean()), _corrected_error(values, n, test_over_train, share=share)
    if share and min(mean, 1 - mean) < _AT_AN_END:
        return Figure(mean, n, "wilson", Interval(wilson, round(mean) * n, n))
    if error == 0:
        return Figure(mean, n, note=_ALL_ALIKE)
    if share:
        return Figure(mean, n, "corrected_t", Interval(_logit_t_ends, mean, error, len(values) - 1))
    return Figure(mean, n, "corrected_t", Interval(t_ends, mean, error, len(values) - 1))


_AT_AN_END = 1e-9
_ALL_ALIKE = "all folds say the same, so there is no spread to take an interval from"


def corrected_difference(differences: Numbers, n: int, test_over_train: float, *, share: bool = False) -> Figure:
    """Mean over folds of a difference of two recipes, or of a recipe's seen and unseen score: what is said of a recipe
    holds the variance of refitting it.

    Parameters
    ----------
    differences : Numbers
        The difference of each fold, shape (k·r,).
    n : int
        Rows scored a repeat.
    test_over_train : float
        Rows held out over rows trained on.
    share : bool
        Whether it is of a measure in [0, 1]: it then lies between −1 and 1, and folds that all say the same differ by
        as much as one row could make.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Nadeau, C. & Bengio, Y. 2003, Mach. Learn. 52:239.

    Examples
    --------
    >>> figure = corrected_difference(np.array([0.02, 0.01, 0.03, 0.02]), 400, 1 / 3)
    >>> round(figure.value, 3), [round(end, 3) for end in figure.interval(0.95)]
    (0.02, [0.0, 0.04])
    """
    if problem := _no_spread_over(differences):
        return absent(n, problem)
    mean, error = float(differences.mean()), _corrected_error(differences, n, test_over_train, share=share)
    if error == 0:
        return Figure(mean, n, note=_ALL_ALIKE)
    most = 1.0 if share else np.inf
    return Figure(mean, n, "corrected_t", Interval(_within_t_ends, mean, error, len(differences) - 1, most))


def _no_spread_over(values: Numbers) -> str | None:
    if not np.isfinite(values).all():
        return "in one fold it has no value"
    return "one fold has no spread" if len(values) < 2 else None


def _corrected_error(values: Numbers, n: int, test_over_train: float, *, share: bool) -> float:
    """The corrected standard error; where folds of a share all say the same, what one row of one fold could make."""
    folds = len(values)
    spread = float(values.var(ddof=1))
    if spread < 1e-24 and share:
        a_repeat = max(1, round(1 / test_over_train) + 1)
        spread = (min(a_repeat, folds) / n) ** 2 / folds
    elif spread < 1e-24:
        return 0.0
    return sqrt((1 / folds + test_over_train) * spread)


def _logit_t_ends(value: float, error: float, degrees: float, level: float) -> tuple[float, float]:
    low, high = t_ends(float(scipy.special.logit(value)), error / (value * (1 - value)), degrees, level)
    return float(scipy.special.expit(low)), float(scipy.special.expit(high))


def _within_t_ends(value: float, error: float, degrees: float, most: float, level: float) -> tuple[float, float]:
    low, high = t_ends(value, error, degrees, level)
    return max(low, -most), min(high, most)


def corrected_mean_of_rows(values: Numbers, weights: Numbers, folds: Codes, test_over_train: float) -> Figure:
    """Mean over rows of a difference of two recipes' losses, with the variance of refitting.

    The spread over k folds is that of their rows, known well, and what is left of it, which is that of refitting. Both
    count (1/k + n_test/n_train) as in the corrected resampled t; degrees of freedom after Satterthwaite, so that a
    dial of many values is not judged by the t of a handful of folds where refitting changes little.

    Parameters
    ----------
    values : Numbers
        The difference of each row, shape (n,).
    weights : Numbers
        What each counts, shape (n,).
    folds : Codes
        The fold that held each row out, shape (n,).
    test_over_train : float
        Rows held out over rows trained on.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    References
    ----------
    Nadeau, C. & Bengio, Y. 2003, Mach. Learn. 52:239. Satterthwaite, F. E. 1946, Biometrics 2:110. The two together are
    our own; simulated in docs/coverage.md.

    Examples
    --------
    >>> values = np.array([0.2, 0.1, 0.3, 0.2, 0.1, 0.3])
    >>> figure = corrected_mean_of_rows(values, np.ones(6), np.array([0, 0, 0, 1, 1, 1]), 1.0)
    >>> round(figure.value, 3), [round(end, 3) for end in figure.interval(0.95)]
    (0.2, [0.004, 0.396])
    """
    n, numbers = len(values), np.unique(folds)
    if len(numbers) < 2:
        return absent(n, "one fold has no spread")
    each = [folds == number for number in numbers]
    means = np.array([np.average(values[mine], weights=weights[mine]) if weights[mine].sum() else 0.0 for mine in each])
    influences_of = [weights[mine] * (values[mine] - mean) for mine, mean in zip(each, means, strict=True)]
    within = float(
        np.mean(
            [
                (one @ one) / max(weights[mine].sum(), 1e-300) ** 2 * len(one) / max(len(one) - 1, 1)
                for one, mine in zip(influences_of, each, strict=True)
            ]
        )
    )
    refits = max(0.0, float(means.var(ddof=1)) - within)
    spread = within + refits
    mean = float(np.average(values, weights=weights))
    if spread == 0:
        return Figure(mean, n, note=_ALL_ALIKE)
    degrees = spread**2 / (within**2 / max(n - len(numbers), 1) + refits**2 / (len(numbers) - 1))
    error = sqrt((1 / len(numbers) + test_over_train) * spread)
    return Figure(mean, n, "corrected_t", Interval(t_ends, mean, error, degrees))


def gain_over_folds(
    name: str, ours: Sequence[AnyScored], theirs: Sequence[AnyScored], test_over_train: float
) -> Figure:
    """How much better our recipe is than theirs, over the same held-out folds; positive whichever way the measure runs.

    Parameters
    ----------
    name : str
        A measure of that kind of outcome.
    ours, theirs : Sequence[AnyScored]
        The held-out rows of each fold as either recipe scores them, in the same order.
    test_over_train : float
        Rows held out over rows trained on.

    Returns
    -------
    Figure
        The value with its n and interval; without a value, and with the reason, where there is none.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> rows = yes_no_rows()
    >>> folds = [rows.take(np.arange(60) % 2 == side, str(side)) for side in (0, 1)]
    >>> gain_over_folds("accuracy", folds, [fold.at(0.7) for fold in folds], 1.0).method
    'corrected_t'
    """
    one = named(name)
    first, second = ([measure(name, rows) for rows in side] for side in (ours, theirs))
    differences, n = values_of(first) - values_of(second), sum(figure.n for figure in first)
    figure = corrected_difference(one.sign * differences, n, test_over_train, share=one.bounded)
    return figure if np.isfinite(differences).all() else absent(n, _first_note([*first, *second]))


def values_of(figures: Sequence[Figure]) -> Numbers:
    """The values of many figures, NaN where there is none.

    Parameters
    ----------
    figures : Sequence[Figure]
        Figures of one measure.

    Returns
    -------
    Numbers
        Shape (figures,).

    Examples
    --------
    >>> values_of([Figure(0.5, 10), absent(0, "no such row")]).tolist()
    [0.5, nan]
    """
    return np.array([np.nan if figure.value is None else figure.value for figure in figures], dtype=np.float64)


def _first_note(figures: list[Figure]) -> str:
    notes = [figure.note for figure in figures if figure.value is None]
    return f"in one fold it has no value: {notes[0]}"


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
    half = float(scipy.special.stdtrit(degrees, (1 + level) / 2)) * error
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
