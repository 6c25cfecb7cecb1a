"""How often intervals over folds hold the truth when the recipe is fitted anew on each sample.

For three recipes and sample sizes: the gap of training to out-of-fold AUC, and the difference in AUC of two recipes, by
the corrected t over 10 folds and by 10 folds three times over, beside the intervals that take the fits as given. Truth
is that of the recipe (the mean over all samples, each fit measured on 10 000 further rows), and of the very model that
was fitted to all rows. ``make bench-refits`` writes docs/coverage-refits.md.
"""

import sys
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from pathlib import Path
from typing import Any

import numpy as np
from sklearn.linear_model import LogisticRegression
from sklearn.model_selection import StratifiedKFold
from sklearn.tree import DecisionTreeClassifier

from brookfall.core.measure.figure import Figure
from brookfall.core.measure.paired_tests import corrected_difference
from brookfall.core.measure.ranking import auc, auc_difference
from brookfall.core.measure.scored import Numbers, Outcomes, Scored

OUT = Path(__file__).parent.parent / "docs" / "coverage-refits.md"
SIZES = (200, 500, 2000)
FOLDS, REPEATS, FURTHER = 10, 3, 10_000


def _boosting() -> Any:
    import lightgbm

    return lightgbm.LGBMClassifier(n_estimators=30, num_leaves=8, verbose=-1, n_jobs=1, random_state=1)


RECIPES: dict[str, Callable[[], Any]] = {
    "logistic": lambda: LogisticRegression(C=np.inf, tol=1e-8, max_iter=1000),
    "tree": lambda: DecisionTreeClassifier(max_leaf_nodes=8, random_state=1),
    "boosting": _boosting,
}


def rows(n: int, rng: np.random.Generator) -> tuple[Numbers, Outcomes]:
    """Eight columns of which four tell something of the outcome."""
    x = rng.normal(size=(n, 8))
    risk = 1 / (1 + np.exp(-(x[:, 0] - 0.7 * x[:, 1] + 0.5 * x[:, 2] * (x[:, 3] > 0) - 0.4)))
    return x, rng.random(n) < risk


def area(outcomes: Outcomes, scores: Numbers) -> float:
    value = auc(_scored(outcomes, scores)).value
    return float("nan") if value is None else value


def _scored(outcomes: Outcomes, scores: Numbers) -> Scored:
    return Scored(key="refits", outcomes=outcomes, scores=scores, threshold=0.5)


def sample(task: tuple[int, int]) -> dict[str, Any]:
    """What one sample of so many rows says, by recipe: folds' scores, and the truth of these fits."""
    n, seed = task
    rng = np.random.default_rng([n, seed])
    x, y = rows(n, rng)
    further, outcomes = rows(FURTHER, rng)
    found: dict[str, Any] = {}
    for name, make in RECIPES.items():
        gaps, held, true, pooled = [], [], [], np.full(n, np.nan)
        for repeat in range(REPEATS):
            for train, test in StratifiedKFold(FOLDS, shuffle=True, random_state=seed * 10 + repeat).split(x, y):
                made = make().fit(x[train], y[train])
                scores, own = made.predict_proba(x[test])[:, 1], made.predict_proba(x[train])[:, 1]
                held.append(area(y[test], scores))
                gaps.append(area(y[train], own) - held[-1])
                if repeat == 0:
                    pooled[test] = scores
                if repeat == 0 and len(true) < 2:
                    true.append((area(y[train], own), area(outcomes, made.predict_proba(further)[:, 1])))
        whole = make().fit(x, y)
        on_all = whole.predict_proba(x)[:, 1]
        found[name] = {
            "gaps": np.array(gaps),
            "held": np.array(held),
            "true": np.array(true).mean(axis=0),
            "pooled": pooled,
            "seen": on_all,
            "own_gap": area(y, on_all) - area(outcomes, whole.predict_proba(further)[:, 1]),
        }
    return {"y": y, **found}


def _held(figures: list[Figure], truths: list[float]) -> tuple[float, float]:
    """The share of 95 % intervals that hold the truth, and their mean width."""
    ends = np.array([figure.interval(0.95) for figure in figures])
    inside = (ends[:, 0] <= truths) & (truths <= ends[:, 1])
    return float(inside.mean()), float((ends[:, 1] - ends[:, 0]).mean())


def _told(held: float, width: float) -> str:
    share = f"{100 * held:.1f} %"
    return f"{share if held >= 0.93 else f'**{share}**'} | {width:.3f}"


def table_of(n: int, samples: list[dict[str, Any]]) -> list[str]:
    lines = [
        f"## {n} rows\n",
        "| what | truth | 10 × 1: held | width | 10 × 3: held | width | fits as given: held | width |",
        "|---|---|---|---|---|---|---|---|",
    ]

    def line(what: str, truth: str, truths: list[float], folds: list[Numbers], given: list[Figure]) -> None:
        cells = []
        for count in (FOLDS, FOLDS * REPEATS):
            figures = [corrected_difference(one[:count], n, 1 / (FOLDS - 1), share=True) for one in folds]
            cells.append(_held(figures, truths))
        cells.append(_held(given, truths))
        lines.append(f"| {what} | {truth} | {' | '.join(_told(*cell) for cell in cells)} |")

    for name in RECIPES:
        mine = [one[name] for one in samples]
        gaps = [one["gaps"] for one in mine]
        given = [
            auc_difference(_scored(one["y"], one[name]["seen"]), _scored(one["y"], one[name]["pooled"]))
            for one in samples
        ]
        expected = float(np.mean([one["true"][0] - one["true"][1] for one in mine]))
        line(f"gap, {name}", "the recipe's", [expected] * len(mine), gaps, given)
        line(f"gap, {name}", "this model's", [one["own_gap"] for one in mine], gaps, given)
    for first, second in (("logistic", "tree"), ("logistic", "boosting"), ("boosting", "tree")):
        pairs = [(one[first], one[second]) for one in samples]
        given = [
            auc_difference(_scored(one["y"], one[first]["pooled"]), _scored(one["y"], one[second]["pooled"]))
            for one in samples
        ]
        expected = float(np.mean([a["true"][1] - b["true"][1] for a, b in pairs]))
        line(
            f"{first} less {second}",
            "the recipes'",
            [expected] * len(pairs),
            [a["held"] - b["held"] for a, b in pairs],
            given,
        )
    return [*lines, ""]


def main() -> None:
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 500
    out = [
        "# How often intervals over folds hold the truth when recipes are fitted anew\n",
        f"Made by `make bench-refits`: {count} samples of each size, each fit measured on {FURTHER} further rows; AUC; "
        "the corrected resampled t over 10 folds, once and three times over, beside DeLong's interval on pooled "
        "out-of-fold rows, which takes the fits as given and judges nothing. Under 93 % in bold; a share of 500 has a "
        "standard error of one point. Logistic regression of eight columns, a tree of eight leaves, boosting of 30 "
        "trees.\n",
    ]
    with ProcessPoolExecutor() as pool:
        for n in SIZES:
            out += table_of(n, list(pool.map(sample, [(n, seed) for seed in range(count)], chunksize=5)))
    OUT.write_text("\n".join(out))


if __name__ == "__main__":
    main()
