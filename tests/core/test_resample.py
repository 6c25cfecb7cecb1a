"""Parts and folds: sizes, strata, reproducibility, and what can't be done."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.foundation.errors import UserError
from brookfall.core.resample.folds import Fold, bootstraps, k_folds, leave_one_out, random_splits
from brookfall.core.resample.largest_remainder import allocate, largest_remainder
from brookfall.core.resample.parts import split_parts
from brookfall.core.resample.strata import Layout
from tests.made import examples


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


def halves(n: int, positives: int, **more: Any) -> Layout:
    return Layout(np.arange(n), strata=(np.arange(n) < positives).astype(np.int64), **more)


def test_parts_are_asked_for_directly_and_stratified() -> None:
    layout, positive = halves(1000, 300), np.arange(1000) < 300
    shares = {"training": 60, "validation": 30, "test": 10}
    parts = split_parts(layout, shares, 7)
    assert [len(part) for part in parts.values()] == [600, 300, 100]
    assert [int(positive[part].sum()) for part in parts.values()] == [180, 90, 30]
    assert sorted(np.concatenate(list(parts.values()))) == list(range(1000))
    again, other = split_parts(layout, shares, 7), split_parts(layout, shares, 8)
    assert all((parts[name] == again[name]).all() for name in parts)
    assert any((parts[name] != other[name]).any() for name in parts)


def test_a_part_without_a_class_is_refused() -> None:
    with pytest.raises(UserError, match="no row of one class"):
        split_parts(halves(100, 2), {"training": 90, "test": 10}, 1)


@given(st.integers(0, 500), st.booleans())
@examples(30)
def test_groups_stay_together_and_sizes_come_near(seed: int, stratified: bool) -> None:
    rng = np.random.default_rng(seed)
    groups = rng.integers(0, 80, 600)
    layout = Layout(np.arange(600), rng.integers(0, 3, 600) if stratified else None, groups)
    parts = split_parts(layout, {"training": 60, "test": 40}, seed, "groups")
    assert not set(groups[parts["training"]]) & set(groups[parts["test"]])
    assert abs(len(parts["test"]) - 240) <= 20
    for fold in k_folds(layout, 5, 2, seed, "groups"):
        assert not set(groups[fold.train]) & set(groups[fold.test])
        assert abs(len(fold.test) - 120) <= 20
        if stratified:
            counts = np.bincount(layout.classes[fold.test], minlength=3)
            assert np.abs(counts - np.bincount(layout.classes) / 5).max() <= 20


def test_a_group_larger_than_every_part_is_named() -> None:
    groups = np.where(np.arange(100) < 70, 3, np.arange(100))
    layout = Layout(np.arange(100), groups=groups, group_names=tuple(f"house {i}" for i in range(100)))
    with pytest.raises(UserError, match="'house 3' holds 70 of 100 rows"):
        split_parts(layout, {"training": 60, "test": 40}, 1, "groups")
    with pytest.raises(UserError, match="larger share, use fewer folds"):
        k_folds(layout, 5, 1, 1, "groups")


def test_too_few_groups_for_the_folds() -> None:
    layout = Layout(np.arange(40), groups=np.arange(40) // 10)
    assert len(k_folds(layout, 4, 1, 1, "groups")) == 4
    assert len(k_folds(layout, 5, 1, 1, "groups")) == 4
    with pytest.raises(UserError, match="there is only 1 group to keep together"):
        k_folds(Layout(np.arange(9), groups=np.zeros(9, dtype=np.int64)), 5, 1, 1, "groups")
    with pytest.raises(UserError, match="no column has the role group"):
        k_folds(halves(40, 20), 5, 1, 1, "groups")


def test_by_time_the_earliest_rows_train_and_a_moment_is_never_parted() -> None:
    times = np.array([3.0, 1, 2, 2, 2, 5, 4, 1, 6, 7])
    parts = split_parts(Layout(np.arange(10), times=times), {"training": 40, "test": 60}, 9, "time")
    assert sorted(times[parts["training"]]) == [1, 1, 2, 2, 2]
    assert times[parts["training"]].max() < times[parts["test"]].min()
    with pytest.raises(UserError, match="no column has the role time"):
        split_parts(halves(10, 5), {"training": 40, "test": 60}, 9, "time")


def test_folds_by_time_are_trained_on_what_came_before() -> None:
    times = np.repeat(np.arange(30.0), 4)
    folds = k_folds(Layout(np.arange(120), times=times), 5, 1, 1, "time")
    assert len(folds) == 5
    for fold in folds:
        assert times[fold.train].max() < times[fold.test].min()
    held = np.concatenate([fold.test for fold in folds])
    assert len(held) == len(set(held.tolist())) == 100
    assert len(k_folds(Layout(np.arange(120), times=times), 40, 1, 1, "time")) == 29
    with pytest.raises(UserError, match="need at least 3 different times, and there are 2"):
        k_folds(Layout(np.arange(120), times=times % 2), 5, 1, 1, "time")


@given(st.integers(20, 300), st.integers(2, 10), st.integers(1, 3), st.booleans())
def test_every_row_is_held_out_once_a_repeat(n: int, folds: int, repeats: int, stratified: bool) -> None:
    rows, positive = np.arange(n) * 2, np.arange(n) < n // 2
    layout = Layout(rows, positive.astype(np.int64) if stratified else None)
    made = k_folds(layout, folds, repeats, 3)
    assert len(made) == folds * repeats
    for repeat in range(1, repeats + 1):
        held = [fold.test for fold in made if fold.repeat == repeat]
        assert np.sort(np.concatenate(held)).tolist() == rows.tolist()
        assert max(map(len, held)) - min(map(len, held)) <= 1
        if stratified:
            shares = [int(np.isin(test, rows[positive]).sum()) for test in held]
            assert max(shares) - min(shares) <= 1
    whole_and_apart(made, rows)


def whole_and_apart(folds: tuple[Fold, ...], rows: np.ndarray) -> None:
    for fold in folds:
        assert not np.intersect1d(fold.train, fold.test).size
        assert np.union1d(fold.train, fold.test).tolist() == rows.tolist()


def test_more_folds_than_rows_of_a_class() -> None:
    assert len(k_folds(halves(40, 3), 5, 2, 1)) == 6
    assert len(k_folds(Layout(np.arange(4)), 5, 1, 1)) == 4
    with pytest.raises(UserError, match="No folds can be made: one class has only 1 row to cross-validate"):
        k_folds(halves(40, 1), 5, 1, 1)
    with pytest.raises(UserError, match="there are under 2 rows"):
        k_folds(Layout(np.arange(1)), 5, 1, 1)


def test_leave_one_out_leaves_rows_or_whole_groups() -> None:
    assert [fold.test.tolist() for fold in leave_one_out(Layout(np.arange(3)))] == [[0], [1], [2]]
    grouped = leave_one_out(Layout(np.arange(4), groups=np.array([7, 7, 9, 9])))
    assert [fold.test.tolist() for fold in grouped] == [[0, 1], [2, 3]]
    with pytest.raises(UserError, match="at least two"):
        leave_one_out(Layout(np.arange(1)))


def test_random_splits_differ_and_repeat_with_the_seed() -> None:
    layout = halves(200, 60)
    first, again, other = (random_splits(layout, 5, 0.2, seed) for seed in (1, 1, 2))
    assert {len(fold.test) for fold in first} == {40}
    assert len({fold.test.tobytes() for fold in first}) == 5
    assert all((a.test == b.test).all() for a, b in zip(first, again, strict=True))
    assert any((a.test != b.test).any() for a, b in zip(first, other, strict=True))
    whole_and_apart(first, np.arange(200))
    with pytest.raises(UserError, match="know no time"):
        random_splits(layout, 5, 0.2, 1, "time")


def test_bootstrap_rows_are_drawn_with_replacement_and_the_rest_held_out() -> None:
    made = bootstraps(Layout(np.arange(300)), 40, 5)
    for fold in made:
        assert len(fold.train) == 300
        assert not np.intersect1d(fold.train, fold.test).size
    # 1 − 1/e of the rows are drawn (Efron & Tibshirani 1997).
    assert np.mean([len(fold.test) for fold in made]) / 300 == pytest.approx(np.exp(-1), abs=0.01)
    grouped = bootstraps(Layout(np.arange(300), groups=np.arange(300) // 3), 5, 5)
    assert all(len(np.unique(fold.test // 3)) * 3 == len(fold.test) for fold in grouped)
