"""What somebody waits for does not wait behind a run; runs of several people go on side by side."""

from collections.abc import Callable, Iterator
from datetime import timedelta

import pytest
from sqlalchemy import select, update

from brookfall.desk.run import _seconds_left
from brookfall.launch.house import House
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.people import Person
from brookfall.records.runs import Fit, Replay, Run, RunCheck
from tests.api.conftest import Visitor
from tests.api.test_case import finished, plan_of, taken
from tests.api.test_outages import CHECKS, done_of, long_run
from tests.conftest import declaration, files_of, until

SignIn = Callable[[str], Visitor]


@pytest.fixture
def short_alone(workers: House) -> Iterator[House]:
    """Only the worker for what is short is there."""
    workers.keeper.stop("worker-runs", patience=0)
    workers.start_worker("short", "short")
    yield workers
    workers.keeper.stop("worker-short", patience=0)
    workers.start_workers(2, apart=False)


def of_one_fit(visitor: SignIn, version: str, seed: int) -> tuple[Visitor, str]:
    model = {**declaration()["model"], "version": version}
    iris, base = taken(
        visitor, version, files_of(model=model, recipe={"family": "logistic", "settings": {}, "seed": seed}, claims=[])
    )
    assert iris.ask("PUT", f"{base}/plan", plan_of(iris, base, checks=["profile", "holdout"])).status_code == 200
    return iris, base


def test_a_short_replay_and_a_look_wait_for_no_run(visitor: SignIn, short_alone: House, workers: House) -> None:
    workers.start_worker("runs", "runs")
    iris, small = of_one_fit(visitor, "replayed beside runs", 51)
    assert iris.ask("POST", f"{small}/run").status_code == 200
    assert finished(iris, small)["state"] == "done"
    workers.keeper.stop("worker-runs", patience=0)
    _, long = long_run(visitor, "long beside short", 52)
    assert iris.ask("POST", f"{long}/run").status_code == 200
    number = next(one["number"] for one in iris.get(f"{small}/run")["exhibits"] if one["name"] == "holdout")
    assert iris.ask("POST", f"{small}/exhibits/{number}/replay").status_code == 200
    assert until(lambda: iris.get(f"{small}/exhibits/{number}/replay")["state"] == "done", 30)
    _, fresh = taken(visitor, "looked at beside runs")
    assert until(lambda: bool(iris.get(f"{fresh}/look")["ready"]), 30)
    # Nobody works on runs: the worker for what is short leaves them alone.
    assert done_of(iris, long) == 0
    assert iris.ask("DELETE", f"{long}/run").status_code == 200


def test_a_long_replay_is_no_short_work(visitor: SignIn, workers: House) -> None:
    from brookfall.engine.app import _line_of

    iris, base = of_one_fit(visitor, "replayed at length", 53)
    assert iris.ask("POST", f"{base}/run").status_code == 200
    run = finished(iris, base)
    number = next(one["number"] for one in run["exhibits"] if one["name"] == "holdout")
    assert iris.ask("POST", f"{base}/exhibits/{number}/replay").status_code == 200
    with transaction() as session:
        replay = session.scalars(select(Replay.id).where(Replay.run_id == run["id"])).one()
        fits = session.scalars(
            select(RunCheck.fits).where(RunCheck.run_id == run["id"], RunCheck.number == number)
        ).one()
        before = {fit.key: fit.seconds for fit in session.scalars(select(Fit).where(Fit.key.in_(fits)))}
    assert _line_of(replay) == {"line": "short"}
    with transaction() as session:
        session.execute(update(Fit).where(Fit.key.in_(fits)).values(seconds=60.0))
    try:
        assert _line_of(replay) == {"line": "runs", "priority": 5}
    finally:
        with transaction() as session:
            for key, seconds in before.items():
                session.execute(update(Fit).where(Fit.key == key).values(seconds=seconds))


def test_runs_go_on_side_by_side_and_say_so(visitor: SignIn, workers: House) -> None:
    iris, one = long_run(visitor, "side by side, one", 54)
    _, two = long_run(visitor, "side by side, two", 55)
    for base in (one, two):
        plan = plan_of(iris, base, checks=[*CHECKS, "shuffled"])
        assert iris.ask("PUT", f"{base}/plan", plan).status_code == 200
        assert iris.ask("POST", f"{base}/run").status_code == 200
    assert until(lambda: done_of(iris, one) > 0 and done_of(iris, two) > 0, 120)
    views = [iris.get(f"{base}/run") for base in (one, two)]
    going = [view for view in views if view["state"] == "running"]
    assert len(going) == 2, "the second had its turn while the first went on"
    assert all(view["beside"] == 1 and view["seconds_left"] > 0 for view in going)
    for base in (one, two):
        assert iris.ask("DELETE", f"{base}/run").status_code == 200
    assert iris.get(f"{one}/run")["beside"] == 0
    assert iris.get(f"{one}/run")["seconds_left"] is None


def test_time_left_is_told_by_what_fits_take_not_by_their_count(stores: House) -> None:
    run = Run(state="running", started=now() - timedelta(seconds=20))
    seconds = {"quick": 10.0, "long": 30.0}
    assert _seconds_left(run, seconds, set(), 2) == pytest.approx(20)
    # A quarter is done and took four times as long as thought: that far, the rest is thought to as well.
    assert _seconds_left(run, seconds, {"quick"}, 2) == pytest.approx(15 * (1 + 0.25 * 3), rel=0.1)
    # Between two fits nobody holds one; that is no reason to say nothing.
    assert _seconds_left(run, seconds, set(), 0) == pytest.approx(40)
    assert _seconds_left(run, dict.fromkeys(seconds, 0.0), {"quick"}, 2) is None, "nobody knows"
    run.state = "done"
    assert _seconds_left(run, seconds, {"quick"}, 2) is None


def test_turns_go_to_the_person_and_the_run_that_waited_longest(visitor: SignIn, workers: House) -> None:
    from brookfall.engine.runs import next_run

    workers.keeper.stop("worker-runs", patience=0)
    try:
        iris, one = of_one_fit(visitor, "turns, one", 57)
        _, two = of_one_fit(visitor, "turns, two", 58)
        tom = visitor("tom")
        _, theirs = of_one_fit(visitor, "turns, another's", 59)
        for base in (one, two):
            assert iris.ask("POST", f"{base}/run").status_code == 200
        assert iris.ask("POST", f"{theirs}/run").status_code == 200
        ids = [iris.get(f"{base}/run")["id"] for base in (one, two, theirs)]
        assert tom.get(f"{theirs}/run")["id"] == ids[2]
        with transaction() as session:
            # Whatever other tests left open has turns too.
            session.execute(update(Run).where(Run.state == "running", Run.id.not_in(ids)).values(state="cancelled"))
            other = session.scalars(select(Person.id).where(Person.login == "tom")).one()
            session.execute(update(Run).where(Run.id == ids[2]).values(by_id=other))
            served = set(session.scalars(select(Run.served).where(Run.id.in_(ids))))
        assert served == {None}
        # Iris has two runs and Tom one: every other turn is Tom's, and hers go round.
        assert [next_run() for _ in range(6)] == [ids[0], ids[2], ids[1], ids[2], ids[0], ids[2]]
        for base in (one, two, theirs):
            assert iris.ask("DELETE", f"{base}/run").status_code == 200
        assert next_run() is None
    finally:
        workers.start_workers(2, apart=False)


def test_replays_say_how_many_come_before(visitor: SignIn, workers: House) -> None:
    iris, base = of_one_fit(visitor, "replays in line", 56)
    assert iris.ask("POST", f"{base}/run").status_code == 200
    run = finished(iris, base)
    workers.keeper.stop("worker-runs", patience=0)
    try:
        numbers = [one["number"] for one in run["exhibits"]]
        for number in numbers:
            assert iris.ask("POST", f"{base}/exhibits/{number}/replay").status_code == 200
        told = [iris.get(f"{base}/exhibits/{number}/replay")["before"] for number in numbers]
        assert told == [0, 1]
    finally:
        workers.start_workers(2, apart=False)
    assert until(lambda: all(iris.get(f"{base}/exhibits/{number}/replay")["state"] == "done" for number in numbers), 60)
