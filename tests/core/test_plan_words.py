"""Plans in words and as files: nothing that differs goes unsaid, and what a check does not read can't change it."""

from collections.abc import Callable
from functools import partial

import pytest
from pydantic import BaseModel

from brookfall.core.check.bench import Bench
from brookfall.core.check.reads import UndeclaredReadError, content_key
from brookfall.core.check.registry import checks
from brookfall.core.check.standard_plan import fitting, standard_plan
from brookfall.core.evidence.limit import Limit
from brookfall.core.foundation.errors import UserError
from brookfall.core.judge.grounds import GroundWords
from brookfall.core.judge.policy import CONCEPT, STATEMENTS_DUE, USE, Materiality, Policy
from brookfall.core.judge.policy_facts import LIMITS
from brookfall.core.judge.requirements import requirements_from_yaml
from brookfall.core.plan.departures import departures, unexplained, with_marks
from brookfall.core.plan.facts import plan_changes, plan_facts
from brookfall.core.plan.plan import InUse, OwnChallenger, Plan
from brookfall.core.plan.yaml_file import plan_from_yaml, plan_to_yaml
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.declared import Folds, Given, Shares
from brookfall.core.retest.run import ask, retest
from brookfall.core.submission.subject import Subject
from tests.conftest import small_plan

PLAN = standard_plan(2, given_parts=False)

REQUIREMENTS = (
    "{brookfall_requirements: 1, name: A, source: B, requirements: [{id: A-1, asks: Look., acts: [locked the plan]}]}"
)
OTHER: dict[str, object] = {
    "seed": 5,
    "parts": Shares(training=50, test=50),
    "cross_validation": Folds(folds=7),
    "splits": 33,
    "shuffles": 44,
    "main_measure": "kappa",
    "deciding_part": "test",
    "threshold": 0.3,
    "capacity": 33.3,
    "references": {"sex": "m"},
    "overrides": {"gap": "Trees of this kind always have one."},
    "contrasts": {"true_positive_rate": "ratio"},
    "ratio_to": "wait",
    "challengers": "tuned",
    "in_use": InUse(version="1", recipe=Recipe(family="tree")),
    "checks": ("gap", "baseline"),
    "target_observed": "By visits",
    "split_reason": "Visits are alike all year",
    "harms": ("meaning",),
    "harm_reason": "A missed home may burn",
    "bands": {"age": (18.0, 65.0)},
    "merged": {"sex": (("f", "x"),)},
    "own_challengers": (OwnChallenger(name="stump", recipe=Recipe(family="tree", settings={"leaves": 2})),),
    "statements": ("use",),
    "house": PLAN.policy.model_copy(update={"name": "House"}),
    "settings": {"a_check_of_another_package": {"rounds": 3}},
}
OTHER_POLICY: dict[str, object] = {
    "limits": {"a_check_of_another_package": Limit(at_most=1)},
    "name": "House",
    "tier": 3,
    "level": 0.9,
    "grounds": ("sex",),
    "ground_words": {"sex": GroundWords(names=("gender_code",))},
    "conventions": (),
    "materiality": Materiality(bounded=0.002),
    "days_to_answer": 30,
    "requirements": (requirements_from_yaml(REQUIREMENTS, "r.yaml"),),
    "approved_years": 9,
    "rows_kept_years": 10,
    "statements": (CONCEPT, USE.model_copy(update={"asks": "Who acts on it?"})),
}


def fields(model: type[BaseModel]) -> list[str]:
    return list(model.model_fields)


def limited(name: str) -> Limit:
    limit = getattr(PLAN.policy, name)
    return limit.model_copy(update={"at_most": (limit.at_most or 0) + 0.01})


def with_policy(plan: Plan, name: str) -> Plan:
    value = OTHER_POLICY[name] if name in OTHER_POLICY else limited(name)
    return plan.model_copy(update={"policy": plan.policy.model_copy(update={name: value})})


@pytest.mark.parametrize("name", [name for name in fields(Plan) if name not in ("policy", "revision")])
def test_every_field_of_a_plan_that_differs_is_said(name: str) -> None:
    changed = PLAN.model_copy(update={name: OTHER[name]})
    assert plan_changes(PLAN, changed)
    assert plan_changes(changed, changed) == ()


@pytest.mark.parametrize("name", [name for name in fields(Policy) if name != "revision"])
def test_every_field_of_a_policy_that_differs_is_said(name: str) -> None:
    assert len(plan_changes(PLAN, with_policy(PLAN, name))) == 1


@pytest.mark.parametrize("name", ["training", "stratified", "by"])
def test_every_field_of_the_parts_that_differs_is_said(name: str) -> None:
    other = {"training": 60.0, "stratified": False, "by": "time"}[name]
    parts = Shares(training=70, test=30)
    changed = PLAN.model_copy(update={"parts": parts.model_copy(update={name: other})})
    assert plan_changes(PLAN.model_copy(update={"parts": parts}), changed)


@pytest.mark.parametrize(
    "folds", [{"folds": 4}, {"repeats": 2}, {"stratified": False}, {"by": "groups"}, {"kind": "bootstrap"}]
)
def test_every_field_of_the_folds_that_differs_is_said(folds: dict[str, object]) -> None:
    assert plan_changes(PLAN, PLAN.model_copy(update={"cross_validation": Folds.model_validate(folds)}))


def test_changes_name_old_and_new() -> None:
    changed = PLAN.model_copy(update={"checks": tuple(c for c in PLAN.checks if c != "gap"), "parts": Given()})
    assert plan_changes(PLAN, changed) == (
        "parts: 70 % training and 30 % test, outcomes in equal shares, row by row → as the data's own column names them",
        "check gap: on → off",
    )
    assert plan_facts(PLAN)["part that decides"] == "out-of-fold"


def test_a_plan_as_a_file_and_back() -> None:
    plan = small_plan(references={"sex": "m"}, target_observed="Von Häusern: „nur“ besuchte")
    assert plan_from_yaml(plan_to_yaml(plan), "plan.yaml") == plan


@pytest.mark.parametrize("tier", [1, 2, 3])
def test_the_standard_plan_asks_for_the_statements_of_its_tier(tier: int) -> None:
    plan = standard_plan(tier, given_parts=False)
    assert plan.statements == tuple(one.name for one in STATEMENTS_DUE[tier])
    assert "use" in plan.statements
    assert plan_facts(plan)["statement on intended use"] == "due"


def test_a_statement_that_the_policy_does_not_know_is_refused() -> None:
    with pytest.raises(ValueError, match="the policy does not say what 'magic' asks; it asks for concept, use"):
        Plan.model_validate({**PLAN.model_dump(), "statements": ["magic"]})


def test_a_plan_from_before_statements_asks_for_none() -> None:
    kept = PLAN.model_dump(mode="json", exclude={"statements": True, "policy": {"statements"}})
    assert Plan.model_validate(kept).statements == ()


def test_statements_make_no_exhibit_stale() -> None:
    fewer = PLAN.model_copy(update={"statements": ()})
    for check in checks().values():
        assert content_key(check, PLAN, {}, {}) == content_key(check, fewer, {}, {})


BAD: list[tuple[str, str]] = [
    ("seed: [1, 2", "plan.yaml, row 1: The YAML can't be read: expected"),
    ("- a\n- list\n", "holds no plan"),
    ("", "holds no plan"),
    ("seed: 1\n", "parts: this must be given"),
    (plan_to_yaml(PLAN).replace("seed: 20417", "seed: -4"), "seed: "),
    (plan_to_yaml(PLAN).replace("training: 70", "training: 90"), "add up to 120 %"),
    (plan_to_yaml(PLAN) + "surprise: 1\n", "surprise: "),
    ("!!python/object/apply:os.system ['true']", "tags are not allowed here"),
    ('seed: !!int "zz"', "tags are not allowed here"),
    ("a: &all [1]\nb: *all", "aliases are not allowed here"),
    ("seed: 2026-13-45", "The YAML can't be read"),
    ("a: " + "[" * 1_000_000, "longer than 1 MB"),
    ("[" * 5_000, "YAML can't be read"),
]


@pytest.mark.parametrize(("text", "said"), BAD)
def test_a_broken_file_is_told(text: str, said: str) -> None:
    with pytest.raises(UserError) as caught:
        plan_from_yaml(text, "plan.yaml")
    assert said in str(caught.value)
    assert caught.value.file == "plan.yaml"
    assert caught.value.todo


def test_a_plan_for_another_outcome_is_fitted_or_refused() -> None:
    number = standard_plan(2, outcome="number", given_parts=False)
    with pytest.raises(UserError, match="judges by r2"):
        fitting(number, "binary", "plan.yaml")
    whole = PLAN.model_copy(update={"checks": tuple(checks())})
    assert "choice" not in fitting(whole, "binary", "plan.yaml").checks


def changed_plans() -> list[tuple[str, Callable[[Plan], Plan]]]:
    plain = (
        "splits",
        "references",
        "harms",
        "harm_reason",
        "bands",
        "merged",
        "ratio_to",
        "in_use",
        "challengers",
        "own_challengers",
        "target_observed",
        "split_reason",
    )
    found = [(name, partial(with_other, name=name)) for name in plain]
    policy = [name for name in fields(Policy) if name not in ("level", "grounds", "ground_words", "revision")]
    return [*found, *((f"policy.{name}", partial(with_policy, name=name)) for name in policy)]


def with_other(plan: Plan, name: str) -> Plan:
    return plan.model_copy(update={name: OTHER[name]})


@pytest.mark.parametrize("check", small_plan().checks)
def test_no_field_that_a_check_does_not_read_changes_its_exhibit(subject: Subject, check: str) -> None:
    before = after = small_plan(checks=[check])
    unread = []
    for field, change in changed_plans():
        # A field may decide which others a check reads; then it reads that one too.
        changed = change(after)
        if field not in checks()[check].reads.of_plan(check, changed):
            after = changed
            unread.append(field)
    assert len(unread) > len(changed_plans()) / 2
    assert plan_changes(before, after)
    assert content_key(checks()[check], before, {}, {}) == content_key(checks()[check], after, {}, {})
    ((old,), (new,)) = (retest(Bench(subject, plan)) for plan in (before, after))
    assert old == new.model_copy(update={"provenance": old.provenance})


@pytest.mark.parametrize(("field", "change"), changed_plans(), ids=[name for name, _ in changed_plans()])
def test_a_field_is_unread_by_some_check_whose_content_it_leaves(field: str, change: Callable[[Plan], Plan]) -> None:
    before = small_plan()
    after = change(before)
    unread = [one for name, one in checks().items() if field not in one.reads.of_plan(name, after)]
    assert unread
    for one in unread:
        assert content_key(one, before, {}, {}) == content_key(one, after, {}, {})


def test_a_field_that_a_check_reads_makes_its_content_another() -> None:
    every = checks()
    for field, change in changed_plans():
        if field not in (
            "policy.name",
            "policy.tier",
            "policy.statements",
            "statements",
            "target_observed",
            "split_reason",
            "harm_reason",
            "policy.limits",
            "policy.approved_years",
            "policy.requirements",
            "policy.days_to_answer",
            "policy.rows_kept_years",
        ):
            changed = change(PLAN)
            assert any(content_key(c, PLAN, {}, {}) != content_key(c, changed, {}, {}) for c in every.values()), field
    gap, baseline = every["gap"], every["baseline"]
    assert content_key(gap, PLAN, {}, {"table": "a"}) != content_key(gap, PLAN, {}, {"table": "b"})
    assert content_key(gap, PLAN, {}, {}) != content_key(baseline, PLAN, {}, {})
    own = PLAN.model_copy(update={"settings": {"gap": {"rounds": 3}}})
    assert content_key(gap, PLAN, {}, {}) != content_key(gap, own, {}, {})
    assert content_key(baseline, PLAN, {}, {}) == content_key(baseline, own, {}, {})


def test_a_role_that_a_check_does_not_read_leaves_its_content_as_it_was() -> None:
    plain, marked = {"target": "y"}, {"target": "y", "protected": ["sex"]}
    assert content_key(checks()["gap"], PLAN, plain, {}) == content_key(checks()["gap"], PLAN, marked, {})
    assert content_key(checks()["groups"], PLAN, plain, {}) != content_key(checks()["groups"], PLAN, marked, {})
    weighted = {"target": "y", "weight": "w"}
    assert content_key(checks()["gap"], PLAN, plain, {}) != content_key(checks()["gap"], PLAN, weighted, {})
    # Times split the rows where the plan splits by them, for every check.
    by_time = PLAN.model_copy(update={"parts": Shares(training=50, test=50, by="time")})
    timed = {"target": "y", "time": "day"}
    assert content_key(checks()["gap"], by_time, plain, {}) != content_key(checks()["gap"], by_time, timed, {})


def test_what_a_check_does_not_declare_can_not_be_reached(bench: Bench) -> None:
    gap, groups, labels = (bench.for_check(checks()[name]) for name in ("gap", "groups", "labels"))
    assert gap.plan.policy.gap == bench.plan.policy.gap
    assert groups.subject.roles.protected == bench.subject.roles.protected
    assert list(labels.marks) == []
    with pytest.raises(UndeclaredReadError, match="gap reads harms of the plan and does not declare it"):
        _ = gap.plan.harms
    with pytest.raises(UndeclaredReadError, match="gap reads psi of the policy"):
        _ = gap.plan.policy.psi
    with pytest.raises(UndeclaredReadError, match="gap reads the role protected"):
        _ = gap.subject.roles.protected
    with pytest.raises(UndeclaredReadError, match="gap reads claims"):
        _ = gap.subject.claims
    with pytest.raises(UndeclaredReadError, match="the reviewer's marks"):
        _ = list(gap.marks)


def test_exhibits_keep_the_numbers_they_are_given(bench: Bench) -> None:
    numbers = {check: 40 - place for place, check in enumerate(bench.plan.checks)}
    assert {one.check.name: one.number for one in ask(bench, numbers)} == numbers


# Departures from the policy.


def test_every_limit_that_is_not_the_policys_is_told_with_its_reason() -> None:
    assert departures(PLAN) == ()
    assert unexplained(PLAN) is None
    for name in LIMITS:
        changed = with_policy(PLAN, name)
        (found,) = departures(changed)
        assert (found.name, found.what, found.reason) == (name, LIMITS[name], "")
        assert unexplained(changed) == found
        assert unexplained(changed.model_copy(update={"overrides": {name: "Because."}})) is None
        marked = getattr(with_marks(changed), name)
        assert marked.policy == found.policy
        assert [getattr(with_marks(changed), other).policy for other in LIMITS if other != name] == [None] * (
            len(LIMITS) - 1
        )


def test_a_burden_or_a_level_that_is_not_the_policys_departs_too() -> None:
    easy = PLAN.policy.better_than_baseline.model_copy(update={"burden": "reviewer"})
    changed = PLAN.model_copy(
        update={"policy": PLAN.policy.model_copy(update={"better_than_baseline": easy, "level": 0.9})}
    )
    burden, level = departures(changed)
    assert (burden.policy, burden.plan) == ("≥ 0, to be shown by the model", "≥ 0")
    assert (level.name, level.policy, level.plan) == ("level", "95 %", "90 %")


def test_a_limit_of_a_check_that_has_none_departs() -> None:
    policy = PLAN.policy.model_copy(update={"limits": {"segments": Limit(at_least=-0.2, ideal=0)}})
    (found,) = departures(PLAN.model_copy(update={"policy": policy}))
    assert (found.name, found.policy) == ("limits.segments", "no limit of its own")


def test_a_limit_that_departs_is_marked_in_the_exhibit(bench: Bench) -> None:
    loose = with_policy(small_plan(checks=["gap"]), "gap")
    (found,) = retest(Bench(bench.subject, loose))
    judged = [one for one in found.estimates if one.limit]
    assert {one.limit.policy for one in judged if one.limit} == {"≤ 0.05"}
    assert found.lines[-1] == "Judged by ≤ 0.06, which departs from the policy (≤ 0.05)."
    (plain,) = retest(Bench(bench.subject, small_plan(checks=["gap"])))
    assert not any("departs" in line for line in plain.lines)
