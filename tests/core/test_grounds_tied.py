"""Which column is of which ground of the policy: by name, as it is tied, and as its content proposes."""

import re
from typing import Any

import numpy as np
import pandas as pd
import pytest
from pydantic import ValidationError

from brookfall.core.check.groups.protected_groups import grounds_of
from brookfall.core.check.reads import PlanView, UndeclaredReadError, content_key
from brookfall.core.check.registry import checks
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.foundation.errors import UserError
from brookfall.core.judge.ground_by_content import ground_by_content
from brookfall.core.judge.grounds import Grounds, GroundWords
from brookfall.core.judge.policy import Policy, default_policy
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.screening.issue import Issue
from brookfall.core.retest.screening.screen import look_at
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.roles import Roles, check_roles
from tests.conftest import small_plan
from tests.made import bench_with, exhibit_of, subject_of_frame, table_of

LISTED = Grounds(("age", "disability", "ethnic group", "pregnancy", "religion", "sex"))


def frame(n: int = 240) -> pd.DataFrame:
    """People whose columns have names that say nothing."""
    rng = np.random.default_rng(8)
    x = rng.normal(size=n)
    return pd.DataFrame(
        {
            "x": x.round(3),
            "q3": rng.choice(["F", "M"], n),
            "q4": rng.choice(["Asian", "Black", "White"], n),
            "q5": rng.integers(18, 91, n),
            "q6": rng.choice(["a", "b"], n),
            "y": np.where(rng.random(n) < 1 / (1 + np.exp(-x)), "yes", "no"),
        }
    )


def subject(**roles: Any) -> Subject:
    recipe = Recipe(family="logistic")
    return subject_of_frame(frame(), "y", recipe, positive="yes", **roles)


def issues(one: Subject) -> dict[str, Issue]:
    return {issue.columns[0]: issue for issue in look_at(one, LISTED).issues if issue.about in ("unmarked", "untied")}


def test_a_tie_goes_before_the_name_and_an_empty_one_says_none() -> None:
    ties = {"q4": "ethnic group", "sex": ""}
    assert LISTED.of("q4", ties) == "ethnic group"
    assert LISTED.of("sex", ties) is None
    assert LISTED.of("sex", {}) == "sex"
    assert Grounds(("sex",)).of("q4", ties) is None
    assert Grounds(("ethnic group", "sex")).missing(("q4", "sex"), ties) == ["sex"]


@pytest.mark.parametrize(
    ("cells", "ground"),
    [
        (["f", "m", "m"], "sex"),
        (["Female", "Male", "Not known"], "sex"),
        (["woman", "woman"], None),
        (["m", "n"], None),
        (["m", "f", "q"], None),
        (["White", "Black", "Asian - other", "Mixed"], "ethnic group"),
        (["white", "blue", "green"], None),
        (["under 25", "25-40", "41-64", "65+"], "age"),
        (["18 to 39", "40 to 64", "65 and over"], "age"),
        (["1-2", "3-4", "5+"], None),
        (["25", "40", "65"], None),
        (["Muslim", "Hindu", "no religion"], "religion"),
        (["disabled", "not disabled"], "disability"),
        (["pregnant", "not pregnant"], "pregnancy"),
        (["1950-02-01", "1971-05-06", "2003-07-08"] * 40, "age"),
        (["2020-02-01", "2021-05-06", "2022-07-08"] * 40, None),
        ([str(18 + i % 70) for i in range(200)], "age"),
        ([str(i % 101) for i in range(200)], None),
        ([str(10 + i % 80) for i in range(200)], None),
        ([f"{18 + (i % 70) + 0.5}" for i in range(200)], None),
        ([str(18 + i % 5) for i in range(200)], None),
        (["", ""], None),
    ],
)
def test_what_a_column_holds_proposes_its_ground(cells: list[str], ground: str | None) -> None:
    found = ground_by_content(column_from_text("q", cells), LISTED)
    assert (found.ground if found else None) == ground


def test_what_the_policy_does_not_list_is_not_proposed() -> None:
    column = column_from_text("q", ["married", "single", "divorced"])
    assert ground_by_content(column, LISTED) is None
    found = ground_by_content(column, Grounds((*LISTED.names, "marital status")))
    assert found is not None
    assert found.because == "its levels are divorced, married and single"


def test_columns_of_a_ground_are_found_whatever_they_are_called() -> None:
    found = issues(subject())
    assert set(found) == {"q3", "q4", "q5"}
    assert re.search(
        r"q4 may be of a ground of the policy \(ethnic group\): its levels are Asian", found["q4"].sentence
    )
    assert "it is not marked as protected" in found["q4"].sentence
    action, none = found["q4"].actions
    assert (action.column, action.protect, action.ground) == ("q4", True, "ethnic group")
    assert (none.column, none.protect, none.ground, none.label) == ("q4", False, "", "q4 is of no ground")
    assert "q4" not in issues(subject(grounds={"q4": ""}))
    assert "whole numbers from 18 to 90 read like ages" in found["q5"].sentence
    assert set(look_at(subject(), LISTED).not_collected) == set(LISTED.names)


def test_a_protected_column_without_a_ground_is_named() -> None:
    found = issues(subject(protected=("q3", "q4", "q6"), grounds={"q3": "sex"}))
    assert set(found) == {"q4", "q5", "q6"}
    action, _ = found["q4"].actions
    assert (found["q4"].about, action.protect, action.ground) == ("untied", False, "ethnic group")
    assert (found["q6"].about, [one.ground for one in found["q6"].actions]) == ("untied", [""])
    assert not issues(subject(protected=("q6",), grounds={"q3": "", "q4": "", "q5": "", "q6": ""}))


def test_a_tied_column_is_no_longer_reported_as_not_collected() -> None:
    untied = exhibit_of(subject(protected=("q3", "q4")), "not_collected")
    assert "ethnic group" in untied.answer
    assert "sex" in untied.answer
    tied = exhibit_of(subject(protected=("q3", "q4"), grounds={"q3": "sex", "q4": "ethnic group"}), "not_collected")
    assert "ethnic group" not in tied.answer
    assert "religion" in tied.answer
    assert [cell.text for row in tied.tables[0].rows for cell in row[:1]][:2] == ["sex", "ethnic group"]
    look = look_at(subject(protected=("q4",), grounds={"q4": "ethnic group"}), LISTED)
    assert look.not_collected == ("age", "disability", "pregnancy", "religion", "sex")


def test_a_number_tied_to_age_is_cut_as_ages_are() -> None:
    plain, tied = (subject(protected=("q5",), grounds=ties) for ties in ({}, {"q5": "age"}))
    (quartiles,), (ages,) = (grounds_of(one, bench_with(one).plan) for one in (plain, tied))
    assert ages.cuts == (25.0, 40.0, 65.0)
    assert quartiles.cuts != ages.cuts


def test_only_checks_that_read_protected_columns_go_stale_by_a_tie() -> None:
    plan, before = small_plan(), {"target": "y", "protected": ["q3"]}
    after = {**before, "grounds": {"q3": "sex"}}
    for name, moves in (("groups", True), ("not_collected", True), ("gap", False), ("holdout", False)):
        keys = [content_key(checks()[name], plan, roles, {}) for roles in (before, after)]
        assert (keys[0] != keys[1]) == moves, name
        empty = content_key(checks()[name], plan, {**before, "grounds": {}}, {})
        assert empty == keys[0]


def test_a_tie_of_a_column_that_is_not_there_is_refused() -> None:
    with pytest.raises(UserError, match="a column that the data do not have"):
        check_roles(Roles(target="y", grounds={"gone": "sex"}), table_of(frame()), "rows.csv")


HOUSE = default_policy(2).model_copy(
    update={
        "grounds": ("age", "valley"),
        "ground_words": {"valley": GroundWords(names=("dale", "home river"), levels=("upper", "lower"))},
    }
)
"""A house with a ground of its own."""


@pytest.mark.parametrize(
    ("column", "ground"),
    [("dale_code", "valley"), ("HomeRiver", "valley"), ("river", None), ("Valley2", "valley"), ("scandal", None)],
)
def test_a_house_says_by_which_names_it_knows_a_ground(column: str, ground: str | None) -> None:
    assert HOUSE.listed.by_name(column) == ground


def test_a_house_says_by_which_levels_it_knows_a_ground() -> None:
    column = column_from_text("q9", ["Upper beck", "Lower beck", "Mill"])
    assert ground_by_content(column, Grounds(("age", "valley"))) is None
    found = ground_by_content(column, HOUSE.listed)
    assert found is not None
    assert (found.ground, found.because) == ("valley", "its levels are Lower beck, Mill and Upper beck")
    one_alone = column_from_text("q9", ["Upper beck", "Mill"])
    assert ground_by_content(one_alone, HOUSE.listed) is None


def test_words_of_no_ground_and_empty_ones_are_refused_and_standard_ones_are_not_written() -> None:
    sent = default_policy(2).model_dump()
    assert "ground_words" not in sent
    with pytest.raises(ValidationError, match="'valley', which is not among the grounds"):
        Policy.model_validate({**sent, "ground_words": {"valley": {"names": ["dale"]}}})
    with pytest.raises(ValidationError, match="a word by which a ground is known is empty"):
        Policy.model_validate({**sent, "ground_words": {"age": {"levels": [" "]}}})


def test_words_of_a_ground_are_read_by_what_audits_groups_alone() -> None:
    plan = standard_plan(2, given_parts=False)
    other = plan.model_copy(update={"policy": HOUSE.model_copy(update={"grounds": plan.policy.grounds})})
    for name in ("groups", "not_collected", "proxies"):
        assert content_key(checks()[name], plan, {}, {}) != content_key(checks()[name], other, {}, {})
    assert content_key(checks()["gap"], plan, {}, {}) == content_key(checks()["gap"], other, {}, {})
    seen = PlanView(other, checks()["groups"])
    assert seen.policy.listed.own
    with pytest.raises(UndeclaredReadError, match="reads listed"):
        _ = PlanView(other, checks()["gap"]).policy.listed
