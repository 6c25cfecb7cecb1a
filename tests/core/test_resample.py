"""Parts and folds: sizes, strata, reproducibility, and what can't be done."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.errors import UserError
from brookfall.core.resample.folds import k_folds
from brookfall.core.resample.parts import split_parts
from brookfall.core.resample.shares import allocate, largest_remainder


@given(st.integers(1, 5000), st.lists(st.integers(1, 99), min_size=2, max_size=4))
def test_sizes_add_up_and_lie_within_one(n: int, shares: list[int]) -> None:
    sizes = largest_remainder(n, shares)
    quotas = n * np.array(shares) / sum(shares)
    assert sizes.sum() == n
    assert (np.abs(sizes - quotas) < 1).all()


@given(st.lists(st.integers(0, 800), min_size=1, max_size=5).filter(any), st.sampled_from([[60, 30, 10], [70, 30]]))
def test_allocation_keeps_both_margins(counts: list[int], shares: list[int]) -> None:
    cells = allocate(np.array(counts), shares)
    assert (cells >= 0).all()
    assert cells.sum(axis=0).tolist() == counts
    assert cells.sum(axis=1).tolist() == largest_remainder(sum(counts), shares).tolist()


def test_parts_are_asked_for_directly_and_stratified() -> None:
    rows, positive = np.arange(1000), np.arange(1000) < 300
    shares = {"training": 60, "validation": 30, "test": 10}
    parts = split_parts(rows, positive, shares, 7, stratified=True)
    assert [len(part) for part in parts.values()] == [600, 300, 100]
    assert [int(positive[part].sum()) for part in parts.values()] == [180, 90, 30]
    assert sorted(np.concatenate(list(parts.values()))) == rows.tolist()
    again = split_parts(rows, positive, shares, 7, stratified=True)
    other = split_parts(rows, positive, shares, 8, stratified=True)
    assert all((parts[name] == again[name]).all() for name in parts)
    assert any((parts[name] != other[name]).any() for name in parts)


def test_a_part_without_a_class_is_refused() -> None:
    with pytest.raises(UserError, match="no row of one class"):
        split_parts(np.arange(100), np.arange(100) < 2, {"training": 90, "test": 10}, 1, stratified=True)


@given(st.integers(20, 300), st.integers(2, 10), st.integers(1, 3), st.booleans())
def test_every_row_is_held_out_once_a_repeat(n: int, folds: int, repeats: int, stratified: bool) -> None:
    rows, positive = np.arange(n) * 2, np.arange(n) < n // 2
    made = k_folds(rows, positive, folds, repeats, 3, stratified=stratified)
    assert len(made) == folds * repeats
    for repeat in range(1, repeats + 1):
        held = [fold.test for fold in made if fold.repeat == repeat]
        assert np.sort(np.concatenate(held)).tolist() == rows.tolist()
        assert max(map(len, held)) - min(map(len, held)) <= 1
        if stratified:
            shares = [int(np.isin(test, rows[positive]).sum()) for test in held]
            assert max(shares) - min(shares) <= 1
    for fold in made:
        assert not np.intersect1d(fold.train, fold.test).size


def test_fewer_rows_of_a_class_than_folds_is_refused() -> None:
    with pytest.raises(UserError, match="at most 4 folds"):
        k_folds(np.arange(50), np.arange(50) < 4, 10, 1, 1, stratified=True)
