"""Reading, describing and storing a table of a million rows, beside pandas; and how fast its rows are found again.

Each side reads the same file in a process of its own, so that its peak memory is its own. Writes
docs/benchmarks-intake.md. Run with ``make bench``.
"""

import json
import os
import resource
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pandas as pd

from brookfall.core.foundation.parallel_map import together
from brookfall.core.measure.association import strengths
from brookfall.core.retest.screening.rows_of_issue import Between, rows_where
from brookfall.core.table.duplicate_rows import group_of_each
from brookfall.core.table.profile import profile_column
from brookfall.core.table.read import read_table
from brookfall.launch.house import APPLICATION, House

PROJECT = Path(__file__).resolve().parents[1]
ROWS, COLUMNS = 1_000_000, 50
STORED = 256
"""MiB."""


def made(file: Path) -> None:
    """A fifth categories, a fifth whole numbers, the rest numbers of four decimals; 3 % gaps in one in ten."""
    rng = np.random.default_rng(1)
    columns: dict[str, object] = {}
    for place in range(COLUMNS):
        if place % 5 == 0:
            columns[f"c{place}"] = rng.choice(["red", "green", "blue", "dark grey"], ROWS)
        elif place % 5 == 1:
            columns[f"c{place}"] = rng.integers(0, 1000, ROWS)
        else:
            values = rng.normal(size=ROWS).round(4)
            columns[f"c{place}"] = np.where(rng.random(ROWS) < 0.03, np.nan, values) if place % 10 == 2 else values
    pd.DataFrame(columns).to_csv(file, index=False)


def ours(file: Path) -> None:
    columns = read_table(file.read_bytes(), "rows.csv").columns
    if len(list(together(profile_column, columns))) != COLUMNS:
        raise RuntimeError("a column was lost")


def theirs(file: Path) -> None:
    pd.read_csv(file).describe(include="all")


def measured(side: str, file: Path) -> tuple[float, float]:
    """Seconds and peak GB of one side in a process of its own, the imports left out; the better of two."""
    runs = []
    for _ in range(2):
        # Our own module with our own arguments.
        command = [sys.executable, "-m", "benchmarks.intake", side, str(file)]
        done = subprocess.run(command, capture_output=True, text=True, check=True, cwd=PROJECT)  # noqa: S603
        runs.append(json.loads(done.stdout))
    seconds, peak = min(runs)
    return seconds, peak


def clocked(act: Callable[[], object]) -> float:
    started = time.perf_counter()
    act()
    return time.perf_counter() - started


def storing() -> tuple[float, float]:
    """MiB a second into the database, and back out of it past the cache."""
    house = House(PROJECT, "bench")
    house.clear()
    house.start_stores()
    os.environ.update(house.environment)
    from brookfall.records import blobs
    from brookfall.records.database import migrate, transaction

    migrate(house.owner_url, granted_to=APPLICATION)
    data = np.random.default_rng(2).bytes(STORED << 20)
    started = time.perf_counter()
    with transaction() as session:
        name = blobs.put(session, data)
    put = STORED / (time.perf_counter() - started)
    started = time.perf_counter()
    with transaction() as session:
        file = blobs.local(session, name)
    got = STORED / (time.perf_counter() - started)
    same = file.read_bytes() == data
    house.clear()
    if not same:
        raise RuntimeError("what was stored did not come back")
    return put, got


def main() -> None:
    folder = PROJECT / ".run"
    folder.mkdir(exist_ok=True)
    file = folder / "bench-rows.csv"
    made(file)
    size = file.stat().st_size / 1e6
    (here, peak), (there, other) = (measured(side, file) for side in ("ours", "theirs"))
    table = read_table(file.read_bytes(), "rows.csv")
    between = clocked(lambda: rows_where(table, Between(column="c2", low=1.0, high=1.1)))
    repeats = clocked(lambda: group_of_each(table))
    pairs = clocked(lambda: strengths(table.columns[:20]))
    put, got = storing()
    file.unlink()
    lines = [
        "# How fast data come in",
        "",
        f"Made by `make bench`: {ROWS:,} rows × {COLUMNS} columns, {size:.0f} MB of CSV, in one run on one machine.",
        "",
        "| work | here | pandas `read_csv` + `describe` | ratio | aim |",
        "|---|---|---|---|---|",
        f"| read, kinds from all rows, describe | {here:.1f} s | {there:.1f} s | {here / there:.2f} | at most 1 |",
        f"| peak memory | {peak:.2f} GB | {other:.2f} GB | {peak / other:.2f} | under 3 GB |",
        "",
        "| work on that table | time |",
        "|---|---|",
        f"| rows in a range of one column | {between:.3f} s |",
        f"| rows that repeat another, over all columns | {repeats:.1f} s |",
        f"| strength of every pair of 20 columns | {pairs:.1f} s |",
        f"| storing {STORED} MiB in the database, hashed on the way | {put:.0f} MiB/s (aim: 100) |",
        f"| reading them back past the cache, hash checked | {got:.0f} MiB/s |",
        "",
    ]
    (PROJECT / "docs" / "benchmarks-intake.md").write_text("\n".join(lines), encoding="utf-8")


if __name__ == "__main__":
    if len(sys.argv) > 1:
        act = {"ours": ours, "theirs": theirs}[sys.argv[1]]
        seconds = clocked(lambda: act(Path(sys.argv[2])))
        peak_gb = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
        sys.stdout.write(json.dumps([seconds, peak_gb]))
    else:
        main()
