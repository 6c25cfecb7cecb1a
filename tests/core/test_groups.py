"""Groups, references, rates and the four-fifths rule."""

from collections.abc import Callable
from dataclasses import replace

import numpy as np
import pandas as pd
import pytest

from brookfall.core.check.bench import Bench
from brookfall.core.check.fairness.group_by_group import four_fifths_by_chance
from brookfall.core.check.groups.audit import refuse_unprotected
from brookfall.core.check.groups.protected_groups import Group, families, grounds_of, groups_of, reference
from brookfall.core.check.groups.sides import Member, members_of
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.scored import Scored
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Table
from tests.conftest import small_plan

Selected = Callable[[str, str], float]


def made(rates: dict[tuple[str, str], float], each: int = 100) -> tuple[Bench, Scored]:
    """A bench whose groups are selected at exactly these rates, all rows positive or not by halves."""
    sex, age, score, outcome = [], [], [], []
    for (s, a), rate in rates.items():
        for i in range(each):
            sex.append(s)
            age.append(a)
            score.append(1.0 if i < rate * each else 0.0)
            outcome.append("yes" if i % 2 else "no")
    columns = {"sex": sex, "age": age, "x": [str(v) for v in score], "y": outcome}
    table = Table(tuple(column_from_text(n, pd.Series(v, dtype=object)) for n, v in columns.items()))
    subject = Subject(table, Roles(target="y", protected=("sex", "age")), None, (), "rows.csv")
    scored = Scored(key="made", outcomes=subject.target.hits, scores=np.array(score), threshold=0.5)
    return Bench(subject, small_plan()), scored


def groups_in(bench: Bench, rows: np.ndarray, order: int) -> tuple[Group, ...]:
    return groups_of([ground.take(rows) for ground in grounds_of(bench.subject, bench.plan)], order)


def members_in(bench: Bench, scored: Scored, order: int) -> list[list[Member]]:
    return members_of(grounds_of(bench.subject, bench.plan), scored, order, bench.plan.references)


EVEN = {("f", "old"): 0.4, ("f", "young"): 0.4, ("m", "old"): 0.4, ("m", "young"): 0.4}


def test_single_attributes_and_pairs() -> None:
    bench, _ = made(EVEN)
    rows = np.arange(bench.subject.table.n_rows)
    singles, pairs = groups_in(bench, rows, 1), groups_in(bench, rows, 2)
    assert [group.words for group in singles] == ["sex f", "sex m", "age old", "age young"]
    assert [len(group) for group in pairs] == [100] * 4
    assert pairs[0].words == "sex f and age old"
    assert [len(found) for found in families(singles).values()] == [2, 2]
    assert groups_in(bench, rows[:100], 2)[0].label == {"sex": "f", "age": "old"}


def test_people_are_spoken_of_as_was_said() -> None:
    """In answers, beside bare levels, and of levels that the plan took together; a level without a form keeps its own."""
    bench, scored = made({("f", "old"): 0.1, ("f", "young"): 0.5, ("m", "old"): 0.5, ("m", "young"): 0.5}, each=400)
    spoken = {"sex": {"f": "women", "m": "men"}, "age": {"old": "of 65 and over"}}
    roles = bench.subject.roles.model_copy(update={"spoken": spoken})
    subject = replace(bench.subject, roles=roles)
    spoken_of = Bench(subject, bench.plan)
    assert [one.words for one in groups_in(spoken_of, np.arange(1600), 1)] == [
        "women",
        "men",
        "people of 65 and over",
        "age young",
    ]
    pairs = groups_in(spoken_of, np.arange(1600), 2)
    assert [one.words for one in pairs[:2]] == ["women of 65 and over", "women with age young"]
    assert pairs[0].label == {"sex": "f", "age": "old"}
    (_, ages) = members_of(grounds_of(subject, bench.plan), scored, 1, {})
    assert {one.words for one in ages} == {"people of 65 and over", "age young"}
    plan = bench.plan.model_copy(update={"merged": {"age": (("old", "young"),)}})
    assert {one.words for one in groups_of(grounds_of(subject, plan), 2)} == {
        "women with age old or young",
        "men with age old or young",
    }


def test_of_two_groups_the_larger_is_the_reference_or_the_one_named() -> None:
    bench, _ = made({**EVEN, ("m", "middle"): 0.4})
    groups = [group for group in groups_in(bench, np.arange(500), 1) if "sex" in group.label]
    named = [reference(groups, chosen) for chosen in ({}, {"sex": "f"}, {"sex": "nobody"})]
    assert [one.words for one in named if one is not None] == ["sex m", "sex f", "sex m"]


def test_rates_ratios_and_differences() -> None:
    bench, scored = made({("f", "old"): 0.3, ("f", "young"): 0.5, ("m", "old"): 0.5, ("m", "young"): 0.5})
    (sex, _) = members_in(bench, scored, 1)
    first, second = sex
    assert first.rate("selection_rate").value == pytest.approx(0.4)
    assert second.ratio("selection_rate").value == pytest.approx(1.25)
    assert second.difference("selection_rate").value == pytest.approx(0.1)
    (pairs,) = members_in(bench, scored, 2)
    against = {m.group.levels: m.ratio("selection_rate").value for m in pairs if m.reference}
    assert pairs[0].group.levels == "f, old"
    others = pytest.approx(0.5 / ((0.3 + 0.5 + 0.5) / 3))
    assert against == {"f, old": pytest.approx(0.6), "f, young": others, "m, old": others, "m, young": others}


def test_small_groups_are_shown_and_not_judged() -> None:
    bench, scored = made(EVEN, each=10)
    (pairs,) = members_in(bench, scored, 2)
    assert all(member.rate("selection_rate").few for member in pairs)
    assert all(member.ratio("selection_rate").few for member in pairs[1:])


def test_four_fifths_by_chance_falls_with_the_size() -> None:
    small, large = (four_fifths_by_chance(n, n, n, 1) for n in (20, 2000))
    assert 0.2 < small < 0.9
    assert large < 0.001
    assert four_fifths_by_chance(20, 20, 20, 1) == small


def test_nothing_to_audit_is_said_with_the_missing_grounds(bench: Bench) -> None:
    refuse_unprotected(bench)
    bare = Bench(replace(bench.subject, roles=Roles(target="y", protected=("sex",))), bench.plan)
    refuse_unprotected(bare)
    with pytest.raises(UserError, match="Fewer than two"):
        refuse_unprotected(bare, 2)
    none = Bench(replace(bench.subject, roles=Roles(target="y")), bench.plan)
    with pytest.raises(UserError, match="ethnic group"):
        refuse_unprotected(none)
