"""Net benefit, and what the first so many rows hold, against a reference library and formulas of their own."""

from pathlib import Path

import dcurves
import numpy as np
import pandas as pd
import pytest
from dcurves import dca

from brookfall.core.measure.depth import Depths, depth_columns
from brookfall.core.measure.net_benefit import worth_at, worth_columns
from brookfall.core.measure.scored import Scored
from tests.made import binary_rows, scored

# The example data of the decision curve tutorial by Vickers' group, as the PyPI package dcurves ships them: 750 people,
# 105 of them with cancer.
BIOPSIES = pd.read_csv(Path(dcurves.data) / "df_binary.csv")
ROWS = scored(BIOPSIES["cancer"], BIOPSIES["cancerpredmarker"])


def test_the_tutorials_example_is_met() -> None:
    """Acting on all at 5 %: 0.14 − 0.86 · 0.05/0.95 = 0.0947 (the definition of Vickers & Elkin 2006, on these counts)."""
    assert (len(ROWS), ROWS.events) == (750, 105)
    worth = worth_at(ROWS, 0.05)
    assert worth.everybody.value == pytest.approx(0.14 - 0.86 * 0.05 / 0.95, abs=1e-12)
    assert worth.over_all.value == pytest.approx(worth.model.value - worth.everybody.value, abs=1e-12)


def test_the_whole_curve_is_that_of_the_reference_library() -> None:
    thresholds = [0.01, 0.05, 0.1, 0.2, 0.35, 0.5]
    theirs = dca(data=BIOPSIES, outcome="cancer", modelnames=["cancerpredmarker"], thresholds=thresholds)
    for threshold in thresholds:
        at = theirs[np.isclose(theirs["threshold"], threshold)].set_index("model")["net_benefit"]
        worth = worth_at(ROWS, threshold)
        assert worth.model.value == pytest.approx(at["cancerpredmarker"], abs=1e-12)
        assert worth.everybody.value == pytest.approx(at["all"], abs=1e-12)
    columns = worth_columns(ROWS, 0.95)
    place = columns["x"].index(0.2)
    assert columns["y"][place] == pytest.approx(worth_at(ROWS, 0.2).model.value, abs=1e-6)
    assert columns["low"][place] < columns["y"][place] < columns["high"][place]
    assert set(columns["none"]) == {0.0}


def test_its_interval_is_that_of_resampled_rows() -> None:
    """Percentile bootstrap of 4 000 resamples (Efron & Tibshirani 1993), by hand."""
    rng = np.random.default_rng(8)
    y, acted = ROWS.outcomes, ROWS.scores >= 0.2
    values = np.where(acted, np.where(y, 1.0, -0.25), 0.0)
    drawn = values[rng.integers(0, len(values), (4000, len(values)))].mean(axis=1)
    low, high = worth_at(ROWS, 0.2).model.interval(0.95) or (0.0, 0.0)
    assert [low, high] == pytest.approx(np.quantile(drawn, [0.025, 0.975]), abs=0.002)


def test_no_probability_and_no_trade_have_no_worth() -> None:
    assert "not probabilities" in (worth_at(scored([True, False] * 20, np.arange(40.0)), 0.5).model.note or "")
    assert "weighs nothing" in (worth_at(ROWS, 1.0).model.note or "")


@pytest.mark.parametrize("ties", [False, True])
@pytest.mark.parametrize("weights", ["none", "some zero"])
def test_the_first_rows_hold_what_a_plain_count_says(ties: bool, weights: str) -> None:
    rows, _ = binary_rows(5, 400, ties=ties, weights=weights).usable()
    for share in (0.03, 0.2, 0.5, 1.0):
        taken, order = np.zeros(len(rows)), np.argsort(-rows.scores, kind="stable")
        left = share * rows.counted.sum()
        for score in sorted(set(rows.scores.tolist()), reverse=True):
            tied = rows.scores == score
            weight = float(rows.counted[tied].sum())
            taken[tied] = min(1.0, max(0.0, left / weight))
            left -= weight
        found = Depths(rows).at(share)
        held = float((taken * rows.counted * rows.outcomes).sum())
        assert found.gain.value == pytest.approx(held / (rows.counted * rows.outcomes).sum(), abs=1e-9)
        assert found.lift.value == pytest.approx(found.gain.value / share, abs=1e-9)
        assert found.precision.value == pytest.approx(held / (share * rows.counted.sum()), abs=1e-9)
        assert (
            found.cut
            == rows.scores[order][
                min(
                    int(np.searchsorted(np.cumsum(rows.counted[order]), share * rows.counted.sum() * (1 - 1e-12))),
                    len(rows) - 1,
                )
            ]
        )


def test_depths_hold_their_truth_where_the_cut_moves_with_the_rows() -> None:
    """95 % intervals in 400 samples of 300 rows: the promise of 95 % is kept unless its own interval lies under it."""
    rng = np.random.default_rng(3)

    def draw(n: int) -> Scored:
        x = rng.normal(size=n)
        return scored(rng.random(n) < 1 / (1 + np.exp(1 - 1.2 * x)), x)

    truth = Depths(draw(400_000)).at(0.2)
    held = np.zeros(2)
    for _ in range(400):
        found = Depths(draw(300)).at(0.2)
        for place, (one, true) in enumerate(((found.gain, truth.gain), (found.precision, truth.precision))):
            low, high = one.interval(0.95) or (0.0, 0.0)
            held[place] += low <= true.value <= high
    assert (held / 400 > 0.925).all(), held


def test_every_hundredth_is_told() -> None:
    columns = depth_columns(binary_rows(2, 300), 0.95)
    assert columns["x"][0] == 0.01
    assert columns["y"][-1] == columns["lift"][-1] == 1.0
    assert all(low <= y <= high for low, y, high in zip(columns["low"], columns["y"], columns["high"], strict=True))
    assert all(one <= other for one, other in zip(columns["y"], columns["y"][1:], strict=False))


def test_clusters_widen_what_is_said_of_a_depth() -> None:
    rng = np.random.default_rng(4)
    x = np.repeat(rng.normal(size=200), 5)
    y = rng.random(1000) < 1 / (1 + np.exp(-x))
    alone, together = (
        Depths(scored(y, x, clusters=groups)).at(0.2).gain for groups in (None, np.repeat(np.arange(200), 5))
    )
    assert alone.value == together.value
    (low, high), (far, farther) = (one.interval(0.95) or (0.0, 0.0) for one in (alone, together))
    assert farther - far > 1.2 * (high - low)
