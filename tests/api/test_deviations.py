"""After locking: a change is a deviation with a reason, only what changed is run, and what is stale says so."""

from collections.abc import Callable
from typing import Any

import pytest
import yaml
from sqlalchemy import select

from brookfall.core.plan.plan import Plan
from brookfall.core.retest.evidence_file import Evidence
from brookfall.demo.seed import PASSWORD
from brookfall.launch.house import House
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case
from brookfall.records.database import transaction
from tests.api.conftest import Visitor
from tests.api.packages import rendered
from tests.api.test_case import finished, plan_of, taken
from tests.conftest import files_of

SignIn = Callable[[str], Visitor]
CHECKS = ["profile", "holdout", "gap", "baseline", "groups"]


def run_once(visitor: SignIn, version: str) -> tuple[Visitor, str]:
    iris, base = taken(visitor, version, files_of(claims=[]))
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=CHECKS)).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    return iris, base


def limits(plan: dict[str, Any], **changes: Any) -> dict[str, Any]:
    return {**plan["policy"], **changes}


def exhibits(visitor: Visitor, base: str) -> dict[str, dict[str, Any]]:
    return {one["name"]: one for one in visitor.get(f"{base}/run")["exhibits"]}


def test_a_deviation_from_reason_to_report(visitor: SignIn, workers: House) -> None:
    iris, base = run_once(visitor, "deviating")
    before = exhibits(iris, base)
    gap = iris.get(f"{base}/exhibits/{before['gap']['number']}")["exhibit"]

    # Locked: nothing changes without a reason.
    body = plan_of(iris, base, seed=99)
    refused = iris.ask("PUT", f"{base}/plan", body)
    assert (refused.status_code, refused.json["detail"]) == (422, "The plan is locked.")
    assert iris.ask("POST", f"{base}/deviation", {"reason": "  "}).status_code == 422
    assert iris.get(f"{base}/plan")["deviations"] == []

    opened = iris.ask("POST", f"{base}/deviation", {"reason": "The gap limit of this use is tighter."})
    assert opened.status_code == 200
    assert opened.json["locked"] is None
    assert iris.ask("POST", f"{base}/deviation", {"reason": "twice"}).status_code == 422
    assert "deviation is open" in iris.get(f"{base}/decision")["blockers"][0]

    plan = iris.get(f"{base}/plan")["plan"]
    changed = plan_of(iris, base, policy=limits(plan, gap={"at_most": 0.01, "ideal": 0}))
    view = iris.ask("PUT", f"{base}/plan", changed).json
    assert view["deviations"][0]["said"] == ["limit on the gap: ≤ 0.05, ideally 0 → ≤ 0.01, ideally 0"]
    assert (view["pending"], view["to_run"]) == (0, 1)
    assert {name for name, one in exhibits(iris, base).items() if one["state"] == "stale"} == {"gap"}
    assert iris.get(f"{base}/exhibits/{gap['number']}")["exhibit"]["state"] == "stale"

    # A limit that is not the policy's takes a reason before the plan is locked.
    silent = iris.ask("POST", f"{base}/run")
    assert silent.status_code == 422
    assert silent.json["detail"] == "The limit on the gap is ≤ 0.01 in this plan, where the policy says ≤ 0.05."
    (line,) = [
        line
        for one in iris.get(f"{base}/plan")["sentences"]
        for line in one["sentence"]["after"]
        if "the policy says" in line["parts"][0].get("text", "")
    ]
    assert line["parts"][1]["path"] == ["overrides", "gap"]
    explained = plan_of(iris, base, overrides={"gap": "Two teams act on it."})
    assert iris.ask("PUT", f"{base}/plan", explained).status_code == 200

    # Locked again, and only the gap is made anew; the others are the same bits under the same numbers.
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    after = exhibits(iris, base)
    assert {name: one["number"] for name, one in after.items()} == {n: one["number"] for n, one in before.items()}
    assert all(one["state"] in ("done", "not_applicable") for one in after.values())
    again = iris.get(f"{base}/exhibits/{gap['number']}")["exhibit"]
    assert again["estimates"] != gap["estimates"]
    assert [e["value"] for e in again["estimates"]] == [e["value"] for e in gap["estimates"]]

    shown = iris.get(f"{base}/decision")
    assert shown["blockers"] == []
    departure = "The limit on the gap is ≤ 0.01 in this plan, where the policy says ≤ 0.05: Two teams act on it."
    assert shown["departures"] == [departure]
    assert "Judged by ≤ 0.01, which departs from the policy (≤ 0.05)." in again["lines"]
    assert [one["reason"] for one in shown["deviations"]] == ["The gap limit of this use is tighter."]
    report = rendered(iris, base).text
    assert "The gap limit of this use is tighter." in report
    assert "≤ 0.05, ideally 0 → ≤ 0.01" in report
    assert departure in report
    evidence = Evidence.model_validate(iris.get(f"{base}/report/json"))
    assert evidence.plan.policy.gap.at_most == 0.01
    with transaction() as session:
        acts = session.scalars(select(RecordEntry.act).where(RecordEntry.case_id == int(base.rsplit("/", 1)[1]))).all()
    assert {"opened a deviation", "closed a deviation"} <= set(acts)


def test_copied_exhibits_are_the_same_whole(visitor: SignIn, workers: House) -> None:
    iris, base = run_once(visitor, "copied")
    number = exhibits(iris, base)["holdout"]["number"]
    before = iris.get(f"{base}/exhibits/{number}")
    assert iris.ask("POST", f"{base}/deviation", {"reason": "Fewer folds"}).status_code == 200
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=[*CHECKS, "threshold"])).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    after = iris.get(f"{base}/exhibits/{number}")
    assert after["run_id"] != before["run_id"]
    assert after["exhibit"] == before["exhibit"]
    # What is new comes after what was cited: no number changes its meaning.
    assert exhibits(iris, base)["threshold"]["number"] == len(CHECKS) + 1


def test_a_deviation_taken_back_leaves_all_as_it_was(visitor: SignIn, workers: House) -> None:
    iris, base = run_once(visitor, "taken back")
    plan, roles = iris.get(f"{base}/plan")["plan"], iris.get(f"{base}/data")["roles"]
    assert iris.ask("DELETE", f"{base}/deviation").status_code == 422
    assert iris.ask("POST", f"{base}/deviation", {"reason": "To see"}).status_code == 200
    data = iris.get(f"{base}/data")
    assert data["locked"] is False
    changes = [{"kind": "words_are_missing", "column": "kind", "words": ["red"]}]
    done = iris.ask("PUT", f"{base}/changes", {"revision": data["revision"], "changes": changes})
    assert done.status_code == 200, done.text
    marked = {**done.json["roles"], "protected": ["sex"]}
    saved = iris.ask("PUT", f"{base}/roles", {"revision": done.json["revision"], "roles": marked})
    assert saved.status_code == 200, saved.text
    iris.ask("PUT", f"{base}/plan", plan_of(iris, base, seed=4))
    said = iris.get(f"{base}/plan")["deviations"][0]["said"]
    assert any("seed" in line for line in said)
    assert any("protected: age no longer" in line for line in said)
    assert any(line.startswith("done to the table") for line in said)
    assert any(one["state"] == "stale" for one in exhibits(iris, base).values())

    back = iris.ask("DELETE", f"{base}/deviation")
    assert back.status_code == 200, back.text
    assert back.json["plan"] == plan
    assert back.json["deviations"] == []
    assert iris.get(f"{base}/data")["roles"] == roles
    assert iris.get(f"{base}/data")["changes"] == []
    assert not any(one["state"] == "stale" for one in exhibits(iris, base).values())


def test_a_deviation_of_roles_refits_only_what_they_change(visitor: SignIn, workers: House) -> None:
    iris, base = run_once(visitor, "deviating roles")
    fits = iris.get(f"{base}/plan")["fits"]
    assert iris.ask("POST", f"{base}/deviation", {"reason": "Age is a ground too late to see"}).status_code == 200
    data = iris.get(f"{base}/data")
    roles = {**data["roles"], "protected": ["sex"], "ignore": ["age"]}
    assert iris.ask("PUT", f"{base}/roles", {"revision": data["revision"], "roles": roles}).status_code == 200
    view = iris.get(f"{base}/plan")
    # A protected column is no feature: without it the fits are the same.
    assert (view["fits"], view["pending"], view["to_run"]) == (fits, 0, len(CHECKS))


def test_a_deviation_without_a_change_is_only_in_the_record(visitor: SignIn, workers: House) -> None:
    iris, base = run_once(visitor, "no change")
    assert iris.ask("POST", f"{base}/deviation", {"reason": "Thought better of it"}).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    assert iris.get(f"{base}/plan")["deviations"] == []
    with transaction() as session:
        acts = session.scalars(select(RecordEntry.act).where(RecordEntry.case_id == int(base.rsplit("/", 1)[1]))).all()
    assert "closed a deviation without a change" in acts


def test_who_may_deviate_and_when(visitor: SignIn) -> None:
    iris, base = taken(visitor, "no deviation")
    early = iris.ask("POST", f"{base}/deviation", {"reason": "Why not"})
    assert (early.status_code, early.json["todo"]) == (422, "Just change it.")
    for other in ("nell", "tom", "ada"):
        assert visitor(other).ask("POST", f"{base}/deviation", {"reason": "Mine"}).status_code in (403, 404)
    assert visitor("ada").ask("DELETE", f"{base}/deviation").status_code in (403, 404)


def test_a_finding_keeps_its_words_and_says_what_the_exhibit_says_since(visitor: SignIn, workers: House) -> None:
    iris, base = run_once(visitor, "quoted")
    number = exhibits(iris, base)["baseline"]["number"]
    text = {"severity": 2, "title": "Weak", "what": "Hardly better", "cites": [number]}
    finding = iris.ask("POST", f"{base}/findings", {"finding": text}).json
    assert finding["cites"][0]["now"] is None
    assert iris.ask("POST", f"{base}/deviation", {"reason": "Another split"}).status_code == 200
    without = [check for check in CHECKS if check != "baseline"]
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=without)).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    (kept,) = iris.ask("GET", f"{base}/findings").json
    assert kept["cites"][0]["quote"] == finding["cites"][0]["quote"]
    assert kept["cites"][0]["now"] == "It is no longer in the plan."
    # It can still be edited.
    edited = {"revision": kept["revision"], "finding": {**text, "what": "Hardly better at all"}}
    saved = iris.ask("PUT", f"{base}/findings/{kept['id']}", edited)
    assert saved.status_code == 200, saved.text
    assert saved.json["cites"][0]["quote"] == finding["cites"][0]["quote"]


def test_stale_exhibits_stand_in_the_way_of_a_decision(visitor: SignIn, workers: House) -> None:
    iris, base = run_once(visitor, "stale decision")
    assert iris.ask("POST", f"{base}/deviation", {"reason": "Another seed"}).status_code == 200
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, seed=77)).status_code == 200
    proposal = {"kind": "not_approved", "reasons": "No", "password": PASSWORD}
    assert iris.ask("POST", f"{base}/decision", proposal).status_code == 422
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert iris.ask("DELETE", f"{base}/run").status_code in (200, 422)
    finished(iris, base)
    if iris.get(f"{base}/run")["state"] == "cancelled":
        assert iris.get(f"{base}/decision")["blockers"]


def test_a_plan_as_a_file_through_the_server(visitor: SignIn) -> None:
    iris, base = taken(visitor, "file")
    answer = iris.ask("GET", f"{base}/plan/file")
    assert answer.headers["Content-Disposition"].endswith('.yaml"')
    plan = Plan.model_validate(yaml.safe_load(answer.text))
    assert plan.model_dump(mode="json") == iris.get(f"{base}/plan")["plan"]

    text = answer.text.replace(f"seed: {plan.seed}", "seed: 5")
    read = iris.ask("POST", f"{base}/plan/file", {"name": "other.yaml", "text": text}).json
    assert read["changes"] == [f"seed: {plan.seed} → 5"]
    assert iris.get(f"{base}/plan")["plan"]["seed"] == plan.seed
    taken_over = {"revision": iris.get(f"{base}/plan")["revision"], "plan": read["plan"]}
    assert iris.ask("PUT", f"{base}/plan", taken_over).json["plan"]["seed"] == 5

    broken = iris.ask("POST", f"{base}/plan/file", {"name": "other.yaml", "text": "seed: {"})
    assert broken.status_code == 422
    assert broken.json["where"] == "other.yaml, row 1"


def test_a_plan_beside_another_cases(visitor: SignIn) -> None:
    _, first = taken(visitor, "beside 1")
    iris, second = taken(visitor, "beside 2")
    assert iris.ask("PUT", f"{second}/plan", plan_of(iris, second, splits=77)).status_code == 200
    others = iris.ask("GET", f"{second}/plan/others").json
    number = int(first.rsplit("/", 1)[1])
    assert others[0]["model"] == "Sample"
    assert number in [one["case_id"] for one in others]
    compared = iris.get(f"{second}/plan/others/{number}")
    assert compared["title"] == "Sample beside 1"
    assert any(line.startswith("random splits: 77 → ") for line in compared["changes"])
    choice = next(one for one in visitor("iris").get("/api/cases")["cases"] if one["outcome"] == "choice")
    assert iris.ask("GET", f"{second}/plan/others/{choice['id']}").status_code == 404
    assert visitor("nell").ask("GET", f"{second}/plan/others/999999").status_code == 404


@pytest.mark.parametrize("method", ["POST", "DELETE"])
def test_nobody_deviates_without_signing_in(visitor: SignIn, method: str) -> None:
    iris, base = taken(visitor, f"signed out {method}")
    iris.ask("DELETE", "/api/session")
    assert iris.ask(method, f"{base}/deviation", {"reason": "x"} if method == "POST" else None).status_code == 401


def test_another_program_makes_stale_what_is_in_review_and_not_what_is_signed(
    visitor: SignIn, workers: House, monkeypatch: pytest.MonkeyPatch
) -> None:
    iris, base = run_once(visitor, "another program")
    assert not any(one["state"] == "stale" for one in exhibits(iris, base).values())
    monkeypatch.setattr("brookfall.records.contents.versions", lambda: {"numpy": "another"})
    assert all(one["state"] != "done" for one in exhibits(iris, base).values())
    with transaction() as session:
        session.get_one(Case, int(base.rsplit("/", 1)[1])).state = "decided"
    assert not any(one["state"] == "stale" for one in exhibits(iris, base).values())
