"""Policies of the house: drafted, signed by two, in force from a date; cases keep the one they were planned under."""

from collections.abc import Callable
from datetime import UTC, date, datetime
from typing import Any

import pytest
import yaml
from flask import Flask

from brookfall.core.judge.house_policy import built_in_house, house_from_yaml, house_to_yaml
from brookfall.demo.seed import PASSWORD
from brookfall.desk.people import add_person
from brookfall.desk.policies import BUILT_IN
from brookfall.launch.house import House
from brookfall.records.clock import clock_at
from brookfall.records.database import transaction
from brookfall.records.policies import PolicyVersion
from brookfall.records.verification import verify_everything
from tests.api.conftest import Answer, Visitor
from tests.api.packages import submit
from tests.api.test_case import ran, taken
from tests.conftest import as_owner, files_of

SignIn = Callable[[str], Visitor]
BEGINS = date(2093, 5, 1)
"""So late that no other test of this house plans by it."""
THEN = datetime(2093, 6, 1, 12, tzinfo=UTC)


@pytest.fixture
def wren(visitor: SignIn) -> Visitor:
    return visitor("wren")


@pytest.fixture(scope="module", autouse=True)
def both(app: Flask) -> None:
    """Who may draft and countersign, and so could sign alone."""
    with transaction() as session:
        add_person(session, "ottilie", "Ottilie Brandt", PASSWORD, ("administrator", "countersigner"))


def draft_of(wren: Visitor) -> dict[str, Any]:
    """The draft that is there, or a new one of the built-in policy."""
    page = wren.get("/api/policies")
    if page["draft"] is None:
        answer = wren.ask("POST", "/api/policies", {"from_id": BUILT_IN})
        assert answer.status_code == 200, answer.text
        return answer.json
    return wren.get(f"/api/policies/{page['draft']['id']}")


def saved(wren: Visitor, page: dict[str, Any], note: str = "Gaps were too wide.", **of_tier_3: Any) -> Answer:
    policy = page["policy"]
    tiers = {**policy["tiers"], "3": {**policy["tiers"]["3"], **of_tier_3}}
    body = {"revision": page["head"]["revision"], "note": note, "policy": {**policy, "tiers": tiers}}
    return wren.ask("PUT", f"/api/policies/{page['head']['id']}", body)


def named(page: dict[str, Any], name: str) -> dict[str, Any]:
    return {**page, "policy": {**page["policy"], "name": name}}


def proposed(wren: Visitor, page: dict[str, Any], begins: date = BEGINS, password: str = PASSWORD) -> Answer:
    body = {"revision": page["head"]["revision"], "in_force_from": begins.isoformat(), "password": password}
    return wren.ask("POST", f"/api/policies/{page['head']['id']}/propose", body)


def answered(who: Visitor, page: dict[str, Any], *, agree: bool = True, comment: str = "", **more: Any) -> Answer:
    body = {"sha256": page["head"]["sha256"], "agree": agree, "comment": comment, "password": PASSWORD, **more}
    return who.ask("POST", f"/api/policies/{page['head']['id']}/answer", body)


def done(answer: Answer) -> dict[str, Any]:
    assert answer.status_code == 200, answer.text
    return answer.json


def test_administrators_alone_draft_and_there_is_one_draft(visitor: SignIn, wren: Visitor) -> None:
    for login in ("nell", "iris", "tom", "ada"):
        assert visitor(login).ask("POST", "/api/policies", {"from_id": BUILT_IN}).status_code == 403
    page = draft_of(wren)
    assert page["changes"] == []
    again = wren.ask("POST", "/api/policies", {"from_id": BUILT_IN})
    assert (again.status_code, again.json["todo"]) == (422, "Change that one, or discard it.")
    assert visitor("nell").get("/api/policies")["draft"] is None
    assert visitor("nell").ask("GET", f"/api/policies/{page['head']['id']}").status_code == 404
    assert visitor("iris").get(f"/api/policies/{page['head']['id']}")["may_change"] is False
    assert saved(visitor("tom"), page).status_code == 403
    assert visitor("nell").get(f"/api/policies/{BUILT_IN}")["policy"]["tiers"]["1"]["days_to_answer"] == 14
    gone = wren.ask("DELETE", f"/api/policies/{page['head']['id']}?revision={page['head']['revision']}")
    assert done(gone)["draft"] is None
    assert saved(wren, page).status_code == 422


def test_what_is_saved_is_told_apart_and_nothing_is_overwritten(wren: Visitor) -> None:
    page = draft_of(wren)
    kept = done(saved(wren, page, gap={"at_most": 0.02, "ideal": 0}, days_to_answer=7))
    assert [(one["tier"], one["about"], one["before"], one["after"]) for one in kept["changes"]] == [
        (3, "limit on the gap", "≤ 0.05, ideally 0", "≤ 0.02, ideally 0"),
        (3, "an owner answers within", "14 days", "7 days"),
    ]
    stale = saved(wren, page, gap={"at_most": 0.5, "ideal": 0})
    assert stale.status_code == 409
    for gap, words in (
        ({"at_least": 1, "at_most": 0.5, "ideal": 0}, "at_least 1 is above at_most 0.5"),
        ({"at_most": 0.5}, "the limit has no ideal"),
        ({"ideal": 0}, "the limit has no end"),
    ):
        refused = saved(wren, kept, gap=gap)
        assert (refused.status_code, words in refused.json["detail"]) == (422, True), refused.text
    assert saved(wren, kept, limits={"stabillity": {"at_most": 1}}).status_code == 422
    assert saved(wren, kept, gap={"at_most": "x"}).status_code == 422
    assert wren.get(f"/api/policies/{kept['head']['id']}") == kept


def test_a_file_makes_the_draft_or_is_refused_with_its_line(wren: Visitor) -> None:
    page = draft_of(wren)
    place = f"/api/policies/{page['head']['id']}/file"
    text = "brookfall_policy: 1\nname: Ours\ntiers:\n  2:\n    approved_years: 1\n    psi: {at_most: 0.2}\n"
    body = {"revision": page["head"]["revision"], "file": "ours.yaml", "text": text}
    refused = wren.ask("PUT", place, body)
    assert refused.status_code == 422
    assert "row 6" in refused.json["where"]
    assert "Write ideal: 0" in refused.json["todo"]
    assert wren.get(f"/api/policies/{page['head']['id']}") == page
    bomb = "a: &a [x, x]\n" + "".join(f"b{n}: &b{n} [*a, *a]\n" for n in range(9))
    for broken in ("[", "", "!!python/object:os.system x", bomb):
        assert wren.ask("PUT", place, {**body, "text": broken}).status_code == 422
    kept = done(wren.ask("PUT", place, {**body, "text": text.replace("{at_most: 0.2}", "{at_most: 0.2, ideal: 0}")}))
    assert {one["about"] for one in kept["changes"]} == {
        "an approval lasts", "limit on the population stability index",
    }  # fmt: skip
    written = wren.ask("GET", place)
    assert written.mimetype == "application/yaml"
    assert house_to_yaml(house_from_yaml(written.text, "x")) == written.text
    assert wren.ask("GET", f"/api/policies/{BUILT_IN}/file").text == house_to_yaml(built_in_house())
    wren.ask("DELETE", f"/api/policies/{kept['head']['id']}?revision={kept['head']['revision']}")


def test_two_people_sign_and_it_is_in_force_from_its_date(
    visitor: SignIn, wren: Visitor, state: dict[str, str]
) -> None:
    before = len(wren.get("/api/policies")["versions"])
    page = draft_of(wren)
    assert proposed(wren, page).json["detail"] == "Nothing says what changes and why."
    page = done(saved(wren, named(page, "Built-in policy")))
    assert "in force already" in proposed(wren, page).json["detail"]
    page = done(saved(wren, named(page, "Built-in policy"), gap={"at_most": 0.04, "ideal": 0}))
    assert "There is a policy called" in proposed(wren, page).json["detail"]
    page = done(saved(wren, named(page, "Hollinmoor 2093"), days_to_answer=10))
    assert "past" in proposed(wren, page, date(2020, 1, 1)).json["detail"]
    assert proposed(wren, page, password="no").status_code == 403
    assert proposed(visitor("tom"), page).status_code == 403
    assert visitor("tom").get("/api/inbox")["policy"] is None
    page = done(proposed(visitor("ottilie"), page))
    assert saved(wren, page).status_code == 422
    assert (page["head"]["state"], page["may_change"]) == ("proposed", False)
    own = visitor("ottilie").get(f"/api/policies/{page['head']['id']}")
    assert own["may_answer"] is False
    assert "You proposed it" in own["why_not_answer"]
    assert answered(visitor("ottilie"), page).status_code == 403
    assert answered(visitor("iris"), page).status_code == 403
    tom = visitor("tom")
    assert tom.get("/api/inbox")["policy"]["name"] == "Hollinmoor 2093"
    assert visitor("ada").get("/api/inbox")["policy"] is None
    assert answered(tom, page, agree=False).json["detail"] == "Nothing says why it goes back."
    back = done(answered(tom, page, agree=False, comment="Ten days are few."))
    assert (back["head"]["state"], back["head"]["comment"], back["head"]["sha256"]) == (
        "draft",
        "Ten days are few.",
        None,
    )
    again = done(proposed(wren, done(saved(wren, back, days_to_answer=12))))
    assert answered(tom, page).status_code == 409
    assert answered(tom, again, password="no").status_code == 403
    signed = done(answered(tom, again))
    assert (signed["head"]["number"], signed["head"]["in_force"]) == (1 + before, False)
    assert answered(tom, again).status_code == 422
    listed = visitor("nell").get("/api/policies")
    assert listed["versions"][0]["name"] == "Hollinmoor 2093"
    assert listed["in_force"] is None
    with clock_at(THEN):
        assert visitor("nell").get("/api/policies")["in_force"]["name"] == "Hollinmoor 2093"
    text = visitor("nell").ask("GET", f"/api/policies/{signed['head']['id']}/file").text
    assert yaml.safe_load(text)["tiers"][3]["days_to_answer"] == 12
    state["policy"] = str(signed["head"]["id"])


def test_cases_are_planned_under_what_is_in_force_and_keep_theirs(visitor: SignIn, state: dict[str, str]) -> None:
    _, kept = taken(visitor, "before the policy")
    waits = submit(visitor("nell"), files_of(), version="sent before it").json["case_id"]
    with clock_at(THEN):
        iris, new = taken(visitor, "under the policy")
        plan = iris.get(f"{new}/plan")
        assert plan["plan"]["policy"]["name"] == "Hollinmoor 2093"
        assert plan["plan"]["policy"]["gap"]["at_most"] == 0.04
        assert plan["departures"] == []
        assert iris.ask("POST", f"/api/cases/{waits}/take").status_code == 200
        assert iris.get(f"/api/cases/{waits}/plan")["plan"]["policy"]["name"] == "Hollinmoor 2093"
        assert iris.get(f"{kept}/plan")["plan"]["policy"]["name"] == "Built-in policy"
        iris.ask("POST", f"/api/cases/{waits}/release", {"reason": "Another should."})


def test_what_it_would_have_changed_is_counted_from_what_was_kept(
    visitor: SignIn, wren: Visitor, workers: House
) -> None:
    base = ran(visitor, "judged anew", ["profile", "holdout", "gap", "calibration", "claims"])
    case_id = int(base.rpartition("/")[2])
    with clock_at(THEN):
        page = draft_of(visitor("wren"))  # the policy of 2093 would be in force
    page = done(
        saved(wren, page, gap={"at_most": 0.000001, "ideal": 0, "burden": "model"}, materiality={"bounded": 0.01})
    )
    effect = wren.get(f"/api/policies/{page['head']['id']}/effect")
    assert effect["which"] == []
    assert (effect["cases"] >= 1, effect["worse"] >= 1) == (True, True)
    assert all(one["moved"] for one in effect["checks"] if one["check"] == "gap")
    assert [one["moved"] for one in effect["checks"] if one["check"] == "claims"] == [[]]
    seen = visitor("iris").get(f"/api/policies/{page['head']['id']}/effect")
    (mine,) = [one for one in seen["which"] if one["case_id"] == case_id]
    assert (mine["worse"], mine["needs_run"]) == (1, 1)
    assert seen["checks"] == effect["checks"]
    wren.ask("DELETE", f"/api/policies/{page['head']['id']}?revision={page['head']['revision']}")


def test_who_signs_needs_a_second_factor_where_the_policy_says_so(visitor: SignIn, wren: Visitor) -> None:
    page = draft_of(wren)
    asked = {**page, "policy": {**page["policy"], "name": "Second factors", "second_factor_for": ["countersigner"]}}
    page = done(saved(wren, asked, note="A password alone is not enough."))
    assert page["changes"][0]["about"] == "who needs a second factor to sign"
    page = done(proposed(wren, page, date(2095, 1, 1)))
    done(answered(visitor("tom"), page))
    with clock_at(datetime(2095, 2, 1, 12, tzinfo=UTC)):
        page = done(
            proposed(wren := visitor("wren"), done(saved(wren, named(draft_of(wren), "Later"))), date(2096, 1, 1))
        )
        refused = answered(visitor("tom"), page)
        assert refused.status_code == 403
        assert "asks every countersigner for a second factor" in refused.json["detail"]
        assert "your own page" in refused.json["todo"]
    back = done(answered(visitor("tom"), page, agree=False, comment="Not now."))
    visitor("wren").ask("DELETE", f"/api/policies/{page['head']['id']}?revision={back['head']['revision']}")


def test_what_was_signed_is_verified(visitor: SignIn, stores: House, state: dict[str, str]) -> None:
    with transaction() as session:
        assert verify_everything(session).fault is None
    policy_id = int(state["policy"])
    with as_owner(stores) as session:
        version = session.get_one(PolicyVersion, policy_id)
        content = version.content
        tiers = {**content["tiers"], "3": {**content["tiers"]["3"], "approved_years": 50}}
        version.content = {**content, "tiers": tiers}
    with transaction() as session:
        assert "is not the text of the policy Hollinmoor 2093" in str(verify_everything(session).fault)
    with as_owner(stores) as session:
        version = session.get_one(PolicyVersion, policy_id)
        version.content, version.in_force_from = content, date(2020, 1, 1)
    with transaction() as session:
        assert "does not say what was signed" in str(verify_everything(session).fault)
    with as_owner(stores) as session:
        session.get_one(PolicyVersion, policy_id).in_force_from = BEGINS
    with transaction() as session:
        assert verify_everything(session).fault is None
