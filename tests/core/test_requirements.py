"""Outside requirements: what a file may say, what is refused, and what of a case answers them."""

from pathlib import Path

import pytest

from brookfall.core.check.registry import checks
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.foundation.errors import UserError
from brookfall.core.judge.house_policy import HousePolicy, built_in_house, house_from_yaml, house_to_yaml
from brookfall.core.judge.policy_facts import policy_changes
from brookfall.core.judge.requirements import Done, answered, requirements_from_yaml, requirements_to_yaml

EXAMPLES = sorted((Path(__file__).parents[2] / "docs" / "examples").glob("*.yaml"))
TEXT = """\
brookfall_requirements: 1
name: Board
source: A note
requirements:
  - {id: B-1, asks: Look at gaps., checks: [gap], tiers: [1]}
  - {id: B-2, asks: Write it., statements: [use], acts: [locked the plan]}
"""


def policy_with(text: str) -> HousePolicy:
    asked = requirements_from_yaml(text, "r.yaml")
    return built_in_house().model_copy(update={"requirements": (asked,), "name": "Ours"})


@pytest.mark.parametrize("file", EXAMPLES, ids=lambda file: file.stem)
def test_the_examples_can_be_taken_into_a_policy(file: Path) -> None:
    text = file.read_text(encoding="utf-8")
    asked = requirements_from_yaml(text, file.name)
    assert requirements_from_yaml(requirements_to_yaml(asked), "again.yaml") == asked
    written = house_to_yaml(policy_with(text))
    assert house_from_yaml(written, "policy.yaml", tuple(checks())).requirements == (asked,)


def test_there_are_two_examples() -> None:
    assert len(EXAMPLES) == 2


@pytest.mark.parametrize(
    ("was", "instead", "words"),
    [
        ("checks: [gap]", "checks: []", "nothing answers it"),
        ("acts: [locked the plan]", "acts: [painted the house]", "the record knows no act 'painted the house'"),
        ("id: B-2", "id: B-1", "two requirements have the same id"),
        ("id: B-1", "id: B 1", "an id is one word"),
        ("source: A note\n", "", "source"),
        ("brookfall_requirements: 1", "brookfall_requirements: 7", "this must be 1"),
        ("asks: Look at gaps.", "says: Look at gaps.", "asks"),
        ("requirements:", "requirements: {", "The YAML can't be read"),
    ],
)
def test_a_file_with_an_error_is_refused(was: str, instead: str, words: str) -> None:
    assert was in TEXT
    with pytest.raises(UserError) as refused:
        requirements_from_yaml(TEXT.replace(was, instead, 1), "r.yaml")
    assert words in refused.value.what
    assert refused.value.file == "r.yaml"


@pytest.mark.parametrize(
    ("was", "instead", "words", "todo"),
    [
        ("checks: [gap]", "checks: [gasp]", "there is no check 'gasp'", "Checks are"),
        ("statements: [use]", "statements: [concept]", "tier 3 has no statement 'concept'", "leave the tier out"),
        ("tiers: [1]", "tiers: [4]", "there is no tier 4", "1, 2 and 3"),
    ],
)
def test_a_policy_lists_only_what_can_be_answered(was: str, instead: str, words: str, todo: str) -> None:
    written = house_to_yaml(policy_with(TEXT.replace(was, instead, 1)))
    with pytest.raises(UserError) as refused:
        house_from_yaml(written, "policy.yaml", tuple(checks()))
    assert words in refused.value.what
    assert todo in refused.value.todo
    assert refused.value.row is not None


def test_a_tier_is_asked_what_is_of_it_and_its_plan_has_the_checks() -> None:
    text = TEXT.replace("checks: [gap]", "checks: [gap, optimism]").replace("tiers: [1]", "tiers: [3]")
    house = policy_with(text)
    assert [one.id for one in house.policy(3, "binary").requirements[0].requirements] == ["B-1", "B-2"]
    assert [one.id for one in house.policy(1, "binary").requirements[0].requirements] == ["B-2"]
    assert "optimism" not in standard_plan(3, given_parts=False).checks
    assert "optimism" in standard_plan(3, given_parts=False, house=house).checks
    changed = policy_changes(built_in_house(), house)
    assert [(one.tier, one.about, one.before) for one in changed if one.tier is None] == [
        (None, "Board, B-1", "nothing of its own"),
        (None, "Board, B-2", "nothing of its own"),
    ]


def test_all_that_is_named_must_be_there() -> None:
    asked = requirements_from_yaml(TEXT, "r.yaml")
    nothing = Done({}, {}, frozenset(), {"gap": "Gap", "use": "Intended use"})
    assert [one.missing for one in answered([asked], nothing)] == [
        ("the check gap has not run",),
        ("the statement on intended use is not written", "nobody locked the plan"),
    ]
    some = Done({"gap": "exhibit 3, gap"}, {"use": "statement 1, intended use"}, frozenset(), {})
    assert [(one.by, one.missing) for one in answered([asked], some)] == [
        (("exhibit 3, gap",), ()),
        (("statement 1, intended use",), ("nobody locked the plan",)),
    ]
    done = Done(some.exhibits, some.statements, frozenset({"locked the plan"}), {})
    assert answered([asked], done)[1].missing == ()
