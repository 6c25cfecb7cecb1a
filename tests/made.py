"""What tests make up: scored rows of every kind of outcome, and subjects from data frames."""

from typing import Any

import numpy as np
import pandas as pd
from hypothesis import settings

from brookfall.core.check.bench import Bench
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.fit.execute import execute
from brookfall.core.fit.request import FitJob, Reading, ScoreReading
from brookfall.core.measure.scored import Numbers, Scored, ScoredClasses, ScoredNumbers
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.retest.run import retest
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.outcome import Outcome
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Table
from tests.conftest import SOAK, small_plan


def examples(count: int) -> settings:
    """So many made-up inputs, and many times more in ``make soak``; however long one takes."""
    return settings(max_examples=count * SOAK, deadline=None)


def scored(
    outcomes: object,
    scores: object,
    threshold: float = 0.5,
    key: str = "made",
    weights: Numbers | None = None,
    clusters: object = None,
) -> Scored:
    groups = None if clusters is None else np.asarray(clusters, dtype=np.int64)
    return Scored(
        key=key,
        outcomes=np.asarray(outcomes, dtype=bool),
        scores=np.asarray(scores, dtype=float),
        threshold=threshold,
        weights=weights,
        clusters=groups,
    )


def some_weights(rng: np.random.Generator, n: int, kind: str) -> Numbers | None:
    """No weights, weights that differ, or weights some of which are 0."""
    if kind == "none":
        return None
    weights = rng.exponential(size=n) + 0.05
    return np.where(rng.random(n) < 0.2, 0.0, weights) if kind == "some zero" else weights


def binary_rows(seed: int, n: int = 120, *, ties: bool = False, weights: str = "none") -> Scored:
    rng = np.random.default_rng(seed)
    outcomes = rng.random(n) < 0.4
    outcomes[:4] = [True, False, True, False]
    scores = np.clip(rng.normal(0.4 + 0.2 * outcomes, 0.25), 0.001, 0.999)
    counted = some_weights(rng, n, weights)
    if counted is not None:
        counted[:4] = 1.0
    return scored(outcomes, np.round(scores, 1) if ties else scores, key=f"seed {seed}", weights=counted)


def class_rows(seed: int, n: int = 150, k: int = 4, weights: str = "none") -> ScoredClasses:
    rng = np.random.default_rng(seed)
    outcomes = np.concatenate([np.arange(k).repeat(2), rng.integers(0, k, n - 2 * k)])
    scores = rng.dirichlet(np.ones(k), n)
    scores[np.arange(n), outcomes] += 0.3
    scores /= scores.sum(axis=1, keepdims=True)
    counted = some_weights(rng, n, weights)
    if counted is not None:
        counted[: 2 * k] = 1.0
    return ScoredClasses(
        key=f"seed {seed}",
        outcomes=outcomes,
        decisions=scores.argmax(axis=1),
        classes=tuple("abcdefgh"[:k]),
        scores=scores,
        weights=counted,
    )


def number_rows(seed: int, n: int = 90, weights: str = "none") -> ScoredNumbers:
    rng = np.random.default_rng(seed)
    outcomes = rng.normal(10, 3, n)
    predictions = outcomes + rng.normal(0.2, 2, n)
    return ScoredNumbers(
        key=f"seed {seed}", outcomes=outcomes, predictions=predictions, weights=some_weights(rng, n, weights)
    )


def table_of(frame: pd.DataFrame) -> Table:
    return Table(tuple(column_from_text(str(name), frame[name].astype(str)) for name in frame.columns))


def subject_of_frame(
    frame: pd.DataFrame, target: str, recipe: Recipe | None, outcome: Outcome = "binary", **roles: Any
) -> Subject:
    """What is under test, decided at 0.5 where the recipe says nothing else."""
    given = Roles.model_validate({"target": target, **roles})
    return Subject(table_of(frame), given, recipe, (), "frame.csv", outcome, decide_at=0.5)


MAIN = {"binary": "auc", "multiclass": "balanced_accuracy", "number": "r2", "choice": "mean_chosen_probability"}


def bench_with(subject: Subject, *checks: str, **changes: Any) -> Bench:
    """A small plan of these checks alone, judged by the outcome's usual measure."""
    return Bench(subject, small_plan(checks=checks or ("gap",), main_measure=MAIN[subject.outcome], **changes))


def exhibit_of(subject: Subject, check: str, **changes: Any) -> Exhibit:
    (found,) = retest(bench_with(subject, check, **changes))
    return found


def said(found: Exhibit) -> str:
    """The answer with the lines below it."""
    return " ".join((found.answer, *found.lines))


def estimate(found: Exhibit, measure: str, **labels: object) -> Estimate:
    """The one estimate of that measure with these labels."""
    wanted = [e for e in found.estimates if e.measure == measure and all(getattr(e, k) == v for k, v in labels.items())]
    assert len(wanted) == 1, (measure, labels, len(wanted))
    return wanted[0]


def read(subject: Subject, train: np.ndarray, reading: Reading) -> np.ndarray:
    """What one fit on these rows gives; fails the test when the fit fails."""
    fit = Bench(subject, small_plan()).fit(train)
    result = execute(FitJob(fit, (reading,)), subject)
    assert result.failure is None, result.failure
    return result.readings[reading.key]


def scores_on(subject: Subject, train: np.ndarray, rows: np.ndarray) -> np.ndarray:
    return read(subject, train, ScoreReading(rows))
