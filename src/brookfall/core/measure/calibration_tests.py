"""Tests of whether probabilities are right: Spiegelhalter's, Hosmer and Lemeshow's, and band by band.

They take the scores as given and every row as standing for itself, so they have no value on weighted or grouped rows.
"""

from dataclasses import dataclass
from math import sqrt

import numpy as np
import scipy

from brookfall.core.measure.calibration import BINS, equal_count_bins
from brookfall.core.measure.paired_tests import Test, holm
from brookfall.core.measure.scored import Codes, Numbers, Scored


def why_no_test(rows: Scored) -> str | None:
    """Why these tests have no value on these rows; None where they have.

    Parameters
    ----------
    rows : Scored
        n rows with their outcomes and scores.

    Returns
    -------
    str | None
        The reason in words.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> why_no_test(yes_no_rows()) is None
    True
    """
    if not rows.plain:
        return "the test takes rows that count once and stand for themselves"
    certain = (rows.scores <= 0) | (rows.scores >= 1)
    return "every score is 0 or 1, which leaves nothing to chance" if certain.all() else None


def spiegelhalter(rows: Scored) -> Test:
    """Whether the Brier score is what the scores themselves expect (Spiegelhalter 1986).

    Parameters
    ----------
    rows : Scored
        n rows of which ``why_no_test`` has nothing to say.

    Returns
    -------
    Test
        z, positive when the Brier score is larger than expected, and its two-sided p.

    References
    ----------
    Spiegelhalter, D. J. 1986, Stat. Med. 5:421.

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(spiegelhalter(yes_no_rows()).statistic, 3)
    4.3
    """
    scores = rows.scores
    excess = float(((rows.outcomes - scores) * (1 - 2 * scores)).sum())
    spread = sqrt(float(((1 - 2 * scores) ** 2 * scores * (1 - scores)).sum()))
    if spread == 0:
        return Test(None, 1.0, "spiegelhalter")
    z = excess / spread
    return Test(z, 2 * float(scipy.special.ndtr(-abs(z))), "spiegelhalter")


@dataclass(frozen=True)
class ScoreBand:
    """Rows of neighbouring scores: from and to, how many, their events and those expected, p raw and by Holm."""

    low: float
    high: float
    n: int
    events: int
    expected: float
    p: float
    p_holm: float


def hosmer_lemeshow(rows: Scored, *, seen: bool = False) -> Test:
    """Observed against expected events over ten bands of equal count (Hosmer & Lemeshow 1980).

    Parameters
    ----------
    rows : Scored
        n rows of which ``why_no_test`` has nothing to say.
    seen : bool
        Whether the model was fitted to these very rows, which takes two degrees of freedom.

    Returns
    -------
    Test
        Chi-square and its p; without a statistic, and p 1, where fewer than three bands can be told apart.

    References
    ----------
    Hosmer, D. W. & Lemeshow, S. 1980, Commun. Stat. A 9:1043. Hosmer, Lemeshow & Sturdivant 2013, Applied Logistic
    Regression, 3rd ed., ch. 5 (the degrees of freedom on unseen rows; from memory).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> round(hosmer_lemeshow(yes_no_rows()).statistic, 2)
    32.05
    """
    n, events, expected = _by_band(rows, equal_count_bins(rows.scores))
    known = (expected > 0) & (expected < n)
    if known.sum() < 3:
        return Test(None, 1.0, "hosmer_lemeshow")
    n, events, expected = n[known], events[known], expected[known]
    statistic = float(((events - expected) ** 2 / (expected * (1 - expected / n))).sum())
    degrees = len(n) - (2 if seen else 0)
    return Test(statistic, float(scipy.special.chdtrc(degrees, statistic)), "hosmer_lemeshow")


def _by_band(rows: Scored, bins: Codes) -> tuple[Numbers, Numbers, Numbers]:
    """Rows, events and expected events of each band."""
    return (
        np.bincount(bins).astype(np.float64),
        np.bincount(bins, weights=rows.outcomes).astype(np.float64),
        np.bincount(bins, weights=rows.scores).astype(np.float64),
    )


def score_bands(rows: Scored, bins: int = BINS) -> tuple[ScoreBand, ...]:
    """Bands of equal count, from the lowest score, each with an exact binomial test of its mean score.

    Parameters
    ----------
    rows : Scored
        n rows of which ``why_no_test`` has nothing to say.
    bins : int
        How many bands at most.

    Returns
    -------
    tuple[ScoreBand, ...]
        One a band; p is twice the smaller tail, at most 1 (common practice in rating validation).

    Examples
    --------
    >>> from brookfall.core.measure.example_rows import yes_no_rows
    >>> band = score_bands(yes_no_rows())[-1]
    >>> band.n, band.events, round(band.expected, 2)
    (6, 2, 5.2)
    """
    codes = equal_count_bins(rows.scores, bins)
    n, events, expected = _by_band(rows, codes)
    rate = np.clip(expected / n, 0, 1)
    below = scipy.special.bdtr(events, n.astype(np.int64), rate)
    above = 1 - np.where(events > 0, scipy.special.bdtr(events - 1, n.astype(np.int64), rate), 0.0)
    p = np.minimum(1.0, 2 * np.minimum(below, above))
    low, high = np.full(len(n), np.inf), np.full(len(n), -np.inf)
    np.minimum.at(low, codes, rows.scores)
    np.maximum.at(high, codes, rows.scores)
    columns = zip(low, high, n, events, expected, p, holm(p), strict=True)
    return tuple(
        ScoreBand(float(a), float(b), int(many), int(hits), float(mean), float(raw), float(together))
        for a, b, many, hits, mean, raw, together in columns
    )
