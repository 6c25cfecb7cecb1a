"""Speed of the checks of memory and sense beside scikit-learn, and how well the label check finds planted noise.

One process, one thread on both sides. Writes docs/benchmarks-memory.md. Run with ``make bench``.
"""

from collections.abc import Callable
from pathlib import Path

import numpy as np
from sklearn.ensemble import HistGradientBoostingClassifier, RandomForestClassifier
from sklearn.inspection import permutation_importance
from sklearn.linear_model import LogisticRegression
from sklearn.model_selection import StratifiedKFold, permutation_test_score
from sklearn.pipeline import make_pipeline
from sklearn.preprocessing import StandardScaler
from sklearn.tree import DecisionTreeClassifier
from threadpoolctl import threadpool_limits

from benchmarks.core import clocked, problem, subject_of
from brookfall.core.check.bench import Bench
from brookfall.core.check.standard_plan import standard_plan
from brookfall.core.fit.execute import execute
from brookfall.core.fit.ledger import MemoryLedger
from brookfall.core.fit.request import FitJob, InfluenceReading, ScoreReading
from brookfall.core.measure.confident_learning import contradicted, noise
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import ask, evaluate, jobs_of
from brookfall.core.submission.subject import Subject
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Column, Table

PAGE = Path(__file__).resolve().parents[1] / "docs" / "benchmarks-memory.md"
ROWS, SHUFFLES, REPEATS = 5_000, 100, 30


def bench(subject: Subject, *checks: str) -> Bench:
    plan = standard_plan(1, outcome=subject.outcome, given_parts=False)
    # All rows but a sliver are cross-validated, as they are on the other side.
    parts = plan.parts.model_copy(update={"training": 89.0, "validation": 10.0, "test": 1.0})
    return Bench(subject, plan.model_copy(update={"checks": checks, "shuffles": SHUFFLES, "parts": parts}))


def whole(at: Bench) -> str:
    """The first check of the plan from its fits to its exhibit; its answer."""
    (asked,) = ask(at)
    ledger = MemoryLedger()
    for job in jobs_of((asked,)):
        ledger.keep(execute(job, at.subject))
    return evaluate(asked, at, ledger).answer


def _line(work: str, against: str, ours: float, theirs: float, aim: str) -> str:
    return f"| {work} | {against} | {ours:.2f} s | {theirs:.2f} s | {theirs / ours:.1f} | {aim} |"


def shuffled() -> list[str]:
    x, y = problem(ROWS, 20, "binary")
    found = []
    for family, plain, preprocess in (
        ("logistic", make_pipeline(StandardScaler(), LogisticRegression(C=np.inf)), {"scale": "standard"}),
        ("tree", DecisionTreeClassifier(max_depth=6, random_state=0), {}),
    ):
        settings = {"depth": 6} if family == "tree" else {}
        recipe = Recipe.model_validate({"family": family, "settings": settings, "preprocess": preprocess})
        at = bench(subject_of(x, y, recipe, "binary"), "shuffled")
        ours, _ = clocked(lambda at=at: whole(at))  # type: ignore[misc]

        def theirs(plain: object = plain) -> object:
            folds = StratifiedKFold(5, shuffle=True, random_state=0)
            return permutation_test_score(plain, x, y, cv=folds, n_permutations=SHUFFLES, scoring="roc_auc")

        there, _ = clocked(theirs)
        aim = "2.5" if family == "logistic" else "–"
        work = f"shuffled target, {family}, {SHUFFLES} shuffles × 5 folds, {ROWS:,} rows, own rows scored too"
        found.append(_line(work, "permutation_test_score", ours, there, aim))
    return found


def influence() -> list[str]:
    x, y = problem(ROWS, 20, "binary", seed=5)
    train, rows = np.arange(0, ROWS, 2), np.arange(1, ROWS, 2)
    found = []
    models: dict[str, tuple[dict[str, object], Callable[[], object], str]] = {
        "logistic": ({}, lambda: LogisticRegression(C=np.inf, tol=1e-8, max_iter=5000), "5"),
        "tree": ({"depth": 8}, lambda: DecisionTreeClassifier(max_depth=8, random_state=0), "5"),
        "gradient_boosting": (
            {"trees": 60, "depth": 3},
            lambda: HistGradientBoostingClassifier(max_iter=60, max_depth=3, early_stopping=False),
            "–",
        ),
        "forest": ({"trees": 50}, lambda: RandomForestClassifier(50, random_state=0), "–"),
    }
    for family, (settings, plain, aim) in models.items():
        subject = subject_of(x, y, Recipe(family=family, settings=settings), "binary")
        fit = bench(subject, "influence").fit(train)
        score, reading = ScoreReading(rows), InfluenceReading(rows, "auc", REPEATS, 1)
        alone, _ = clocked(lambda fit=fit, s=subject, r=score: execute(FitJob(fit, (r,)), s), 3)  # type: ignore[misc]
        two = (score, reading)
        both, _ = clocked(lambda fit=fit, s=subject, r=two: execute(FitJob(fit, r), s), 3)  # type: ignore[misc]
        model = plain().fit(x[train], y[train])  # type: ignore[attr-defined]
        there, _ = clocked(
            lambda model=model: permutation_importance(  # type: ignore[misc]
                model, x[rows], y[rows], n_repeats=REPEATS, scoring="roc_auc", random_state=0
            )
        )
        work = (
            f"influence, {family.replace('_', ' ')}, 20 features × {REPEATS}, {len(rows):,} rows, AUC, with intervals"
        )
        found.append(_line(work, "permutation_importance", max(both - alone, 1e-4), there, aim))
    return found


def labels() -> list[str]:
    """What the label check takes beyond its fits: suspects, joint, intervals, the list."""
    x, y = problem(ROWS, 20, "binary", seed=7)
    recipe = Recipe(family="gradient_boosting", settings={"trees": 60, "depth": 3})
    at = bench(subject_of(x, y, recipe, "binary"), "labels")
    (asked,) = ask(at)
    ledger = MemoryLedger()
    fits, _ = clocked(lambda: [ledger.keep(execute(job, at.subject)) for job in jobs_of((asked,))])
    beyond, _ = clocked(lambda: evaluate(asked, at, ledger))
    share = 100 * beyond / fits
    return [
        f"| label check beyond its fits, gradient boosting, {ROWS:,} rows | its {len(asked.needs)} fits "
        f"| {beyond:.2f} s | {fits:.2f} s | {share:.1f} % over | under 10 % |"
    ]


def planted(share: float, apart: float, classes: int, seed: int) -> tuple[float, float, float, float]:
    """Recall and precision of the suspects, precision of the first as many as were planted, and estimated noise."""
    rng = np.random.default_rng(seed)
    n = 4_000
    truth = rng.integers(0, classes, n)
    centres = rng.normal(size=(classes, 6))
    centres *= apart / np.sqrt((centres**2).sum(axis=1, keepdims=True))
    x = centres[truth] + rng.normal(size=(n, 6))
    wrong = rng.random(n) < share
    label = np.where(wrong, (truth + rng.integers(1, classes, n)) % classes, truth)
    columns = [Column(f"x{i}", "number", x[:, i].copy()) for i in range(6)]
    names = tuple("abcdefgh"[:classes])
    table = Table((*columns, Column("y", "category", label.astype(np.int32), names)))
    settings = {"penalty": "l2", "strength": 1.0}
    recipe = Recipe.model_validate({"family": "logistic", "settings": settings, "preprocess": {"scale": "standard"}})
    subject = Subject(table, Roles(target="y"), recipe, (), "planted", "multiclass")
    at = Bench(subject, standard_plan(2, outcome="multiclass", given_parts=False))
    scores = np.full((n, classes), np.nan)
    for fold in at.split.long_folds:
        reading = ScoreReading(fold.test)
        scores[fold.test] = execute(FitJob(at.fit(fold.train), (reading,)), subject).readings[reading.key]
    seen = at.split.cross_validated
    found = contradicted(label[seen], scores[seen])
    planted_ = wrong[seen]
    first = found.rows[: int(planted_.sum())]
    return (
        float(np.isin(np.flatnonzero(planted_), found.rows).mean()),
        float(planted_[found.rows].mean()),
        float(planted_[first].mean()),
        noise(label[seen], scores[seen]).wrong,
    )


def quality() -> list[str]:
    lines = []
    for apart, words in ((4.0, "well apart"), (2.5, "overlapping")):
        for share in (0.05, 0.10, 0.20):
            runs = np.array([planted(share, apart, 4, seed) for seed in range(5)])
            recall, precision, first, estimated = runs.mean(axis=0)
            told = " | ".join(f"{value:.2f}" for value in (recall, precision, first))
            lines.append(f"| {words} | {100 * share:.0f} % | {told} | {100 * estimated:.1f} % |")
    return lines


def main() -> None:
    with threadpool_limits(1):
        speed = [*shuffled(), *influence(), *labels()]
        found = quality()
    lines = [
        "# Memory, sense and labels: how fast, and how well",
        "",
        "Made by `make bench`: both sides in one run on one machine, one thread.",
        "",
        "| work | against | here | there | times faster | aim |",
        "|---|---|---|---|---|---|",
        *speed,
        "",
        "Influence is timed without its fit, which both sides make; here it includes the variance over rows. Pruning,",
        "neighbours and leaving one out along a dial are in [benchmarks.md](benchmarks.md).",
        "",
        "## Wrong labels that were planted",
        "",
        "Four classes, 4 000 rows of six numbers, a share of the labels changed to any other class at random, logistic",
        "regression, ten folds; means of five draws. The last column is what the confident joint estimates.",
        "",
        "| classes | planted | recall | precision | precision of the first as many as planted | estimated |",
        "|---|---|---|---|---|---|",
        *found,
        "",
        "Where classes overlap, the estimate is too high and many suspects are hard rows, not wrong ones: the list is",
        "ranked so that the first are worth reading.",
        "",
    ]
    PAGE.write_text("\n".join(lines), encoding="utf-8")


if __name__ == "__main__":
    main()
