"""How a run's time falls with the machines that share it: workers with homes and caches of their own.

Run with ``python -m benchmarks.machines``; writes docs/benchmarks-machines.md. One machine stands in for several: each
worker has its own home and cache and shares MariaDB and Redis alone, but all share this machine's cores. Each count of
workers runs the same plan with another seed, so that no fit of one is there for the next.
"""

import os
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import psutil
import yaml
from sqlalchemy import select

from benchmarks.plans import Visitor, wait_for
from brookfall.demo import packages
from brookfall.launch.house import House
from brookfall.launch.start import start_whole

PROJECT = Path(__file__).resolve().parents[1]
_COUNTS = (1, 2, 3)
_LEFT_OUT = {"challengers", "luck"}
"""Checks whose many fits would make each run minutes long."""


def main() -> None:
    house = House(PROJECT, "machines")
    house.clear()
    try:
        start_whole(house)
        os.environ.update(house.environment)
        house.keeper.stop("worker-runs", patience=5)
        iris = Visitor(house.address, "iris")
        times = {count: _run(house, iris, count) for count in _COUNTS}
        _write(times)
    finally:
        house.clear()


def _run(house: House, iris: Visitor, count: int) -> tuple[float, int]:
    """Seconds from the click on until the last exhibit, and how many fits were made."""
    case = _submit(f"3.{count}")
    iris.ask("POST", f"/api/cases/{case}/take")
    view = iris.ask("GET", f"/api/cases/{case}/plan")
    plan = view["plan"]
    assert isinstance(plan, dict)
    plan["seed"] += count
    plan["challengers"] = "default"
    plan["checks"] = [name for name in plan["checks"] if name not in _LEFT_OUT]
    iris.ask("PUT", f"/api/cases/{case}/plan", {"revision": view["revision"], "plan": plan})
    with tempfile.TemporaryDirectory() as folder, _workers(house, Path(folder), count):
        time.sleep(8)  # each imports its libraries once, as in a house that is already up
        began = time.perf_counter()
        iris.ask("POST", f"/api/cases/{case}/run")
        wait_for(iris, case)
        seconds = time.perf_counter() - began
    fits = iris.ask("GET", f"/api/cases/{case}/run")["needed"]
    assert isinstance(fits, int)
    print(f"{count} workers: {seconds:.1f} s, {fits} fits", flush=True)
    return seconds, fits


@contextmanager
def _workers(house: House, folder: Path, count: int) -> Iterator[None]:
    names = [f"machine-{place}" for place in range(count)]
    for name in names:
        own = {"BROOKFALL_CACHE_DIR": str(folder / name / "cache"), "HOME": str(folder / name)}
        command = [sys.executable, "-m", "brookfall.cli", "work", "--name", name, "--for", "runs"]
        house.keeper.start(name, command, {**house.environment, **own})
    try:
        yield
    finally:
        for name in names:
            house.keeper.stop(name, patience=2)


def _submit(version: str) -> int:
    # Imported here: they read the configuration, which is this house's.
    from brookfall.desk import submit
    from brookfall.records.database import transaction
    from brookfall.records.people import Person

    files = packages.home_visit_2()
    declared = yaml.safe_load(files["submission.yaml"])
    declared["model"]["version"] = version
    with transaction() as session:
        owner = session.scalars(select(Person).where(Person.login == "nell")).one()
        return submit.submit(session, owner, {**files, "submission.yaml": yaml.safe_dump(declared).encode()}).id


def _write(times: dict[int, tuple[float, int]]) -> None:
    first = times[_COUNTS[0]][0]
    lines = [
        f"| {count} | {seconds:.0f} s | {fits / seconds:.1f} | {first / seconds:.2f} |"
        for count, (seconds, fits) in times.items()
    ]
    page = f"""# Several machines

Made by `python -m benchmarks.machines`: Home visit priority, tier 1, without the checks that fit by the hundred. Each
worker has a home and a cache of its own and shares MariaDB and Redis alone, as on a machine of its own; here all of
them share {psutil.cpu_count()} cores with the stores and the web server, so that no more than so many can help.

| workers | a run | fits a second | against one |
|---|---|---|---|
{chr(10).join(lines)}
"""
    (PROJECT / "docs" / "benchmarks-machines.md").write_text(page)


if __name__ == "__main__":
    main()
