"""A finding retested: what it cites is run on the version that mends it, and set beside what it was."""

import json
from typing import Any

import numpy as np
import pytest
import yaml

from brookfall.core.check.bench import Bench
from brookfall.core.plan.revisions import read_plan
from brookfall.core.retest.evidence_file import read_evidence
from brookfall.core.retest.run import retest as run_here
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import subject_of
from brookfall.launch.house import House
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.retests import Retest
from tests.api.conftest import Answer, Visitor
from tests.api.packages import submit
from tests.api.test_case import SignIn, finished, plan_of, ran, taken
from tests.api.test_finding_life import acted, entries_of, seen, written
from tests.conftest import files_of, until

pytestmark = pytest.mark.usefixtures("workers")

N = 500
CHECKS = ["holdout", "gap"]


def rows(seed: int = 3) -> str:
    drawn = np.random.default_rng(seed)
    x, z = drawn.normal(size=(2, N))
    y = drawn.random(N) < 1 / (1 + np.exp(-(1.1 * x + 1.6 * z)))
    part = np.where(np.arange(N) % 3 == 0, "test", "training")
    lines = [f"r{i},{x[i]:.5f},{z[i]:.5f},{part[i]},{'yes' if y[i] else 'no'}" for i in range(N)]
    return "\n".join(["id,x,z,part,y", *lines, ""])


def named(
    name: str, version: str, *, ignore: tuple[str, ...] = (), csv: str | None = None, part: str | None = "part"
) -> dict[str, bytes]:
    """A version of a model that learns from x and, unless it is ignored, from z."""
    files = files_of(csv=csv or rows(), claims=[], recipe={"family": "logistic", "threshold": 0.5, "seed": 3})
    declared = yaml.safe_load(files["submission.yaml"])
    declared["model"] |= {"name": name, "version": version}
    roles = {"target": "y", "positive": "yes", "identifier": ["id"], "part": part, "ignore": list(ignore)}
    declared["data"][0]["roles"] = roles
    return {**files, "submission.yaml": yaml.safe_dump(declared).encode()}


def found_wanting(visitor: SignIn, name: str) -> tuple[Visitor, str, Any]:
    """A case that was run, and a finding that cites its exhibits."""
    base = ran(visitor, "1.0", CHECKS, named(name, "1.0", ignore=("z",)))
    iris = visitor("iris")
    cites = [one["number"] for one in iris.get(f"{base}/run")["exhibits"]]
    return iris, base, written(iris, base, cites=cites)


def asked(iris: Visitor, base: str, finding: Any, **more: Any) -> Answer:
    body = {"revision": finding["revision"], **more}
    return iris.ask("POST", f"{base}/findings/{finding['id']}/retest", body)


def settled(iris: Visitor, base: str, number: int = 1) -> Any:
    def ended() -> bool:
        retest = seen(iris, base)[number]["retest"]
        return retest is None or retest["state"] not in ("waiting", "leased")

    assert until(ended, 120)
    return seen(iris, base)[number]


def sent(visitor: SignIn, name: str, version: str = "2.0", **more: Any) -> int:
    answer = submit(visitor("nell"), named(name, version, **more), version=version)
    assert answer.status_code == 200, answer.text
    case_id: int = answer.json["case_id"]
    return case_id


def test_what_a_finding_cites_is_run_on_the_version_that_mends_it(visitor: SignIn, workers: House) -> None:
    iris, base, finding = found_wanting(visitor, "Mended by a column")
    on = sent(visitor, "Mended by a column")
    assert iris.get(f"{base}/versions") == [{"case_id": on, "version": "2.0"}]
    finding = acted(visitor("nell"), base, finding, "answer", answer="mended", version="2.0", text="It learns from z.")
    answer = asked(iris, base, finding)
    assert answer.status_code == 200, answer.text
    assert (answer.json["state"], answer.json["retest"]["version"]) == ("answered", "2.0")
    assert asked(iris, base, finding).status_code == 422, "one at a time"
    finding = settled(iris, base)
    assert (finding["state"], finding["retest"]) == ("retested", None)
    entry = finding["entries"][-1]
    assert (entry["act"], entry["by"], entry["version"]) == ("retest", "Iris Marrow", "2.0")
    result = entry["retest"]["result"]
    assert entry["text"] == result["words"]
    assert [one["check"] for one in result["exhibits"]] == CHECKS
    # Paired, and the difference is that of the two figures.
    auc = next(one for one in result["exhibits"][0]["compared"] if one["id"] == "holdout/auc/recipe/test")
    assert auc["difference"]["how"] == "on the same rows"
    assert auc["difference"]["value"] == pytest.approx(auc["after"]["value"] - auc["before"]["value"])
    assert auc["difference"]["low"] > 0, "the mended model is clearly better on these rows"
    # It stands in the old case alone.
    assert visitor("tom").get(f"/api/cases/{on}/run")["exhibits"] == []
    with transaction() as session:
        assert session.get_one(Case, on).state == "waiting"
    said = entries_of(base, "%retest%")
    assert [one.act for one in said] == ["asked for a retest", "retested a finding"]
    assert json.loads(said[1].after)["state"] == "retested"


def test_its_evidence_is_computed_again_from_the_package_alone(visitor: SignIn) -> None:
    iris, base, finding = found_wanting(visitor, "Computed again")
    sent(visitor, "Computed again")
    assert asked(iris, base, finding, version="2.0").status_code == 200
    entry = settled(iris, base)["entries"][-1]
    data = visitor("ada").ask("GET", f"{base}/retests/{entry['retest']['id']}/evidence").data
    evidence = read_evidence(data.decode())
    package = package_from_files(named("Computed again", "2.0"))
    assert evidence.package.sha256 == package.sha256
    again = run_here(
        Bench(subject_of(package, evidence.roles, evidence.changes), read_plan(evidence.plan.model_dump(mode="json")))
    )
    assert [one.answer for one in again] == [one.answer for one in evidence.exhibits]
    assert [one.estimates for one in again] == [one.estimates for one in evidence.exhibits]


def test_the_reviewer_s_roles_go_with_the_plan_where_the_owner_left_theirs(visitor: SignIn) -> None:
    """The owner says nothing of z in either version, the reviewer took it out of the first."""
    iris, base = taken(visitor, "1.0", named("With the roles", "1.0"))
    data = iris.get(f"{base}/data")
    body = {"revision": data["revision"], "roles": {**data["roles"], "ignore": ["z"]}}
    assert iris.ask("PUT", f"{base}/roles", body).status_code == 200
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=CHECKS)).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    finding = written(iris, base, cites=[one["number"] for one in iris.get(f"{base}/run")["exhibits"]])
    sent(visitor, "With the roles")
    assert asked(iris, base, finding, version="2.0").status_code == 200
    entry = settled(iris, base)["entries"][-1]
    data = iris.ask("GET", f"{base}/retests/{entry['retest']['id']}/evidence").data
    assert read_evidence(data.decode()).roles.ignore == ("z",)
    auc = next(one for one in entry["retest"]["result"]["exhibits"][0]["compared"])
    assert auc["difference"]["value"] == 0, "the two are the same but for their numbers"


def test_rows_with_other_outcomes_are_no_pairs(visitor: SignIn) -> None:
    iris, base, finding = found_wanting(visitor, "With other rows")
    sent(visitor, "With other rows", csv=rows(seed=9))
    assert asked(iris, base, finding, version="2.0").status_code == 200
    finding = settled(iris, base)
    result = finding["entries"][-1]["retest"]["result"]
    hows = {one["difference"]["how"] for one in result["exhibits"][0]["compared"] if one["difference"]}
    assert hows == {"as on different rows: rows of the same identifier have other outcomes in the two versions"}


REFUSED: dict[str, tuple[dict[str, Any], str]] = {
    "a version that was not sent": ({"version": "9.9"}, "9.9 was not submitted"),
    "no version where none is said to mend it": ({}, "not said which version mends it"),
    "its own version": ({"version": "1.0"}, "1.0 was not submitted"),
}


def test_what_can_not_be_retested_is_refused_and_says_why(visitor: SignIn) -> None:
    iris, base, finding = found_wanting(visitor, "Can't be retested")
    for body, said in REFUSED.values():
        answer = asked(iris, base, finding, **body)
        assert (answer.status_code, said in answer.json["detail"]) == (422, True), answer.text
    sent(visitor, "Can't be retested")
    stale = iris.ask("POST", f"{base}/findings/{finding['id']}/retest", {"revision": 0, "version": "2.0"})
    assert stale.status_code == 409
    for login in ("nell", "tom", "ada"):
        assert asked(visitor(login), base, finding, version="2.0").status_code == 403, login
    bare = written(iris, base, title="It cites nothing", cites=[])
    answer = asked(iris, base, bare, version="2.0")
    assert (answer.status_code, answer.json["detail"]) == (422, "The finding cites no exhibit that is there.")
    acted(iris, base, finding, "close", text="It was nothing.")
    assert asked(iris, base, seen(iris, base)[1], version="2.0").status_code == 403


def test_a_version_on_which_nothing_can_be_computed_says_so(visitor: SignIn) -> None:
    iris, base, finding = found_wanting(visitor, "Without parts")
    sent(visitor, "Without parts", csv=rows().replace(",part", ",room"), ignore=("room",), part=None)
    assert asked(iris, base, finding, version="2.0").status_code == 200
    finding = settled(iris, base)
    assert (finding["state"], finding["entries"], finding["retest"]["state"]) == ("open", [], "failed")
    assert "no column has the role part" in finding["retest"]["said"]


def test_what_is_of_another_plan_is_run_again_before_it_is_retested(visitor: SignIn) -> None:
    iris, base, finding = found_wanting(visitor, "Of another plan")
    sent(visitor, "Of another plan")
    assert iris.ask("POST", f"{base}/deviation", {"reason": "Another seed."}).status_code == 200
    answer = asked(iris, base, finding, version="2.0")
    assert (answer.status_code, "A deviation is open" in answer.json["detail"]) == (422, True)
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, seed=5)).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    assert asked(iris, base, seen(iris, base)[1], version="2.0").status_code == 200
    assert settled(iris, base)["state"] == "retested"


def test_a_retest_is_cancelled_and_leaves_the_finding_as_it_was(visitor: SignIn, workers: House) -> None:
    iris, base, finding = found_wanting(visitor, "Cancelled retest")
    sent(visitor, "Cancelled retest")
    workers.keeper.stop("worker-runs", patience=0)
    try:
        assert asked(iris, base, finding, version="2.0").status_code == 200
        gone = iris.ask("DELETE", f"{base}/findings/{finding['id']}/retest")
        assert (gone.status_code, gone.json["retest"]["state"], gone.json["state"]) == (200, "cancelled", "open")
        assert iris.ask("DELETE", f"{base}/findings/{finding['id']}/retest").status_code == 422
    finally:
        workers.start_workers(2, apart=False)
    assert [one.act for one in entries_of(base, "%retest%")] == ["asked for a retest", "cancelled a retest"]


def test_a_retest_survives_a_killed_worker_and_is_entered_once(visitor: SignIn, workers: House) -> None:
    """As after a kill: it is leased to a worker that is no more, and its lease has run out."""
    iris, base, finding = found_wanting(visitor, "Killed amid a retest")
    sent(visitor, "Killed amid a retest")
    workers.keeper.stop("worker-runs", patience=0)
    try:
        assert asked(iris, base, finding, version="2.0").status_code == 200
        with transaction() as session:
            (one,) = session.query(Retest).filter(Retest.finding_id == finding["id"])
            one.state, one.worker, one.attempts = "leased", "gone:1", 1
            one.lease_until = now().replace(year=now().year - 1)
    finally:
        workers.start_workers(2, apart=False)
    finding = settled(iris, base)
    assert [one["act"] for one in finding["entries"]].count("retest") == 1


def test_a_finding_closed_meanwhile_stays_closed(visitor: SignIn, workers: House) -> None:
    iris, base, finding = found_wanting(visitor, "Closed meanwhile")
    sent(visitor, "Closed meanwhile")
    workers.keeper.stop("worker-runs", patience=0)
    try:
        assert asked(iris, base, finding, version="2.0").status_code == 200
        acted(iris, base, finding, "close", text="It is settled otherwise.")
    finally:
        workers.start_workers(2, apart=False)
    finding = settled(iris, base)
    assert (finding["state"], finding["entries"][-1]["act"]) == ("closed", "retest")
