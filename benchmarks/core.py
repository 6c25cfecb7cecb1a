"""The core's speed beside the code a user would otherwise write with scikit-learn or fairlearn.

Each pair runs in one process, threads pinned to one (two where the table says two cores), results compared. Written
to docs/benchmarks.md. Run with ``make bench``.
"""

import os
import platform
import time
import tracemalloc
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from functools import partial
from itertools import pairwise
from pathlib import Path
from typing import TypeVar

import fairlearn.metrics as fair
import numpy as np
import pandas as pd
import sklearn.metrics as reference
from sklearn.linear_model import LinearRegression, Ridge
from sklearn.model_selection import GridSearchCV, LeaveOneOut, cross_val_predict
from sklearn.neighbors import KNeighborsClassifier
from sklearn.tree import DecisionTreeClassifier
from threadpoolctl import threadpool_limits

from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.fit.execute import execute
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.request import DialReading, FitJob, LeftOutReading, Reading
from brookfall.core.fit.run import run_fits
from brookfall.core.measure import group_spread, rank_measures
from brookfall.core.measure.registry import measure
from brookfall.core.measure.scored import Scored
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.resample.folds import k_folds
from brookfall.core.retest.run import ask, evaluate, jobs_of
from brookfall.core.submission.subject import Subject
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Column, Table

PAGE = Path(__file__).resolve().parents[1] / "docs" / "benchmarks.md"
PICTURE = PAGE.parent / "benchmarks-growth.svg"
_RESAMPLES = 1000
Result = TypeVar("Result")


@dataclass(frozen=True)
class Line:
    """One comparison: seconds here and there, and how the results were found to agree."""

    work: str
    against: str
    ours: float
    theirs: float
    aim: str
    agree: str

    @property
    def ratio(self) -> float:
        return self.theirs / self.ours


def clocked(act: Callable[[], Result], times: int = 1) -> tuple[float, Result]:
    """The shortest of several runs, and its result."""
    best, result = float("inf"), None
    for _ in range(times):
        started = time.perf_counter()
        result = act()
        best = min(best, time.perf_counter() - started)
    return best, result  # type: ignore[return-value]


def scored(n: int, seed: int = 1) -> Scored:
    rng = np.random.default_rng(seed)
    y = rng.random(n) < 0.2
    s = 1 / (1 + np.exp(-(rng.normal(size=n) + 1.2 * y - 1.5)))
    return Scored(key=f"bench {n}", outcomes=y, scores=s, threshold=0.3)


def problem(n: int, p: int, outcome: str, seed: int = 2) -> tuple[np.ndarray, np.ndarray]:
    rng = np.random.default_rng(seed)
    x = rng.normal(size=(n, p))
    signal = x @ rng.normal(size=p) / np.sqrt(p) + np.sin(2 * x[:, 0])
    noisy = signal + rng.normal(size=n)
    return x, noisy if outcome == "number" else (noisy > 0.4).astype(int)


def subject_of(x: np.ndarray, y: np.ndarray, recipe: Recipe, outcome: str) -> Subject:
    columns = [Column(f"x{i}", "number", x[:, i].copy()) for i in range(x.shape[1])]
    columns.append(Column("y", "number", y.astype(np.float64)))
    return Subject(Table(tuple(columns)), Roles(target="y"), recipe, (), "bench", outcome)  # type: ignore[arg-type]


def job(subject: Subject, train: np.ndarray, reading: Reading) -> FitJob:
    plan = standard_plan(3, outcome=subject.outcome, given_parts=False)
    return FitJob(Bench(subject, plan).fit(train), (reading,))


def read(work: FitJob, subject: Subject) -> np.ndarray:
    result = execute(work, subject)
    if result.failure:
        raise RuntimeError(result.failure)
    return result.readings[work.readings[0].key]


def auc_interval() -> list[Line]:
    rows = scored(100_000)
    few = 20
    rng = np.random.default_rng(3)

    def theirs() -> list[float]:
        found = []
        for _ in range(few):
            pick = rng.integers(0, len(rows), len(rows))
            found.append(reference.roc_auc_score(rows.outcomes[pick], rows.scores[pick]))
        return found

    slow, sample = clocked(theirs)
    slow *= _RESAMPLES / few
    fast, figure = clocked(lambda: measure("auc", rows), 5)
    low, high = figure.interval(0.95) or (0.0, 0.0)
    middle, drawn = clocked(lambda: _on_two_threads(rows), 2)
    spreads = f"SD {np.std(drawn):.5f} by resamples, {(high - low) / 3.92:.5f} by DeLong"
    spreads += f", {np.std(sample):.5f} by {few} of theirs"
    return [
        Line(
            "AUC interval, 100 000 rows, DeLong",
            "roc_auc_score on 1 000 resamples (scaled from 20)",
            fast,
            slow,
            "2 000",
            spreads,
        ),
        Line("AUC, 1 000 resamples, 100 000 rows, two cores", "the same", middle, slow, "20", spreads),
    ]


def _on_two_threads(rows: Scored) -> np.ndarray:
    other = Scored(key="other half", outcomes=rows.outcomes, scores=rows.scores, threshold=0.5)
    with ThreadPoolExecutor(2) as pool:
        return np.concatenate(
            list(pool.map(lambda one: rank_measures.rank_draws("auc", one, _RESAMPLES // 2), (rows, other)))
        )


NAMES = (
    "accuracy",
    "error_rate",
    "selection_rate",
    "true_positive_rate",
    "false_positive_rate",
    "true_negative_rate",
    "false_negative_rate",
    "precision",
    "balanced_accuracy",
    "f1",
    "mcc",
    "kappa",
)


def group_counts() -> list[Line]:
    rows = scored(100_000)
    group = np.random.default_rng(4).integers(0, 8, len(rows))
    theirs = {
        "accuracy": reference.accuracy_score,
        "error_rate": reference.zero_one_loss,
        "selection_rate": fair.selection_rate,
        "true_positive_rate": fair.true_positive_rate,
        "false_positive_rate": fair.false_positive_rate,
        "true_negative_rate": fair.true_negative_rate,
        "false_negative_rate": fair.false_negative_rate,
        "precision": reference.precision_score,
        "balanced_accuracy": reference.balanced_accuracy_score,
        "f1": reference.f1_score,
        "mcc": reference.matthews_corrcoef,
        "kappa": reference.cohen_kappa_score,
    }
    few = 4

    def by_hand() -> pd.DataFrame:
        return fair.MetricFrame(
            metrics=theirs,
            y_true=rows.outcomes,
            y_pred=rows.decisions,
            sensitive_features=group,
            n_boot=few,
            ci_quantiles=[0.025, 0.975],
            random_state=1,
        ).by_group

    def ours() -> tuple[np.ndarray, np.ndarray]:
        cells = group_spread.joint_cells(rows, group, 8)
        drawn = group_spread.resampled(NAMES, cells, _RESAMPLES, np.random.default_rng(5))
        return group_spread.of_cells(NAMES, cells), np.quantile(drawn, [0.025, 0.975], axis=1)

    slow, frame = clocked(by_hand)
    fast, (values, _) = clocked(ours, 3)
    same = np.abs(values.T - frame[list(NAMES)].to_numpy()).max()
    title = "12 count measures × 8 groups, 1 000 resamples, 100 000 rows"
    return [
        Line(
            title,
            "MetricFrame, n_boot (scaled from 4)",
            fast,
            slow * _RESAMPLES / few,
            "1 000",
            f"values equal to {same:.0e}",
        )
    ]


def left_out() -> list[Line]:
    x, y = problem(2000, 10, "binary")
    subject = subject_of(x, y, Recipe(family="nearest_neighbours", settings={"k": 15}), "binary")
    rows = np.arange(2000)
    model = KNeighborsClassifier(15, n_jobs=1)
    slow, theirs = clocked(lambda: cross_val_predict(model, x, y, cv=LeaveOneOut(), method="predict_proba")[:, 1])
    work = job(subject, rows, LeftOutReading(rows))
    fast, ours = clocked(lambda: read(work, subject), 3)
    lines = [
        Line(
            "leave-one-out, nearest neighbours, 2 000 rows",
            "cross_val_predict",
            fast,
            slow,
            "300",
            f"equal to {np.abs(ours - theirs).max():.0e}",
        )
    ]
    x, y = problem(2000, 30, "number")
    for family, estimator in (("linear", LinearRegression()), ("ridge", Ridge(alpha=1.0))):
        subject = subject_of(x, y, Recipe(family=family), "number")
        slow, theirs = clocked(lambda estimator=estimator: cross_val_predict(estimator, x, y, cv=LeaveOneOut()))
        work = job(subject, rows, LeftOutReading(rows))
        fast, ours = clocked(partial(read, work, subject), 5)
        same = f"equal to {np.abs(ours - theirs).max():.0e}"
        lines.append(Line(f"leave-one-out, {family}, 2 000 rows × 30", "cross_val_predict", fast, slow, "2 000", same))
    return lines


def dials() -> list[Line]:
    x, y = problem(5000, 10, "binary")
    subject = subject_of(x, y, Recipe(family="nearest_neighbours"), "binary")
    layout = subject.layout(stratified=True)
    folds = k_folds(layout, 10, 1, 1)
    pairs = [(fold.train, fold.test) for fold in folds]
    ks = (5, 7, 15, 25, 50, 100, 200, 300)
    grid = GridSearchCV(KNeighborsClassifier(n_jobs=1), {"n_neighbors": ks}, cv=pairs, scoring="accuracy", refit=False)
    slow, _ = clocked(lambda: grid.fit(x, y))

    def neighbours() -> np.ndarray:
        right = []
        for fold in folds:
            scores = read(job(subject, fold.train, DialReading(fold.test, tuple(map(float, ks)))), subject)
            right.append(((scores > 0.5) == (y[fold.test] == 1)[:, None]).mean(axis=0))
        return np.mean(right, axis=0)

    fast, ours = clocked(neighbours, 2)
    same = np.abs(ours - grid.cv_results_["mean_test_score"]).max()
    lines = [
        Line(
            "nearest neighbours, 8 values of k, 10 folds, 5 000 rows",
            "GridSearchCV",
            fast,
            slow,
            "4",
            f"accuracies equal to {same:.0e}",
        )
    ]
    subject = subject_of(x, y, Recipe(family="tree"), "binary")
    path = DecisionTreeClassifier(random_state=0).fit(x, y).cost_complexity_pruning_path(x, y).ccp_alphas
    # Clear of the links themselves, where rounding decides which tree is the pruned one.
    every = np.sqrt(np.maximum(path[:-1], 1e-9) * np.maximum(path[1:], 1e-9)) * 1.0000001
    thirty = every[np.linspace(0, len(every) - 1, 30).astype(int)]
    grid = GridSearchCV(
        DecisionTreeClassifier(random_state=0), {"ccp_alpha": thirty}, cv=pairs, scoring="accuracy", refit=False
    )
    slow, _ = clocked(lambda: grid.fit(x, y))

    def pruned() -> np.ndarray:
        right = []
        for fold in folds:
            scores = read(job(subject, fold.train, DialReading(fold.test, tuple(every.tolist()))), subject)
            right.append(((scores > 0.5) == (y[fold.test] == 1)[:, None]).mean(axis=0))
        return np.mean(right, axis=0)

    fast, ours = clocked(pruned, 2)
    mine = ours[np.searchsorted(every, thirty)]
    same = np.abs(mine - grid.cv_results_["mean_test_score"]).max()
    lines.append(
        Line(
            f"tree, {len(every)} prunings, 10 folds, 5 000 rows",
            "GridSearchCV over 30 values",
            fast,
            slow,
            "10",
            f"accuracies equal to {same:.0e}",
        )
    )
    return lines


FAMILIES = ("logistic", "tree", "forest", "gradient_boosting", "nearest_neighbours")


def plans() -> list[Line]:
    """Five families' standard plans: everything a plan does, against its distinct fits alone."""
    x, y = problem(10_000, 30, "binary")
    rng = np.random.default_rng(6)
    grounds = [
        Column(name, "category", rng.integers(0, k, 10_000).astype(np.int32), tuple(f"{name} {i}" for i in range(k)))
        for name, k in (("sex", 2), ("age_band", 4))
    ]
    lines, whole, alone = [], 0.0, 0.0
    for family in FAMILIES:
        columns = subject_of(x, y, Recipe(family=family), "binary").table.columns
        roles = Roles(target="y", positive="1", protected=("sex", "age_band"))
        subject = Subject(Table((*columns, *grounds)), roles, Recipe(family=family, seed=1), (), "bench")
        bench = Bench(subject, standard_plan(2, given_parts=False))
        started = time.perf_counter()
        asked = ask(bench)
        jobs = jobs_of(asked)
        laid = time.perf_counter() - started
        ledger = MemoryLedger()

        def fits(jobs=jobs, subject=subject, ledger=ledger) -> None:
            for result in run_fits(jobs, subject):
                ledger.keep(result)

        seconds, _ = clocked(fits)
        more, _ = clocked(
            lambda asked=asked, bench=bench, ledger=ledger: [evaluate(one, bench, ledger) for one in asked]
        )
        alone += seconds
        whole += seconds + more + laid
        lines.append(
            Line(
                f"standard plan, 10 000 × 30, {family}",
                f"its {len(jobs)} fits alone",
                seconds + more + laid,
                seconds,
                "–",
                f"{1000 * more:.0f} ms to evaluate",
            )
        )
    ratio = f"{whole / alone:.3f} times the fits alone"
    return [
        Line(
            "standard plan, 10 000 × 30, five families",
            "the distinct fits alone",
            whole,
            alone,
            "at most 1.15 times",
            ratio,
        ),
        *lines,
    ]


def growth() -> tuple[list[tuple[int, float, float, float]], float]:
    """Seconds for AUC, for a full set of measures, and for an audit of 20 groups, from 10⁴ to 10⁶ rows; and MB."""
    found = []
    for n in (10_000, 30_000, 100_000, 300_000, 1_000_000):
        rows = scored(n)
        group = np.random.default_rng(7).integers(0, 20, n)
        one, _ = clocked(lambda rows=rows: measure("auc", rows).interval(0.95))
        every, _ = clocked(
            lambda rows=rows: [
                measure(name, rows).interval(0.95)
                for name in (*NAMES, "auc", "brier", "log_loss", "calibration_slope", "average_precision")
            ]
        )
        audit, _ = clocked(lambda rows=rows, group=group: _audit(rows, group))
        found.append((n, one, every, audit))
    tracemalloc.start()
    rows = scored(1_000_000)
    _audit(rows, np.random.default_rng(7).integers(0, 20, len(rows)))
    peak = tracemalloc.get_traced_memory()[1] / 1e6
    tracemalloc.stop()
    return found, peak


def _audit(rows: Scored, group: np.ndarray) -> None:
    order = np.argsort(group, kind="stable")
    ends = np.searchsorted(group[order], np.arange(21))
    for start, end in pairwise(ends.tolist()):
        part = rows.take(order[start:end], f"group {start}")
        for name in (*NAMES, "auc", "mean_score", "calibration_slope"):
            measure(name, part).interval(0.95)


def draw_growth(found: list[tuple[int, float, float, float]]) -> None:
    from matplotlib.figure import Figure

    figure = Figure(figsize=(6, 3.4))
    axes = figure.add_axes((0.1, 0.15, 0.85, 0.78))
    for place, label in enumerate(
        ("AUC with its interval", "17 measures with intervals", "20 groups × 15 measures"), start=1
    ):
        axes.loglog([line[0] for line in found], [line[place] for line in found], "o-", label=label)
    axes.set_xlabel("rows")
    axes.set_ylabel("seconds")
    axes.grid(alpha=0.3)
    axes.legend(frameon=False)
    figure.savefig(PICTURE, format="svg", metadata={"Date": None})


def main() -> None:
    with threadpool_limits(1):
        measure_all()


def measure_all() -> None:
    lines = [*auc_interval(), *group_counts(), *left_out(), *dials(), *plans()]
    found, peak = growth()
    draw_growth(found)
    PAGE.write_text(page(lines, found, peak), encoding="utf-8")
    for line in lines:
        print(f"{line.work:<60} {line.ours:>9.4f} s {line.ratio:>9.1f} times  aim {line.aim}; {line.agree}")


def page(lines: list[Line], found: list[tuple[int, float, float, float]], peak: float) -> str:
    machine = f"{os.cpu_count()} cores, Python {platform.python_version()}, NumPy {np.__version__}"
    said = [
        "# How fast the core is",
        "",
        "Made by `make bench`. Each line sets the core beside the code that one would otherwise write with "
        "scikit-learn or fairlearn, in one run on one machine, one thread on both sides unless two cores are named. "
        f"The machine: {machine}.",
        "",
        "| work | against | here | there | times faster | aim | results |",
        "|---|---|---|---|---|---|---|",
    ]
    said += [
        f"| {line.work} | {line.against} | {line.ours:.4f} s | {line.theirs:.2f} s | {line.ratio:,.2f} | {line.aim} "
        f"| {line.agree} |"
        for line in lines
    ]
    said += ["", "## How cost grows", "", "![seconds by rows](benchmarks-growth.svg)", ""]
    said += [
        "| rows | AUC with its interval | 17 measures with intervals | 20 groups × 15 measures |",
        "|---|---|---|---|",
    ]
    said += [f"| {n:,} | {one:.3f} s | {every:.2f} s | {audit:.2f} s |" for n, one, every, audit in found]
    said += ["", f"A million rows in 20 groups take {peak:.0f} MB at the most, the scores themselves included.", ""]
    return "\n".join(said)


if __name__ == "__main__":
    main()
