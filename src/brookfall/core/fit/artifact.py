"""What is read of a fitted model as it was submitted: nothing is fitted, and it is opened once for all readings."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.fitted import Model
from brookfall.core.fit.probe.flip import flip
from brookfall.core.fit.probe.partial_dependence import shape
from brookfall.core.fit.probe.permutation_importance import influence
from brookfall.core.fit.probe.sensitivity import sensitivity
from brookfall.core.fit.request import (
    ArtifactRequest,
    FlipReading,
    InfluenceReading,
    Reading,
    Rows,
    ScoreReading,
    SensitivityReading,
    ShapeReading,
    SplitsReading,
)
from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.recipe.family.family import Matrix
from brookfall.core.recipe.fitted_model import Answers
from brookfall.core.submission.subject import Subject
from brookfall.core.table.table import Table

Values = NDArray[np.float64]


def columns_read(subject: Subject) -> tuple[str, ...]:
    """The columns that the fitted model of a subject reads, in order, features in its roles or not."""
    return () if subject.artifact is None else subject.artifact.reads(subject.table.names, subject.features)


def unseen_by_owner(subject: Subject) -> tuple[str, Rows] | None:
    """The rows that the owner's model did not learn from, and what they are: the owner's test part, else another than
    training; None where nothing says so."""
    others = [part for part in subject.owners if part != "training"]
    if not others:
        return None
    part = "test" if "test" in others else others[-1]
    return part, subject.owners[part]


def artifact_request(subject: Subject, features: tuple[str, ...]) -> ArtifactRequest:
    """The request to ask the fitted model of a subject about rows with these features.

    The rows that it learned from are all in use where nothing is said of them.
    """
    if subject.artifact is None:
        raise ValueError("no fitted model was submitted")
    return ArtifactRequest(
        file=subject.artifact.sha256,
        table=subject.seen_by(features),
        features=features,
        target=subject.roles.target,
        outcome=subject.outcome,
        classes=subject.target.classes,
        train=subject.owners.get("training", subject.rows),
    )


@dataclass(frozen=True)
class OpenedArtifact(Model):
    """A fitted model that is open: ``answers`` gives the scores of raw rows, of which it reads some ``columns``."""

    answers: Answers
    columns: tuple[int, ...]

    def scores(self, raw: Matrix) -> Values:
        return self.answers(np.ascontiguousarray(raw[:, self.columns], dtype=np.float64))


@contextmanager
def opened_artifact(fit: ArtifactRequest, subject: Subject, features: Table) -> Iterator[OpenedArtifact]:
    """The fitted model of a subject, for as long as it is asked about raw rows with these features.

    Raises
    ------
    UserError
        It can't be run here, or reads a column that is none of these.
    """
    if subject.artifact is None or subject.artifact.opened is None:
        raise UserError("The fitted model can't be run here.", todo="Submit its scores as predictions.")
    others = [name for name in fit.features if name not in features.names]
    if others:
        raise UserError(
            f"The fitted model reads {wording.listed(others)}, which the case's roles count as no feature.",
            todo="Make it a feature on the Data step, or ask another model.",
        )
    places = tuple(features.names.index(name) for name in fit.features)
    read = [features.columns[place] for place in places]
    with subject.artifact.opened(read, fit.outcome, fit.classes) as answers:
        yield OpenedArtifact(fit, subject, subject.target, features, answers, places)


def read_artifact(
    fit: ArtifactRequest, readings: tuple[Reading, ...], subject: Subject, keep: Callable[[dict[str, Values]], None]
) -> dict[str, Values]:
    """What is asked of the fitted model of a subject, by key; ``keep`` is given the scores before the rest is read.

    Raises
    ------
    ValueError
        It can't be run here or on these rows, with the reason.
    """
    scored = {one.key: one for one in readings if isinstance(one, ScoreReading)}
    try:
        with opened_artifact(fit, subject, subject.table.select(fit.features)) as model:
            found = {key: _finite(model.scores(model.raw(one.rows))) for key, one in scored.items()}
            if scored and len(scored) < len(readings):
                keep(found)
            return found | {one.key: _read(one, model) for one in readings if one.key not in scored}
    except UserError as problem:
        raise ValueError(str(problem)) from problem


def _finite(scores: Values) -> Values:
    bad = np.flatnonzero(~np.isfinite(scores.reshape(len(scores), -1)).all(axis=1))
    if len(bad):
        raise ValueError(f"the fitted model gave no number for {len(bad)} of {len(scores)} rows")
    return np.ascontiguousarray(scores, dtype=np.float64)


def _read(reading: Reading, model: OpenedArtifact) -> Values:
    match reading:
        case InfluenceReading():
            return influence(model, reading)
        case ShapeReading():
            return shape(model, reading)
        case SensitivityReading():
            return sensitivity(model, reading)
        case FlipReading():
            return flip(model, reading)
        case SplitsReading():
            # How often it splits on a feature is told by trees alone, and these are not looked for in a graph.
            return np.full((len(model.features.columns), 2), np.nan)
        case _:
            raise TypeError(f"{type(reading).__name__} is read of models fitted here")
