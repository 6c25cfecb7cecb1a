"""How protected attributes become groups: bands, gaps, levels taken together, combinations, references."""

from typing import Any

import numpy as np
import pandas as pd
import pytest
from hypothesis import given
from hypothesis import strategies as st

from brookfall.core.check.bench import Bench
from brookfall.core.check.groups.ground_facts import grounds_before
from brookfall.core.check.groups.protected_groups import NOT_RECORDED, Ground, grounds_of, groups_of, reference
from brookfall.core.check.groups.sides import members_of
from brookfall.core.check.standard_plan import known_checks
from brookfall.core.plan.revisions import read_plan
from tests.conftest import small_plan
from tests.made import scored, subject_of_frame


def people(n: int = 300, seed: int = 4) -> pd.DataFrame:
    rng = np.random.default_rng(seed)
    age = rng.integers(18, 90, n).astype(float)
    frame = pd.DataFrame(
        {
            "age": [f"{value:.0f}" for value in age],
            "sex": rng.choice(["f", "m", "x"], n, p=[0.5, 0.45, 0.05]),
            "floor": rng.integers(0, 4, n),
            "income": rng.lognormal(10, 0.4, n).round(1),
            "x": rng.normal(size=n).round(4),
            "y": rng.choice(["no", "yes"], n),
        }
    )
    frame.loc[:9, "sex"] = ""
    frame.loc[5:19, "age"] = ""
    return frame


def bench_of(frame: pd.DataFrame, *protected: str, **changes: Any) -> Bench:
    plan = small_plan(checks=["groups"], main_measure="auc", **changes)
    return Bench(subject_of_frame(frame, "y", None, protected=protected), plan)


def ground(bench: Bench, name: str) -> Ground:
    return next(one for one in grounds_of(bench.subject, bench.plan) if one.name == name)


def test_ages_have_usual_bands_and_other_numbers_their_quartiles() -> None:
    bench = bench_of(people(), "age", "income", "floor")
    age = ground(bench, "age")
    assert age.levels == ("under 25", "25 to under 40", "40 to under 65", "65 and over", NOT_RECORDED)
    income = ground(bench, "income")
    counts = np.bincount(income.codes)
    assert len(income.levels) == 4
    assert counts.min() > 60
    # A number of few values is a group a value.
    assert ground(bench, "floor").levels == ("0", "1", "2", "3")


def test_the_plans_own_cuts_are_used_at_the_value_itself() -> None:
    frame = people()
    bench = bench_of(frame, "age", bands={"age": [60]})
    age = ground(bench, "age")
    known = frame["age"] != ""
    expected = pd.to_numeric(frame["age"][known]) >= 60
    assert (age.codes[known.to_numpy()] == expected.to_numpy()).all()
    assert age.cuts == (60.0,)


def test_gaps_are_a_group_of_their_own_and_never_the_reference() -> None:
    frame = people()
    frame.loc[:250, "sex"] = ""
    bench = bench_of(frame, "sex")
    sex = ground(bench, "sex")
    assert sex.levels[-1] == NOT_RECORDED
    groups = groups_of([sex], 1)
    assert [len(group) for group in groups if not group.recorded] == [251]
    assert sum(len(group) for group in groups) == len(frame)
    # Three recorded groups are each set against everyone else; the gap is part of nobody else.
    assert reference(list(groups), {}) is None
    named = reference(list(groups), {"sex": NOT_RECORDED})
    assert named is not None
    assert named.levels == NOT_RECORDED


def test_a_level_that_says_not_recorded_is_not_mixed_with_gaps() -> None:
    frame = people()
    frame.loc[100:150, "sex"] = NOT_RECORDED
    sex = ground(bench_of(frame, "sex"), "sex")
    assert NOT_RECORDED in sex.levels
    assert f"{NOT_RECORDED}_" in sex.levels
    assert np.bincount(sex.codes)[sex.gap] == 10


def test_levels_taken_together_are_one_group_and_the_others_stay() -> None:
    frame = people()
    bench = bench_of(frame, "sex", merged={"sex": [["x", "m"]]})
    sex = ground(bench, "sex")
    assert sex.levels == ("f", "m or x", NOT_RECORDED)
    counts = frame["sex"].value_counts()
    assert np.bincount(sex.codes).tolist() == [counts["f"], counts["m"] + counts["x"], counts[""]]
    # A level that is not there takes no part.
    assert ground(bench_of(frame, "sex", merged={"sex": [["f", "z"]]}), "sex").levels[0] == "f"


@pytest.mark.parametrize(
    ("field", "value", "words"),
    [
        ("bands", {"age": [60, 40]}, "rise"),
        ("bands", {"age": []}, "1 to 20"),
        ("merged", {"sex": [["f"]]}, "two levels or more"),
        ("merged", {"sex": [["f", "m"], ["m", "x"]]}, "merged once"),
        ("harms", [], "at least one harm"),
        ("harms", ["sorrow"], "Input should be"),
    ],
)
def test_groups_that_can_not_be_made_are_refused_by_the_plan(field: str, value: object, words: str) -> None:
    with pytest.raises(ValueError, match=words):
        small_plan(**{field: value})


def test_a_plan_may_still_name_the_checks_as_they_once_were() -> None:
    plan = small_plan(checks=["selection", "errors", "selection_pairs", "errors_pairs", "gap"])
    assert known_checks(plan).checks == ("gap", "groups", "combinations")
    assert read_plan(plan.model_dump(mode="json", exclude={"revision"})).checks == ("groups", "combinations", "gap")


@given(
    st.lists(st.tuples(st.integers(0, 2), st.integers(0, 3), st.integers(0, 1)), min_size=1, max_size=60),
    st.integers(1, 3),
)
def test_every_row_is_in_one_group_of_each_combination(rows: list[tuple[int, int, int]], order: int) -> None:
    codes = np.array(rows, dtype=np.int64)
    grounds = [Ground(f"g{i}", tuple("abcd"), codes[:, i]) for i in range(3)]
    families: dict[tuple[str, ...], list[int]] = {}
    for group in groups_of(grounds, order):
        families.setdefault(group.attributes, []).extend(group.members.tolist())
        for place, one in enumerate(grounds):
            if one.name in group.label:
                assert {one.levels[code] for code in codes[group.members, place]} == {group.label[one.name]}
    assert len(families) == {1: 3, 2: 3, 3: 1}[order]
    assert all(sorted(members) == list(range(len(rows))) for members in families.values())


def test_weighted_rows_have_weighted_rates() -> None:
    rng = np.random.default_rng(2)
    weights = rng.random(200) + 0.1
    rows = scored(rng.random(200) < 0.4, rng.random(200), weights=weights)
    codes = rng.integers(0, 2, 200)
    (members,) = members_of([Ground("g", ("a", "b"), codes)], rows, 1, {})
    for member in members:
        mine = codes == ("a", "b").index(member.group.levels)
        expected = np.average(rows.decisions[mine], weights=weights[mine])
        assert member.rate("selection_rate").value == pytest.approx(expected)


def test_what_is_known_before_a_run_is_sizes_base_rates_and_clashes() -> None:
    frame = people(1200, seed=9)
    frame["y"] = np.where(np.random.default_rng(1).random(1200) < np.where(frame["sex"] == "f", 0.6, 0.3), "yes", "no")
    bench = bench_of(frame, "sex", "age")
    sex, age = grounds_before(bench)
    assert sum(group.n for group in sex.groups) == 1200
    of_f = next(group for group in sex.groups if group.level == "f")
    assert of_f.base_rate == pytest.approx((frame["y"][frame["sex"] == "f"] == "yes").mean())
    assert (of_f.low or 0) < (of_f.base_rate or 0) < (of_f.high or 0)
    assert sex.reference is None
    assert "can't all be avoided" in sex.clash
    assert age.cuts == (25.0, 40.0, 65.0)
    # One harm alone never clashes.
    assert all(one.clash == "" for one in grounds_before(bench_of(frame, "sex", harms=["passed_over"])))


def test_a_number_outcome_has_no_base_rates() -> None:
    frame = people().assign(y=np.arange(300.0))
    plan = small_plan(checks=["groups"], main_measure="r2")
    (sex,) = grounds_before(Bench(subject_of_frame(frame, "y", None, "number", protected=("sex",)), plan))
    assert {group.base_rate for group in sex.groups} == {None}
    assert sex.clash == ""


def test_tables_without_protected_columns_have_no_ground() -> None:
    bench = bench_of(people())
    assert grounds_of(bench.subject, bench.plan) == ()
    assert grounds_before(bench) == ()
