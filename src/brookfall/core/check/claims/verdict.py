"""What a claim comes to: reproduced, compatible, or neither, with every claim of the submission judged together."""

from dataclasses import dataclass
from math import inf, log, sqrt

import numpy as np
import scipy

from brookfall.core.evidence.estimate import Verdict
from brookfall.core.foundation.digest import seed_from
from brookfall.core.judge.policy import MATERIALITY, Materiality
from brookfall.core.measure.interval import z_of
from brookfall.core.measure.measure import Measure
from brookfall.core.measure.registry import named
from brookfall.core.measure.scored import Numbers
from brookfall.core.submission.schema import Claim

WRONG = 0.05
"""How often an honest owner may be told that a claim is overstated or not reproduced, over all claims together."""
_ONE_SEED = 0.99
_EDGE = 1e-6
_DRAWS = 20_000


def band_of(claim: Claim, material: Materiality = MATERIALITY) -> float:
    """The difference that is no fault: half a unit of the last stated decimal, and what libraries may differ by.

    >>> band_of(Claim(measure="auc", value="0.83")), band_of(Claim(measure="rmse", value="120.0"))
    (0.005, 0.06)
    """
    bounded = named(claim.measure).bounded
    libraries = material.bounded if bounded else material.share * abs(float(claim.value))
    return max(0.5 * 10**-claim.decimals, libraries)


def agrees(claim: Claim, value: float, material: Materiality = MATERIALITY) -> bool:
    """Whether a value is the claimed one, but for what is no fault."""
    return abs(value - float(claim.value)) <= band_of(claim, material) * (1 + 1e-9)


def of_seeds(
    claim: Claim, value: float, seeds: Numbers, claims: int, material: Materiality = MATERIALITY
) -> tuple[Verdict, tuple[float, float]]:
    """A refit on the owner's own split: the prediction interval of one more seed, widened by what is no fault.

    Parameters
    ----------
    claim : Claim
        What was claimed.
    value : float
        What the recipe's own seed gives.
    seeds : Numbers
        What other seeds give, shape (seeds,).
    claims : int
        How many claims are judged together.
    material : Materiality
        What libraries may differ by.

    Returns
    -------
    tuple[Verdict, tuple[float, float]]
        Reproduced, compatible or not reproduced, and the interval.

    References
    ----------
    Student t on the logit scale of shares; at least 99 %, and all claims together at most 5 % (Bonferroni).

    Examples
    --------
    >>> claim = Claim(measure="auc", value="0.830")
    >>> verdict, ends = of_seeds(claim, 0.8312, np.array([0.829, 0.8312, 0.8305, 0.8322]), 1)
    >>> verdict, [round(end, 3) for end in ends]
    ('compatible', [0.821, 0.84])
    >>> of_seeds(claim, 0.82, np.full(4, 0.82), 1)[0]
    'not_reproduced'
    """
    one = named(claim.measure)
    scaled = _to_scale(one, seeds)
    level = max(_ONE_SEED, 1 - WRONG / claims)
    reach = float(scipy.special.stdtrit(len(seeds) - 1, (1 + level) / 2)) * float(scaled.std(ddof=1))
    reach *= sqrt(1 + 1 / len(seeds))
    middle, band = float(scaled.mean()), band_of(claim, material)
    low, high = (_from_scale(one, middle + way * reach) + way * band for way in (-1, 1))
    if agrees(claim, value, material):
        return "reproduced", (low, high)
    return ("compatible" if low <= float(claim.value) <= high else "not_reproduced"), (low, high)


@dataclass(frozen=True)
class Apart:
    """How far a claim on other rows lies from its recomputed value, in the direction that flatters.

    ``excess`` and ``error`` (standard error of the difference, with its degrees of freedom) are on the logit scale of
    measures in [0, 1].
    """

    excess: float
    error: float
    freedom: float

    @property
    def z(self) -> float:
        """The excess in standard errors, on the scale of a normal deviate."""
        t = self.excess / self.error if self.error > 0 else (0.0 if self.excess == 0 else inf * self.excess)
        if not np.isfinite(t) or not np.isfinite(self.freedom):
            return t
        # By the smaller tail, so that far values keep their digits.
        tail = float(scipy.special.stdtr(self.freedom, -abs(t)))
        return float(-scipy.special.ndtri(max(tail, 1e-300))) * (1 if t > 0 else -1)


@dataclass(frozen=True)
class Refits:
    """What refits of the recipe on other training rows give, shape (fits,), and what the variance of one fit is of
    theirs: 1 of resampled rows, (k − 1)²/k of k fits that each leave out a k-th."""

    values: Numbers
    times: float = 1.0


NO_REFITS = Refits(np.zeros(0))


def apart_of(
    claim: Claim,
    value: float,
    interval: tuple[float, float],
    level: float,
    n: int,
    refits: Refits = NO_REFITS,
    material: Materiality = MATERIALITY,
) -> Apart:
    """How far a claim lies from what it comes out at on other rows.

    Parameters
    ----------
    claim : Claim
        What was claimed, and on how many rows where it says so.
    value : float
        The recomputed value.
    interval : tuple[float, float]
        Its interval at ``level``: the variance of its rows.
    level : float
        In (0, 1).
    n : int
        How many rows it was recomputed on.
    refits : Refits
        What other fits give; none where the interval holds the variance of refitting already.
    material : Materiality
        What libraries may differ by.

    Returns
    -------
    Apart
        The excess with its standard error: the variance of the claim on its own n, that of the recomputed value, and
        twice that of refitting.

    References
    ----------
    Zou & Donner 2008 (independent figures); Satterthwaite 1946 (degrees of freedom).

    Examples
    --------
    >>> claim = Claim(measure="accuracy", value="0.86", n=400)
    >>> round(apart_of(claim, 0.80, (0.76, 0.84), 0.95, 400).z, 1)
    2.1
    """
    one = named(claim.measure)
    ends = _to_scale(one, np.array(interval))
    rows = (float(ends[1] - ends[0]) / 2 / z_of(level)) ** 2
    fits = len(refits.values)
    refit = 2 * refits.times * float(_to_scale(one, refits.values).var(ddof=1)) if fits > 1 else 0.0
    own = rows * n / (claim.n or n)
    total = rows + own + refit
    spread = (rows**2 + own**2) / max(n - 1, 1) + refit**2 / max(fits - 1, 1)
    # What was rounded away is given to the owner.
    claimed = float(claim.value)
    band = band_of(claim, material)
    nearest = claimed + float(np.clip(value - claimed, -band, band))
    return Apart(_excess(one, nearest, value), sqrt(total), total**2 / spread if spread > 0 else inf)


def _excess(one: Measure, claimed: float, value: float) -> float:
    """By how much the claim flatters, on the scale that its error is on."""
    if isinstance(one.better, float):
        return abs(value - one.better) - abs(claimed - one.better)
    scaled = _to_scale(one, np.array([claimed, value]))
    return one.sign * float(scaled[0] - scaled[1])


def critical(correlation: Numbers, seed: int) -> float:
    """The normal deviate that the largest of so many correlated excesses passes in one honest package of twenty.

    Parameters
    ----------
    correlation : Numbers
        Of the recomputed figures over resampled rows, shape (claims, claims).
    seed : int
        What the draws are seeded by.

    Returns
    -------
    float
        One-sided; 1.645 of a single claim.

    Examples
    --------
    >>> round(critical(np.ones((1, 1)), 1), 2), round(critical(np.eye(3), 1), 2)
    (1.64, 2.12)
    """
    if len(correlation) == 1:
        return float(scipy.special.ndtri(1 - WRONG))
    rng = np.random.default_rng(seed_from("claims together", seed))
    values, vectors = np.linalg.eigh(correlation)
    drawn = rng.standard_normal((_DRAWS, len(correlation))) * np.sqrt(np.clip(values, 0, None)) @ vectors.T
    return float(np.quantile(drawn.max(axis=1), 1 - WRONG))


def of_other_rows(one: Apart, beyond: float) -> Verdict:
    """The verdict on a claim on other rows, one-sided: what is overstated is told from chance.

    >>> [of_other_rows(Apart(excess, 0.2, 100), 1.645) for excess in (0.5, -0.5, 0.1)]
    ['overstated', 'understated', 'compatible']
    """
    return "overstated" if one.z > beyond else "understated" if one.z < -beyond else "compatible"


def honest_span(
    claim: Claim, value: float, one: Apart, beyond: float, material: Materiality = MATERIALITY
) -> tuple[float, float]:
    """Between which values a claim on other rows is compatible.

    >>> claim = Claim(measure="rmse", value="2.00")
    >>> [round(end, 3) for end in honest_span(claim, 2.0, Apart(0.0, 0.1, 1e9), 1.645)]
    [1.83, 2.17]
    """
    measured = named(claim.measure)
    reach = beyond * one.error
    if np.isfinite(one.freedom):
        tail = float(scipy.special.ndtr(-beyond))
        reach = -float(scipy.special.stdtrit(one.freedom, tail)) * one.error
    middle, band = float(_to_scale(measured, np.array([value]))[0]), band_of(claim, material)
    low, high = (_from_scale(measured, middle + way * reach) + way * band for way in (-1, 1))
    return low, high


def _to_scale(one: Measure, values: Numbers) -> Numbers:
    if not one.bounded:
        return np.asarray(values, dtype=np.float64)
    return np.asarray(scipy.special.logit(np.clip(values, _EDGE, 1 - _EDGE)), dtype=np.float64)


def _from_scale(one: Measure, value: float) -> float:
    return float(scipy.special.expit(value)) if one.bounded else value


def log_size(claim: Claim, value: float) -> float:
    """How far a claim lies from its recomputed value, by its size, to tell which lies farthest.

    >>> log_size(Claim(measure="rmse", value="2"), 1.0)
    0.6931471805599453
    """
    claimed = float(claim.value)
    return abs(log(claimed / value)) if claimed > 0 and value > 0 else abs(claimed - value)
