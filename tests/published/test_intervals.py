"""Intervals against published tables and reference libraries."""

import numpy as np
import pytest
import statsmodels.stats.proportion as reference
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.measure.interval import (
    Share,
    independent_difference,
    katz,
    koopman,
    newcombe_paired,
    proportion,
    ratio_of_shares,
    wilson,
)
from tests.made import examples


@pytest.mark.parametrize(
    ("x", "n", "low", "high"),
    [(81, 263, 0.2553, 0.3662), (15, 148, 0.0624, 0.1605), (0, 20, 0.0, 0.1611), (1, 29, 0.0061, 0.1718)],
)
def test_wilson_gives_the_table_of_newcombe_1998(x: int, n: int, low: float, high: float) -> None:
    # Newcombe 1998, Statistics in Medicine 17:857, table I, method 3.
    assert wilson(x, n, 0.95) == pytest.approx((low, high), abs=5e-5)


@pytest.mark.parametrize(
    ("x1", "n1", "x2", "n2", "low", "high"),
    [(56, 70, 48, 80, 0.0524, 0.3339), (9, 10, 3, 10, 0.1705, 0.8090), (5, 56, 0, 29, -0.0381, 0.1926)],
)
def test_difference_gives_the_table_of_newcombe_1998(
    x1: int, n1: int, x2: int, n2: int, low: float, high: float
) -> None:
    # Newcombe 1998, Statistics in Medicine 17:873, table II, method 10.
    figure = independent_difference(proportion(x1, n1), proportion(x2, n2))
    assert figure.method == "newcombe_hybrid"
    assert figure.interval(0.95) == pytest.approx((low, high), abs=5e-5)


counts = st.integers(1, 400).flatmap(lambda n: st.tuples(st.integers(0, n), st.just(n)))
levels = st.sampled_from([0.8, 0.9, 0.95, 0.99, 0.999])


@given(counts, levels)
def test_wilson_agrees_with_statsmodels(xn: tuple[int, int], level: float) -> None:
    expected = reference.proportion_confint(*xn, alpha=1 - level, method="wilson")
    assert wilson(*xn, level) == pytest.approx(expected, abs=1e-9)


@given(counts, counts)
def test_newcombe_difference_agrees_with_statsmodels(a: tuple[int, int], b: tuple[int, int]) -> None:
    expected = reference.confint_proportions_2indep(*a, *b, method="newcomb", compare="diff")
    assert independent_difference(proportion(*a), proportion(*b)).interval(0.95) == pytest.approx(expected, abs=1e-9)


@given(st.tuples(st.integers(1, 60), st.integers(61, 200)), st.tuples(st.integers(1, 60), st.integers(61, 200)))
@examples(50)
def test_koopman_agrees_with_statsmodels_score_ratio(a: tuple[int, int], b: tuple[int, int]) -> None:
    expected = reference.confint_proportions_2indep(*a, *b, method="score", compare="ratio", correction=False)
    assert koopman(*a, *b, 0.95) == pytest.approx(expected, rel=2e-3)


@given(st.integers(1, 400), st.integers(1, 400), st.data(), st.sampled_from([0.5, 0.95, 0.9999]))
def test_koopman_has_an_interval_for_any_counts(n: int, m: int, data: st.DataObject, level: float) -> None:
    x, y = data.draw(st.integers(0, n)), data.draw(st.integers(0, m))
    low, high = koopman(x, n, y, m, level)
    assert 0 <= low <= high
    if y > 0:
        assert low <= (x / n) / (y / m) <= high
    assert (low == 0) == (x == 0)
    assert (high == np.inf) == (y == 0)


@pytest.mark.parametrize("level", [0.5, 0.95, 0.9999])
def test_koopman_has_an_interval_where_every_row_of_one_side_holds(level: float) -> None:
    # The roots of the score equation meet here, and rounding made a share of 1.00000001.
    low, high = koopman(100, 102, 100, 100, level)
    assert low < 100 / 102 < high
    assert high < 1.2


def test_koopman_gives_the_published_example() -> None:
    # Koopman 1984, Biometrics 40:513: 36 of 40 against 16 of 80, 2.94 to 7.15 (citation from memory).
    assert koopman(36, 40, 16, 80, 0.95) == pytest.approx((2.94, 7.15), abs=5e-3)


@given(st.tuples(st.integers(5, 60), st.integers(70, 200)), st.tuples(st.integers(5, 60), st.integers(70, 200)))
def test_katz_agrees_with_statsmodels_log_ratio(a: tuple[int, int], b: tuple[int, int]) -> None:
    expected = reference.confint_proportions_2indep(*a, *b, method="log", compare="ratio", correction=False)
    assert katz(*a, *b, 0.95) == pytest.approx(expected, rel=1e-9)


def of(x: int, n: int) -> Share:
    return Share(x / n, n, float(n))


def test_ratio_switches_to_the_score_interval_where_a_cell_is_small() -> None:
    assert ratio_of_shares(of(40, 100), of(50, 100)).method == "katz_log"
    assert ratio_of_shares(of(2, 100), of(50, 100)).method == "koopman"
    none = ratio_of_shares(of(3, 100), of(0, 100))
    assert none.value is None
    assert none.note is not None


def test_four_fifths_of_the_uniform_guidelines() -> None:
    # EEOC Uniform Guidelines, questions and answers: 48 of 80 against 12 of 40 (citation from memory).
    ratio = ratio_of_shares(of(12, 40), of(48, 80))
    assert ratio.value == pytest.approx(0.5)


@given(st.lists(st.integers(0, 60), min_size=4, max_size=4).filter(lambda cells: sum(cells) > 0))
def test_paired_interval_holds_its_difference_and_mirrors(cells: list[int]) -> None:
    both, first, second, neither = cells
    low, high = newcombe_paired(both, first, second, neither, 0.95)
    difference = (first - second) / sum(cells)
    assert low - 1e-12 <= difference <= high + 1e-12
    assert newcombe_paired(both, second, first, neither, 0.95) == pytest.approx((-high, -low), abs=1e-9)


def test_paired_interval_covers_in_simulation() -> None:
    rng = np.random.default_rng(1)
    shares, n = [0.55, 0.2, 0.1, 0.15], 80
    truth = shares[1] - shares[2]
    draws = rng.multinomial(n, shares, 1500)
    covered = [
        low <= truth <= high
        for low, high in (newcombe_paired(int(a), int(b), int(c), int(d), 0.95) for a, b, c, d in draws)
    ]
    assert 0.93 <= np.mean(covered) <= 0.975
