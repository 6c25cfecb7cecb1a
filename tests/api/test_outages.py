"""Redis and MariaDB go away and come back: what was asked for is done, and what is said of it is true."""

import time
from collections.abc import Callable, Iterator
from threading import Thread
from typing import Any

import pytest
import redis
from flask import Flask
from sqlalchemy import event

from brookfall.api.app import create_app
from brookfall.demo.seed import PASSWORD
from brookfall.launch.house import House
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.database import engine, transaction
from brookfall.records.runs import Run, RunCheck
from tests.api.conftest import Visitor
from tests.api.test_case import finished, plan_of, taken
from tests.conftest import declaration, files_of, until

SignIn = Callable[[str], Visitor]
CHECKS = ["profile", "holdout", "cross_validation", "gap", "baseline"]


@pytest.fixture
def back(stores: House) -> Iterator[None]:
    """Whatever a test stops is there again after it."""
    yield
    stores.start_stores()


def long_run(visitor: SignIn, version: str, seed: int) -> tuple[Visitor, str]:
    """A case whose run takes some seconds; each with a seed of its own, as equal fits are made once."""
    model = {**declaration()["model"], "version": version}
    iris, base = taken(
        visitor,
        version,
        files_of(model=model, recipe={"family": "forest", "settings": {"trees": 300}, "seed": seed}, claims=[]),
    )
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=CHECKS)).status_code == 200
    return iris, base


def done_of(visitor: Visitor, base: str) -> int:
    return int(visitor.get(f"{base}/run")["done"])


def test_a_run_goes_on_when_the_broker_is_back(visitor: SignIn, workers: House, back: None) -> None:
    iris, base = long_run(visitor, "broker away", 31)
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert until(lambda: done_of(iris, base) > 2, 60)
    workers.keeper.stop("redis", 0)
    time.sleep(6)
    workers._start_redis()
    before = done_of(iris, base)
    assert until(lambda: done_of(iris, base) > before or iris.get(f"{base}/run")["state"] == "done", 10)
    assert finished(iris, base)["state"] == "done"


def test_a_run_and_whoever_is_signed_in_go_on_when_the_broker_is_emptied(
    visitor: SignIn, workers: House, back: None
) -> None:
    iris, base = long_run(visitor, "broker emptied", 34)
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert until(lambda: done_of(iris, base) > 2, 60)
    with redis.Redis.from_url(workers.environment["BROOKFALL_REDIS_URL"]) as broker:
        broker.flushall()
    before = done_of(iris, base)
    assert until(lambda: done_of(iris, base) > before or iris.get(f"{base}/run")["state"] == "done", 15)
    assert finished(iris, base)["state"] == "done"


def test_what_is_asked_for_without_a_broker_is_done_when_it_is_back(
    visitor: SignIn, workers: House, back: None
) -> None:
    iris, base = long_run(visitor, "asked without a broker", 32)
    workers.keeper.stop("redis", 0)
    begun = iris.ask("POST", f"{base}/run")
    assert begun.status_code == 200, begun.text
    assert begun.json["state"] == "running"
    workers._start_redis()
    assert until(lambda: done_of(iris, base) > 0, 15)
    assert finished(iris, base)["state"] == "done"


def test_a_run_goes_on_when_the_database_is_back(visitor: SignIn, workers: House, back: None) -> None:
    iris, base = long_run(visitor, "database away", 33)
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert until(lambda: done_of(iris, base) > 2, 60)
    before = done_of(iris, base)
    workers.keeper.stop("mariadb", 0)
    told = iris.ask("PUT", f"{base}/margin", {"text": "lost?", "set_aside": []})
    assert (told.status_code, told.json["detail"]) == (503, "The database did not answer.")
    assert told.json["todo"] == "Nothing was saved; try again in a moment."
    time.sleep(3)
    workers._start_mariadb()
    assert until(lambda: done_of(iris, base) > before, 20)
    assert finished(iris, base)["state"] == "done"
    assert iris.get(f"{base}/margin")["text"] == ""


def test_signing_in_goes_on_without_a_broker_and_is_still_throttled(app: Flask, workers: House, back: None) -> None:
    from brookfall.api.session import limiter

    limiter.enabled = True
    try:
        other = create_app()
        visit = Visitor(other.test_client())
        workers.keeper.stop("redis", 0)
        good = visit.ask("POST", "/api/session", {"login": "iris", "password": PASSWORD})
        assert good.status_code == 200, good.text
        guesses = [
            visit.ask("POST", "/api/session", {"login": "iris", "password": f"guess {place}"}).status_code
            for place in range(14)
        ]
        assert guesses[0] == 401
        assert guesses[-1] == 429
    finally:
        limiter.enabled = False


def test_somebody_elses_change_is_no_outage(visitor: SignIn) -> None:
    iris, base = taken(visitor, "busy with another")

    def be_impatient(connection: Any, *_: object) -> None:
        with connection.cursor() as cursor:
            cursor.execute("SET SESSION innodb_lock_wait_timeout = 1")

    event.listen(engine(), "checkout", be_impatient)
    try:
        with transaction() as session:
            session.get_one(Case, int(base.rpartition("/")[2]), with_for_update=True)
            told = iris.ask("PUT", f"{base}/plan", plan_of(iris, base, seed=5))
    finally:
        event.remove(engine(), "checkout", be_impatient)
        engine().dispose()
    assert (told.status_code, told.json["title"]) == (503, "Busy")
    assert told.json["detail"] == "The database was busy with somebody else's change."
    assert iris.get(f"{base}/plan")["plan"]["seed"] == 20417


def test_a_run_that_has_all_but_its_end_is_swept_up(visitor: SignIn, workers: House) -> None:
    from brookfall.engine.runs import open_runs

    iris, base = taken(visitor, "all but its end", files_of(claims=[]))
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["profile"])).status_code == 200
    assert iris.ask("POST", f"{base}/run").status_code == 200
    assert finished(iris, base)["state"] == "done"
    with transaction() as session:
        (run,) = [one for one in session.query(Run).all() if one.case_id == int(base.rpartition("/")[2])]
        run.state, run.finished = "running", None
        run_id = run.id
    assert run_id in open_runs() or iris.get(f"{base}/run")["state"] == "done"
    assert until(lambda: iris.get(f"{base}/run")["state"] == "done", 20)


def test_a_run_that_somebody_holds_is_left_to_them(visitor: SignIn, stores: House) -> None:
    from brookfall.engine.runs import open_runs

    with transaction() as session:
        case_id = session.query(Run).first()
        assert case_id is not None
        run = Run(case_id=case_id.case_id, state="running", by_id=case_id.by_id, started=now(), label_marks=[])
        session.add(run)
        session.flush()
        lease = now().replace(year=now().year + 1)
        check = {"run_id": run.id, "number": 1, "name": "profile"}
        session.add(RunCheck(**check, fits=[], state="leased", lease_until=lease, attempts=1))
        run_id = run.id
    assert run_id not in open_runs()
    with transaction() as session:
        for one in session.query(RunCheck).filter(RunCheck.run_id == run_id):
            one.state = "done"
    assert run_id in open_runs()
    with transaction() as session:
        session.get_one(Run, run_id).state = "cancelled"


def test_no_outage_stops_the_clock(monkeypatch: pytest.MonkeyPatch, stores: House) -> None:
    from brookfall.engine import app as engine_app

    beaten: list[int] = []

    def wake() -> None:
        beaten.append(1)
        if len(beaten) < 3:
            raise ConnectionError("the broker is away")
        raise SystemExit

    monkeypatch.setattr(engine_app, "_TICK_SECONDS", 0.01)
    monkeypatch.setattr(engine_app, "_wake", wake)
    for other in ("_anchor", "keep_house", "clear_cache"):
        monkeypatch.setattr(engine_app, other, lambda: None)
    with pytest.raises(SystemExit):
        engine_app._tick_for_ever(("short",))
    assert len(beaten) == 3


def test_the_clock_beats_at_once(monkeypatch: pytest.MonkeyPatch, stores: House) -> None:
    from brookfall.engine import app as engine_app

    beaten: list[tuple[str, ...]] = []

    def beat(_worker: str, lines: tuple[str, ...]) -> None:
        beaten.append(lines)
        raise SystemExit  # ends the clock, which otherwise nothing does

    monkeypatch.setattr(engine_app, "_TICK_SECONDS", 3600.0)
    monkeypatch.setattr(engine_app, "beat", beat)
    Thread(target=engine_app._tick_for_ever, args=(("runs",),), daemon=True).start()
    assert until(lambda: beaten == [("runs",)], 10)


def test_a_missed_beat_is_not_the_last(stores: House, monkeypatch: pytest.MonkeyPatch) -> None:
    from brookfall.engine import heartbeat as beats

    beaten: list[int] = []

    def beat() -> None:
        beaten.append(1)
        raise ConnectionError("the database is away")

    monkeypatch.setattr(beats, "_BEATS_A_LEASE", 800)
    with beats.heartbeat(beat):
        assert until(lambda: len(beaten) >= 3, 10)


def test_nobody_to_wake_is_no_fault(stores: House, back: None) -> None:
    from brookfall.engine.app import CeleryQueue

    stores.keeper.stop("redis", 0)
    queue = CeleryQueue()
    for ask in (queue.wake, queue.look, queue.intake, queue.trial, queue.replay):
        ask(1)
