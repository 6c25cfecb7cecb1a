"""No interval has a width of zero: rows that all say the same hide what so few rows can hide."""

import numpy as np
import pytest

from brookfall.core.check.unseen.cross_validation import _sd_ratio
from brookfall.core.measure.paired_tests import gain
from brookfall.core.measure.ranking import auc_difference, newcombe_auc
from brookfall.core.measure.registry import measure
from brookfall.core.measure.spread_of_draws import mean_of_draws
from tests.made import scored

OUTCOMES = np.arange(12) % 2 == 0
FAULTLESS = scored(OUTCOMES, np.where(OUTCOMES, 0.9, 0.1))
ALIKE = scored(OUTCOMES, np.full(12, 0.5))


def test_twelve_rows_ranked_without_a_fault_are_no_proof() -> None:
    found = auc_difference(FAULTLESS, ALIKE)
    assert found.value == 0.5
    low, high = found.interval(0.95) or (0.0, 0.0)
    assert (low + 0.5, high + 0.5) == pytest.approx(newcombe_auc(1.0, 6, 6, 0.95))
    assert low < 0.4 < 0.5 <= high
    turned = auc_difference(ALIKE, FAULTLESS).interval(0.95)
    assert turned == pytest.approx((-high, -low))
    assert gain("auc", FAULTLESS, ALIKE).interval(0.95) == pytest.approx((low, high))


def test_more_rows_hide_less() -> None:
    outcomes = np.arange(400) % 2 == 0
    many = auc_difference(scored(outcomes, outcomes * 0.8), scored(outcomes, np.full(400, 0.5)))
    few = auc_difference(FAULTLESS, ALIKE)
    widths = [np.diff(one.interval(0.95) or (0.0, 0.0))[0] for one in (many, few)]
    assert 0 < widths[0] < widths[1] / 5


def test_equal_scores_do_not_differ_on_any_rows() -> None:
    assert auc_difference(FAULTLESS, FAULTLESS).value == 0


def test_folds_that_all_say_the_same_may_differ_by_a_row() -> None:
    folds = [measure("auc", scored(np.arange(n) % 2 == 0, (np.arange(n) % 2 == 0) * 0.8)) for n in (40, 40, 40, 40)]
    found = _sd_ratio(folds)
    assert found.value == 0
    low, high = found.interval(0.95) or (0.0, 0.0)
    assert low == 0 < high
    larger = _sd_ratio([measure("auc", scored(np.arange(n) % 2 == 0, (np.arange(n) % 2 == 0) * 0.8)) for n in (40, 40)])
    assert (larger.interval(0.95) or (0.0, 0.0))[1] > high


def test_draws_that_all_give_the_same_say_so() -> None:
    found = mean_of_draws(np.ones(20), 300)
    assert (found.value, found.interval(0.95)) == (1.0, None)
    assert found.note == "every draw gives the same, so there is no spread to take an interval from"
