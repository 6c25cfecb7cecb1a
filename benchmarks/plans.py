"""The three demo cases' standard plans, as wall time against their distinct fits alone; and how fast pages answer.

Fits alone: every distinct fit of the plan with its readings, single-threaded, one process a core, nothing kept.
The aim is 1.25 times that, or two seconds more, whichever is larger. Run with ``make bench``.
"""

import json
import statistics
import time
from collections.abc import Callable
from functools import partial
from http.cookiejar import CookieJar
from pathlib import Path
from urllib.request import HTTPCookieProcessor, OpenerDirector, Request, build_opener

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.fit.request import FitJob
from brookfall.core.fit.run import run_fits
from brookfall.core.retest.run import ask, jobs_of, retest
from brookfall.core.submission.package import package_from_files
from brookfall.core.submission.subject import Subject, subject_of
from brookfall.demo import packages
from brookfall.demo.seed import PASSWORD
from brookfall.launch.house import House, workers_wanted
from brookfall.launch.start import start_whole

PROJECT = Path(__file__).resolve().parents[1]
CASES = {
    "Home visit priority 1.0": packages.home_visit_1,
    "Home visit priority 2.0": packages.home_visit_2,
    "Smoke alarm take-up 2.1": packages.smoke_alarm,
}
_REPEATS = 40


class Visitor:
    """A signed-in client of the server."""

    def __init__(self, address: str, login: str) -> None:
        self._address = address
        self._jar = CookieJar()
        self._opener: OpenerDirector = build_opener(HTTPCookieProcessor(self._jar))
        self.ask("GET", "/api/health")
        self.ask("POST", "/api/session", {"login": login, "password": PASSWORD})

    def ask(self, method: str, path: str, body: object = None) -> dict[str, object]:
        token = next((cookie.value for cookie in self._jar if cookie.name == "brookfall_csrf"), "") or ""
        headers = {"Content-Type": "application/json", "X-CSRF-Token": token}
        data = json.dumps(body).encode() if body is not None else None
        with self._opener.open(Request(self._address + path, data, headers, method=method)) as answer:  # noqa: S310
            return json.loads(answer.read() or b"{}")


def clocked(act: Callable[[], object]) -> float:
    started = time.perf_counter()
    act()
    return time.perf_counter() - started


def wait_for(visitor: Visitor, case: int) -> None:
    while visitor.ask("GET", f"/api/cases/{case}/run")["state"] == "running":
        time.sleep(0.05)


def _fits_alone(jobs: tuple[FitJob, ...], subject: Subject) -> None:
    for _ in run_fits(jobs, subject):
        pass


def main() -> None:
    house = House(PROJECT, "bench")
    house.clear()
    try:
        start_whole(house)
        time.sleep(8)  # workers import their libraries once, as they have in a house that is already up
        plans(house)
        pages(house)
    finally:
        house.clear()


def plans(house: House) -> None:
    visitor = Visitor(house.address, "iris")
    print(f"{'case':<26}{'fits':>6}{'fits alone':>12}{'core':>9}{'server':>9}{'server/alone':>14}{'more':>9}")
    for case, (name, files) in enumerate(CASES.items(), start=1):
        subject = subject_of(package_from_files(files()))
        bench = Bench(subject, standard_plan(1 if "Home" in name else 3, given_parts=False))
        jobs = jobs_of(ask(bench))
        share = [jobs[i :: workers_wanted()] for i in range(workers_wanted())]
        alone = max(clocked(partial(_fits_alone, part, subject)) for part in share)
        core = clocked(partial(retest, bench))
        if case > 1:
            visitor.ask("POST", f"/api/cases/{case}/take")
        visitor.ask("POST", f"/api/cases/{case}/run")
        server = clocked(partial(wait_for, visitor, case))
        print(
            f"{name:<26}{len(jobs):>6}{alone:>10.2f} s{core:>7.2f} s{server:>7.2f} s"
            f"{server / alone:>14.2f}{server - alone:>7.2f} s"
        )


def pages(house: House) -> None:
    visitor = Visitor(house.address, "iris")
    print(f"\n{'page':<34}{'median':>10}{'95th':>10}")
    for path in (
        "/api/cases",
        "/api/cases/2",
        "/api/cases/2/data",
        "/api/cases/2/plan",
        "/api/cases/2/run",
        "/api/cases/2/exhibits/9",
    ):
        times = sorted(clocked(partial(visitor.ask, "GET", path)) for _ in range(_REPEATS))
        print(f"{path:<34}{statistics.median(times) * 1000:>7.0f} ms{times[int(0.95 * _REPEATS)] * 1000:>7.0f} ms")


if __name__ == "__main__":
    main()
