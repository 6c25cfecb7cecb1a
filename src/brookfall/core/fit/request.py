"""What a check asks for: a fit, known by its content, and what is to be read from it."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import ClassVar, Literal

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation import digest
from brookfall.core.foundation.environment import versions, versions_to_run
from brookfall.core.foundation.sources import digest_of
from brookfall.core.measure.registry import program_of as program_of_measure
from brookfall.core.recipe.families import program_of, resolved_settings
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.table.outcome import Outcome

Rows = NDArray[np.int64]

_FITTING = "brookfall.core.fit.execute"
_ASKING = "brookfall.core.fit.artifact"
PROGRAM = ("program", "versions")
"""What of a fit's content says by which program it is made, not what was asked for."""


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

    @property
    def program(self) -> str:
        """The digest of the sources that the choice rests on."""
        return program_of_measure(self.measure)


@dataclass(frozen=True, eq=False)
class Shuffles:
    """Outcomes that change places at random among these sorted rows, ``count`` times over, from number ``first`` on.

    Each number stands for one exchange, whoever asks for it. ``blocks`` are codes of shape (among,) of the groups that
    change places as wholes; None exchanges row by row.
    """

    among: Rows
    seed: int
    first: int
    count: int
    blocks: Rows | None = None

    @property
    def content(self) -> dict[str, object]:
        blocks = None if self.blocks is None else digest.of_rows(self.blocks)
        return {
            "among": digest.of_rows(self.among),
            "seed": self.seed,
            "first": self.first,
            "count": self.count,
            "blocks": blocks,
        }


@dataclass(frozen=True, eq=False)
class Labels:
    """Other outcomes than the data's for some sorted rows: places among the classes, or numbers."""

    rows: Rows
    outcomes: tuple[float, ...]

    @property
    def content(self) -> dict[str, object]:
        return {"rows": digest.of_rows(self.rows), "outcomes": digest.of_json(list(self.outcomes))}


class _KnownByContent:
    """What is known by its content alone: equal content has equal keys, whoever asks."""

    @cached_property
    def content(self) -> dict[str, object]:
        """Everything that can change what is read of it."""
        raise NotImplementedError

    @cached_property
    def key(self) -> str:
        """Names it by everything that can change what is read of it."""
        return digest.of_json(self.content)

    @cached_property
    def seed_key(self) -> str:
        """Names it by what was asked for alone, so that no release moves what is drawn of it by chance."""
        return digest.of_json({name: value for name, value in self.content.items() if name not in PROGRAM})


@dataclass(frozen=True, eq=False)
class FitRequest(_KnownByContent):
    """One fit. Equal content has an equal key, whoever asks.

    ``table`` is the fingerprint of the columns the fit can see; ``classes`` are the outcome's values, the negative
    one first when binary; ``train`` are sorted row positions, a row as often as it counts. With ``apart`` the fit
    learns not the outcome but whether a row is among these sorted positions. ``beside`` are the columns of occasion
    and alternative of a choice. With ``tuning`` some settings are chosen inside the training rows.
    With ``shuffles`` it is as many fits, each to outcomes that have changed places; its readings are figures, which
    then have shape (count, wanted). With ``prepared_on`` the preprocessing is learned from those rows instead of the
    training rows, and may have seen what it must not. With ``relabelled`` some training rows have other outcomes;
    ``screened`` leaves out the training rows whose labels the others contradict, over so many inner folds. With
    ``of_scores``, the hash of the scores that were supplied, it learns these as numbers instead of the outcome.
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
    shuffles: Shuffles | None = None
    prepared_on: Rows | None = None
    relabelled: Labels | None = None
    screened: int | None = None
    of_scores: str | None = None

    @cached_property
    def content(self) -> dict[str, object]:
        """Everything that can change the result, the training rows by hash."""
        return {
            "family": self.recipe.family,
            "program": [
                digest_of(_FITTING),
                program_of(self.recipe.family),
                *([] if self.tuning is None else [self.tuning.program]),
            ],
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
            **({} if self.shuffles is None else {"shuffles": self.shuffles.content}),
            **({} if self.prepared_on is None else {"prepared_on": digest.of_rows(self.prepared_on)}),
            **({} if self.relabelled is None else {"relabelled": self.relabelled.content}),
            **({} if self.screened is None else {"screened": self.screened}),
            **({} if self.of_scores is None else {"of_scores": self.of_scores}),
        }

    @property
    def _tuning_program(self) -> list[str]:
        return [] if self.tuning is None else [self.tuning.program]

    @property
    def source(self) -> str:
        """What it is made by, as an exhibit names what it rests on."""
        return f"family:{self.recipe.family}"

    @property
    def plain(self) -> "FitRequest":
        """One fit of the same kind to the outcomes as they are."""
        return replace(self, shuffles=None, prepared_on=None, relabelled=None, screened=None)

    @property
    def times(self) -> int:
        """How many plain fits it comes to."""
        return (1 if self.shuffles is None else self.shuffles.count) * (1 + (self.screened or 0))


@dataclass(frozen=True, eq=False)
class ArtifactRequest(_KnownByContent):
    """A fitted model as it was submitted: nothing is fitted, it is asked about rows. Equal content has an equal key.

    ``file`` is the hash of its file, ``table`` the fingerprint of the columns that its readings can see; ``train`` are
    the rows that its owner says it learned from, all that are in use where nothing is said of it.
    """

    file: str
    table: str
    features: tuple[str, ...]
    target: str
    outcome: Outcome
    classes: tuple[str, ...]
    train: Rows
    times: ClassVar[int] = 1

    @cached_property
    def content(self) -> dict[str, object]:
        """Everything that can change what is read of it."""
        return {
            "artifact": self.file,
            "program": [digest_of(_ASKING)],
            "table": self.table,
            "features": list(self.features),
            "target": self.target,
            "outcome": self.outcome,
            "classes": list(self.classes),
            "train": digest.of_rows(self.train),
            "versions": versions_to_run(),
        }

    @property
    def source(self) -> str:
        """What it is made by, as an exhibit names what it rests on."""
        return "artifact:onnx"

    @property
    def plain(self) -> "ArtifactRequest":
        return self


AnyFit = FitRequest | ArtifactRequest
"""What is asked about rows: a model fitted for it, or one that came fitted."""


@dataclass(frozen=True, eq=False)
class ScoreReading:
    """The scores of these rows, in this order, from the fitted model: shape (rows,), or (rows, classes)."""

    rows: Rows

    @cached_property
    def key(self) -> str:
        return f"scores:{digest.of_rows(self.rows)}"


@dataclass(frozen=True, eq=False)
class WithoutItselfReading:
    """The score of each training row as the fit gives it without that row, where the family can: out of bag, or by
    the other rows alone. Shape as in ScoreReading, in the order of training; NaN where no tree left the row out."""

    rows: Rows

    @property
    def key(self) -> str:
        return "without itself"


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
        # The ledger's keys have at most 80 characters.
        return f"dial:{digest.of_json([repr(value) for value in self.values])[:16]}:{digest.of_rows(self.rows)[:48]}"


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

    For fits so many that n scores of each would be too much to keep. ``scored`` without itself: ``rows`` are the
    training rows, each scored as in WithoutItselfReading.
    """

    rows: Rows
    wanted: tuple[Wanted, ...]
    scored: Literal["as fitted", "without itself"] = "as fitted"

    @cached_property
    def key(self) -> str:
        named = [
            [one.measure, repr(one.threshold), one.class_ or "", program_of_measure(one.measure)] for one in self.wanted
        ]
        how = "" if self.scored == "as fitted" else "out:"
        # The ledger's keys have at most 80 characters.
        return f"figures:{how}{digest.of_json(named)[:16]}:{digest.of_rows(self.rows)[:48]}"


@dataclass(frozen=True, eq=False)
class TunedReading:
    """Which of the settings that were tried was chosen, as a place among them, then the inner value of each.

    Shape (1 + tried,); NaN where there is no value. ``rows`` are the training rows.
    """

    rows: Rows

    @property
    def key(self) -> str:
        return "tuned"


@dataclass(frozen=True, eq=False)
class TreesReading:
    """The fitted trees node by node, with the outcomes of training rows and of ``rows`` in every node.

    Shape (nodes, columns) as in ``fit.probe.trees``; whole trees, in order, while there are at most ``most`` nodes.
    """

    rows: Rows
    most: int

    @cached_property
    def key(self) -> str:
        return f"trees:{self.most}:{digest.of_rows(self.rows)}"


@dataclass(frozen=True, eq=False)
class SplitsReading:
    """How often each feature splits, over all trees, and the family's own importance of it; shape (features, 2).

    ``rows`` are the training rows. NaN where the family has no importance, or no trees.
    """

    rows: Rows

    @property
    def key(self) -> str:
        return "splits"


@dataclass(frozen=True, eq=False)
class InfluenceReading:
    """What a measure of these rows loses when one feature's values change places among them; shape (features, 3).

    The mean loss over ``repeats``, the variance of it that comes of the rows, and that which comes of the repeats.
    """

    rows: Rows
    measure: str
    repeats: int
    seed: int

    @cached_property
    def key(self) -> str:
        asked = digest.of_json([self.measure, self.repeats, self.seed, program_of_measure(self.measure)])[:12]
        return f"influence:{asked}:{digest.of_rows(self.rows)[:48]}"


@dataclass(frozen=True, eq=False)
class ShapeReading:
    """The scores of these rows with one feature held at each point of its grid, for every feature.

    Shape (features, points, classes, 2 + curves): their mean, the standard error over the rows of its difference from
    the first point, and the scores of the first ``curves`` rows. NaN beyond a shorter grid. ``classes`` is 1 for a
    yes/no and for a number.
    """

    rows: Rows
    curves: int

    @cached_property
    def key(self) -> str:
        return f"shape:{self.curves}:{digest.of_rows(self.rows)}"


@dataclass(frozen=True, eq=False)
class SensitivityReading:
    """What each disturbance of each feature does to these rows; shape (features, disturbances, 2).

    Of classes how many decisions change and of how many rows, a yes/no decided at ``threshold``; of a number the mean
    absolute change of the prediction and its standard error. NaN where a feature can't be disturbed so.
    """

    rows: Rows
    seed: int
    threshold: float | None

    @cached_property
    def key(self) -> str:
        return f"sensitivity:{self.seed}:{self.threshold}:{digest.of_rows(self.rows)[:32]}"


@dataclass(frozen=True, eq=False)
class FlipReading:
    """What these rows are answered with another value of one feature, all else as it was: see ``fit.probe.flip``.

    ``to`` are the values tried, as the raw matrix has them; ``cuts`` lie between the bands of a number whose rows are
    told apart by band, and ``levels`` says that the values are places among levels, where below 0 is a gap. A yes/no is
    decided at ``threshold``.
    """

    rows: Rows
    feature: str
    to: tuple[float, ...]
    threshold: float | None
    cuts: tuple[float, ...] | None = None
    levels: bool = True

    @cached_property
    def key(self) -> str:
        to, cuts = ([repr(one) for one in values or ()] for values in (self.to, self.cuts))
        asked = digest.of_json([self.feature, to, cuts, repr(self.threshold)])
        return f"flip:{asked[:16]}:{digest.of_rows(self.rows)[:48]}"


Reading = (
    TunedReading
    | CoefficientReading
    | FigureReading
    | ScoreReading
    | LeftOutReading
    | DialReading
    | WithoutItselfReading
    | TreesReading
    | SplitsReading
    | InfluenceReading
    | ShapeReading
    | SensitivityReading
    | FlipReading
)


@dataclass(frozen=True, eq=False)
class Need:
    """A fit and one thing to be read from it."""

    fit: AnyFit
    reading: Reading


@dataclass(frozen=True, eq=False)
class FitJob:
    """A fit with everything that all checks want read from it: one piece of work."""

    fit: AnyFit
    readings: tuple[Reading, ...]


def gather(needs: list[Need]) -> tuple[FitJob, ...]:
    """The distinct fits of many needs, in the order first asked for, each with its distinct readings.

    >>> from brookfall.core.check.example import small_bench
    >>> bench = small_bench()
    >>> len(gather([bench.submitted.holdout, bench.submitted.holdout]))
    1
    """
    fits: dict[str, AnyFit] = {}
    readings: dict[str, dict[str, Reading]] = {}
    for need in needs:
        fits.setdefault(need.fit.key, need.fit)
        readings.setdefault(need.fit.key, {}).setdefault(need.reading.key, need.reading)
    return tuple(FitJob(fit, tuple(readings[key].values())) for key, fit in fits.items())
