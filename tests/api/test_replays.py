"""Replay of an exhibit on the server: the same bits are told, other bits are told with what differs."""

import time
from collections.abc import Callable
from datetime import timedelta
from typing import Any

import numpy as np
import pytest
from sqlalchemy import select, update

from brookfall.engine.leases import waiting
from brookfall.engine.replays import carry_out
from brookfall.launch.house import House
from brookfall.records.audit_log import RecordEntry
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.findings_and_decisions import StoredEstimate, StoredExhibit
from brookfall.records.ledger import packed
from brookfall.records.runs import Reading, Replay, RunFit
from tests.api.conftest import Visitor
from tests.api.test_case import finished, plan_of, ran, taken
from tests.conftest import as_owner, files_of, rows_csv

SignIn = Callable[[str], Visitor]
CHECKS = ["profile", "holdout", "cross_validation"]

REASON = {"gap": "This use is less forgiving."}


@pytest.fixture
def run(visitor: SignIn, workers: House, state: dict[str, str]) -> tuple[Visitor, str]:
    if "base" not in state:
        state["base"] = ran(visitor, "replayed", CHECKS)
    return visitor("iris"), state["base"]


def ended(visitor: Visitor, base: str, number: int) -> dict[str, Any]:
    deadline = time.monotonic() + 60
    while time.monotonic() < deadline:
        found = visitor.get(f"{base}/exhibits/{number}/replay")
        if found["state"] not in ("waiting", "leased"):
            return found
        time.sleep(0.2)
    raise AssertionError(f"the replay did not end: {found}")


def test_a_replay_is_told_bit_for_bit(run: tuple[Visitor, str]) -> None:
    iris, base = run
    assert iris.get(f"{base}/exhibits/3/replay")["state"] is None
    asked = iris.ask("POST", f"{base}/exhibits/3/replay")
    assert asked.status_code == 200, asked.text
    assert asked.json["needed"] == 5
    found = ended(iris, base, 3)
    assert (found["state"], found["outcome"], found["differences"]) == ("done", "same", [])
    assert "Fitted again (5 fits)" in str(found["said"])
    assert (found["done"], found["by"]) == (5, "Iris Marrow")
    with transaction() as session:
        acts = session.scalars(select(RecordEntry.act).where(RecordEntry.act.like("%replay%"))).all()
    assert {"asked for a replay", "replayed an exhibit"} <= set(acts)


def test_a_replay_without_fits(run: tuple[Visitor, str]) -> None:
    iris, base = run
    iris.ask("POST", f"{base}/exhibits/1/replay")
    assert str(ended(iris, base, 1)["said"]).startswith("Computed anew: all ")


def test_what_was_tampered_with_is_found_past_the_ledger(run: tuple[Visitor, str], workers: House) -> None:
    iris, base = run
    case_id = int(base.rsplit("/", 1)[1])
    with as_owner(workers) as session:
        # Neither a kept reading nor a kept figure can hide that it is another.
        held = {(one.fit_key, one.key): one.data for one in session.scalars(select(Reading))}
        session.execute(update(Reading).values(data=packed(np.zeros(3))))
        head = session.scalars(
            select(StoredExhibit).where(StoredExhibit.case_id == case_id, StoredExhibit.number == 2)
        ).one()
        head_id = head.id
        first = session.get_one(StoredEstimate, (head_id, 0))
        was = first.value
        first.value = 0.999
    iris.ask("POST", f"{base}/exhibits/2/replay")
    found = ended(iris, base, 2)
    assert (found["state"], found["outcome"]) == ("done", "other")
    assert any("0.999" in str(line) for line in found["differences"]), found["differences"]
    with as_owner(workers) as session:
        session.get_one(StoredEstimate, (head_id, 0)).value = was + 1e-13 if was is not None else None
        for (fit_key, key), data in held.items():
            session.get_one(Reading, (fit_key, key)).data = data
    iris.ask("POST", f"{base}/exhibits/2/replay")
    near = ended(iris, base, 2)
    assert near["outcome"] == "near"
    assert "not to the last bit" in str(near["said"])


def test_another_reviewer_may_replay_and_nobody_replays_what_is_not_there(
    run: tuple[Visitor, str], visitor: SignIn
) -> None:
    _, base = run
    tom = visitor("tom")
    assert tom.ask("POST", f"{base}/exhibits/1/replay").status_code == 200
    assert ended(visitor("ada"), base, 1)["by"] == "Tom Aldous"
    assert tom.ask("POST", f"{base}/exhibits/77/replay").status_code == 404
    assert tom.ask("DELETE", f"{base}/exhibits/1/replay").status_code == 422


def test_a_worker_that_died_leaves_the_replay_to_another_and_three_are_enough(run: tuple[Visitor, str]) -> None:
    _, base = run
    with transaction() as session:
        run_id = session.scalars(select(Replay.run_id).order_by(Replay.id.desc()).limit(1)).one()
        lost = Replay(
            case_id=int(base.rsplit("/", 1)[1]),
            run_id=run_id,
            number=1,
            by_id=1,
            asked=now(),
            state="leased",
            lease_until=now() - timedelta(seconds=5),
            worker="gone",
            attempts=3,
            done=0,
            needed=0,
            said="",
            differences=[],
        )
        session.add(lost)
        session.flush()
        replay_id = lost.id
    # A worker's own tick may be quicker; either way it ends as failed.
    if replay_id in waiting(Replay):
        carry_out(replay_id)
    with transaction() as session:
        ended_so = session.get_one(Replay, replay_id)
        assert (ended_so.state, "ended its worker 3 times" in ended_so.said) == ("failed", True)


def test_a_replay_can_be_cancelled(visitor: SignIn, run: tuple[Visitor, str]) -> None:
    iris, base = run
    with transaction() as session:
        run_id = session.scalars(select(Replay.run_id).order_by(Replay.id.desc()).limit(1)).one()
        waiting = Replay(
            case_id=int(base.rsplit("/", 1)[1]),
            run_id=run_id,
            number=3,
            by_id=1,
            asked=now(),
            state="leased",
            lease_until=now() + timedelta(seconds=300),
            worker="elsewhere",
            attempts=1,
            done=0,
            needed=5,
            said="",
            differences=[],
        )
        session.add(waiting)
    cancelled = iris.ask("DELETE", f"{base}/exhibits/3/replay")
    assert (cancelled.status_code, cancelled.json["state"]) == (200, "cancelled")
    iris.ask("POST", f"{base}/exhibits/3/replay")
    assert ended(iris, base, 3)["outcome"] == "same"


def test_stale_exhibits_are_not_replayed(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "replay stale")
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["profile", "gap"])).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    finished(iris, base)
    iris.ask("POST", f"{base}/deviation", {"reason": "Tighter, and one check more"})
    plan = iris.get(f"{base}/plan")["plan"]
    policy = {**plan["policy"], "gap": {"at_most": 0.01, "ideal": 0}}
    changed = plan_of(iris, base, policy=policy, checks=["profile", "gap", "baseline"], overrides=REASON)
    assert iris.ask("PUT", f"{base}/plan", changed).status_code == 200
    refused = iris.ask("POST", f"{base}/exhibits/2/replay")
    assert (refused.status_code, "stale" in refused.json["detail"]) == (422, True), refused.text
    # What the deviation has not touched can be.
    assert iris.ask("POST", f"{base}/exhibits/1/replay").status_code == 200
    assert ended(iris, base, 1)["outcome"] == "same"


def test_a_damaged_reading_ends_in_a_failed_exhibit_that_says_so(visitor: SignIn, workers: House) -> None:
    iris, base = taken(visitor, "damaged", files_of(csv=rows_csv(300, seed=9)))
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["gap"])).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    run_id = finished(iris, base)["id"]
    with as_owner(workers) as session:
        keys = select(RunFit.fit_key).where(RunFit.run_id == run_id)
        session.execute(update(Reading).where(Reading.fit_key.in_(keys)).values(data=b"damaged"))
    iris.ask("POST", f"{base}/deviation", {"reason": "Tighter"})
    plan = iris.get(f"{base}/plan")["plan"]
    policy = {**plan["policy"], "gap": {"at_most": 0.01, "ideal": 0}}
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, policy=policy, overrides=REASON)).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert finished(iris, base)["state"] == "done"
    exhibit = iris.get(f"{base}/exhibits/1")["exhibit"]
    assert exhibit["state"] == "failed"
    assert "fault" in exhibit["answer"]
