"""How often what was planted is found, and how often the same is said of sound data: use, over time, stability, labels.

Writes docs/planted-faults.md: draws of 3 000 rows each. ``python -m benchmarks.planted_faults [draws]``
"""

import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pandas as pd

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.limit import Standing
from brookfall.core.measure.interval import wilson
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Table

PAGE = Path(__file__).resolve().parents[1] / "docs" / "planted-faults.md"
ROWS = 3_000
LOGISTIC = Recipe(family="logistic", threshold=0.5)
TREE = Recipe(family="tree", threshold=0.5)


def visits(seed: int, *, drift: float = 0.0, strength: float = 1.3, recipe: Recipe = LOGISTIC) -> Subject:
    """A year of visits: one number that matters, four that don't; the outcome's log odds rise by ``drift`` over it."""
    rng = np.random.default_rng(seed)
    day = np.sort(rng.integers(0, 366, ROWS))
    x = rng.normal(size=(ROWS, 5))
    logit = strength * x[:, 0] - 0.2 + drift * (day / 365 - 0.5)
    frame = pd.DataFrame({f"x{place}": x[:, place].round(5) for place in range(5)})
    frame["day"] = (pd.Timestamp("2024-01-01") + pd.to_timedelta(day, unit="D")).strftime("%Y-%m-%d")
    frame["y"] = np.where(rng.random(ROWS) < 1 / (1 + np.exp(-logit)), "yes", "no")
    table = Table(tuple(column_from_text(str(name), frame[name].astype(str)) for name in frame.columns))
    roles = Roles(target="y", positive="yes", features=tuple(f"x{place}" for place in range(5)))
    return Subject(table, roles, recipe, (), "made up")


@dataclass(frozen=True)
class Fault:
    """What is planted, the check that should find it, the subject with and without it, and what counts as found."""

    words: str
    check: str
    planted: Callable[[int], Subject]
    sound: Callable[[int], Subject]
    found: Callable[[Exhibit], bool]
    how: str
    capacity: tuple[float | None, float | None] = (None, None)


def _drifting(seed: int) -> Subject:
    return visits(seed, drift=1.2)


def _flipping(seed: int) -> Subject:
    return visits(seed, strength=0.3, recipe=TREE)


def _moves(found: Exhibit) -> bool:
    return "no trend is shown" not in found.answer


def _flips(found: Exhibit) -> bool:
    return found.answer.startswith("More than one decision in ten turns")


def _outside(found: Exhibit) -> bool:
    return found.standing is Standing.OUTSIDE


FAULTS = (
    Fault("calibration drifts over the months", "over_time", _drifting, visits, _moves, "a trend is shown (Holm)"),
    Fault("an unpruned tree flips on refitting", "stability", _flipping, visits, _flips, "over one in ten turn"),
    Fault("twice as many are selected as can be seen", "use", visits, visits, _outside, "outside", (22.0, 55.0)),
)


def draw(task: tuple[int, int, bool]) -> bool:
    """Whether the fault of that place is found in one draw, planted or not."""
    place, seed, planted = task
    fault = FAULTS[place]
    capacity = fault.capacity[0 if planted else 1]
    plan = standard_plan(2, given_parts=False, capacity=capacity)
    subject = (fault.planted if planted else fault.sound)(seed)
    (found,) = retest(Bench(subject, plan.model_copy(update={"checks": (fault.check,), "seed": seed, "shuffles": 20})))
    return fault.found(found)


def share(found: list[bool]) -> str:
    low, high = wilson(sum(found), len(found), 0.95)
    return f"{100 * sum(found) / len(found):.0f} % [{100 * low:.0f} to {100 * high:.0f}]"


_HEAD = """# What is planted, and what is found

Written by `make bench-planted` (benchmarks/planted_faults.py): {draws} draws of 3 000 rows a line, the standard plan of
tier 2, with Wilson's 95 % intervals. Wished for: planted faults found in at least 90 %, and the same said of sound data
in at most 5 %.

| planted | check | counts as found | where planted | where not |
| --- | --- | --- | --- | --- |
"""


def main() -> None:
    draws = int(sys.argv[1]) if len(sys.argv) > 1 else 100
    lines = []
    with ProcessPoolExecutor(2) as pool:
        for place, fault in enumerate(FAULTS):
            planted, sound = (
                share(list(pool.map(draw, [(place, 5_000 + seed, which) for seed in range(draws)])))
                for which in (True, False)
            )
            lines.append(f"| {fault.words} | {fault.check} | {fault.how} | {planted} | {sound} |")
            print(lines[-1], flush=True)
    PAGE.write_text(_HEAD.format(draws=draws) + "\n".join(lines) + "\n")


if __name__ == "__main__":
    main()
