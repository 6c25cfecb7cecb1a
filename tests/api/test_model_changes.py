"""What two versions of a model differ in; and the tier that a countersigner gives it."""

from itertools import permutations
from typing import Any

import pytest

from brookfall.core.judge.policy import default_policy
from tests.api.test_case import SignIn, finished, plan_of
from tests.api.test_record import listed
from tests.api.test_retests import CHECKS, rows
from tests.api.test_set_up import number, sent, taken

pytestmark = pytest.mark.usefixtures("workers")


def changes(visitor: SignIn, key: str, before: str, after: str, login: str = "ada") -> Any:
    return visitor(login).ask("GET", f"/api/models/{key}/changes?before={number(before)}&after={number(after)}")


def test_two_versions_are_set_side_by_side(visitor: SignIn) -> None:
    bases = [sent(visitor, "Side by side", "1.0", ignore=("z",)), sent(visitor, "Side by side", "2.0")]
    before = changes(visitor, "side-by-side", *bases).json
    assert (before["before"], before["after"], before["exhibits"]) == ("1.0", "2.0", [])
    assert before["not_run"] == ["1.0", "2.0"]
    assert {"about": "roles", "words": "ignore: z no longer"} in before["changes"]
    for base in bases:
        iris = taken(visitor, base, "standard")
        assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=CHECKS)).status_code == 200
        assert iris.ask("POST", f"{base}/run").status_code == 200
        finished(iris, base)
    shown = changes(visitor, "side-by-side", *bases).json
    assert [one["check"] for one in shown["exhibits"]] == CHECKS
    for exhibit in shown["exhibits"]:
        for one in exhibit["compared"]:
            assert one["difference"]["how"] == "as on different rows"
            assert one["difference"]["value"] == pytest.approx(one["after"]["value"] - one["before"]["value"])
    turned = changes(visitor, "side-by-side", bases[1], bases[0]).json
    assert {"about": "roles", "words": "ignore: z added"} in turned["changes"]


def test_only_two_versions_of_one_model_are_compared(visitor: SignIn) -> None:
    one, other = sent(visitor, "Compared alone", "1.0"), sent(visitor, "Compared beside", "1.0")
    assert changes(visitor, "compared-alone", one, other).status_code == 422
    assert changes(visitor, "compared-alone", one, one).status_code == 422
    assert changes(visitor, "compared-alone", one, other, "wren").status_code == 404


def tiered(visitor: SignIn, key: str, tier: int, reason: str = "It decides on people.", login: str = "tom") -> Any:
    return visitor(login).ask("PUT", f"/api/models/{key}/tier", {"tier": tier, "reason": reason})


def test_a_countersigner_changes_the_tier_with_a_reason(visitor: SignIn) -> None:
    open_case = sent(visitor, "Of another tier", "1.0")
    locked = sent(visitor, "Of another tier", "1.1")
    iris = taken(visitor, locked, "standard")
    assert iris.ask("PUT", f"{locked}/plan", plan_of(iris, locked, checks=["profile"])).status_code == 200
    assert iris.ask("POST", f"{locked}/run").status_code == 200
    finished(iris, locked)
    declared = iris.get(open_case)["tier"]
    tier = 1 if declared != 1 else 2
    answer = tiered(visitor, "of-another-tier", tier)
    assert answer.status_code == 200, answer.text
    assert (answer.json["tier"]["tier"], answer.json["tier"]["by"]) == (tier, "Tom Aldous")
    assert answer.json["tier"]["reason"] == "It decides on people."
    assert iris.get(open_case)["tier"] == tier
    policy = default_policy(tier).model_dump(mode="json")
    assert iris.get(f"{open_case}/plan")["plan"]["policy"]["tier"] == policy["tier"] == tier
    assert iris.get(locked)["tier"] == declared, "what was locked stays"
    later = sent(visitor, "Of another tier", "2.0", csv=rows(4))
    assert iris.get(later)["tier"] == tier, "whatever it declares"
    entry = listed(visitor("ada"), model="of-another-tier", kind="model")[0]
    assert entry["act"] == "changed the tier of a model"
    assert {"what": "tier", "before": None, "after": str(tier)} in entry["changes"]


@pytest.mark.parametrize(("first", "second"), list(permutations((1, 2, 3), 2)))
def test_from_any_tier_to_any_other_the_plan_is_by_the_other_s_policy(visitor: SignIn, first: int, second: int) -> None:
    name = f"Moved from {first} to {second}"
    key = name.lower().replace(" ", "-")
    waits, reviewed = sent(visitor, name, "1.0"), sent(visitor, name, "1.1")
    iris = taken(visitor, reviewed, "standard")
    for tier in (first, second):
        answer = tiered(visitor, key, tier)
        assert answer.status_code == 200, answer.text
    policy = default_policy(second)
    for base in (waits, reviewed):
        plan = iris.get(f"{base}/plan")["plan"]
        assert (plan["policy"]["tier"], plan["overrides"]) == (second, {})
        assert plan["statements"] == [one.name for one in policy.statements]
        due = [one["name"] for one in iris.get(f"{base}/statements")]
        assert sorted(due) == sorted(one.name for one in policy.statements)
    standard = set(iris.get(f"{waits}/plan")["plan"]["checks"])
    assert standard <= set(iris.get(f"{reviewed}/plan")["plan"]["checks"])


def test_who_may_not_change_the_tier(visitor: SignIn) -> None:
    sent(visitor, "Kept in its tier", "1.0")
    for login in ("nell", "iris", "ada"):
        assert tiered(visitor, "kept-in-its-tier", 1, login=login).status_code == 403, login
    assert tiered(visitor, "kept-in-its-tier", 1, login="wren").status_code == 404
    assert tiered(visitor, "kept-in-its-tier", 1, " ").status_code == 422
    assert tiered(visitor, "kept-in-its-tier", 4).status_code == 422
    assert tiered(visitor, "kept-in-its-tier", 1).status_code == 200
    assert tiered(visitor, "kept-in-its-tier", 1).status_code == 422, "it has it already"
    assert not visitor("nell").get("/api/models/kept-in-its-tier")["may_set_tier"]
    assert visitor("tom").get("/api/models/kept-in-its-tier")["may_set_tier"]
