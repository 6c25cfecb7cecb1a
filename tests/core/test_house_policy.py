"""A house's own policy: what its file may say, what is refused and where, and that plans and figures follow it."""

import json
from pathlib import Path

import pytest
from click.testing import CliRunner, Result

from brookfall.cli import main
from brookfall.core.check.registry import checks
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.limit import Limit
from brookfall.core.foundation.errors import UserError
from brookfall.core.judge.house_policy import HousePolicy, built_in_house, house_from_yaml, house_to_yaml
from brookfall.core.judge.policy import STANDARD_PLANS, default_policy
from brookfall.core.judge.policy_facts import policy_changes
from brookfall.core.plan.departures import departures, with_marks
from brookfall.core.plan.plan import Plan
from brookfall.core.plan.yaml_file import plan_from_yaml, plan_to_yaml
from tests.conftest import files_of

OURS = """\
# What Hollinmoor asks
brookfall_policy: 1
name: Hollinmoor 2027
tiers:
  1:
    gap: {at_most: 0.02, ideal: 0}
    approved_years: 2
    standard_plan: {shares: {training: 50, validation: 25, test: 25}, folds: 4, repeats: 2, splits: 30, shuffles: 25}
    outcomes:
      number:
        gap_r2: {at_most: 0.3, ideal: 0, burden: model}
  3:
    limits:
      stability:
        at_most: 0.05
"""


def read(text: str) -> HousePolicy:
    return house_from_yaml(text, "policy.yaml", tuple(checks()))


def test_what_a_file_does_not_say_is_as_built_in() -> None:
    ours = read(OURS)
    assert ours.policy(1, "binary").gap == Limit(at_most=0.02, ideal=0)
    assert ours.policy(1, "binary").psi == default_policy(1).psi
    assert ours.policy(1, "binary").statements == default_policy(1).statements
    assert ours.policy(1, "binary").gap_r2 == default_policy(1).gap_r2
    assert ours.policy(1, "number").gap_r2 == Limit(at_most=0.3, ideal=0, burden="model")
    assert ours.policy(2, "choice") == default_policy(2).model_copy(update={"name": "Hollinmoor 2027"})
    assert (ours.standard(1).folds, ours.standard(2)) == (4, STANDARD_PLANS[2])
    assert built_in_house().policy(3, "number") == default_policy(3)


def test_a_policy_is_the_same_written_and_read_again() -> None:
    for house in (built_in_house(), read(OURS)):
        text = house_to_yaml(house)
        assert read(text) == house
        assert "null" not in text


@pytest.mark.parametrize(
    ("was", "instead", "line", "words", "todo"),
    [
        ("{at_most: 0.02, ideal: 0}", "{at_most: 0.02}", 6, "tiers.1.gap: the limit has no ideal", "Write ideal: 0,"),
        ("{at_most: 0.02, ideal: 0}", "{ideal: 0}", 6, "tiers.1.gap: the limit has no end", "Write at_least"),
        (
            "{at_most: 0.02, ideal: 0}", "{at_least: 0.3, at_most: 0.02, ideal: 0}", 6,
            "at_least 0.3 is above at_most 0.02", "Exchange",
        ),
        ("{at_most: 0.02, ideal: 0}", "{at_most: 0.02, ideal: 1}", 6, "the ideal 1 does not keep the limit", "≤ 0.02"),
        ("{at_most: 0.02, ideal: 0}", "{at_most: much}", 6, "tiers.1.gap.at_most: this must be a number", "docs/formats"),
        ("{at_most: 0.02, ideal: 0}", "{at_most: .nan, ideal: 0}", 6, "this must be a finite number", "docs/formats"),
        ("    gap: {at_most: 0.02, ideal: 0}", "    alone: {at_most: .inf}", 6, "this must be a finite number", "docs"),
        ("  3:", "  '':", 12, "tiers.", "docs/formats"),
        ("    gap:", "    gep:", 6, "tiers.1.gep: there is no such entry", "docs/formats"),
        ("approved_years: 2", "approved_years: 0", 7, "approved_years: this must be at least 1", "docs/formats"),
        ("test: 25}", "test: 20}", 8, "the shares add up to 95", "add up to 100"),
        ("folds: 4", "folds: 1", 8, "standard_plan.folds: this must be at least 2", "docs/formats"),
        ("        gap_r2:", "        gap_r3:", 11, "there is no limit of that name", "Limits are alone, psi, gap"),
        ("      stability:", "      stabillity:", 14, "there is no check of that name", "Checks are profile"),
        ("        at_most: 0.05", "        ideal: 0", 14, "limit has no end", "Write at_least"),
        ("  3:", "  4:", 12, "tiers.4", "docs/formats"),
        ("brookfall_policy: 1", "brookfall_policy: 2", 2, "brookfall_policy: this must be 1", "docs/formats"),
        ("      number:", "      numbers:", 10, "tiers.1.outcomes.numbers", "docs/formats"),
        ("tiers:", "tiers: [", 5, "The YAML can't be read", "docs/formats"),
    ],
)  # fmt: skip
def test_a_policy_with_an_error_is_refused_with_the_line_and_what_to_write(
    was: str, instead: str, line: int, words: str, todo: str
) -> None:
    assert was in OURS
    with pytest.raises(UserError) as refused:
        read(OURS.replace(was, instead, 1))
    assert words in refused.value.what
    assert todo in refused.value.todo
    assert refused.value.row == line or words.startswith("The YAML")


@pytest.mark.parametrize(
    "text", ["", "[]", "brookfall_policy: 1", "tiers: {}", "name: &a [*a]", "brookfall_policy: 1\nname: x\ntiers: []"]
)
def test_what_is_no_policy_is_refused(text: str) -> None:
    with pytest.raises(UserError):
        read(text)


def test_a_plan_departs_from_the_house_s_policy_and_not_from_the_built_in_one() -> None:
    plan = standard_plan(1, outcome="binary", given_parts=False, house=read(OURS))
    assert (plan.policy.gap.at_most, plan.cross_validation.folds, plan.splits) == (0.02, 4, 30)
    assert departures(plan) == ()
    assert with_marks(plan) == plan.policy
    loose = plan.policy.model_copy(update={"gap": default_policy(1).gap, "limits": {"stability": Limit(at_most=0.5)}})
    changed = plan.model_copy(update={"policy": loose})
    assert [(one.name, one.policy, one.plan) for one in departures(changed)] == [
        ("gap", "≤ 0.02", "≤ 0.05"),
        ("limits.stability", "no limit of its own", "≤ 0.5"),
    ]
    assert with_marks(changed).gap.policy == "≤ 0.02"
    third = standard_plan(3, given_parts=False, house=read(OURS))
    assert third.policy.limits == {"stability": Limit(at_most=0.05)}
    assert departures(third) == ()
    without = third.model_copy(update={"policy": third.policy.model_copy(update={"limits": {}})})
    assert [(one.name, one.policy, one.plan) for one in departures(without)] == [
        ("limits.stability", "≤ 0.05", "no limit of its own")
    ]


def test_a_plan_under_the_built_in_policy_reads_as_it_always_did() -> None:
    plain = standard_plan(1, given_parts=False)
    assert "house" not in plain.model_dump(mode="json")
    housed = standard_plan(1, given_parts=False, house=read(OURS))
    assert plan_from_yaml(plan_to_yaml(housed), "plan.yaml") == housed
    assert Plan.model_validate_json(housed.model_dump_json()) == housed


@pytest.fixture
def package(tmp_path: Path) -> str:
    for name, data in files_of().items():
        file = tmp_path / "package" / name
        file.parent.mkdir(parents=True, exist_ok=True)
        file.write_bytes(data)
    return str(tmp_path / "package")


def run(*arguments: str) -> Result:
    return CliRunner().invoke(main, list(arguments))


def test_the_command_line_judges_by_a_policy_and_checks_one(tmp_path: Path, package: str) -> None:
    written = run("policy")
    file = tmp_path / "policy.yaml"
    file.write_text(written.output.replace("name: Built-in policy", "name: Ours", 1))
    assert run("policy", str(file)).output == "Ours: can be used.\n"
    strict = file.read_text().replace("at_most: 0.05\n      ideal: 0", "at_most: 0.0001\n      ideal: 0")
    assert strict != file.read_text()
    file.write_text(strict)
    out = tmp_path / "evidence.json"
    done = run("retest", package, "--policy", str(file), "--only", "gap", "--out", str(out))
    assert done.exit_code == 0, done.output
    evidence = json.loads(out.read_text())
    assert (evidence["policy"]["name"], evidence["plan"]["house"]["name"]) == ("Ours", "Ours")
    (gap,) = evidence["exhibits"]
    limits = {json.dumps(one["limit"]) for one in gap["estimates"] if one["limit"]}
    assert limits == {
        json.dumps({"at_least": None, "at_most": 0.0001, "ideal": 0.0, "burden": "reviewer", "policy": None})
    }
    assert "0.0001" in gap["answer"] or gap["standing"] in ("outside", "unsettled")
    replayed = run("replay", str(out), package)
    assert replayed.exit_code == 0, replayed.output
    planned = run("plan", package, "--policy", str(file))
    assert "name: Ours" in planned.output


def test_a_policy_that_can_not_be_used_ends_with_2_and_the_line(tmp_path: Path, package: str) -> None:
    file = tmp_path / "policy.yaml"
    file.write_text(OURS.replace("ideal: 0}", "ideal: 3}", 1))
    for arguments in (["policy", str(file)], ["retest", package, "--policy", str(file)]):
        refused = run(*arguments)
        assert refused.exit_code == 2
        assert "policy.yaml, row 6" in refused.output
    both = run("retest", package, "--policy", str(file), "--plan", str(file))
    assert (both.exit_code, "not both" in both.output) == (2, True)


def test_who_signs_is_told_when_only_the_burden_or_the_ideal_of_a_check_s_limit_changes() -> None:
    ours = read(OURS)
    for instead in ("{at_most: 0.05, burden: model}", "{at_most: 0.05, ideal: 0}"):
        changed = read(OURS.replace("      stability:\n        at_most: 0.05", f"      stability: {instead}"))
        assert [(one.tier, one.about) for one in policy_changes(ours, changed)] == [(3, "limit of stability")]


def test_words_of_grounds_are_read_from_a_file() -> None:
    text = (
        "{brookfall_policy: 1, name: Ours, tiers: {1: {grounds: [age, valley], "
        "ground_words: {valley: {names: [Dale], levels: [upper, lower]}}}}}"
    )
    ours = house_from_yaml(text, "policy.yaml")
    assert ours.policy(1, "binary").listed.by_name("dale_code") == "valley"
    assert house_from_yaml(house_to_yaml(ours), "policy.yaml") == ours
    told = {change.about: change.after for change in policy_changes(built_in_house(), ours)}
    assert told["valley, by words of the house"] == "columns named dale; levels upper, lower"
    with pytest.raises(UserError, match="ground_words has 'sex', which is not among the grounds"):
        house_from_yaml(text.replace("valley: {names", "sex: {names"), "policy.yaml")
