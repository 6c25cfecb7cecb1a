"""A case of a million rows by fifty columns on the server: how long its pages wait, first and later.

Run with ``python -m benchmarks.large``; writes docs/benchmarks-large.md. One reader on this machine. Every address is
asked once after the case was taken, by processes that have not seen its rows, and twenty times after that.
"""

import os
import statistics
import tempfile
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from sqlalchemy import select

from benchmarks.million import make_package
from benchmarks.plans import Visitor
from brookfall.core.foundation.sizes import DEFAULT_MAX_BYTES
from brookfall.launch.house import House
from brookfall.launch.start import start_whole

PROJECT = Path(__file__).resolve().parents[1]
_ROWS, _COLUMNS, _TIMES = 1_000_000, 50, 20


@dataclass(frozen=True)
class _Page:
    words: str
    ask: Callable[[Visitor, int, int], object]
    """Asks as the visitor of a case, the nth time."""


def _get(path: str) -> Callable[[Visitor, int, int], object]:
    return lambda visitor, case, _: visitor.ask("GET", f"/api/cases/{case}{path}")


def _rows(**wanted: object) -> Callable[[Visitor, int, int], object]:
    def ask(visitor: Visitor, case: int, nth: int) -> object:
        window = {"offset": 37_000 * nth, "limit": 60, "sort": None, "falling": False}
        return visitor.ask("POST", f"/api/cases/{case}/rows", window | wanted)

    return ask


def _pages() -> list[_Page]:
    return [
        _Page("the plan", _get("/plan")),
        _Page("its time left", _get("/plan/estimate")),
        _Page("the data", _get("/data")),
        _Page("60 rows somewhere", _rows()),
        _Page("60 rows, sorted by a column", _rows(sort="x7", falling=True)),
        _Page("a column", _get("/column?name=x3")),
        _Page("a column by another", _get("/column?name=x3&by=sex")),
        _Page("associations", _get("/matrix")),
    ]


def main() -> None:
    house = House(PROJECT, "large")
    house.clear()
    try:
        start_whole(house)
        os.environ.update(house.environment)
        began = time.perf_counter()
        case = _submit()
        taken_in = time.perf_counter() - began
        iris = Visitor(house.address, "iris")
        iris.ask("POST", f"/api/cases/{case}/take")
        lines = [_line(page, iris, case) for page in _pages()]
        _write(lines, taken_in)
    finally:
        house.clear()


def _submit() -> int:
    # Imported here: they read the configuration, which is this house's.
    from brookfall.core.submission.files import files_of_folder
    from brookfall.desk import submit
    from brookfall.records.database import transaction
    from brookfall.records.people import Person

    with tempfile.TemporaryDirectory() as folder:
        make_package(Path(folder) / "package", "logistic", _ROWS, _COLUMNS, "parquet")
        files = files_of_folder(Path(folder) / "package", DEFAULT_MAX_BYTES)
    with transaction() as session:
        owner = session.scalars(select(Person).where(Person.login == "nell")).one()
        return submit.submit(session, owner, files, max_bytes=DEFAULT_MAX_BYTES).id


def _line(page: _Page, visitor: Visitor, case: int) -> str:
    first = _milliseconds(page, visitor, case, 0)
    taken = sorted(_milliseconds(page, visitor, case, nth) for nth in range(1, _TIMES + 1))
    p95 = taken[round(0.95 * (len(taken) - 1))]
    print(f"{page.words:<30}{first:>8.0f}{statistics.median(taken):>8.0f}{p95:>8.0f}", flush=True)
    return f"| {page.words} | {first:.0f} | {statistics.median(taken):.0f} | {p95:.0f} |"


def _milliseconds(page: _Page, visitor: Visitor, case: int, nth: int) -> float:
    began = time.perf_counter()
    page.ask(visitor, case, nth)
    return 1000 * (time.perf_counter() - began)


def _write(lines: list[str], taken_in: float) -> None:
    page = f"""# A large case on the server

Made by `python -m benchmarks.large`: a case of {_ROWS:,} rows by {_COLUMNS} numbers and a protected ground, sent as
Parquet, read and kept in {taken_in:.0f} s. One reader; milliseconds: the first answer after the case was taken, and of
{_TIMES} answers after it the median and the 95th percentile. Aim: 300.

| what is asked for | first | median | 95th |
|---|---|---|---|
{chr(10).join(lines)}
"""
    (PROJECT / "docs" / "benchmarks-large.md").write_text(page)


if __name__ == "__main__":
    main()
