"""What an unpenalised regression assumes of its rows: straight lines, even spread, no single row that decides.

By statsmodels (RESET, Breusch–Pagan, influence), on a design with a constant first.
"""

import warnings
from dataclasses import dataclass
from typing import Literal

import numpy as np
from statsmodels.genmod import families
from statsmodels.genmod.generalized_linear_model import GLM
from statsmodels.regression.linear_model import OLS
from statsmodels.stats.diagnostic import het_breuschpagan, linear_reset

from brookfall.core.measure.paired_tests import Test, holm
from brookfall.core.measure.scored import Numbers

Link = Literal["linear", "logistic", "poisson", "gamma"]

_FAMILIES = {
    "logistic": families.Binomial,
    "poisson": families.Poisson,
    "gamma": lambda: families.Gamma(families.links.Log()),
}


@dataclass(frozen=True)
class Bend:
    """Whether one column acts in a straight line (Box & Tidwell 1962).

    Attributes
    ----------
    column : int
        Its place in the design.
    p, p_holm : float
        Of x · ln x beside x, alone and by Holm over all columns tried.
    """

    column: int
    p: float
    p_holm: float


@dataclass(frozen=True)
class Deciding:
    """The row whose absence moves the coefficients most (Cook 1977).

    Attributes
    ----------
    row : int
        Its place among the rows.
    distance : float
        Cook's distance.
    column : int
        The coefficient that moves most by its standard error.
    before, after : float
        That coefficient with the row and without it.
    errors : float
        By how many standard errors it moves.
    """

    row: int
    distance: float
    column: int
    before: float
    after: float
    errors: float


@dataclass(frozen=True)
class Fitted:
    """A regression refitted by statsmodels; ``design`` has a constant first."""

    link: Link
    design: Numbers
    outcomes: Numbers

    def fit(self, design: Numbers | None = None, outcomes: Numbers | None = None) -> "OLS | GLM":
        """The results object on these rows, or on others."""
        x = self.design if design is None else design
        y = self.outcomes if outcomes is None else outcomes
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return OLS(y, x).fit() if self.link == "linear" else GLM(y, x, _FAMILIES[self.link]()).fit()


def powers_of_prediction(of: Fitted) -> Test:
    """Whether powers of the prediction add to it: then some column does not act in a straight line.

    Ramsey's RESET with square and cube for a linear regression, Pregibon's link test for others.

    Parameters
    ----------
    of : Fitted
        The regression.

    Returns
    -------
    Test
        F, or z, and its p.

    References
    ----------
    Ramsey, J. B. 1969, J. R. Stat. Soc. B 31:350; Pregibon, D. 1980, Applied Statistics 29:15 (both from memory).

    Examples
    --------
    >>> rng = np.random.default_rng(1)
    >>> x = rng.normal(size=200)
    >>> bent = Fitted("linear", np.column_stack([np.ones(200), x]), x + x**2 + 0.1 * rng.normal(size=200))
    >>> powers_of_prediction(bent).p < 1e-6
    True
    """
    plain = of.fit()
    if of.link == "linear":
        found = linear_reset(plain, power=3, test_type="fitted", use_f=True)
        return Test(float(found.statistic), float(found.pvalue), "reset")
    linear = of.design @ plain.params
    more = of.fit(np.column_stack([of.design, linear**2]))
    return Test(float(more.tvalues[-1]), float(more.pvalues[-1]), "link_test")


def bends(of: Fitted, columns: list[int]) -> list[Bend]:
    """Whether each of these columns acts in a straight line, each moved above 0 first; the surest bend first.

    Parameters
    ----------
    of : Fitted
        The regression.
    columns : list[int]
        Places of numbers in the design; those of under ten values are left out.

    Returns
    -------
    list[Bend]
        By p; empty without such columns.

    References
    ----------
    Box, G. E. P. & Tidwell, P. W. 1962, Technometrics 4:531 (from memory).

    Examples
    --------
    >>> rng = np.random.default_rng(1)
    >>> x = rng.uniform(1, 9, 300)
    >>> of = Fitted("linear", np.column_stack([np.ones(300), x]), np.log(x) + 0.1 * rng.normal(size=300))
    >>> bends(of, [1])[0].p < 1e-6
    True
    """
    tried, found = [], []
    for column in columns:
        values = of.design[:, column]
        if len(np.unique(values)) < _FEWEST_VALUES:
            continue
        spread = float(values.max() - values.min())
        moved = values - values.min() + 0.05 * spread
        term = moved * np.log(moved / moved.mean())
        tried.append(column)
        found.append(float(of.fit(np.column_stack([of.design, term])).pvalues[-1]))
    adjusted = holm(np.array(found)) if found else np.zeros(0)
    made = [Bend(column, p, float(both)) for column, p, both in zip(tried, found, adjusted, strict=True)]
    return sorted(made, key=lambda one: one.p)


_FEWEST_VALUES = 10


@dataclass(frozen=True)
class Spread:
    """Whether the errors spread evenly, and what it does to the standard errors.

    Attributes
    ----------
    test : Test
        Koenker's studentised Breusch–Pagan.
    column : int
        The coefficient whose standard error changes most by the sandwich (HC3).
    times : float
        How many times its usual one it then is.
    """

    test: Test
    column: int
    times: float


def even_spread(of: Fitted) -> Spread:
    """Whether the squared errors of a linear regression follow its columns.

    Parameters
    ----------
    of : Fitted
        A linear regression with a column beside the constant.

    Returns
    -------
    Spread
        The test, and what the sandwich makes of the standard errors.

    References
    ----------
    Breusch, T. S. & Pagan, A. R. 1979, Econometrica 47:1287; Koenker, R. 1981, J. Econometrics 17:107; MacKinnon, J. G.
    & White, H. 1985, J. Econometrics 29:305 (HC3).

    Examples
    --------
    >>> rng = np.random.default_rng(1)
    >>> x = rng.uniform(1, 5, 400)
    >>> of = Fitted("linear", np.column_stack([np.ones(400), x]), x + x**2 * rng.normal(size=400))
    >>> even_spread(of).test.p < 0.001
    True
    """
    plain = of.fit()
    statistic, p, _, _ = het_breuschpagan(plain.resid, of.design, robust=True)
    ratios = plain.HC3_se[1:] / plain.bse[1:]
    most = int(np.abs(np.log(ratios)).argmax())
    return Spread(Test(float(statistic), float(p), "breusch_pagan"), most + 1, float(ratios[most]))


def deciding_row(of: Fitted) -> Deciding:
    """The row of the largest Cook's distance, and what the coefficients are without it.

    Parameters
    ----------
    of : Fitted
        The regression, with a column beside the constant.

    Returns
    -------
    Deciding
        The row, and the coefficient that moves most, refitted.

    References
    ----------
    Cook, R. D. 1977, Technometrics 19:15.

    Examples
    --------
    >>> x = np.append(np.linspace(0, 1, 30), 10.0)
    >>> of = Fitted("linear", np.column_stack([np.ones(31), x]), np.append(np.linspace(0, 1, 30), -10.0))
    >>> deciding_row(of).row
    30
    """
    plain = of.fit()
    distances = np.nan_to_num(np.asarray(plain.get_influence().cooks_distance[0], dtype=np.float64))
    row = int(distances.argmax())
    kept = np.arange(len(of.outcomes)) != row
    without = of.fit(of.design[kept], of.outcomes[kept])
    moved = (without.params - plain.params) / plain.bse
    most = int(np.abs(moved[1:]).argmax()) + 1
    return Deciding(
        row,
        float(distances[row]),
        most,
        float(plain.params[most]),
        float(without.params[most]),
        float(abs(moved[most])),
    )
