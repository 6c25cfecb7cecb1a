"""How strongly two columns go together, whatever their kinds, with interval and p value.

Two numbers: Pearson's correlation. A number and a category: the correlation ratio η. Two categories: Cramér's V with
Bergsma's correction (2013, J. Korean Stat. Soc. 42:323). Beside it the mutual information, which sees what is not
linear.
"""

from dataclasses import dataclass
from math import sqrt, tanh
from typing import Literal

import numpy as np
import scipy
from numpy.typing import NDArray

from brookfall.core.measure.figure import FEW_ROWS, Figure, Interval, absent
from brookfall.core.measure.influence_function import Linear, figure_of
from brookfall.core.measure.noncentral import chi2_limits, f_limits
from brookfall.core.measure.scored import ScoredNumbers
from brookfall.core.table.table import Column

Kind = Literal["correlation", "correlation_ratio", "cramers_v"]
Codes = NDArray[np.int64]
Numbers = NDArray[np.float64]

KIND_WORDS: dict[Kind, str] = {"correlation": "r", "correlation_ratio": "η", "cramers_v": "V"}
NO_VARIATION = "one of the two never varies"
_BINS = 10
_CLEAR = 12.0
"""An F that leaves no doubt that something is there."""


@dataclass(frozen=True)
class Association:
    """The strength (−1 to 1 for two numbers, else 0 to 1) on the rows that have both; ``p`` is of no association.

    ``information`` is in nats, over at most ten bins a number; ``by_chance`` is what it would be on average with
    nothing there.
    """

    kind: Kind
    figure: Figure
    p: float | None
    information: float
    by_chance: float

    @property
    def strength(self) -> float:
        """The size of the association, 0 where it can't be computed."""
        return abs(self.figure.value or 0.0)


def associate(one: Column, other: Column) -> Association:
    """The association of two columns of equal length n; rows with a gap in either are left out.

    Parameters
    ----------
    one, other : Column
        Two columns of equal length n; rows with a gap in either are left out.

    Returns
    -------
    Association
        The measure that fits their kinds, its interval and the rows it rests on.

    Examples
    --------
    >>> from brookfall.core.table.infer import column_from_text
    >>> x, y = (column_from_text(name, cells) for name, cells in (("x", "1 2 3 4".split()), ("y", "2 4 5 9".split())))
    >>> round(associate(x, y).figure.value, 4)
    0.9648
    """
    kind = kind_of(one, other)
    both = ~(one.missing | other.missing)
    n = int(both.sum())
    a, b = _codes(one, both), _codes(other, both)
    cells = _cells(a, b)
    information, by_chance = mutual_information(cells)
    if n < 3 or min(cells.shape) < 2:
        why = NO_VARIATION if n >= 3 else "under 3 rows have both"
        return Association(kind, absent(n, why), None, information, by_chance)
    if kind == "correlation":
        figure, p = _correlation(_numbers(one, both), _numbers(other, both))
    elif kind == "cramers_v":
        figure, p = _cramer(cells)
    else:
        number, category = (one, b) if one.kind == "number" else (other, a)
        figure, p = _ratio(_numbers(number, both), category)
    few = n < FEW_ROWS
    return Association(kind, figure.marked(few=few) if few else figure, p, information, by_chance)


def kind_of(one: Column, other: Column) -> Kind:
    """Which measure two columns get, by their kinds.

    Parameters
    ----------
    one, other : Column
        Two columns.

    Returns
    -------
    Kind
        Which measure of association they get, by their kinds.

    Examples
    --------
    >>> from brookfall.core.table.infer import column_from_text
    >>> kind_of(column_from_text("x", ["1", "2"]), column_from_text("y", ["3", "5"]))
    'correlation'
    """
    numbers = (one.kind == "number") + (other.kind == "number")
    return "correlation" if numbers == 2 else "correlation_ratio" if numbers == 1 else "cramers_v"


def binned_column(column: Column) -> Column:
    """A number as a category of at most ten bins of equal counts; any other column as it is.

    Parameters
    ----------
    column : Column
        Any column of n rows.

    Returns
    -------
    Column
        A number as a category of at most ten bins, any other as it was; n rows.

    Examples
    --------
    >>> from brookfall.core.table.infer import column_from_text
    >>> len(binned_column(column_from_text("x", [str(i) for i in range(100)])).levels)
    10
    """
    if column.kind != "number":
        return column
    known = ~column.missing
    codes = np.full(len(column.values), -1, dtype=np.int32)
    codes[known] = _codes(column, known)
    levels = tuple(f"bin {place + 1:02d}" for place in range(int(codes.max(initial=-1)) + 1))
    return Column(column.name, "category", codes, levels)


def strengths(columns: tuple[Column, ...]) -> Numbers:
    """Every pair's strength, shape (k, k), signed for two numbers; NaN where it can't be computed, 1 on the diagonal.

    The same figures as ``associate`` without intervals; all pairs of numbers without gaps come from one product.

    Parameters
    ----------
    columns : tuple[Column, ...]
        k columns of equal length.

    Returns
    -------
    Numbers
        Strengths, shape (k, k).

    Examples
    --------
    >>> from brookfall.core.table.infer import column_from_text
    >>> columns = column_from_text("x", "1 2 3 4".split()), column_from_text("y", "2 4 6 9".split())
    >>> strengths(columns).round(3).tolist()
    [[1.0, 0.994], [0.994, 1.0]]
    """
    found = np.eye(len(columns))
    whole = [i for i, column in enumerate(columns) if column.kind == "number" and not column.missing.any()]
    if len(whole) > 1:
        with np.errstate(invalid="ignore", divide="ignore"):
            product = np.corrcoef(np.stack([columns[i].values for i in whole]))
        found[np.ix_(whole, whole)] = product
    done = set(whole)
    for i, one in enumerate(columns):
        for j in range(i):
            if not (i in done and j in done):
                value = _strength(one, columns[j])
                found[i, j] = found[j, i] = np.nan if value is None else value
    np.fill_diagonal(found, 1.0)
    return found


def _strength(one: Column, other: Column) -> float | None:
    """The value alone of ``associate``."""
    both = ~(one.missing | other.missing)
    if int(both.sum()) < 3:
        return None
    kind = kind_of(one, other)
    if kind == "correlation":
        a, b = _numbers(one, both), _numbers(other, both)
        return None if np.ptp(a) == 0 or np.ptp(b) == 0 else float(np.corrcoef(a, b)[0, 1])
    if kind == "cramers_v":
        cells = _cells(_codes(one, both), _codes(other, both))
        return None if min(cells.shape) < 2 else _corrected_v(cells)
    number, category = (one, other) if one.kind == "number" else (other, one)
    values, codes = _numbers(number, both), _dense(category.values[both].astype(np.int64))
    if np.ptp(values) == 0 or codes.max() == 0:
        return None
    return sqrt(_explained(values, codes))


def mutual_information(cells: Numbers) -> tuple[float, float]:
    """The plug-in mutual information of a table of counts in nats, and its mean when nothing is there.

    That mean is (r − 1)(c − 1)/2n to first order (Miller 1955; citation from memory).

    Parameters
    ----------
    cells : Numbers
        Counts of two categories, shape (r, c).

    Returns
    -------
    tuple[float, float]
        The mutual information in nats, and its mean where the two are unrelated.

    References
    ----------
    Miller, G. A. 1955, in Quastler (ed.), Information Theory in Psychology (citation from memory).

    Examples
    --------
    >>> [round(part, 4) for part in mutual_information(np.array([[5.0, 0.0], [0.0, 5.0]]))]
    [0.6931, 0.05]
    """
    n = cells.sum()
    if n == 0:
        return 0.0, 0.0
    shares = cells / n
    expected = shares.sum(axis=1, keepdims=True) * shares.sum(axis=0, keepdims=True)
    held = shares > 0
    information = float((shares[held] * np.log(shares[held] / expected[held])).sum())
    return max(0.0, information), float((cells.shape[0] - 1) * (cells.shape[1] - 1) / (2 * n))


def _correlation(a: Numbers, b: Numbers) -> tuple[Figure, float | None]:
    n = len(a)
    za, zb = ((values - values.mean()) / values.std() for values in (a, b))
    r = float(np.clip((za * zb).mean(), -1, 1))
    # The influence of a row on a correlation (Devlin, Gnanadesikan & Kettenring 1975, Biometrika 62:531).
    influence = (za * zb - r * (za * za + zb * zb) / 2) / n
    # On Fisher's scale, where the interval can't leave −1 to 1.
    if 1 - r * r < 1e-12:
        return Figure(r, n, note="the two say the same, so there is no spread to take an interval from"), 0.0
    linear = Linear(float(np.arctanh(r)), influence / (1 - r * r))
    figure = figure_of(linear, _rows(a)).mapped(tanh)
    t = r * sqrt((n - 2) / (1 - r * r))
    return figure, float(2 * scipy.special.stdtr(n - 2, -abs(t)))


def _ratio(values: Numbers, codes: Codes) -> tuple[Figure, float | None]:
    n, groups = len(values), int(codes.max()) + 1
    explained = _explained(values, codes)
    if n <= groups:
        return Figure(sqrt(explained), n, note="as many groups as rows, so there is no spread inside them"), None
    if 1 - explained < 1e-12:
        return Figure(sqrt(explained), n, note="the groups hold one value each, so there is no spread in them"), 0.0
    between, within = groups - 1, n - groups
    statistic = (explained / between) / ((1 - explained) / within)
    p = float(scipy.special.fdtrc(between, within, statistic))
    if statistic > _CLEAR:
        # Far from 0 the noncentral F leans on normal values with one variance; the influence of each row does not.
        return figure_of(_explained_linear(values, codes), _rows(values), 0, 1).mapped(sqrt), p
    return Figure(sqrt(explained), n, "noncentral_f", Interval(_ratio_ends, statistic, between, within, n)), p


def _ratio_ends(statistic: float, between: int, within: int, n: int, level: float) -> tuple[float, float]:
    low, high = f_limits(statistic, between, within, level)
    return sqrt(low / (low + n)), sqrt(high / (high + n))


def _explained_linear(values: Numbers, codes: Codes) -> Linear:
    """η² with the influence of each row: of 1 − the variance inside groups over the whole variance."""
    means = np.bincount(codes, values) / np.bincount(codes)
    inside, whole = (values - means[codes]) ** 2, (values - values.mean()) ** 2
    left = float(inside.mean() / whole.mean())
    return Linear(1 - left, (left * whole - inside) / whole.mean() / len(values))


def _rows(values: Numbers) -> ScoredNumbers:
    return ScoredNumbers(key="association", outcomes=values, predictions=values)


def _explained(values: Numbers, codes: Codes) -> float:
    """The share of the squares that lies between groups: η²."""
    centred = values - values.mean()
    sums, counts = np.bincount(codes, centred), np.bincount(codes)
    return float(np.clip((sums * sums / counts).sum() / (centred @ centred), 0.0, 1.0))


def _cramer(cells: Numbers) -> tuple[Figure, float | None]:
    n, (rows, columns) = cells.sum(), cells.shape
    chi2, freedom = chi_square(cells), (rows - 1) * (columns - 1)
    least = min(rows, columns) - 1
    ends = Interval(_cramer_ends, chi2, freedom, float(n * least))
    return Figure(_corrected_v(cells), int(n), "noncentral_chi2", ends), float(scipy.special.chdtrc(freedom, chi2))


def _cramer_ends(chi2: float, freedom: int, scale: float, level: float) -> tuple[float, float]:
    low, high = chi2_limits(chi2, freedom, level)
    return sqrt(min(1.0, low / scale)), sqrt(min(1.0, high / scale))


def chi_square(cells: Numbers) -> float:
    """Pearson's statistic of a table of counts without empty rows or columns, shape (r, c).

    Parameters
    ----------
    cells : Numbers
        Counts, shape (r, c); no row and no column is empty.

    Returns
    -------
    float
        The statistic, at least 0.

    Examples
    --------
    >>> round(chi_square(np.array([[10.0, 20.0], [20.0, 10.0]])), 4)
    6.6667
    """
    expected = cells.sum(axis=1, keepdims=True) * cells.sum(axis=0, keepdims=True) / cells.sum()
    return float(((cells - expected) ** 2 / expected).sum())


def _corrected_v(cells: Numbers) -> float:
    """Bergsma's correction of Cramér's V, which is 0 on average when nothing is there."""
    n, (rows, columns) = cells.sum(), cells.shape
    phi2 = max(0.0, chi_square(cells) / n - (rows - 1) * (columns - 1) / (n - 1))
    least = min(rows - (rows - 1) ** 2 / (n - 1), columns - (columns - 1) ** 2 / (n - 1)) - 1
    return min(1.0, sqrt(phi2 / least)) if least > 0 else 0.0


def _numbers(column: Column, rows: NDArray[np.bool_]) -> Numbers:
    return column.values[rows].astype(np.float64)


def _codes(column: Column, rows: NDArray[np.bool_]) -> Codes:
    """Levels, or bins of equal counts of a number, numbered without holes."""
    values = column.values[rows]
    if column.kind == "number":
        edges = np.unique(np.quantile(values, np.linspace(0, 1, _BINS + 1)[1:-1])) if len(values) else np.zeros(0)
        return _dense(np.searchsorted(edges, values, side="left"))
    return _dense(values.astype(np.int64))


def _dense(codes: Codes) -> Codes:
    if not len(codes):
        return codes
    seen = np.bincount(codes) > 0
    dense: Codes = (np.cumsum(seen) - 1)[codes]
    return dense


def _cells(a: Codes, b: Codes) -> Numbers:
    if not len(a):
        return np.zeros((0, 0))
    rows, columns = int(a.max()) + 1, int(b.max()) + 1
    return np.bincount(a * columns + b, minlength=rows * columns).reshape(rows, columns).astype(np.float64)
