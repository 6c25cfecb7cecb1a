"""A million new rows scored by three candidates, and reasons against the library's: time, memory, ratios of one run.

Run with ``make bench-new-rows``; writes docs/benchmarks-new-rows.md. Memory is that of all processes of the command.
"""

import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np
import pandas as pd

from benchmarks.million import make_package, most_memory
from brookfall.core.measure.shapley import TreeWithValues, of_trees
from brookfall.core.recipe.family.family import Made, TreeSum
from brookfall.core.recipe.family.fitted_trees import sum_of_leafwise, sum_of_means

OUT = Path(__file__).parent.parent / "docs" / "benchmarks-new-rows.md"
_LEARNED, _COLUMNS, _GB = 10_000, 20, 1e9
_MODELS = ("recipe", "tree", "naive_bayes")


def main() -> None:
    lines = [_scored(rows) for rows in (10, 10_000, 1_000_000)]
    reasons = [_reasons(*one) for one in _families()]
    OUT.write_text(f"""# New rows

Made by `make bench-new-rows`.

## Scored

`brookfall score` by the logistic recipe, a tree and naive Bayes, side by side, fitted on {_LEARNED:,} rows of
{_COLUMNS} columns and ten times over for their sets; from reading both files to the Parquet that is written. Aim at a
million rows: 60 s on one core and 2 GB.

| new rows | time | memory |
|---|---|---|
{chr(10).join(lines)}

## Reasons

Shapley values of 1 000 rows × {_COLUMNS} columns against 100 background rows, in one process and one thread: here, and
by shap's TreeExplainer (interventional). Aim: at most 1.5 times shap's time, sums to 1e-9.

| model | here | shap | ratio | sums are off by, here | shap |
|---|---|---|---|---|---|
{chr(10).join(reasons)}
""")


def _scored(rows: int) -> str:
    with tempfile.TemporaryDirectory() as folder:
        package, new, out = Path(folder) / "package", Path(folder) / "new.parquet", Path(folder) / "scored.parquet"
        make_package(package, "logistic", _LEARNED)
        rng = np.random.default_rng(2)
        table = pd.DataFrame({f"x{place}": rng.normal(size=rows).round(4) for place in range(_COLUMNS)})
        table["sex"] = rng.choice(["f", "m"], rows)
        table.to_parquet(new, index=False)
        command = [sys.executable, "-m", "brookfall.cli", "score", str(package), str(new), "--out", str(out)]
        command += [part for name in _MODELS for part in ("--model", name)]
        started = time.perf_counter()
        running = subprocess.Popen(command, stderr=subprocess.DEVNULL)  # noqa: S603 - our own command
        most = most_memory(running)
        if running.returncode:
            raise RuntimeError(f"it ended with {running.returncode}")
        seconds = time.perf_counter() - started
    line = f"| {rows:,} | {seconds:.1f} s | {most / _GB:.2f} GB |"
    print(line, flush=True)
    return line


def _families() -> list[tuple[str, object, TreeSum, np.ndarray]]:
    from lightgbm import LGBMClassifier
    from sklearn.ensemble import RandomForestClassifier

    rng = np.random.default_rng(3)
    x = rng.normal(size=(3_000, _COLUMNS)).astype(np.float32).astype(np.float64)
    y = (x[:, 0] * x[:, 1] + x[:, 2] > 0).astype(np.int64)
    forest = RandomForestClassifier(100, max_depth=8, random_state=0).fit(x, y)
    boosting = LGBMClassifier(n_estimators=200, num_leaves=15, verbosity=-1, n_jobs=1).fit(x, y)
    made = Made(None, "binary", 0)
    return [
        ("forest of 100 trees, depth 8", forest, sum_of_means(made, forest), x),
        ("LightGBM of 200 trees, 15 leaves", boosting, sum_of_leafwise(made, boosting), x),
    ]


def _reasons(name: str, fitted: object, told: TreeSum, x: np.ndarray) -> str:
    import shap

    rows, background = x[:1_000], x[:100]
    trees = [
        TreeWithValues(grown.left, grown.right, grown.column, grown.threshold, grown.gaps_left, values)
        for grown, values in told.trees
    ]
    began = time.perf_counter()
    ours = of_trees(trees, rows, background, np.arange(x.shape[1]))[..., 0]
    here = time.perf_counter() - began
    began = time.perf_counter()
    explainer = shap.TreeExplainer(fitted, background, feature_perturbation="interventional")
    theirs = np.asarray(explainer.shap_values(rows, check_additivity=False))
    theirs = theirs[..., 1] if theirs.ndim == 3 else theirs
    there = time.perf_counter() - began
    predicted = fitted.predict_proba(rows)[:, 1]  # type: ignore[attr-defined]
    mean = fitted.predict_proba(background)[:, 1]  # type: ignore[attr-defined]
    if told.scale == "log odds":
        predicted, mean = np.log(predicted / (1 - predicted)), np.log(mean / (1 - mean))
    off = [float(np.abs(values.sum(axis=1) + mean.mean() - predicted).max()) for values in (ours, theirs)]
    line = f"| {name} | {here:.1f} s | {there:.1f} s | {here / there:.2f} | {off[0]:.0e} | {off[1]:.0e} |"
    print(line, flush=True)
    return line


if __name__ == "__main__":
    main()
