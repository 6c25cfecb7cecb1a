"""When a run's first answers are there: each of the seven questions, from the click on, on an otherwise idle machine.

Run with ``python -m benchmarks.first_answers``; writes docs/benchmarks-first-answers.md. The plan is that of tier 1 for
Home visit priority 2.0, its trial fits made before, as they are while somebody reads the plan's page.
"""

import time
from pathlib import Path

from sqlalchemy import text

from benchmarks.plans import Visitor
from brookfall.launch.house import House, workers_wanted
from brookfall.launch.start import start_whole

PROJECT = Path(__file__).resolve().parents[1]
_CASE = 2
_QUESTIONS = 7
_LONGEST = 300.0


def main() -> None:
    house = House(PROJECT, "first-answers")
    house.clear()
    try:
        start_whole(house)
        iris = Visitor(house.address, "iris")
        base = f"/api/cases/{_CASE}"
        iris.ask("POST", f"{base}/take")
        while not iris.ask("GET", f"{base}/look")["ready"] or not iris.ask("GET", f"{base}/plan/estimate")["ready"]:
            time.sleep(1)
        time.sleep(3)
        began = time.monotonic()
        iris.ask("POST", f"{base}/run")
        asked = time.monotonic() - began
        first: dict[int, tuple[float, str]] = {}
        while len(first) < _QUESTIONS and (since := time.monotonic() - began) < _LONGEST:
            for one in _done(iris, base):
                first.setdefault(one["question"], (since, one["title"]))
            time.sleep(1)
        _write(asked, first, _slowest())
    finally:
        house.clear()


def _done(iris: Visitor, base: str) -> list[dict[str, object]]:
    exhibits = iris.ask("GET", f"{base}/run")["exhibits"]
    assert isinstance(exhibits, list)
    return [one for one in exhibits if one["state"] == "done"]


def _slowest() -> tuple[float, int]:
    """The longest fit until now, and how much is read from it."""
    from brookfall.records.database import transaction

    query = (
        "SELECT fit.seconds, (SELECT COUNT(*) FROM reading WHERE reading.fit_key = fit.`key`) FROM fit "
        "ORDER BY fit.seconds DESC LIMIT 1"
    )
    with transaction() as session:
        seconds, readings = session.execute(text(query)).one()
    return float(seconds), int(readings)


def _write(asked: float, first: dict[int, tuple[float, str]], slowest: tuple[float, int]) -> None:
    lines = [f"| {question} | {title} | {at:.0f} |" for question, (at, title) in sorted(first.items())]
    last = max(at for at, _ in first.values())
    page = f"""# First answers

Made by `python -m benchmarks.first_answers`: the tier 1 plan of Home visit priority 2.0 on {workers_wanted()}
workers of an otherwise idle machine of as many cores, looked at once a second. Aim: an exhibit for each question
within 15 s.

| question | first exhibit | seconds after the click |
|---|---|---|
{chr(10).join(lines)}

{len(first)} of {_QUESTIONS} questions had an exhibit after {last:.0f} s; {asked:.1f} s of it went by until the run was
entered. The longest fit, of which {slowest[1]} things are read (among them how much each feature matters), took
{slowest[0]:.1f} s.
"""
    (PROJECT / "docs" / "benchmarks-first-answers.md").write_text(page)
    print(page)


if __name__ == "__main__":
    main()
