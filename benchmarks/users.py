"""Fifty people read docket, case, data, plan, run and exhibits at once, without and during a run; how long they wait.

Run with ``python -m benchmarks.users``; writes docs/benchmarks-users.md. The server is that of the demo (two web
processes of eight threads, a worker a core), on this machine, which the readers share: the aim is that nobody waits
more than half a second (95th percentile of every address), and that no answer is an error or missing.
"""

import random
import statistics
import sys
import threading
import time
from collections import Counter
from dataclasses import dataclass, field
from pathlib import Path

import httpx

from benchmarks.plans import Visitor, wait_for
from brookfall.demo.seed import PASSWORD
from brookfall.launch.house import House, workers_wanted
from brookfall.launch.start import start_whole

PROJECT = Path(__file__).resolve().parents[1]
_PEOPLE = 50
_SECONDS = 60.0
_THINKS_SECONDS = 1.0
"""So long a person looks at a page, on the average, before the next."""
_AIM_MS = 500

# What the pages ask for; the weights are how often a person is there.
_PAGES = {
    "/api/cases": 3,
    "/api/cases/{case}": 3,
    "/api/cases/{case}/data": 2,
    "/api/cases/{case}/plan": 2,
    "/api/cases/{case}/plan/estimate": 1,
    "/api/cases/{case}/run": 4,
    "/api/cases/{case}/exhibits/{number}": 5,
    "/api/cases/{case}/findings": 1,
    "/api/models?page=1": 1,
}
_CASES = (1, 3)
"""Two cases that were run: Home visit priority 1.0 and Smoke alarm take-up."""


@dataclass
class Waits:
    """Milliseconds by address, and what went wrong."""

    by_page: dict[str, list[float]] = field(default_factory=lambda: {page: [] for page in _PAGES})
    amiss: Counter[str] = field(default_factory=Counter)


def main() -> None:
    house = House(PROJECT, "users")
    house.clear()
    try:
        start_whole(house)
        time.sleep(8)  # workers import their libraries once, as they have in a house that is already up
        iris = Visitor(house.address, "iris")
        iris.ask("POST", "/api/cases/3/take")
        for case in _CASES:
            _with_few_checks(iris, case)
            iris.ask("POST", f"/api/cases/{case}/run")
            wait_for(iris, case)
        exhibits = {case: _numbers(iris, case) for case in _CASES}
        quiet = _read_for(house.address, exhibits, _SECONDS)
        iris.ask("POST", "/api/cases/2/take")
        iris.ask("POST", "/api/cases/2/run")
        busy = _read_for(house.address, exhibits, _SECONDS)
        going = iris.ask("GET", "/api/cases/2/run")["state"]
        _write(quiet, busy, str(going))
    finally:
        house.clear()


def _with_few_checks(visitor: Visitor, case: int) -> None:
    """The standard plan without what fits by the hundred: the run is there to be read, not to be timed."""
    view = visitor.ask("GET", f"/api/cases/{case}/plan")
    plan = view["plan"]
    assert isinstance(plan, dict)
    plan["checks"] = [name for name in plan["checks"] if name not in {"luck", "shuffled", "trees", "stability"}]
    visitor.ask("PUT", f"/api/cases/{case}/plan", {"revision": view["revision"], "plan": plan})


def _numbers(visitor: Visitor, case: int) -> list[int]:
    exhibits = visitor.ask("GET", f"/api/cases/{case}/run")["exhibits"]
    assert isinstance(exhibits, list)
    return [one["number"] for one in exhibits]


def _read_for(address: str, exhibits: dict[int, list[int]], seconds: float) -> Waits:
    """Everybody signs in first, one after the other; then all read at their own pace."""
    waits, lock = Waits(), threading.Lock()
    clients = [_signed_in(address) for _ in range(_PEOPLE)]
    end = time.monotonic() + seconds
    readers = [
        threading.Thread(target=_read, args=(client, random.Random(place), exhibits, end, waits, lock))  # noqa: S311
        for place, client in enumerate(clients)
    ]
    for reader in readers:
        reader.start()
    for reader in readers:
        reader.join()
    for client in clients:
        client.close()
    return waits


def _signed_in(address: str) -> httpx.Client:
    client = httpx.Client(base_url=address, timeout=60, trust_env=False)
    client.get("/api/health")
    token = client.cookies["brookfall_csrf"]
    login = {"login": "iris", "password": PASSWORD}
    client.post("/api/session", json=login, headers={"X-CSRF-Token": token}).raise_for_status()
    return client


def _read(
    client: httpx.Client,
    chance: random.Random,
    exhibits: dict[int, list[int]],
    end: float,
    waits: Waits,
    lock: threading.Lock,
) -> None:
    time.sleep(chance.uniform(0, _THINKS_SECONDS))
    while time.monotonic() < end:
        (page,) = chance.choices(list(_PAGES), list(_PAGES.values()))
        case = chance.choice(list(exhibits))
        path = page.format(case=case, number=chance.choice(exhibits[case]))
        began = time.perf_counter()
        try:
            status = str(client.get(path).status_code)
        except httpx.HTTPError as problem:
            status = type(problem).__name__
        waited = 1000 * (time.perf_counter() - began)
        with lock:
            waits.by_page[page].append(waited)
            if status != "200":
                waits.amiss[f"{page}: {status}"] += 1
        time.sleep(chance.expovariate(1 / _THINKS_SECONDS))


def _write(quiet: Waits, busy: Waits, going: str) -> None:
    cores = workers_wanted()
    lines = [
        "# Fifty people at once",
        "",
        f"Made by `python -m benchmarks.users`: {_PEOPLE} people read for {_SECONDS:.0f} s each time, with a second",
        f"of thought between two pages, against the demo's server and {cores} workers, all on one machine of",
        f"{cores} cores that the readers share. During a run: the tier 1 plan of Home visit priority 2.0, which was",
        f"{going} at the end. Milliseconds; aim: 95th percentile under {_AIM_MS} on every address, nothing missing and",
        "no error.",
        "",
        "| address | asked | median | 95th | longest | asked in a run | median | 95th | longest |",
        "|---|---|---|---|---|---|---|---|---|",
    ]
    for page in _PAGES:
        cells = [cell for waits in (quiet, busy) for cell in _cells(waits.by_page[page])]
        lines.append(f"| `{page}` | {' | '.join(cells)} |")
    for words, waits in (("Without a run", quiet), ("During a run", busy)):
        amiss = ", ".join(f"{what} ({count})" for what, count in sorted(waits.amiss.items())) or "none"
        lines += [
            "",
            f"{words}: {sum(map(len, waits.by_page.values()))} requests, answers missing or in error: {amiss}.",
        ]
    text = "\n".join(lines) + "\n"
    (PROJECT / "docs" / "benchmarks-users.md").write_text(text, encoding="utf-8")
    sys.stdout.write(text)


def _cells(times: list[float]) -> list[str]:
    if len(times) < 2:
        return [str(len(times)), "–", "–", "–"]
    last = statistics.quantiles(times, n=20)[-1]
    return [str(len(times)), f"{statistics.median(times):.0f}", f"{last:.0f}", f"{max(times):.0f}"]


if __name__ == "__main__":
    main()
