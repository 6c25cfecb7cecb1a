"""Claims: how often an honest owner is accused, and how often a claim that is too high is caught.

Writes docs/benchmarks-claims.md. Run with ``make bench-claims``.
"""

from collections.abc import Iterable
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from functools import partial
from pathlib import Path

import numpy as np

from brookfall.core.check.bench import Bench
from brookfall.core.check.claims.claims import judged_together
from brookfall.core.check.claims.recompute import needs_of, recomputed
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.evidence.estimate import Verdict
from brookfall.core.fit.execute import execute
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.request import Need, gather
from brookfall.core.measure.registry import measure
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.submission.schema import Claim
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Table

PAGE = Path(__file__).resolve().parents[1] / "docs" / "benchmarks-claims.md"
MEASURES = ("auc", "accuracy", "recall", "brier", "precision", "f1")
PACKAGES, ROWS, TEST = 300, 2_000, 0.3
RECIPES = {
    name: Recipe.model_validate({**told, "threshold": 0.5, "split": {"test": TEST, "seed": 7}})
    for name, told in {
        "logistic": {"family": "logistic"},
        "a shallow tree": {"family": "tree", "settings": {"depth": 4}},
    }.items()
}


def sample(rng: np.random.Generator) -> Subject:
    """Rows of a logistic truth in four numbers."""
    x = rng.normal(size=(ROWS, 4))
    hit = rng.random(ROWS) < 1 / (1 + np.exp(0.6 - x @ np.array([1.0, -0.7, 0.4, 0.0])))
    cells = {f"x{place}": [f"{value:.5f}" for value in x[:, place]] for place in range(4)}
    cells["y"] = ["yes" if one else "no" for one in hit]
    table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    return Subject(table, Roles(target="y"), None, (), "drawn")


def bench_of(subject: Subject, seed: int) -> Bench:
    plan = standard_plan(2, given_parts=False).model_copy(update={"checks": ("claims",), "seed": seed})
    return Bench(subject, plan)


def fitted(bench: Bench, needs: Iterable[Need]) -> MemoryLedger:
    ledger = MemoryLedger()
    for job in gather(list(needs)):
        ledger.keep(execute(job, bench.subject))
    return ledger


def honest(rng: np.random.Generator, subject: Subject) -> dict[str, float]:
    """What an owner measures on a test part of their own split, by a fit of their own."""
    bench = bench_of(subject, int(rng.integers(2**31)))
    ledger = fitted(bench, [bench.submitted.holdout])
    rows = bench.submitted.scored(ledger, "test").scored
    return {name: measure(name, rows).value or 0.0 for name in MEASURES}


def package(family: str, spread: float, seed: int, *, same_rows: bool) -> tuple[list[list[Verdict]], float]:
    """The verdicts on the first one, two ... claims of a package whose claim of AUC is too high by that much, and what
    that claim lies above what it comes out at."""
    rng = np.random.default_rng([seed, same_rows])
    recipe = RECIPES[family]
    owners = replace(sample(rng), recipe=recipe)
    figures = honest(rng, owners)
    figures["auc"] += spread
    claims = tuple(
        Claim(measure=name, part="test", value=f"{min(value, 0.9999):.4f}", n=round(ROWS * TEST))
        for name, value in figures.items()
    )
    submitted = owners if same_rows else replace(sample(rng), recipe=recipe)
    bench = bench_of(replace(submitted, claims=claims), seed)
    ledger = fitted(bench, needs_of(bench, claims))
    found = [recomputed(bench, ledger, claim, 0.95) for claim in claims]
    verdicts = []
    for many in range(1, len(claims) + 1):
        judged = judged_together(claims[:many], found[:many], seed)
        verdicts.append([one.verdict for one in judged.values()])
    return verdicts, figures["auc"] - (found[0][0][1].figure.value or 0.0)


def accused(verdicts: list[Verdict]) -> bool:
    return any(one in ("overstated", "not_reproduced") for one in verdicts)


def measured() -> tuple[list[str], list[str]]:
    kept, caught = [], []
    with ProcessPoolExecutor(2) as pool:
        for family in RECIPES:
            for same_rows in (False, True):
                one = partial(package, family, same_rows=same_rows)
                whose = "the very rows, split otherwise" if same_rows else "other rows"
                found = list(pool.map(partial(one, 0.0), range(PACKAGES), chunksize=10))
                shares = [np.mean([accused(each[many]) for each, _ in found]) for many in range(len(MEASURES))]
                kept.append(f"| {family} | {whose} | " + " | ".join(f"{100 * share:.1f} %" for share in shares) + " |")
                print(kept[-1], flush=True)
                spread = float(np.std([excess for _, excess in found], ddof=1))
                found = list(pool.map(partial(one, 3 * spread), range(PACKAGES), chunksize=10))
                shares = [np.mean([accused(each[many][:1]) for each, _ in found]) for many in range(len(MEASURES))]
                told = " | ".join(f"{100 * share:.0f} %" for share in shares)
                caught.append(f"| {family} | {whose} | {spread:.4f} | {told} |")
                print(caught[-1], flush=True)
    return kept, caught


TEXT = """# Claims: honest owners, and claims that are too high

Written by `make bench-claims` (benchmarks/claims.py): {packages} packages a line, {rows:,} rows each, a logistic truth.
The owner measures on a test part of 30 % and claims with four decimals; the package holds other rows, or the very rows
without the split that was used.

## Honest packages
Aim: at most 5 % have a claim called overstated or not reproduced.

| recipe | submitted are | 1 claim | 2 | 3 | 4 | 5 | 6 |
| --- | --- | --- | --- | --- | --- | --- | --- |
{kept}

## A claim of AUC that is three standard errors of the difference too high
The standard error is that of honest differences in the simulation above. Aim: over 80 % caught for up to three claims.

| recipe | submitted are | standard error | 1 claim | 2 | 3 | 4 | 5 | 6 |
| --- | --- | --- | --- | --- | --- | --- | --- | --- |
{caught}
"""


def main() -> None:
    kept, caught = measured()
    page = TEXT.format(packages=PACKAGES, rows=ROWS, kept="\n".join(kept), caught="\n".join(caught))
    PAGE.write_text(page, encoding="utf-8")


if __name__ == "__main__":
    main()
