"""What a check asks for: a fit, known by its content, and what is to be read from it."""

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brookfall.core import digest
from brookfall.core.environment import versions
from brookfall.core.recipe.families import resolved_settings, source_of
from brookfall.core.recipe.family.family import Outcome
from brookfall.core.recipe.recipe import Recipe

Rows = NDArray[np.int64]


@dataclass(frozen=True)
class Tuning:
    """Settings to choose from inside the training rows: the best by a measure over inner folds is fitted on them all.

    ``tried`` are settings beside the recipe's own, the first one taken of equals.
    """

    tried: tuple[tuple[tuple[str, object], ...], ...]
    measure: str
    folds: int = 3

    @property
    def content(self) -> dict[str, object]:
        return {"tried": [dict(settings) for settings in self.tried], "measure": self.measure, "folds": self.folds}


@dataclass(frozen=True, eq=False)
class FitRequest:
    """One fit. Equal content has an equal key, whoever asks.

    ``table`` is the fingerprint of the columns the fit can see; ``classes`` are the outcome's values, the negative
    one first when binary; ``train`` are sorted row positions, a row as often as it counts. With ``apart`` the fit
    learns not the outcome but whether a row is among these sorted positions. ``beside`` are the columns of occasion
    and alternative of a choice. With ``tuning`` some settings are chosen inside the training rows.
    """

    recipe: Recipe
    table: str
    features: tuple[str, ...]
    target: str
    outcome: Outcome
    classes: tuple[str, ...]
    weight: str | None
    train: Rows
    apart: Rows | None = None
    beside: tuple[str, str] | None = None
    tuning: Tuning | None = None

    @cached_property
    def content(self) -> dict[str, object]:
        """Everything that can change the result, the training rows by hash."""
        return {
            "family": self.recipe.family,
            "source": source_of(self.recipe.family),
            "settings": resolved_settings(self.recipe).model_dump(mode="json"),
            "preprocess": self.recipe.preprocess.model_dump(),
            "seed": self.recipe.seed,
            "table": self.table,
            "features": list(self.features),
            "target": self.target,
            "outcome": self.outcome,
            "classes": list(self.classes),
            "weight": self.weight,
            "train": digest.of_rows(self.train),
            "versions": versions(),
            **({} if self.apart is None else {"apart": digest.of_rows(self.apart)}),
            **({} if self.beside is None else {"beside": list(self.beside)}),
            **({} if self.tuning is None else {"tuning": self.tuning.content}),
        }

    @cached_property
    def key(self) -> str:
        return digest.of_json(self.content)


@dataclass(frozen=True, eq=False)
class ScoreReading:
    """The scores of these rows, in this order, from the fitted model: shape (rows,), or (rows, classes)."""

    rows: Rows

    @cached_property
    def key(self) -> str:
        return f"scores:{digest.of_rows(self.rows)}"


@dataclass(frozen=True, eq=False)
class LeftOutReading:
    """The score of each training row from a fit without it; shape as in ScoreReading, in the order of training."""

    rows: Rows

    @property
    def key(self) -> str:
        return "left out"


@dataclass(frozen=True, eq=False)
class DialReading:
    """The scores of these rows at each value of the family's dial: shape (rows, values), or (rows, values, classes).

    The fit is made with the dial at its most complex.
    """

    rows: Rows
    values: tuple[float, ...]

    @cached_property
    def key(self) -> str:
        return f"dial:{digest.of_json([repr(value) for value in self.values])}:{digest.of_rows(self.rows)}"


@dataclass(frozen=True, eq=False)
class CoefficientReading:
    """The coefficients and their covariance: shape (p + 1, p), the estimates in the first row.

    ``rows`` are the training rows, in order; the coefficients are those of the prepared columns.
    """

    rows: Rows

    @property
    def key(self) -> str:
        return "coefficients"


@dataclass(frozen=True)
class Wanted:
    """A measure of some rows, at a threshold of its own or of one class where these are not None."""

    measure: str
    threshold: float | None = None
    class_: str | None = None


@dataclass(frozen=True, eq=False)
class FigureReading:
    """The value of each wanted measure on these rows: shape (wanted,), NaN where there is none.

    For fits so many that n scores of each would be too much to keep.
    """

    rows: Rows
    wanted: tuple[Wanted, ...]

    @cached_property
    def key(self) -> str:
        named = [[one.measure, repr(one.threshold), one.class_ or ""] for one in self.wanted]
        # The ledger's keys have at most 80 characters.
        return f"figures:{digest.of_json(named)[:16]}:{digest.of_rows(self.rows)[:48]}"


@dataclass(frozen=True, eq=False)
class TunedReading:
    """Which of the settings that were tried was chosen, as a place among them, then the inner value of each.

    Shape (1 + tried,); NaN where there is no value. ``rows`` are the training rows.
    """

    rows: Rows

    @property
    def key(self) -> str:
        return "tuned"


Reading = TunedReading | CoefficientReading | FigureReading | ScoreReading | LeftOutReading | DialReading


@dataclass(frozen=True, eq=False)
class Need:
    """A fit and one thing to be read from it."""

    fit: FitRequest
    reading: Reading


@dataclass(frozen=True, eq=False)
class FitJob:
    """A fit with everything that all checks want read from it: one piece of work."""

    fit: FitRequest
    readings: tuple[Reading, ...]


def gather(needs: list[Need]) -> tuple[FitJob, ...]:
    """The distinct fits of many needs, in the order first asked for, each with its distinct readings.

    >>> from brookfall.core.example import small_bench
    >>> bench = small_bench()
    >>> len(gather([bench.holdout, bench.holdout]))
    1
    """
    fits: dict[str, FitRequest] = {}
    readings: dict[str, dict[str, Reading]] = {}
    for need in needs:
        fits.setdefault(need.fit.key, need.fit)
        readings.setdefault(need.fit.key, {}).setdefault(need.reading.key, need.reading)
    return tuple(FitJob(fit, tuple(readings[key].values())) for key, fit in fits.items())
