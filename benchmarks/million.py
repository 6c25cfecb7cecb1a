"""The tier 3 plan on up to a million rows by the command line, two processes that fit: time, and memory at the most.

Run with ``python -m benchmarks.million``; writes docs/benchmarks-million.md. Memory is that of all processes of the
command together, looked at ten times a second; what they share is counted once.
"""

import json
import subprocess
import sys
import tempfile
import time
from contextlib import suppress
from pathlib import Path

import numpy as np
import pandas as pd
import psutil
import yaml

PROJECT = Path(__file__).resolve().parents[1]
_COLUMNS, _JOBS, _GB = 20, 2, 1e9
_RUNS = (("logistic", 10_000), ("logistic", 100_000), ("logistic", 1_000_000), ("lightgbm", 1_000_000))
_SLOWEST = 5


def main() -> None:
    lines = []
    for family, rows in _RUNS:
        with tempfile.TemporaryDirectory() as folder:
            package, out = Path(folder) / "package", Path(folder) / "evidence.json"
            make_package(package, family, rows)
            seconds, most = _run(package, out)
            exhibits = json.loads(out.read_text())["exhibits"]
        told = {one["check"]: one["provenance"]["seconds"] for one in exhibits}
        first = sorted(told, key=lambda name: -told[name])[:_SLOWEST]
        slowest = ", ".join(f"{name} {told[name]:.1f} s" for name in first)
        lines.append(f"| {family} | {rows:,} | {seconds:.0f} s | {most / _GB:.2f} GB | {slowest} |")
        print(lines[-1], flush=True)
    page = f"""# A million rows

Made by `python -m benchmarks.million`: `brookfall retest --jobs {_JOBS}` of a yes/no outcome with {_COLUMNS} numbers
and a protected ground, by the standard plan of tier 3. Time is that of the whole command, from reading the folder to
the evidence file; memory that of all its processes together, at the most. Aim at a million rows of the logistic: 60 s
and 2 GB.

| family | rows | time | memory | exhibits whose fits and figures took longest |
|---|---|---|---|---|
{chr(10).join(lines)}
"""
    (PROJECT / "docs" / "benchmarks-million.md").write_text(page)


def make_package(package: Path, family: str, rows: int, columns: int = _COLUMNS, form: str = "csv") -> None:
    """A folder with rows drawn at random, of which five columns tell something, and a recipe for them."""
    rng = np.random.default_rng(1)
    numbers = rng.normal(size=(rows, columns)).round(4)
    sums = numbers[:, :5] @ np.array([1.0, -0.7, 0.5, 0.3, -0.2])
    table = pd.DataFrame({f"x{place}": numbers[:, place] for place in range(columns)})
    table["sex"] = rng.choice(["f", "m"], rows)
    table["y"] = np.where(rng.random(rows) < 1 / (1 + np.exp(-sums)), "yes", "no")
    package.mkdir()
    path = package / f"rows.{form}"
    table.to_csv(path, index=False) if form == "csv" else table.to_parquet(path, index=False)
    declared = {
        "brookfall": 1,
        "model": {
            "name": "A million rows", "version": "1.0", "tier": 3, "outcome": "binary", "purpose": "To be timed",
            "use": "None", "population": "Drawn at random", "owner": "Benchmarks",
        },
        "data": [
            {"name": "rows", "path": path.name, "roles": {"target": "y", "positive": "yes", "protected": ["sex"]}}
        ],
        "recipe": {"family": family, "preprocess": {"scale": "standard"}, "threshold": 0.5, "seed": 1},
        "claims": [],
    }  # fmt: skip
    (package / "submission.yaml").write_text(yaml.safe_dump(declared))


def _run(package: Path, out: Path) -> tuple[float, float]:
    """Seconds, and bytes at the most."""
    began = time.perf_counter()
    arguments = ["-m", "brookfall.cli", "retest", str(package), "--jobs", str(_JOBS), "--out", str(out)]
    process = subprocess.Popen([sys.executable, *arguments], stdout=subprocess.DEVNULL)  # noqa: S603 - our own command
    most = most_memory(process)
    if process.returncode:
        raise RuntimeError(f"retest ended with {process.returncode}")
    return time.perf_counter() - began, most


def most_memory(process: "subprocess.Popen[bytes]") -> float:
    """Bytes that a process and all that it started hold together at the most, until it ends."""
    top, most = psutil.Process(process.pid), 0.0
    while process.poll() is None:
        most = max(most, sum(_held(one) for one in _family(top)))
        time.sleep(0.1)
    return most


def _family(top: psutil.Process) -> list[psutil.Process]:
    with suppress(psutil.NoSuchProcess):
        return [top, *top.children(recursive=True)]
    return []


def _held(process: psutil.Process) -> float:
    with suppress(psutil.NoSuchProcess, psutil.AccessDenied):
        return float(process.memory_full_info().pss)
    return 0.0


if __name__ == "__main__":
    main()
