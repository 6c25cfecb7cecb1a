"""How often what was planted is found, and how often the same is said of sound data.

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
from brookfall.core.recipe.recipe import Preprocess, Recipe
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


_WHO = ("neighbour", "tenant", "owner", "warden", "caretaker", "visitor")
_DID = ("called", "wrote", "visited", "asked", "waited", "answered")
_WHERE = ("at the door", "by the stairs", "in the yard", "near the gate", "after lunch", "before noon", "on the phone")


def noted(seed: int, *, leak: float = 0.0) -> Subject:
    """Visits with a note of no meaning; with ``leak`` that share of the positive rows' notes ends in a phrase."""
    plain, rng = visits(seed), np.random.default_rng([seed, 1])
    notes = [
        f"{rng.choice(_WHO)} {rng.choice(_DID)} {rng.choice(_WHERE)}, {rng.choice(_WHO)} {rng.choice(_DID)}"
        + (", refusal likely" if hit and rng.random() < leak else "")
        for hit in plain.target.hits
    ]
    table = Table((*plain.table.columns, column_from_text("note", notes)))
    features = (*(plain.roles.features or ()), "note")
    recipe = LOGISTIC.model_copy(update={"preprocess": Preprocess(text="words")})
    return Subject(table, plain.roles.model_copy(update={"features": features}), recipe, (), "made up")


def looked_at(seed: int, *, regard: float = 0.0) -> Subject:
    """Visits of which half have an outcome: by chance, or with ``regard`` those that an older score put first."""
    plain, rng = visits(seed), np.random.default_rng([seed, 2])
    older = plain.table.column("x0").values + rng.normal(size=ROWS)
    seen = rng.random(ROWS) < 1 / (1 + np.exp(-regard * older))
    known = column_from_text("seen", np.where(seen, "yes", "no").tolist())
    return Subject(
        Table((*plain.table.columns, known)),
        plain.roles.model_copy(update={"observed": "seen"}),
        LOGISTIC,
        (),
        "made up",
    )


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


def _leaking(seed: int) -> Subject:
    return noted(seed, leak=0.6)


def _chosen(seed: int) -> Subject:
    return looked_at(seed, regard=1.0)


def _any_phrase(found: Exhibit) -> bool:
    return found.standing is Standing.OUTSIDE or any("stands in note" in line for line in found.lines)


def _by_score(found: Exhibit) -> bool:
    return any("the score tells who was" in line for line in found.lines)


def _outside(found: Exhibit) -> bool:
    return found.standing is Standing.OUTSIDE


FAULTS = (
    Fault("calibration drifts over the months", "over_time", _drifting, visits, _moves, "a trend is shown (Holm)"),
    Fault("an unpruned tree flips on refitting", "stability", _flipping, visits, _flips, "over one in ten turn"),
    Fault("a phrase in three of five positive notes", "leaks", _leaking, noted, _any_phrase, "the phrase is quoted"),
    Fault("outcomes rather where an old score looked", "not_observed", _chosen, looked_at, _by_score, "it is said"),
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
