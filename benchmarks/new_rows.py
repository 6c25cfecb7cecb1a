"""A million new rows scored by three candidates, and reasons against the library's: time, memory, ratios of one run.

Run with ``make bench-new-rows``; writes docs/benchmarks-new-rows.md. Memory is that of all processes of the command.
"""

import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from functools import partial
from pathlib import Path

import numpy as np
import onnxruntime
import pandas as pd
from skl2onnx import to_onnx
from sklearn.ensemble import GradientBoostingClassifier, RandomForestClassifier
from sklearn.linear_model import LogisticRegression

from benchmarks.million import make_package, most_memory
from brookfall.core.measure.shapley import TreeWithValues, of_trees
from brookfall.core.recipe.family.family import Made, TreeSum
from brookfall.core.recipe.family.fitted_trees import sum_of_leafwise, sum_of_means
from brookfall.core.recipe.onnx_graph import graph_of
from brookfall.core.submission.schema import Artifact
from brookfall.core.table.table import Column
from brookfall.sandbox.fitted_models import ConfinedModel

OUT = Path(__file__).parent.parent / "docs" / "benchmarks-new-rows.md"
_LEARNED, _COLUMNS, _GB, _ASKED = 10_000, 20, 1e9, 200_000
_MODELS = ("recipe", "tree", "naive_bayes")


def main() -> None:
    lines = [_scored(rows) for rows in (10, 10_000, 1_000_000)]
    reasons = [_reasons(*one) for one in _families()]
    fitted = list(_fitted_models())
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

## Fitted models

{_ASKED:,} rows × {_COLUMNS} columns scored by a fitted model in ONNX: in the sandbox, as exhibits and new rows ask it,
and by onnxruntime in this process, on one thread each; the child's start is not counted (0.3 to 0.6 s, once for a piece
of work). Aim: no less than half of onnxruntime's speed.

| model | in the sandbox | onnxruntime | speed | scores differ by |
|---|---|---|---|---|
{chr(10).join(fitted)}
""")


def _fitted_models() -> Iterator[str]:
    """Each model, its scores given as a tensor and as a map a row."""
    rng = np.random.default_rng(5)
    x = rng.normal(size=(2_000, _COLUMNS)).astype(np.float32)
    y = (x[:, 0] + rng.normal(size=len(x)) > 0).astype(int)
    rows = rng.normal(size=(_ASKED, _COLUMNS))
    for words, model in (
        ("logistic regression", LogisticRegression()),
        ("boosted trees, 100 of depth 3", GradientBoostingClassifier(n_estimators=100)),
        ("forest, 100 trees of depth 8", RandomForestClassifier(100, max_depth=8, random_state=0)),
    ):
        for form, as_maps in (("a tensor", False), ("a map a row", True)):
            data = to_onnx(model.fit(x, y), x[:1], options={"zipmap": as_maps}).SerializeToString()
            yield _asked(f"{words}, {form}", data, rows)


def _asked(words: str, data: bytes, rows: np.ndarray) -> str:
    columns = [Column(f"x{place}", "number", np.empty(0), ()) for place in range(_COLUMNS)]
    model = ConfinedModel(partial(bytes, data), Artifact(path="m.onnx", graph=graph_of(data, "m.onnx")))
    options = onnxruntime.SessionOptions()
    options.intra_op_num_threads = 1
    session = onnxruntime.InferenceSession(data, options)
    output = session.get_outputs()[1].name
    with model(columns, "binary", ("no", "yes")) as ask:
        ask(rows[:100])
        begun = time.perf_counter()
        ours = ask(rows)
        here = time.perf_counter() - begun
    begun = time.perf_counter()
    (theirs,) = session.run([output], {session.get_inputs()[0].name: rows.astype(np.float32)})
    bare = time.perf_counter() - begun
    plain = np.array([one[1] for one in theirs]) if isinstance(theirs, list) else theirs[:, 1]
    apart = float(np.abs(ours - plain).max())
    return f"| {words} | {here:.2f} s | {bare:.2f} s | {bare / here:.2f} | {apart:.1g} |"


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
