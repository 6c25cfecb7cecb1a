"""One case through the API against MariaDB: submit, take, roles, plan, run, find, decide, report, record."""

import io
import json
import os
import signal
import time
from collections.abc import Callable
from typing import Any

import pytest
from flask import Flask
from sqlalchemy import delete, func, select, text
from sqlalchemy.exc import OperationalError

from brookfall.core.check.bench import Bench
from brookfall.core.plan.plan import Plan
from brookfall.core.retest.differences import differences
from brookfall.core.retest.evidence_file import Evidence
from brookfall.core.retest.run import ask, jobs_of, retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import subject_of
from brookfall.demo.seed import PASSWORD
from brookfall.launch.house import House
from brookfall.records.audit_log import RecordEntry, verify
from brookfall.records.cases import Blob, Case, StoredColumn
from brookfall.records.database import engine, transaction
from brookfall.records.runs import Fit, Reading, RunCheck, RunFit
from tests.api.conftest import Visitor
from tests.api.packages import countersigned, rendered, submit
from tests.conftest import declaration, files_of, rows_csv, until
from tests.core.test_package import BROKEN

SignIn = Callable[[str], Visitor]


def taken(visitor: SignIn, version: str, files: dict[str, bytes] | None = None) -> tuple[Visitor, str]:
    """A case in review by Iris, and its address."""
    answer = submit(visitor("nell"), files or files_of(), version=version)
    assert answer.status_code == 200, answer.text
    base = f"/api/cases/{answer.json['case_id']}"
    iris = visitor("iris")
    assert iris.ask("POST", f"{base}/take").status_code == 200
    return iris, base


def excluded_in(view: Any) -> dict[str, str]:
    """Why checks can't be carried out here, by name, as the plan says it."""
    return {one["check"]: one["excluded"] for one in view["sentences"] if one["excluded"]}


def fields_of(view: Any, check: str) -> dict[str, Any]:
    """Every value that can be set in the sentence of a check, by its name."""
    (sentence,) = [one["sentence"] for one in view["sentences"] if one["check"] == check]
    lines = [sentence["parts"], sentence["limit"], *(one["parts"] for one in (*sentence["before"], *sentence["after"]))]
    return {part["name"]: part for parts in lines for part in parts if part["kind"] != "words"}


def finished(visitor: Visitor, base: str, patience: float = 300) -> dict[str, Any]:
    deadline = time.monotonic() + patience
    while time.monotonic() < deadline:
        run = visitor.get(f"{base}/run")
        if run["state"] != "running":
            return run
        time.sleep(0.2)
    raise AssertionError(f"the run did not end: {run}")


def ran(visitor: SignIn, version: str, checks: list[str], files: dict[str, bytes] | None = None) -> str:
    """The address of a case taken by Iris whose plan of these checks was run."""
    iris, base = taken(visitor, version, files)
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=checks)).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    return base


def counted(visitor: Visitor, base: str) -> Any:
    """The plan, once a worker has counted what it comes to."""
    assert until(lambda: bool(visitor.get(f"{base}/plan")["counted"]), 60)
    return visitor.get(f"{base}/plan")


def plan_of(visitor: Visitor, base: str, **changes: Any) -> dict[str, Any]:
    view = visitor.get(f"{base}/plan")
    return {"revision": view["revision"], "plan": {**view["plan"], **changes}}


@pytest.mark.parametrize("name", [name for name in BROKEN if name != "no declaration"])
def test_a_broken_package_leaves_nothing(visitor: SignIn, name: str) -> None:
    nell = visitor("nell")

    def held() -> list[int]:
        with transaction() as session:
            return [
                session.scalar(select(func.count()).select_from(t)) or 0
                for t in (Case, Blob, StoredColumn, RecordEntry)
            ]

    before = held()
    response = submit(nell, BROKEN[name][0])
    assert response.status_code == 422
    assert response.content_type == "application/problem+json"
    assert BROKEN[name][1] in response.json["where"]
    assert response.json["todo"]
    assert held() == before


def test_no_zip_no_file_and_a_hostile_path(visitor: SignIn) -> None:
    nell = visitor("nell")
    no_zip = nell.ask("POST", "/api/cases", data={"package": (io.BytesIO(b"hello"), "p.zip")})
    assert (no_zip.status_code, no_zip.json["detail"]) == (422, "This is not a zip file.")
    assert nell.ask("POST", "/api/cases", data={}).status_code == 422
    hostile = nell.ask("POST", "/api/cases", data={"file": (io.BytesIO(b"x"), "../../etc/x")})
    assert hostile.status_code == 422


def test_more_than_the_limit_is_refused_plainly(visitor: SignIn, app: Flask) -> None:
    nell, limit = visitor("nell"), app.config["MAX_CONTENT_LENGTH"]
    app.config["MAX_CONTENT_LENGTH"] = 1000
    try:
        response = submit(nell, files_of())
    finally:
        app.config["MAX_CONTENT_LENGTH"] = limit
    assert response.status_code == 413
    assert "piece by piece" in response.json["todo"]


def test_files_can_be_sent_one_by_one(visitor: SignIn) -> None:
    files = files_of(
        model={"name": "By form", "version": "1", "tier": 2, "outcome": "binary", "purpose": "p", "owner": "o"}
    )
    parts = [(io.BytesIO(data), path) for path, data in files.items()]
    answer = visitor("nell").ask("POST", "/api/cases", data={"file": parts, "due": "2027-01-31"})
    assert answer.status_code == 200, answer.text
    case = visitor("nell").get(f"/api/cases/{answer.json['case_id']}")
    assert (case["model"], case["due"], case["state"]) == ("By form", "2027-01-31", "waiting")
    again = visitor("nell").ask("POST", "/api/cases", data={"file": [(io.BytesIO(d), p) for p, d in files.items()]})
    assert again.status_code == 422
    assert "submitted before" in again.json["detail"]


def test_two_reviewers_saving_the_second_is_told(visitor: SignIn) -> None:
    iris, base = taken(visitor, "stale")
    first, second = plan_of(iris, base, seed=1), plan_of(iris, base, seed=2)
    assert iris.ask("PUT", f"{base}/plan", first).status_code == 200
    refused = iris.ask("PUT", f"{base}/plan", second)
    assert refused.status_code == 409
    assert "Nothing was overwritten" in refused.json["todo"]
    assert iris.get(f"{base}/plan")["plan"]["seed"] == 1
    data = iris.get(f"{base}/data")
    roles = {**data["roles"], "ignore": ["z"]}
    assert iris.ask("PUT", f"{base}/roles", {"revision": data["revision"], "roles": roles}).status_code == 200
    assert iris.ask("PUT", f"{base}/roles", {"revision": data["revision"], "roles": roles}).status_code == 409


def test_nonsense_in_a_plan_or_a_role_is_named(visitor: SignIn) -> None:
    iris, base = taken(visitor, "nonsense")
    shares = {"kind": "shares", "training": 60, "validation": 30, "test": 20, "stratified": True}
    refused = iris.ask("PUT", f"{base}/plan", plan_of(iris, base, parts=shares))
    assert refused.status_code == 422
    assert "110 %" in refused.json["detail"]
    data = iris.get(f"{base}/data")
    refused = iris.ask("PUT", f"{base}/roles", {"revision": 1, "roles": {**data["roles"], "weight": "mass"}})
    assert refused.status_code == 422
    assert "mass" in refused.json["where"]


def test_a_case_from_start_to_finish(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "whole")
    assert iris.ask("POST", f"{base}/decision", proposal()).status_code == 422  # nothing has been run
    assert iris.ask("POST", f"{base}/run").status_code == 200
    run = finished(iris, base)
    assert run["state"] == "done"
    assert run["done"] == run["needed"]
    assert len(run["exhibits"]) == len(iris.get(f"{base}/plan")["plan"]["checks"])
    locked = iris.ask("PUT", f"{base}/plan", plan_of(iris, base, seed=3))
    assert locked.status_code == 422
    finding = {"severity": 3, "title": "It leans", "what": "See exhibit.", "cites": [10], "due": "2027-02-01"}
    written = iris.ask("POST", f"{base}/findings", {"finding": finding})
    assert written.status_code == 200, written.text
    gap = iris.get(f"{base}/exhibits/10")["exhibit"]
    assert written.json["cites"][0]["quote"] == gap["answer"]
    edited = {"revision": 1, "finding": {**finding, "title": "It leans heavily"}}
    address = f"{base}/findings/{written.json['id']}"
    assert iris.ask("PUT", address, edited).json["title"] == "It leans heavily"
    assert iris.ask("PUT", address, edited).status_code == 409

    assert iris.ask("POST", f"{base}/decision", proposal(password="wrong-password")).status_code == 403
    assert iris.ask("POST", f"{base}/decision", proposal()).status_code == 200
    assert iris.ask("POST", f"{base}/findings", {"finding": finding}).status_code == 403
    answer = {"accept": True, "comment": "", "password": PASSWORD}
    assert iris.ask("POST", f"{base}/countersignature", answer).status_code == 403
    tom = visitor("tom")
    back = tom.ask("POST", f"{base}/countersignature", {**answer, "accept": False})
    assert back.status_code == 422
    back = tom.ask("POST", f"{base}/countersignature", {**answer, "accept": False, "comment": "Which rows?"})
    assert back.json["decisions"][0]["state"] == "sent_back"
    assert iris.ask("POST", f"{base}/decision", proposal()).status_code == 200
    unread = tom.ask("POST", f"{base}/countersignature", answer)
    assert unread.status_code == 409, "accepting says which statement was read"
    signed = countersigned(tom, base, PASSWORD)
    assert signed.status_code == 200, signed.text
    assert iris.get(base)["state"] == "decided"
    for method, path, body in (
        ("PUT", "/plan", plan_of(iris, base)),
        ("POST", "/run", None),
        ("POST", "/findings", {"finding": finding}),
        ("POST", "/decision", proposal()),
    ):
        assert iris.ask(method, base + path, body).status_code == 403, path

    first, second = (rendered(tom, base, "pdf").data for _ in range(2))
    assert first == second
    assert first.startswith(b"%PDF")
    html = rendered(tom, base).text
    for words in ("It leans heavily", "Iris Marrow", "Tom Aldous", "Approved with conditions", "Exhibit 10", "<svg"):
        assert words in html
    evidence = Evidence.model_validate(json.loads(tom.ask("GET", f"{base}/report/json").data))
    assert_same_as_the_core(evidence, files_of_version("whole"))


def proposal(**changes: Any) -> dict[str, object]:
    conditions = [{"what": "Watch the groups", "due": "2027-06-30"}]
    sound = {
        "kind": "approved_with_conditions",
        "reasons": "Sound.",
        "conditions": conditions,
        "despite": "Known.",
        "password": PASSWORD,
    }
    return {**sound, **changes}


def test_an_approval_over_what_is_unsettled_says_why(visitor: SignIn, workers: House) -> None:
    few = files_of(csv=rows_csv(200), claims=[])
    base = ran(visitor, "hardly any rows", ["holdout", "gap", "baseline"], few)
    iris = visitor("iris")
    open_ = [one for one in iris.get(f"{base}/run")["exhibits"] if one["standing"] == "unsettled"]
    assert open_, "so few rows must leave something open"
    page = iris.get(f"{base}/decision")
    question = next(one for one in page["questions"] if one["number"] == open_[0]["question"])
    assert question["standing"] in ("unsettled", "near", "outside")
    assert any("is unsettled: these rows can't tell" in reason for reason in page["needs_reason"])
    refused = iris.ask("POST", f"{base}/decision", proposal(despite=""))
    assert refused.status_code == 422, refused.text
    assert "It would be approved over this" in refused.json["detail"]
    assert (
        iris.ask(
            "POST", f"{base}/decision", proposal(kind="returned_for_rework", conditions=[], despite="")
        ).status_code
        == 200
    )


def files_of_version(version: str) -> dict[str, bytes]:
    return files_of(
        model={
            "name": "Sample",
            "version": version,
            "tier": 3,
            "outcome": "binary",
            "purpose": "To be tested",
            "owner": "Makers",
        }
    )


def assert_same_as_the_core(evidence: Evidence, files: dict[str, bytes]) -> None:
    """The server's numbers are those of the core without it, bit for bit."""
    again = retest(Bench(subject_of(package_from_files(files), evidence.roles), evidence.plan))
    assert differences(evidence.exhibits, again) == []
    assert sum(len(exhibit.estimates) for exhibit in again) > 100


def test_a_second_run_makes_no_fit_again(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "again")
    iris.ask("POST", f"{base}/run")
    finished(iris, base)
    with transaction() as session:
        before = session.scalar(select(func.count()).select_from(Fit))
    iris.ask("POST", f"{base}/run")
    assert finished(iris, base)["state"] == "done"
    with transaction() as session:
        assert session.scalar(select(func.count()).select_from(Fit)) == before


def slow_files(seed: int) -> dict[str, bytes]:
    return files_of(recipe={"family": "forest", "settings": {"trees": 150}, "seed": seed})


def test_rows_in_time_are_split_at_random_only_for_a_reason(visitor: SignIn, workers: House) -> None:
    lines = rows_csv(200).splitlines()
    dated = [
        f"{line},day" if not place else f"{line},2024-{1 + place % 12:02d}-{1 + place % 28:02d}"
        for place, line in enumerate(lines)
    ]
    (data,) = declaration()["data"]
    files = files_of("\n".join(dated), data=[{**data, "roles": {**data["roles"], "time": "day"}}])
    iris, base = taken(visitor, "in time", files)
    plan = iris.get(f"{base}/plan")["plan"]
    assert plan["parts"]["by"] == plan["cross_validation"]["by"] == "time"
    at_random = {"parts": {**plan["parts"], "by": "rows"}, "checks": ["profile", "holdout"]}
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, **at_random)).status_code == 200
    refused = iris.ask("POST", f"{base}/run")
    assert refused.status_code == 422
    assert refused.json["detail"] == "The column day orders the rows in time, and the plan splits them at random."
    assert iris.get(f"{base}/plan")["locked"] is None
    told = plan_of(iris, base, split_reason="Visits are alike all year.")
    assert iris.ask("PUT", f"{base}/plan", told).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert finished(iris, base)["state"] == "done"
    report = rendered(iris, base).text
    assert "Visits are alike all year." in report


def test_a_run_goes_on_when_the_program_changes_under_it(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "changed program", slow_files(seed=77))
    plan = plan_of(iris, base, checks=["profile", "holdout", "cross_validation", "gap"])
    assert iris.ask("PUT", f"{base}/plan", plan).status_code == 200
    workers.keeper.stop("worker-runs", patience=0)
    iris.ask("POST", f"{base}/run")
    run_id = iris.get(f"{base}/run")["id"]
    from brookfall.engine.runs import work_on

    work_on(run_id, seconds=0)  # the fits are entered, and none is made
    # As a program would have entered it whose families say something else: the same requests under other keys.
    with transaction() as session:
        entered = session.scalars(select(RunFit.fit_key).where(RunFit.run_id == run_id)).all()
        others = {key: key[::-1] for key in entered}
        for key, other in others.items():
            kept = session.get_one(Fit, key)
            session.add(Fit(key=other, content=kept.content, state="waiting", attempts=0, seconds=0.0, warnings=[]))
        session.flush()
        session.execute(delete(RunFit).where(RunFit.run_id == run_id))
        session.add_all(RunFit(run_id=run_id, fit_key=other) for other in others.values())
        for check in session.scalars(select(RunCheck).where(RunCheck.run_id == run_id)):
            check.fits = [others[key] for key in check.fits]
    assert entered
    workers.start_workers(2, apart=False)
    run = finished(iris, base)
    assert (run["state"], run["failed"]) == ("done", 0)
    with transaction() as session:
        now_entered = session.scalars(select(RunFit.fit_key).where(RunFit.run_id == run_id)).all()
        assert sorted(now_entered) == sorted(entered)
        assert set(session.scalars(select(Fit.state).where(Fit.key.in_(entered)))) == {"done"}


@pytest.mark.parametrize("killed", [(1,), (1, 2)])
def test_a_run_survives_the_death_of_workers(visitor: SignIn, workers: House, killed: tuple[int, ...]) -> None:
    survives(visitor, workers, killed, after=3, seed=len(killed))


KINDS_OF_FITS = ["claims", "holdout", "cross_validation", "gap", "baseline", "challengers", "groups", "influence"]
"""Checks with fits on parts, over folds, of other families, and with readings of what was fitted."""


def survives(visitor: SignIn, workers: House, killed: tuple[int, ...], after: int, seed: int) -> None:
    """Kills these workers once so many fits are done: every fit is made, and the evidence is the core's, bit for bit."""
    iris, base = taken(visitor, f"killed {seed}", slow_files(seed))
    plan = plan_of(iris, base, cross_validation={"folds": 6, "repeats": 2, "stratified": True}, checks=KINDS_OF_FITS)
    assert iris.ask("PUT", f"{base}/plan", plan).status_code == 200
    iris.ask("POST", f"{base}/run")
    deadline = time.monotonic() + 30
    while iris.get(f"{base}/run")["done"] < after and time.monotonic() < deadline:
        time.sleep(0.05)
    parent = workers.keeper.find("worker-runs")
    assert parent is not None
    pids = [one.pid for one in parent.children()]
    assert len(pids) == 2
    for number in killed:
        os.kill(pids[number - 1], signal.SIGKILL)
    stopped = iris.get(f"{base}/run")
    assert stopped["state"] == "running"
    assert stopped["done"] < stopped["needed"]
    ends_as_in_the_core(iris, base, plan["plan"], slow_files(seed))


def ends_as_in_the_core(iris: Visitor, base: str, plan: dict[str, Any], files: dict[str, bytes]) -> None:
    """The run ends with every fit made, and its evidence is the core's, bit for bit."""
    run = finished(iris, base)
    assert run["state"] == "done"
    assert run["failed"] == 0
    with transaction() as session:
        keys = session.scalars(select(RunFit.fit_key).where(RunFit.run_id == run["id"])).all()
        held = {(one.fit_key, one.key) for one in session.scalars(select(Reading).where(Reading.fit_key.in_(keys)))}
        states = set(session.scalars(select(Fit.state).where(Fit.key.in_(keys))))
    assert len(keys) == run["needed"]
    assert states == {"done"}
    evidence = Evidence.model_validate(json.loads(iris.ask("GET", f"{base}/report/json").data))
    bench = Bench(subject_of(package_from_files(files), evidence.roles), Plan.model_validate(plan))
    # A fit that an earlier run asked for too, as that of the version in use, has what was read of it then.
    assert {(job.fit.key, reading.key) for job in jobs_of(ask(bench)) for reading in job.readings} <= held
    assert differences(evidence.exhibits, retest(bench)) == []


def test_a_run_can_be_cancelled_and_taken_up_again(visitor: SignIn, workers: House) -> None:
    files = files_of(recipe={"family": "forest", "settings": {"trees": 200}, "seed": 21})
    iris, base = taken(visitor, "cancelled", files)
    iris.ask("POST", f"{base}/run")
    assert iris.ask("POST", f"{base}/run").status_code == 422
    cancelled = iris.ask("DELETE", f"{base}/run")
    assert cancelled.json["state"] == "cancelled"
    assert iris.ask("POST", f"{base}/decision", proposal()).status_code == 422
    iris.ask("POST", f"{base}/run")
    assert finished(iris, base)["state"] == "done"


def test_the_record_chains_and_tells_of_any_change(visitor: SignIn) -> None:
    iris, base = taken(visitor, "record")
    iris.ask("PUT", f"{base}/plan", plan_of(iris, base, seed=77))
    entries = iris.get(f"/api/record?case_id={base.rsplit('/', 1)[1]}")["entries"]
    assert [entry["act"] for entry in entries] == ["changed the plan", "took the case", "submitted"]
    assert json.loads(entries[0]["before"])["seed"] == 20417
    assert json.loads(entries[0]["after"])["seed"] == 77
    assert visitor("ada").get("/api/record/verification")["fault"] is None


def test_the_application_can_not_rewrite_the_record(stores: House) -> None:
    for statement in ("UPDATE record_entry SET who = 'x'", "DELETE FROM record_entry"):
        with pytest.raises(OperationalError, match="denied"), engine().begin() as connection:
            connection.execute(text(statement))


def test_a_changed_entry_is_found(visitor: SignIn, stores: House) -> None:
    from sqlalchemy import create_engine

    owner = create_engine(stores.owner_url)
    with owner.begin() as connection:
        old = connection.execute(text("SELECT subject FROM record_entry WHERE id = 3")).scalar()
        connection.execute(text("UPDATE record_entry SET subject = 'something else' WHERE id = 3"))
    try:
        with transaction() as session:
            assert verify(session).fault == "entry 3 was changed after it was written"
    finally:
        with owner.begin() as connection:
            connection.execute(text("UPDATE record_entry SET subject = :old WHERE id = 3"), {"old": old})
    with transaction() as session:
        assert verify(session).fault is None


def test_the_margin_is_ones_own(visitor: SignIn) -> None:
    iris, base = taken(visitor, "margin")
    assert iris.ask("PUT", f"{base}/margin", {"text": "Ask for the script.", "set_aside": [2]}).status_code == 200
    assert visitor("iris").get(f"{base}/margin") == {
        "text": "Ask for the script.",
        "set_aside": [2],
        "revision": 1,
    }
    assert visitor("tom").get(f"{base}/margin")["text"] == ""
