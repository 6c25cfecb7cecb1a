"""A next version begins from the roles and the plan that the last review left, and from nothing else of it."""

import json
from typing import Any

import pytest

from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.limit import Limit
from brookfall.core.plan.departures import departures
from brookfall.core.plan.plan import Plan
from brookfall.core.plan.yaml_file import plan_to_yaml
from brookfall.records.cases import Case
from brookfall.records.database import transaction
from tests.api.conftest import Visitor
from tests.api.packages import submit
from tests.api.test_case import SignIn, finished, plan_of
from tests.api.test_conditions import approved
from tests.api.test_data import change
from tests.api.test_finding_life import entries_of
from tests.api.test_handling import handled
from tests.api.test_retests import named, rows

pytestmark = pytest.mark.usefixtures("workers")


def sent(visitor: SignIn, name: str, version: str, **more: Any) -> str:
    answer = submit(visitor("nell"), named(name, version, **more), version=version)
    assert answer.status_code == 200, answer.text
    return f"/api/cases/{answer.json['case_id']}"


def decided(visitor: SignIn, name: str, **more: Any) -> str:
    """A version that was reviewed with roles and a plan of the reviewer's own, and approved."""
    base = sent(visitor, name, "1.0", **more)
    iris = visitor("iris")
    assert iris.ask("POST", f"{base}/take").status_code == 200
    data = iris.get(f"{base}/data")
    roles = {**data["roles"], "ignore": ["z"]}
    assert iris.ask("PUT", f"{base}/roles", {"revision": data["revision"], "roles": roles}).status_code == 200
    body = plan_of(iris, base, seed=4711, checks=["profile", "holdout"])
    assert iris.ask("PUT", f"{base}/plan", body).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    approved(visitor, base)
    return base


def taken(visitor: SignIn, base: str, begin: str = "last") -> Visitor:
    iris = visitor("iris")
    assert iris.ask("POST", f"{base}/take?begin={begin}").status_code == 200
    return iris


def number(base: str) -> int:
    return int(base.rsplit("/", 1)[1])


def test_a_next_version_begins_from_the_last_review(visitor: SignIn) -> None:
    first = decided(visitor, "Begins from the last")
    second = sent(visitor, "Begins from the last", "2.0")
    iris = taken(visitor, second)
    assert iris.get(f"{second}/data")["roles"]["ignore"] == ["z"]
    plan = iris.get(f"{second}/plan")["plan"]
    assert (plan["seed"], plan["checks"]) == (4711, ["profile", "holdout"])
    assert plan["in_use"]["version"] == "1.0", "against the version in use now"
    begun = iris.get(f"{second}/set-up")["begun"]
    assert (begun["case_id"], begun["version"], begun["roles"]) == (number(first), "1.0", [])
    assert {one["what"].split(",")[0] for one in begun["plan"]} <= {"in use", "version in use"}
    (entry,) = entries_of(second, "began from a set-up")
    assert entry.subject == "Begins from the last 1.0"
    assert json.loads(entry.after)["plan"]["seed"] == 4711
    # What is changed since is marked.
    assert iris.ask("PUT", f"{second}/plan", plan_of(iris, second, seed=12)).status_code == 200
    marked = {one["what"]: (one["before"], one["after"]) for one in iris.get(f"{second}/set-up")["begun"]["plan"]}
    assert marked["seed"] == ("4711", "12")
    # The run of the new version is its own.
    assert iris.get(f"{second}/run")["exhibits"] == []


def test_what_the_owner_changed_is_not_carried_over(visitor: SignIn) -> None:
    decided(visitor, "Changed by its owner")
    csv = rows().replace("id,x,z", "id,x,w")
    second = sent(visitor, "Changed by its owner", "2.0", csv=csv)
    iris = taken(visitor, second)
    roles = iris.get(f"{second}/data")["roles"]
    assert roles["ignore"] == []
    assert "ignore: z no longer" in iris.get(f"{second}/set-up")["begun"]["roles"]


def test_a_plan_that_does_not_fit_is_left_and_the_roles_stay(visitor: SignIn) -> None:
    decided(visitor, "No parts any more")
    second = sent(
        visitor, "No parts any more", "2.0", csv=rows().replace(",part", ",room"), ignore=("room",), part=None
    )
    iris = taken(visitor, second)
    view = iris.get(f"{second}/plan")
    assert view["problem"] is None
    assert view["plan"]["parts"]["kind"] == "shares"
    assert view["plan"]["seed"] != 4711
    assert set(iris.get(f"{second}/data")["roles"]["ignore"]) == {"room", "z"}


def test_the_reviewer_may_begin_from_another_or_from_the_standard(visitor: SignIn) -> None:
    first = decided(visitor, "Begins anew")
    second = sent(visitor, "Begins anew", "2.0")
    iris = taken(visitor, second, "standard")
    shown = iris.get(f"{second}/set-up")
    assert (shown["begun"], [one["case_id"] for one in shown["from_"]]) == (None, [number(first)])
    assert iris.get(f"{second}/plan")["plan"]["seed"] != 4711
    answer = iris.ask("POST", f"{second}/set-up", {"case_id": number(first)})
    assert (answer.status_code, answer.json["begun"]["version"]) == (200, "1.0")
    assert iris.get(f"{second}/plan")["plan"]["seed"] == 4711
    answer = iris.ask("POST", f"{second}/set-up", {"case_id": None})
    assert (answer.status_code, answer.json["begun"]) == (200, None)
    assert iris.get(f"{second}/plan")["plan"]["seed"] != 4711


def test_who_begins_anew_has_the_rows_as_they_were_sent(visitor: SignIn) -> None:
    base = sent(visitor, "Begins with its rows", "1.0")
    iris = taken(visitor, base, "standard")
    before = iris.get(f"{base}/data")
    assert (
        change(iris, base, {"kind": "bands", "column": "z", "cuts": [0.0], "name": "z_halves"})["fingerprint"]
        != before["fingerprint"]
    )
    assert iris.ask("POST", f"{base}/set-up", {"case_id": None}).status_code == 200
    after = iris.get(f"{base}/data")
    assert (after["fingerprint"], after["changes"]) == (before["fingerprint"], [])
    said = entries_of(base, "began from%")[-1]
    assert json.loads(said.before)["table"] != before["fingerprint"]
    assert json.loads(said.after)["table"] == before["fingerprint"]


def test_what_can_not_be_begun_from_is_refused(visitor: SignIn) -> None:
    first = decided(visitor, "Refused to begin")
    other = decided(visitor, "Another to begin from")
    second = sent(visitor, "Refused to begin", "2.0")
    iris = taken(visitor, second)
    assert iris.ask("POST", f"{second}/set-up", {"case_id": number(other)}).status_code == 422
    assert iris.ask("POST", f"{second}/set-up", {"case_id": number(second)}).status_code == 422
    assert visitor("tom").ask("POST", f"{second}/set-up", {"case_id": number(first)}).status_code == 403
    with transaction() as session:
        before = session.get_one(Case, number(first)).plan
    assert iris.ask("POST", f"{second}/run").status_code == 200
    assert iris.ask("POST", f"{second}/set-up", {"case_id": None}).status_code == 422
    assert iris.ask("DELETE", f"{second}/run").status_code == 200
    with transaction() as session:
        assert session.get_one(Case, number(first)).plan == before


def test_who_takes_a_released_case_finds_it_as_it_was_left(visitor: SignIn) -> None:
    decided(visitor, "Left by another")
    second = sent(visitor, "Left by another", "2.0")
    iris = taken(visitor, second)
    assert iris.ask("PUT", f"{second}/plan", plan_of(iris, second, seed=99)).status_code == 200
    handled(iris, second, "release")
    iris = taken(visitor, second)
    assert iris.get(f"{second}/plan")["plan"]["seed"] == 99


def test_a_statement_shows_what_was_judged_of_the_last_version(visitor: SignIn) -> None:
    base = sent(visitor, "Judged in writing", "1.0")
    iris = taken(visitor, base)
    due = [one for one in iris.get(f"{base}/statements") if one["id"] is None]
    if not due:
        plan = iris.get(f"{base}/plan")
        names = [one["name"] for one in plan["statements"]][:1]
        assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, statements=names)).status_code == 200
        due = [one for one in iris.get(f"{base}/statements") if one["id"] is None]
    name = due[0]["name"]
    for one in due:
        text = {"name": one["name"], "question": one["question"], "title": one["title"], "asks": one["asks"]}
        text |= {"judgement": "It is apt.", "standing": "within", "reason": "It was asked."}
        assert iris.ask("POST", f"{base}/statements", {"revision": 0, "statement": text}).status_code == 200
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["profile", "holdout"])).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    approved(visitor, base)
    second = sent(visitor, "Judged in writing", "2.0")
    iris = taken(visitor, second)
    (again,) = [one for one in iris.get(f"{second}/statements") if one["name"] == name]
    assert again["id"] is None, "nobody has judged this version"
    before = again["written_before"]
    assert (before["version"], before["judgement"], before["standing"], before["by"]) == (
        "1.0", "It is apt.", "within", "Iris Marrow",
    )  # fmt: skip


def test_a_plan_changes_no_policy_but_its_limits(visitor: SignIn) -> None:
    """Terms, statements and tier of another policy would be a reviewer's own, and nobody would see it."""
    base = sent(visitor, "Under a policy", "1.0")
    iris = taken(visitor, base)
    view = iris.get(f"{base}/plan")
    policy = view["plan"]["policy"]
    for changed, words in (
        ({"policy": {**policy, "approved_years": 50}}, "approved years"),
        ({"policy": {**policy, "statements": []}, "statements": []}, "statements"),
        ({"policy": {**policy, "tier": policy["tier"] % 3 + 1}}, "tier"),
        ({"policy": {**policy, "rows_kept_years": 0}}, "rows kept years"),
        ({"policy": {**policy, "grounds": []}}, "grounds"),
        ({"house": {**policy, "gap": {"at_most": 0.9, "ideal": 0}}}, "policy in force"),
    ):
        body = {"revision": view["revision"], "plan": {**view["plan"], **changed}}
        refused = iris.ask("PUT", f"{base}/plan", body)
        assert refused.status_code == 422
        assert f"would change what only a policy says: {words}." in refused.json["detail"]
    loose = {**policy, "gap": {**policy["gap"], "at_most": 0.4}, "level": 0.9}
    saved = iris.ask("PUT", f"{base}/plan", {"revision": view["revision"], "plan": {**view["plan"], "policy": loose}})
    assert saved.status_code == 200, saved.text


def test_a_plan_from_elsewhere_comes_under_the_policy_of_the_case(visitor: SignIn) -> None:
    base = sent(visitor, "Plan from elsewhere", "1.0")
    iris = taken(visitor, base)
    here = iris.get(f"{base}/plan")
    tier = here["plan"]["policy"]["tier"]
    other = standard_plan(tier % 3 + 1, given_parts=False, house=None)
    strict = other.policy.model_copy(update={"gap": Limit(at_most=0.01, ideal=0), "approved_years": 50})
    file = plan_to_yaml(other.model_copy(update={"policy": strict, "house": strict}))
    compared = iris.ask("POST", f"{base}/plan/file", {"name": "other.yaml", "text": file})
    assert compared.status_code == 200, compared.text
    plan = compared.json["plan"]
    assert (plan["policy"]["tier"], plan["policy"]["approved_years"]) == (
        tier,
        here["plan"]["policy"]["approved_years"],
    )
    assert plan["policy"]["gap"]["at_most"] == 0.01
    saved = iris.ask("PUT", f"{base}/plan", {"revision": here["revision"], "plan": plan})
    assert saved.status_code == 200, saved.text
    assert [one.name for one in departures(Plan.model_validate(saved.json["plan"]))] == ["gap"]
