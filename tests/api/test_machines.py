"""Workers of several machines share a run, each with a cache of its own; one is cut off in the middle of it."""

import signal
import sys
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import psutil
import pytest
from sqlalchemy import select

from brookfall.launch.house import House
from brookfall.records.database import transaction
from brookfall.records.runs import Fit, RunFit
from tests.api.conftest import Visitor
from tests.api.test_case import KINDS_OF_FITS, ends_as_in_the_core, finished, plan_of, slow_files, taken

SignIn = Callable[[str], Visitor]
MACHINES = ("one", "two", "three")


@pytest.fixture
def machines(workers: House, tmp_path: Path) -> Iterator[House]:
    """Three workers that share nothing but MariaDB and Redis."""
    workers.keeper.stop("worker-runs", patience=0)
    for name in MACHINES:
        folder = tmp_path / name
        folder.mkdir()
        own = {"BROOKFALL_CACHE_DIR": str(folder / "cache"), "HOME": str(folder)}
        command = [sys.executable, "-m", "brookfall.cli", "work", "--name", name, "--nice", "0"]
        workers.keeper.start(f"machine-{name}", command, {**workers.environment, **own})
    yield workers
    for name in MACHINES:
        workers.keeper.stop(f"machine-{name}", patience=0)
    workers.start_workers(2, apart=False)


def leased_by(run_id: int) -> set[str]:
    with transaction() as session:
        leased = select(Fit.worker).join(RunFit, RunFit.fit_key == Fit.key)
        return {str(one) for one in session.scalars(leased.where(RunFit.run_id == run_id, Fit.state == "leased"))}


def test_three_machines_share_a_run_and_one_is_cut_off(visitor: SignIn, machines: House, tmp_path: Path) -> None:
    iris, base = taken(visitor, "three machines", slow_files(61))
    plan = plan_of(iris, base, cross_validation={"folds": 6, "repeats": 3, "stratified": True}, checks=KINDS_OF_FITS)
    assert iris.ask("PUT", f"{base}/plan", plan).status_code == 200
    processes: dict[str, psutil.Process] = {}
    for name in MACHINES:
        found = machines.keeper.find(f"machine-{name}")
        assert found is not None
        processes[name] = found
    assert iris.ask("POST", f"{base}/run").status_code == 200
    run_id = iris.get(f"{base}/run")["id"]
    seen: set[str] = set()
    end = time.monotonic() + 120
    while len(seen) < len(MACHINES) and time.monotonic() < end:
        seen |= leased_by(run_id)
        time.sleep(0.02)
    assert {int(worker.rpartition(":")[2]) for worker in seen} == {one.pid for one in processes.values()}
    # Cut off while it holds a fit: it neither works nor is heard of, and nobody is told that it ended.
    cut = processes["two"]
    while not any(worker.endswith(f":{cut.pid}") for worker in leased_by(run_id)):
        assert iris.get(f"{base}/run")["state"] == "running"
        time.sleep(0.01)
    cut.send_signal(signal.SIGSTOP)
    try:
        assert finished(iris, base)["state"] == "done"
    finally:
        cut.send_signal(signal.SIGCONT)
    # Back again, it finishes the fit that another has made meanwhile; that changes nothing.
    time.sleep(3)
    assert all((tmp_path / name / "cache").is_dir() for name in MACHINES), "each read the files for itself"
    ends_as_in_the_core(iris, base, plan["plan"], slow_files(61))
