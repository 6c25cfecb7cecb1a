"""Lists in a full house: 200 models, 1 000 cases, 3 000 findings; how long lists and searches take.

Run with ``python -m benchmarks.full_house``; writes docs/benchmarks-full-house.md: milliseconds, the median and the
95th percentile of 20 answers of each address, after one that warms up, one reader on this machine.
"""

import os
import statistics
import time
from pathlib import Path

from benchmarks.plans import Visitor
from brookfall.launch.house import House
from brookfall.launch.start import start_whole

PROJECT = Path(__file__).resolve().parents[1]
_TIMES = 20
_LISTS = ("/api/cases?page=1", "/api/cases?page=9&sort=findings&falling=true", "/api/inbox", "/api/models?page=1")
_SEARCHES = ("/api/search?words=k", "/api/search?words=2.0", "/api/search?words=alarms+by+hydrants")
_PAGES = {"nell": (*_LISTS, "/api/models/full-7"), "iris": (*_LISTS, "/api/cases", *_SEARCHES)}
_WHO = {"nell": "owner", "iris": "reviewer"}
_LIKE = 3
"""Smoke alarm take-up, of the demo."""


def main() -> None:
    house = House(PROJECT, "full")
    house.clear()
    try:
        start_whole(house)
        os.environ.update(house.environment)
        # Imported here: they read the configuration, which is this house's.
        from tests.many import fill

        from brookfall.records.database import transaction

        began = time.perf_counter()
        with transaction() as session:
            fill(session, _LIKE)
        print(f"filled in {time.perf_counter() - began:.0f} s")
        lines = [_line(Visitor(house.address, login), login, page) for login, pages in _PAGES.items() for page in pages]
        _write(lines)
    finally:
        house.clear()


def _line(visitor: Visitor, login: str, page: str) -> str:
    _milliseconds(visitor, page)
    taken = sorted(_milliseconds(visitor, page) for _ in range(_TIMES))
    p95 = taken[round(0.95 * (len(taken) - 1))]
    return f"| {_WHO[login]} | `{page.removeprefix('/api')}` | {statistics.median(taken):.0f} | {p95:.0f} |"


def _write(lines: list[str]) -> None:
    page = f"""# A full house

Made by `python -m benchmarks.full_house`: 200 models, 1 000 cases, 3 000 findings, 20 000 exhibits; every model is the
same owner's, and every case was reviewed by the same reviewer. One reader, {_TIMES} answers of each address after one
that warms up; milliseconds. Aim: lists under 200, searches under 300. `/cases` alone, of every case at once, is for
scripts; pages ask for 50.

| who | address | median | 95th |
|---|---|---|---|
{chr(10).join(lines)}
"""
    (PROJECT / "docs" / "benchmarks-full-house.md").write_text(page)


def _milliseconds(visitor: Visitor, page: str) -> float:
    began = time.perf_counter()
    visitor.ask("GET", page)
    return 1000 * (time.perf_counter() - began)


if __name__ == "__main__":
    main()
