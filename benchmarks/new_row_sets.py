"""How often sets of classes and intervals of new rows hold the outcome: by family and class, and where rows shift.

For each family draws of rows to learn from and of new ones; the mean share over the draws. Run with ``make
bench-new-rows``; writes docs/coverage-new-rows.md.
"""

import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from brookfall.core.measure.scored import Numbers
from brookfall.core.new_rows.learned import models_asked
from brookfall.core.new_rows.match import match_rows
from brookfall.core.new_rows.score import COVERAGE, ModelScores, score_new_rows
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_of_levels
from brookfall.core.table.outcome import Outcome
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Column, Table

OUT = Path(__file__).parent.parent / "docs" / "coverage-new-rows.md"
DRAWS, NEW = 40, 2_000
_COLUMNS = 6


@dataclass(frozen=True)
class Drawn:
    """A made-up population: its outcome, rows to learn from, families, and what rows' outcomes are."""

    name: str
    outcome: Outcome
    rows: int
    families: tuple[str, ...]
    outcomes: Callable[[Numbers, np.random.Generator], Numbers]


def _sums(x: Numbers) -> Numbers:
    return np.asarray(x[:, 0] - 0.7 * x[:, 1] + 0.5 * x[:, 2] * (x[:, 3] > 0))


def _binary(shift: float) -> Callable[[Numbers, np.random.Generator], Numbers]:
    def drawn(x: Numbers, rng: np.random.Generator) -> Numbers:
        return (rng.random(len(x)) < 1 / (1 + np.exp(-(_sums(x) + shift)))).astype(np.float64)

    return drawn


def _three(x: Numbers, rng: np.random.Generator) -> Numbers:
    noisy = np.column_stack([_sums(x), x[:, 4] + 0.5, 0.3 * x[:, 5]]) + rng.gumbel(size=(len(x), 3))
    return noisy.argmax(axis=1).astype(np.float64)


def _number(x: Numbers, rng: np.random.Generator) -> Numbers:
    return np.asarray(_sums(x) + rng.normal(size=len(x)))


_CLASSES = ("logistic", "tree", "nearest_neighbours", "gradient_boosting", "naive_bayes")
POPULATIONS = (
    Drawn("yes/no, half positive", "binary", 600, _CLASSES, _binary(0.0)),
    Drawn("yes/no, 4 % positive", "binary", 2_000, _CLASSES, _binary(-3.9)),
    Drawn("three classes", "multiclass", 900, _CLASSES, _three),
    Drawn("number", "number", 500, ("linear", "tree", "nearest_neighbours", "gradient_boosting"), _number),
)


def main() -> None:
    tasks = [(place, family, seed) for place, one in enumerate(POPULATIONS) for family in one.families
             for seed in range(DRAWS)]  # fmt: skip
    with ProcessPoolExecutor(2) as pool:
        found = dict(zip(tasks, pool.map(draw, tasks, chunksize=8), strict=True))
    lines = []
    for place, one in enumerate(POPULATIONS):
        classes = {"binary": ("no", "yes"), "multiclass": ("a", "b", "c")}.get(one.outcome, ())
        heads = [*(f"held, {name}" for name in classes), "held, all", "classes a set" if classes else "width"]
        lines += [f"## {one.name}, {one.rows} rows learned from", "", f"| family | {' | '.join(heads)} | under shift |"]
        lines.append("|---" * (len(heads) + 2) + "|")
        for family in one.families:
            draws = np.array([found[place, family, seed] for seed in range(DRAWS)])
            *shares, size, shifted = draws.mean(axis=0)
            cells = [_share(share) for share in shares] + [f"{size:.2f}", _share(shifted)]
            lines.append(f"| {family.replace('_', ' ')} | {' | '.join(cells)} |")
            print(one.name, lines[-1], flush=True)
        lines.append("")
    OUT.write_text(f"""# How often sets and intervals of new rows hold the outcome

Made by `make bench-new-rows`: {DRAWS} draws of rows to learn from, {NEW:,} new rows each, asked for {COVERAGE:.0%};
the mean share over the draws, under 88 % in bold. Sets are made for each class by itself. *Under shift* the new rows
come with all columns moved by one standard deviation: there nothing is promised, and the page says so.

{chr(10).join(lines)}""")


def _share(value: float) -> str:
    return f"**{value:.1%}**" if value < 0.88 else f"{value:.1%}"


def draw(task: tuple[int, str, int]) -> list[float]:
    """Of one draw: the share held of each class, and of all rows; how large sets are; the share held under shift."""
    place, family, seed = task
    one = POPULATIONS[place]
    rng = np.random.default_rng([place, seed])
    known, new = rng.normal(size=(one.rows, _COLUMNS)), rng.normal(size=(NEW, _COLUMNS))
    moved = rng.normal(size=(NEW, _COLUMNS)) + 1
    outcomes = [one.outcomes(x, rng) for x in (known, new, moved)]
    names = {"binary": ["no", "yes"], "multiclass": ["a", "b", "c"]}.get(one.outcome)
    target = (
        Column("y", "number", outcomes[0])
        if names is None
        else column_of_levels("y", outcomes[0].astype(np.int32), names, "category")
    )
    recipe = Recipe(family=family, threshold=0.5 if one.outcome == "binary" else None)
    table = Table((*_columns(known), target))
    subject = Subject(
        table,
        Roles(target="y", positive="yes" if one.outcome == "binary" else None),
        recipe,
        (),
        "rows.csv",
        one.outcome,
    )
    rows = match_rows(subject, Table(_columns(np.vstack([new, moved]))), "new.csv")
    (scores,) = score_new_rows(rows, models_asked(subject, ["recipe"]), seed=seed, explain=False).models
    held, sizes = _held(scores, np.concatenate(outcomes[1:]))
    truth, as_known = outcomes[1], held[:NEW]
    shares = [float(as_known[truth == value].mean()) for value in range(len(names or []))]
    return [*shares, float(as_known.mean()), float(sizes[:NEW].mean()), float(held[NEW:].mean())]


def _columns(x: Numbers) -> tuple[Column, ...]:
    return tuple(Column(f"x{place}", "number", np.ascontiguousarray(x[:, place])) for place in range(x.shape[1]))


def _held(scores: ModelScores, truth: Numbers) -> tuple[Numbers, Numbers]:
    """Whether each row's outcome is held, and by how wide an interval, or how many classes."""
    if scores.low is not None and scores.high is not None:
        inside = (scores.low <= truth) & (truth <= scores.high)
        return inside.astype(np.float64), scores.high - scores.low
    if scores.sets is None:
        raise ValueError("there is neither a set nor an interval")
    of_truth = scores.sets[np.arange(len(truth)), truth.astype(np.int64)]
    return of_truth.astype(np.float64), scores.sets.sum(axis=1).astype(np.float64)


if __name__ == "__main__":
    sys.exit(main())
