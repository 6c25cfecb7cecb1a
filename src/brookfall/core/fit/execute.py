"""Carries out one piece of work: fit the recipe on the training rows, take the readings, forget the model."""

import time
import warnings
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from functools import cache, partial
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn import config_context
from sklearn.exceptions import ConvergenceWarning
from threadpoolctl import ThreadpoolController

from brookfall.core.fit.artifact import read_artifact
from brookfall.core.fit.fitted import Fitted
from brookfall.core.fit.leave_one_out import divisors_without
from brookfall.core.fit.nested_tuning import tune
from brookfall.core.fit.probe.coefficients import coefficients
from brookfall.core.fit.probe.flip import flip
from brookfall.core.fit.probe.partial_dependence import shape
from brookfall.core.fit.probe.permutation_importance import influence
from brookfall.core.fit.probe.sensitivity import sensitivity
from brookfall.core.fit.probe.trees import splits, trees
from brookfall.core.fit.request import (
    ArtifactRequest,
    CoefficientReading,
    DialReading,
    FigureReading,
    FitJob,
    FitRequest,
    FlipReading,
    InfluenceReading,
    LeftOutReading,
    Reading,
    Rows,
    SensitivityReading,
    ShapeReading,
    Shuffles,
    SplitsReading,
    TreesReading,
    TunedReading,
    WithoutItselfReading,
)
from brookfall.core.fit.time_and_memory_limits import FitLimitError
from brookfall.core.fit.without_suspects import screened
from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.registry import value_at
from brookfall.core.recipe.families import family_of, resolved_settings
from brookfall.core.recipe.family.choice import Occasions
from brookfall.core.recipe.family.family import LeftOut, Made, Matrix, Straight
from brookfall.core.recipe.preprocess import Prepared, build_preprocess, raw_matrix
from brookfall.core.resample.permutation import exchange
from brookfall.core.submission.subject import Subject
from brookfall.core.table.table import Table
from brookfall.core.table.target import Target, membership

Values = NDArray[np.float64]
Scorer = Callable[[FigureReading], Values]
Keep = Callable[[dict[str, Values]], None]
_WITH_GAPS = (
    FigureReading,
    WithoutItselfReading,
    CoefficientReading,
    TreesReading,
    SplitsReading,
    InfluenceReading,
    ShapeReading,
    SensitivityReading,
    FlipReading,
)
"""Readings in which NaN says that there is no such value; in every other one it is a fault of the model."""
_OF_ROWS_MADE_UP = (InfluenceReading, ShapeReading, SensitivityReading, FlipReading)
"""Readings of what the model says of rows that are made up for it, thousands of them: the rest does not wait for them.
"""


@dataclass(frozen=True)
class FitResult:
    """Readings by key; or the reason why the fit failed, or those readings that are not there. ``seconds`` is wall
    time."""

    fit: str
    readings: dict[str, Values]
    seconds: float
    warnings: tuple[str, ...] = ()
    failure: str | None = None


@cache
def _threads() -> ThreadpoolController:
    """The thread pools of the numeric libraries, found once: all of them are loaded by now."""
    return ThreadpoolController()


@contextmanager
def on_one_thread() -> Iterator[list[warnings.WarningMessage]]:
    """How models are fitted and asked: on one thread, so that the bits are the same; gives what they warn of."""
    # Settings were checked when the recipe came in; checking them at every fit takes longer than many a fit.
    with (
        warnings.catch_warnings(record=True) as caught,
        _threads().limit(limits=1),
        config_context(skip_parameter_validation=True),
    ):
        warnings.simplefilter("always")
        yield caught


def fit_model(fit: FitRequest, subject: Subject) -> Fitted:
    """The fitted model itself, to be asked about rows that are none of the subject's.

    It fills gaps by the recipe's rule even in columns in which the subject's rows have none.

    Raises
    ------
    UserError
        It can't be fitted, with the reason.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> fit_model(bench.fit(np.arange(90)), bench.subject).outcomes.shape
    (90,)
    """
    with on_one_thread():
        try:
            work = _Work(fit, (), subject, gaps=True)
            return work.fitted()
        except (ValueError, ArithmeticError, np.linalg.LinAlgError, MemoryError, FitLimitError) as problem:
            words = f"The model can't be fitted: {_reason(problem)}."
            raise UserError(words, todo="Choose another model, or more rows to learn from.") from problem


def execute(job: FitJob, subject: Subject, keep: Callable[[FitResult], None] = lambda _: None) -> FitResult:
    """Fits on one thread.

    Whatever the estimator raises becomes a failure with its reason: one bad fit never stops the others.

    Parameters
    ----------
    job
        The fit, and what is to be read from it.
    subject
        The rows, and what they say.
    keep
        Is given what is read until then before what takes long is read; once or never.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> import numpy as np
    >>> from brookfall.core.fit.request import ScoreReading
    >>> rows = np.arange(90)
    >>> result = execute(FitJob(bench.fit(rows), (ScoreReading(rows),)), bench.subject)
    >>> [scores.shape for scores in result.readings.values()]
    [(90,)]
    """
    started = time.perf_counter()
    found: dict[str, Values] = {}

    def keep_what_is_there(readings: dict[str, Values]) -> None:
        found.update(readings)
        keep(FitResult(job.fit.key, readings, time.perf_counter() - started, _told(caught)))

    with on_one_thread() as caught:
        try:
            readings = _readings(job, subject, keep_what_is_there)
        except (ValueError, ArithmeticError, np.linalg.LinAlgError, MemoryError, FitLimitError) as problem:
            return FitResult(job.fit.key, found, time.perf_counter() - started, _told(caught), _reason(problem))
    return FitResult(job.fit.key, readings, time.perf_counter() - started, _told(caught))


def _told(caught: list[warnings.WarningMessage]) -> tuple[str, ...]:
    return tuple(sorted({str(w.message).splitlines()[0] for w in caught if issubclass(w.category, ConvergenceWarning)}))


def _readings(job: FitJob, subject: Subject, keep: Keep) -> dict[str, Values]:
    fit = job.fit
    if isinstance(fit, ArtifactRequest):
        return read_artifact(fit, job.readings, subject, keep)
    if fit.tuning is not None:
        tuned = tune(fit, subject, lambda inner: _only(inner, subject))
        said = {reading.key: reading for reading in job.readings if isinstance(reading, TunedReading)}
        others = tuple(reading for reading in job.readings if reading.key not in said)
        found = _readings(FitJob(tuned.fit, others), subject, keep)
        return found | dict.fromkeys(said, np.array([tuned.choice, *tuned.values], dtype=np.float64))
    if fit.screened is not None:
        kept = screened(fit, subject, lambda inner: _only(inner, subject))
        return _readings(FitJob(replace(fit, train=kept, screened=None), job.readings), subject, keep)
    if fit.shuffles is not None:
        return _Work(fit, job.readings, subject).shuffled(fit.shuffles)
    return _Work(fit, job.readings, subject).readings(keep)


def _only(job: FitJob, subject: Subject) -> Values:
    """The one reading of a job that is part of another."""
    return next(iter(_readings(job, subject, lambda _: None).values()))


class _Work:
    """One fit laid out: raw training rows, the estimator once it is needed, and the readings."""

    def __init__(self, fit: FitRequest, readings: tuple[Reading, ...], subject: Subject, *, gaps: bool = False) -> None:
        self._gaps = gaps
        self._fit, self._asked = fit, readings
        self._subject = subject
        self._recipe = fit.recipe
        self._family = family_of(self._recipe)
        self._target = _target(fit, subject)
        self._features: Table = subject.table.select(fit.features)
        # Whether rows can be told apart is asked of each row alone.
        self._occasions = _occasions(subject) if fit.apart is None else None
        weights = subject.weights if self._family.weighted else None
        self._weights = None if weights is None else weights[fit.train]

    def readings(self, keep: Keep) -> dict[str, Values]:
        left_out = [reading for reading in self._asked if isinstance(reading, LeftOutReading)]
        others = [reading for reading in self._asked if not isinstance(reading, LeftOutReading)]
        _refuse_one_class(self._target, self._fit.train)
        found = {reading.key: self._left_out() for reading in left_out}
        if others:
            fitted = self.fitted()
            last = [reading for reading in others if isinstance(reading, _OF_ROWS_MADE_UP)]
            first = [reading for reading in others if not isinstance(reading, _OF_ROWS_MADE_UP)]
            found |= {reading.key: self._read(reading, fitted) for reading in first}
            if found and last:
                keep(self._checked(found))
            found |= {reading.key: self._read(reading, fitted) for reading in last}
        return self._checked(found)

    def fitted(self) -> Fitted:
        """The model, fitted to the outcomes as they are."""
        _refuse_one_class(self._target, self._fit.train)
        return self._fitted(self._target, *self._prepare(self._target))

    def _checked(self, found: dict[str, Values]) -> dict[str, Values]:
        may_lack = {reading.key for reading in self._asked if isinstance(reading, _WITH_GAPS)}
        for key, values in found.items():
            if key not in may_lack and not np.isfinite(values).all():
                raise ValueError("the fitted model gave scores that are not numbers")
        return {key: np.ascontiguousarray(values, dtype=np.float64) for key, values in found.items()}

    def shuffled(self, shuffles: Shuffles) -> dict[str, Values]:
        """Each figure reading over the exchanges, shape (count, wanted); NaN where one left a single class."""
        readings = [reading for reading in self._asked if isinstance(reading, FigureReading)]
        if len(readings) < len(self._asked):
            raise TypeError("of shuffled outcomes only figures are read")
        found: dict[str, list[Values]] = {reading.key: [] for reading in readings}
        once = None if self._learns_from_outcomes else self._prepare(self._target)
        targets = [
            self._exchanged(shuffles, number) for number in range(shuffles.first, shuffles.first + shuffles.count)
        ]
        for target, scorer in zip(targets, self._scorers(targets, once), strict=True):
            for reading in readings:
                none = np.full(len(reading.wanted), np.nan)
                found[reading.key].append(
                    none if scorer is None else self._figures_of(reading, target, scorer(reading))
                )
        return {key: np.stack(values) for key, values in found.items()}

    def _exchanged(self, shuffles: Shuffles, number: int) -> Target:
        values: NDArray[Any] = np.array(self._target.values)
        places = exchange(len(shuffles.among), shuffles.blocks, shuffles.seed, number)
        values[shuffles.among] = values[shuffles.among[places]]
        return replace(self._target, values=values)

    def _scorers(self, targets: list[Target], once: tuple[Prepared, Matrix] | None) -> Iterator[Scorer | None]:
        """What scores the rows of a reading, for every target; None where its training rows hold one class.

        Rows are prepared once for all targets where they can be, and linear families are fitted to all at once.
        """
        designs = None if once is None or self._occasions is not None else _Designs(once[0], self._features)
        for target, sums in zip(targets, self._at_once(targets, once), strict=True):
            if _has_one_class(target, self._fit.train):
                yield None
            elif sums is not None and designs is not None:
                yield partial(_of_sums, sums, designs)
            else:
                fitted = self._fitted(target, *(once or self._prepare(target)))
                yield partial(self._of_fitted, fitted, designs)

    def _of_fitted(self, fitted: Fitted, designs: "_Designs | None", reading: FigureReading) -> Values:
        if reading.scored == "without itself":
            return self._without_itself(fitted)
        if designs is None:
            return self._scores(reading.rows, fitted)
        return fitted.of_design(designs.of(reading))

    def _at_once(self, targets: list[Target], once: tuple[Prepared, Matrix] | None) -> Sequence[Straight | None]:
        if once is None or self._family.many is None or self._target.outcome not in ("binary", "number"):
            return [None] * len(targets)
        train = self._fit.train
        outcomes = np.column_stack([np.asarray(target.values[train], dtype=np.float64) for target in targets])
        return self._family.many(self._made(once[0]), once[1], outcomes, self._weights)

    def _raw(self, rows: Rows) -> Matrix:
        return raw_matrix(self._features, rows)

    @property
    def _learns_from_outcomes(self) -> bool:
        """Whether the preparation of rows depends on their outcomes."""
        others = any(column.kind != "number" for column in self._features.columns)
        return self._recipe.preprocess.encode == "target" and others

    def _prepare(self, target: Target) -> tuple[Prepared, Matrix]:
        """How rows are prepared, and the training rows so prepared."""
        prepared = self._prepared(self._recipe.preprocess.scale)
        train, learned_from = self._fit.train, self._fit.prepared_on
        if learned_from is None:
            return prepared, prepared.fit_transform(self._raw(train), np.asarray(target.values[train]))
        prepared.fit_transform(self._raw(learned_from), np.asarray(target.values[learned_from]))
        return prepared, prepared.transform(self._raw(train))

    def _fitted(self, target: Target, prepared: Prepared, design: Matrix) -> Fitted:
        outcomes = np.asarray(target.values[self._fit.train])
        made = self._made(prepared)
        estimator = self._family.build(made)
        if self._occasions is not None:
            estimator.fit(design, outcomes, self._occasions.take(self._fit.train))
        elif self._weights is None:
            estimator.fit(design, outcomes)
        else:
            estimator.fit(design, outcomes, sample_weight=self._weights)
        return Fitted(self._fit, self._subject, target, self._features, prepared, design, made, estimator)

    def _prepared(self, scale: str) -> Prepared:
        steps = self._recipe.preprocess.model_copy(update={"scale": scale})
        mixed = self._family.mixed
        return build_preprocess(
            self._features,
            steps,
            self._recipe.seed,
            levels_as_they_are=mixed,
            target=self._target.outcome,
            gaps=self._gaps,
        )

    def _made(self, prepared: Prepared) -> Made:
        settings = resolved_settings(self._recipe)
        return Made(settings, self._target.outcome, self._recipe.seed, prepared.numbers())

    def _read(self, reading: Reading, fitted: Fitted) -> Values:
        match reading:
            case CoefficientReading():
                return coefficients(fitted, self._weights)
            case TreesReading():
                return trees(fitted, reading)
            case SplitsReading():
                return splits(fitted)
            case InfluenceReading():
                return influence(fitted, reading)
            case ShapeReading():
                return shape(fitted, reading)
            case SensitivityReading():
                return sensitivity(fitted, reading)
            case FlipReading():
                return flip(fitted, reading)
            case DialReading():
                return self._along(reading, fitted)
            case FigureReading():
                return self._figures(reading, fitted)
            case WithoutItselfReading():
                return self._without_itself(fitted)
            case _:
                return self._scores(reading.rows, fitted)

    def _scores(self, rows: Rows, fitted: Fitted) -> Values:
        if self._occasions is not None:
            return fitted.of_choices(rows, self._occasions)
        return fitted.scores(self._raw(rows))

    def _along(self, reading: DialReading, fitted: Fitted) -> Values:
        if self._family.along is None:
            raise ValueError(f"{self._family.words} can't be read along its dial")
        rows = fitted.prepared.transform(self._raw(reading.rows))
        return fitted.spread(self._family.along(fitted.made, fitted.estimator, rows, reading.values))

    def _without_itself(self, fitted: Fitted) -> Values:
        if self._family.without_itself is None:
            raise ValueError(f"{self._family.words} can't score a training row without itself")
        return fitted.spread(self._family.without_itself(fitted.made, fitted.estimator, fitted.design, fitted.outcomes))

    def _figures(self, reading: FigureReading, fitted: Fitted) -> Values:
        alone = reading.scored == "without itself"
        scores = self._without_itself(fitted) if alone else self._scores(reading.rows, fitted)
        return self._figures_of(reading, fitted.target, scores)

    def _figures_of(self, reading: FigureReading, target: Target, scores: Values) -> Values:
        rows = reading.rows
        if reading.scored == "without itself":
            known = np.isfinite(scores) if scores.ndim == 1 else np.isfinite(scores).all(axis=1)
            rows, scores = rows[known], scores[known]
        if not np.isfinite(scores).all():
            raise ValueError("the fitted model gave scores that are not numbers")
        found = self._subject.scored(rows, scores, self._fit.seed_key, target=target)
        values = [value_at(found, one.measure, one.threshold, one.class_) for one in reading.wanted]
        return np.array([np.nan if value is None else value for value in values])

    def _left_out(self) -> Values:
        if self._family.left_out is None:
            raise ValueError(f"{self._family.words} has no algebra for leaving rows out")
        prepared = self._prepared("none")
        outcomes = np.asarray(self._target.values[self._fit.train])
        design = np.asarray(prepared.fit_transform(self._raw(self._fit.train), outcomes))
        made = self._made(prepared)
        classes = len(self._target.classes) if made.classifies else 0
        rows = LeftOut(
            design,
            outcomes.astype(np.float64),
            self._weights,
            divisors_without(design, made.numbers, self._recipe.preprocess.scale),
            classes,
        )
        scores = self._family.left_out(made, rows)
        return scores[:, 1] if self._target.outcome == "binary" else scores


def _target(fit: FitRequest, subject: Subject) -> Target:
    """What the fit learns: the data's outcomes, some of them corrected, the scores that were supplied, or whether a row
    is apart from the others."""
    if fit.of_scores is not None and subject.supplied is not None and subject.supplied.scores is not None:
        return Target("number", subject.supplied.scores)
    if fit.apart is not None:
        return membership(subject.table.n_rows, fit.apart)
    if fit.relabelled is None:
        return subject.target
    values: NDArray[Any] = np.array(subject.target.values)
    values[fit.relabelled.rows] = np.array(fit.relabelled.outcomes).astype(values.dtype)
    return replace(subject.target, values=values)


@dataclass
class _Designs:
    """The rows of readings as one preparation makes them, each made once."""

    prepared: Prepared
    features: Table
    kept: dict[str, Matrix] = field(default_factory=dict)

    def of(self, reading: FigureReading) -> Matrix:
        if reading.key not in self.kept:
            self.kept[reading.key] = self.prepared.transform(raw_matrix(self.features, reading.rows))
        return self.kept[reading.key]


def _of_sums(sums: Straight, designs: _Designs, reading: FigureReading) -> Values:
    """Of a yes/no the positive class alone; of a number the prediction."""
    answers = sums.answers(sums.sums(designs.of(reading)))
    return answers if answers.ndim == 1 else np.asarray(answers[:, 1])


def _has_one_class(target: Target, train: Rows) -> bool:
    outcomes = np.asarray(target.values[train])
    return target.outcome != "number" and bool((outcomes == outcomes[0]).all())


def _refuse_one_class(target: Target, train: Rows) -> None:
    if _has_one_class(target, train):
        raise ValueError("the training rows hold only one class")


def _occasions(subject: Subject) -> Occasions | None:
    choices = subject.choices
    return None if choices is None else Occasions(choices.occasion, choices.alternative, len(choices.alternatives))


def _reason(problem: BaseException) -> str:
    if isinstance(problem, MemoryError):
        return f"it ran out of memory ({str(problem).strip() or 'no more could be had'})"[:300]
    return (str(problem).strip().splitlines() or [type(problem).__name__])[0][:300]
