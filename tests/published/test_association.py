"""Association and shift against published examples and reference libraries."""

import numpy as np
import pytest
import scipy.stats as reference
from hypothesis import given
from hypothesis import strategies as st
from sklearn.datasets import load_iris
from sklearn.metrics import mutual_info_score

from brookfall.core.measure.association import associate, chi_square, mutual_information, strengths
from brookfall.core.measure.noncentral import chi2_limits, f_limits
from brookfall.core.measure.shift import psi, shift_of
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.table import Column
from tests.made import examples


def number(values: np.ndarray, name: str = "n") -> Column:
    return Column(name, "number", np.asarray(values, dtype=np.float64))


def category(codes: np.ndarray, name: str = "c") -> Column:
    return column_from_text(name, [None if code < 0 else f"k{code}" for code in codes])


def test_berkeley_admissions_of_1973() -> None:
    # Bickel, Hammel & O'Connell 1975, the six largest departments as in R's data set UCBAdmissions: 1198 of 2691 men
    # and 557 of 1835 women admitted; Pearson's X² = 92.21 without correction.
    cells = np.array([[1198.0, 1493.0], [557.0, 1278.0]])
    assert chi_square(cells) == pytest.approx(92.21, abs=0.005)
    assert chi_square(cells) == pytest.approx(reference.chi2_contingency(cells, correction=False).statistic)
    sex = category(np.repeat([0, 0, 1, 1], cells.ravel().astype(int)))
    admitted = category(np.repeat([0, 1, 0, 1], cells.ravel().astype(int)))
    found = associate(sex, admitted)
    uncorrected = reference.contingency.association(cells.astype(int), method="cramer")
    n = cells.sum()
    # Bergsma 2013, equation for the corrected V of a 2 × 2 table.
    corrected = np.sqrt((uncorrected**2 - 1 / (n - 1)) / (2 - 1 / (n - 1) - 1))
    assert found.figure.value == pytest.approx(corrected)
    low, high = found.figure.interval(0.95) or (0.0, 0.0)
    assert low < uncorrected < high


def test_iris_petal_length_by_species() -> None:
    # Fisher 1936; the F of the one-way analysis of variance in R's help page of aov on iris: 1180.16.
    iris = load_iris()
    species, length = iris.target, iris.data[:, 2]
    statistic = reference.f_oneway(*(length[species == code] for code in range(3))).statistic
    assert statistic == pytest.approx(1180.16, abs=0.01)
    found = associate(number(length), category(species))
    assert found.kind == "correlation_ratio"
    assert found.figure.value == pytest.approx(np.sqrt(2 * statistic / (2 * statistic + 147)))
    assert found.p == pytest.approx(0.0, abs=1e-80)


@examples(40)
@given(st.integers(0, 10_000), st.integers(5, 200), st.floats(-3, 3))
def test_correlation_is_scipys(seed: int, n: int, slope: float) -> None:
    rng = np.random.default_rng(seed)
    x = rng.normal(size=n)
    y = slope * x + rng.normal(size=n)
    found, expected = associate(number(x), number(y)), reference.pearsonr(x, y)
    assert found.figure.value == pytest.approx(expected.statistic)
    assert found.p == pytest.approx(expected.pvalue, abs=1e-12)


@examples(40)
@given(st.integers(0, 10_000), st.integers(20, 300), st.integers(2, 5), st.integers(2, 4))
def test_tables_are_scipys(seed: int, n: int, rows: int, columns: int) -> None:
    rng = np.random.default_rng(seed)
    a, b = rng.integers(0, rows, n), rng.integers(0, columns, n)
    cells = np.array([[((a == i) & (b == j)).sum() for j in range(columns)] for i in range(rows)], dtype=float)
    cells = cells[cells.sum(axis=1) > 0][:, cells.sum(axis=0) > 0]
    found, expected = associate(category(a), category(b)), reference.chi2_contingency(cells, correction=False)
    assert found.p == pytest.approx(expected.pvalue)
    assert found.information == pytest.approx(mutual_info_score(a, b), abs=1e-12)


@examples(40)
@given(st.floats(0.1, 400), st.integers(1, 12), st.integers(3, 400), st.sampled_from([0.8, 0.95, 0.999]))
def test_limits_are_where_scipys_noncentral_distributions_say(
    statistic: float, df: int, within: int, level: float
) -> None:
    tail = (1 - level) / 2
    for end, share in zip(chi2_limits(statistic, df, level), (1 - tail, tail), strict=True):
        if end > 0:
            assert reference.ncx2.cdf(statistic, df, end) == pytest.approx(share, abs=1e-6)
        else:
            assert reference.chi2.cdf(statistic, df) <= share + 1e-9
    for end, share in zip(f_limits(statistic / df, df, within, level), (1 - tail, tail), strict=True):
        if end > 0:
            assert reference.ncf.cdf(statistic / df, df, within, end) == pytest.approx(share, abs=1e-6)


def test_the_limits_of_large_statistics_join_the_small_ones() -> None:
    under, over = chi2_limits(19_999.0, 5, 0.95), chi2_limits(20_001.0, 5, 0.95)
    assert over == pytest.approx(under, rel=2e-3)


def test_ks_is_scipys() -> None:
    rng = np.random.default_rng(5)
    one, other = rng.normal(size=400).round(1), rng.normal(0.2, 1.1, size=250).round(1)
    found, expected = shift_of(number(one), number(other)), reference.ks_2samp(one, other, method="asymp")
    assert found.distance == pytest.approx(expected.statistic)
    assert found.p == pytest.approx(expected.pvalue, abs=0.005)


def test_chi_square_of_a_category_is_scipys() -> None:
    rng = np.random.default_rng(6)
    one, other = rng.integers(0, 4, 300), rng.integers(0, 4, 200)
    cells = np.array([np.bincount(one, minlength=4), np.bincount(other, minlength=4)])
    assert shift_of(category(one), category(other)).p == pytest.approx(reference.chi2_contingency(cells).pvalue)


def test_psi_by_its_definition() -> None:
    # Σ (p − q) ln(p/q); common practice. Half a row stands in an empty bin.
    assert psi(np.array([50.0, 50.0]), np.array([30.0, 70.0])) == pytest.approx(
        0.2 * np.log(5 / 3) - 0.2 * np.log(5 / 7)
    )
    assert psi(np.array([10.0, 0.0]), np.array([10.0, 0.0])) == 0.0
    assert np.isfinite(psi(np.array([10.0, 0.0]), np.array([5.0, 5.0])))


@pytest.mark.parametrize(("n", "m"), [(300, 200), (2000, 400)])
def test_psi_of_nothing_is_passed_in_one_of_twenty(n: int, m: int) -> None:
    # The distribution that Yurdakul & Naranjo 2020 give, by simulation.
    rng = np.random.default_rng(7)
    found = [shift_of(number(rng.normal(size=n)), number(rng.normal(size=m))) for _ in range(600)]
    passed = np.mean([shift.psi.value > shift.critical for shift in found])
    assert 0.03 <= passed <= 0.075
    assert np.mean([shift.psi.value for shift in found]) == pytest.approx(found[0].by_chance, rel=0.12)


def test_bergsmas_v_is_nothing_on_average_when_nothing_is_there() -> None:
    rng = np.random.default_rng(8)
    found = [associate(category(rng.integers(0, 5, 100)), category(rng.integers(0, 4, 100))) for _ in range(300)]
    corrected = np.mean([tie.figure.value or 0.0 for tie in found])
    assert corrected < 0.07
    # Uncorrected, V would be about √(12/300) = 0.2.
    holds = np.mean([(tie.figure.interval(0.95) or (1.0, 1.0))[0] == 0.0 for tie in found])
    assert holds > 0.95


def test_information_by_chance_is_what_comes_by_chance() -> None:
    rng = np.random.default_rng(9)
    found = []
    for _ in range(400):
        cells = np.bincount(rng.integers(0, 20, 500), minlength=20).reshape(5, 4).astype(float)
        found.append(mutual_information(cells))
    assert np.mean([information for information, _ in found]) == pytest.approx(found[0][1], rel=0.1)


def test_all_strengths_at_once_are_those_of_the_pairs() -> None:
    rng = np.random.default_rng(10)
    columns = (
        number(rng.normal(size=80), "a"),
        number(np.where(rng.random(80) < 0.2, np.nan, rng.normal(size=80)), "b"),
        category(rng.integers(0, 3, 80), "c"),
        category(rng.integers(-1, 2, 80), "d"),
        number(np.ones(80), "e"),
        number(rng.normal(size=80), "f"),
    )
    found = strengths(columns)
    for i, one in enumerate(columns):
        for j, other in enumerate(columns):
            value = associate(one, other).figure.value
            if i != j and value is None:
                assert np.isnan(found[i, j])
            elif i != j:
                assert found[i, j] == pytest.approx(value)
    assert np.diag(found).tolist() == [1.0] * 6
