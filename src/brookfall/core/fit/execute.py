"""Carries out one piece of work: fit the recipe on the training rows, take the readings, forget the model."""

import time
import warnings
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.exceptions import ConvergenceWarning
from threadpoolctl import ThreadpoolController

from brookfall.core.fit.left_out import divisors_without
from brookfall.core.fit.limits import FitLimitError
from brookfall.core.fit.request import (
    CoefficientReading,
    DialReading,
    FigureReading,
    FitJob,
    LeftOutReading,
    Reading,
    TunedReading,
)
from brookfall.core.fit.tune import tune
from brookfall.core.measure.measures import measure_at
from brookfall.core.recipe.families import family_of, resolved_settings
from brookfall.core.recipe.family.choice import Occasions
from brookfall.core.recipe.family.family import LeftOut, Made, Matrix
from brookfall.core.recipe.preprocess import Prepared, build_preprocess, raw_matrix
from brookfall.core.scoring import scored_rows
from brookfall.core.subject import Subject
from brookfall.core.table.table import Table
from brookfall.core.target import membership

Values = NDArray[np.float64]


@dataclass(frozen=True)
class FitResult:
    """Readings by key; or the reason why the fit failed. ``seconds`` is wall time."""

    fit: str
    readings: dict[str, Values]
    seconds: float
    warnings: tuple[str, ...] = ()
    failure: str | None = None


@cache
def _threads() -> ThreadpoolController:
    """The thread pools of the numeric libraries, found once: all of them are loaded by now."""
    return ThreadpoolController()


def execute(job: FitJob, subject: Subject) -> FitResult:
    """Fits on one thread.

    Whatever the estimator raises becomes a failure with its reason: one bad fit never stops the others.

    >>> from brookfall.core.example import small_bench
    >>> bench = small_bench()
    >>> import numpy as np
    >>> from brookfall.core.fit.request import ScoreReading
    >>> rows = np.arange(90)
    >>> result = execute(FitJob(bench.fit(rows), (ScoreReading(rows),)), bench.subject)
    >>> [scores.shape for scores in result.readings.values()]
    [(90,)]
    """
    started = time.perf_counter()
    with warnings.catch_warnings(record=True) as caught, _threads().limit(limits=1):
        warnings.simplefilter("always")
        try:
            readings = _readings(job, subject)
        except (ValueError, ArithmeticError, np.linalg.LinAlgError, MemoryError, FitLimitError) as problem:
            return FitResult(job.fit.key, {}, time.perf_counter() - started, failure=_reason(problem))
    told = tuple(sorted({str(w.message).splitlines()[0] for w in caught if issubclass(w.category, ConvergenceWarning)}))
    return FitResult(job.fit.key, readings, time.perf_counter() - started, told)


def _readings(job: FitJob, subject: Subject) -> dict[str, Values]:
    if job.fit.tuning is None:
        return _Work(job, subject).readings()
    tuned = tune(job.fit, subject, lambda inner: next(iter(_Work(inner, subject).readings().values())))
    said = {reading.key: reading for reading in job.readings if isinstance(reading, TunedReading)}
    others = tuple(reading for reading in job.readings if reading.key not in said)
    found = _Work(FitJob(tuned.fit, others), subject).readings()
    return found | dict.fromkeys(said, np.array([tuned.choice, *tuned.values], dtype=np.float64))


class _Work:
    """One fit laid out: prepared training rows, the estimator once it is needed, and the readings."""

    def __init__(self, job: FitJob, subject: Subject) -> None:
        self._job = job
        self._subject = subject
        self._recipe = job.fit.recipe
        self._family = family_of(self._recipe)
        self._target = subject.target if job.fit.apart is None else membership(subject.table.n_rows, job.fit.apart)
        self._features: Table = subject.table.select(job.fit.features)
        self._raw = raw_matrix(self._features)
        train = job.fit.train
        self._outcomes = np.asarray(self._target.values[train])
        if self._target.outcome != "number" and (self._outcomes == self._outcomes[0]).all():
            raise ValueError("the training rows hold only one class")
        # Whether rows can be told apart is asked of each row alone.
        self._occasions = _occasions(subject) if job.fit.apart is None else None
        weights = subject.weights if self._family.weighted else None
        self._weights = None if weights is None else weights[train]

    def readings(self) -> dict[str, Values]:
        left_out = [reading for reading in self._job.readings if isinstance(reading, LeftOutReading)]
        others = [reading for reading in self._job.readings if not isinstance(reading, LeftOutReading)]
        found = {reading.key: self._left_out() for reading in left_out}
        if others:
            prepared = self._prepared(self._recipe.preprocess.scale)
            design = prepared.fit_transform(self._raw[self._job.fit.train], self._outcomes)
            made = self._made(prepared)
            fitted = self._family.build(made)
            if self._occasions is not None:
                fitted.fit(design, self._outcomes, self._occasions.take(self._job.fit.train))
            elif self._weights is None:
                fitted.fit(design, self._outcomes)
            else:
                fitted.fit(design, self._outcomes, sample_weight=self._weights)
            found |= {reading.key: self._read(reading, prepared, made, fitted) for reading in others}
        measured = {reading.key for reading in others if isinstance(reading, FigureReading)}
        for key, values in found.items():
            if key not in measured and not np.isfinite(values).all():
                raise ValueError("the fitted model gave scores that are not numbers")
        return {key: np.ascontiguousarray(values, dtype=np.float64) for key, values in found.items()}

    def _prepared(self, scale: str) -> Prepared:
        steps = self._recipe.preprocess.model_copy(update={"scale": scale})
        mixed = self._family.mixed
        return build_preprocess(
            self._features, steps, self._recipe.seed, levels_as_they_are=mixed, target=self._target.outcome
        )

    def _made(self, prepared: Prepared) -> Made:
        settings = resolved_settings(self._recipe)
        return Made(settings, self._target.outcome, self._recipe.seed, prepared.numbers())

    def _read(self, reading: Reading, prepared: Prepared, made: Made, fitted: Any) -> Values:
        if isinstance(reading, CoefficientReading):
            return np.vstack([fitted.estimates, fitted.covariance])
        rows = prepared.transform(self._raw[reading.rows])
        if isinstance(reading, DialReading):
            if self._family.along is None:
                raise ValueError(f"{self._family.words} can't be read along its dial")
            return self._spread(self._family.along(made, fitted, rows, reading.values), fitted)
        if self._occasions is not None:
            return np.asarray(fitted.predict(rows, self._occasions.take(reading.rows)), dtype=np.float64)
        scores = fitted.predict_proba(rows) if made.classifies else fitted.predict(rows)
        spread = self._spread(np.asarray(scores, dtype=np.float64), fitted)
        return self._figures(reading, spread) if isinstance(reading, FigureReading) else spread

    def _figures(self, reading: FigureReading, scores: Values) -> Values:
        if not np.isfinite(scores).all():
            raise ValueError("the fitted model gave scores that are not numbers")
        found = scored_rows(self._subject, reading.rows, scores, self._job.fit.key)
        values = [measure_at(found, one.measure, one.threshold, one.class_).value for one in reading.wanted]
        return np.array([np.nan if value is None else value for value in values])

    def _spread(self, scores: Matrix, fitted: Any) -> Values:
        """Scores with a place for every class of the outcome: the positive one alone when binary."""
        if self._target.outcome == "number":
            return scores
        if self._target.outcome == "binary":
            return scores[..., 1]
        held = np.asarray(fitted.classes_, dtype=np.int64)
        if len(held) == len(self._target.classes):
            return scores
        whole = np.zeros((*scores.shape[:-1], len(self._target.classes)))
        whole[..., held] = scores
        return whole

    def _left_out(self) -> Values:
        if self._family.left_out is None:
            raise ValueError(f"{self._family.words} has no algebra for leaving rows out")
        prepared = self._prepared("none")
        design = np.asarray(prepared.fit_transform(self._raw[self._job.fit.train], self._outcomes))
        made = self._made(prepared)
        classes = len(self._target.classes) if made.classifies else 0
        rows = LeftOut(
            design,
            self._outcomes.astype(np.float64),
            self._weights,
            divisors_without(design, made.numbers, self._recipe.preprocess.scale),
            classes,
        )
        scores = self._family.left_out(made, rows)
        return scores[:, 1] if self._target.outcome == "binary" else scores


def _occasions(subject: Subject) -> Occasions | None:
    choices = subject.choices
    return None if choices is None else Occasions(choices.occasion, choices.alternative, len(choices.alternatives))


def _reason(problem: BaseException) -> str:
    if isinstance(problem, MemoryError):
        return f"it ran out of memory ({str(problem).strip() or 'no more could be had'})"[:300]
    return (str(problem).strip().splitlines() or [type(problem).__name__])[0][:300]
