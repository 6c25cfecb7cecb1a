"""What a check asks for: a fit, known by its content, and what is to be read from it."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brookfall.core import digest
from brookfall.core.environment import versions
from brookfall.core.recipe.families import resolved_settings
from brookfall.core.recipe.recipe import Recipe

Rows = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class FitRequest:
    """One fit. Equal content has an equal key, whoever asks; ``train`` are sorted row positions."""

    recipe: Recipe
    table: str
    features: tuple[str, ...]
    target: str
    positive: str
    train: Rows

    @cached_property
    def content(self) -> dict[str, object]:
        """Everything that can change the result, the training rows by hash."""
        return {
            "family": self.recipe.family,
            "settings": resolved_settings(self.recipe).model_dump(),
            "preprocess": self.recipe.preprocess.model_dump(),
            "seed": self.recipe.seed,
            "table": self.table,
            "features": list(self.features),
            "target": self.target,
            "positive": self.positive,
            "train": digest.of_rows(self.train),
            "versions": versions(),
        }

    @cached_property
    def key(self) -> str:
        return digest.of_json(self.content)


@dataclass(frozen=True, eq=False)
class ScoreReading:
    """The scores of these rows, in this order, from the fitted model."""

    rows: Rows

    @cached_property
    def key(self) -> str:
        return f"scores:{digest.of_rows(self.rows)}"


@dataclass(frozen=True, eq=False)
class Need:
    """A fit and one thing to be read from it."""

    fit: FitRequest
    reading: ScoreReading


@dataclass(frozen=True, eq=False)
class FitJob:
    """A fit with everything that all checks want read from it: one piece of work."""

    fit: FitRequest
    readings: tuple[ScoreReading, ...]


def gather(needs: list[Need]) -> tuple[FitJob, ...]:
    """The distinct fits of many needs, in the order first asked for, each with its distinct readings."""
    fits: dict[str, FitRequest] = {}
    readings: dict[str, dict[str, ScoreReading]] = {}
    for need in needs:
        fits.setdefault(need.fit.key, need.fit)
        readings.setdefault(need.fit.key, {}).setdefault(need.reading.key, need.reading)
    return tuple(FitJob(fit, tuple(readings[key].values())) for key, fit in fits.items())
