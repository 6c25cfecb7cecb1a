"""Rows with their outcomes and what a model said of them: one type a kind of outcome."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import Self, TypedDict

import numpy as np
from numpy.typing import NDArray

from brookfall.core.measure.figure import few_units, too_few

Numbers = NDArray[np.float64]
Scores = NDArray[np.float64]
Outcomes = NDArray[np.bool_]
Codes = NDArray[np.int64]
Chosen = NDArray[np.bool_] | NDArray[np.int64]


class Sampling(TypedDict):
    """What rows are called, what they count, and the groups they come in: see ``Sampled``."""

    key: str
    weights: Numbers | None
    clusters: Codes | None


@dataclass(frozen=True, kw_only=True)
class Sampled:
    """What rows have in common whatever their outcome.

    ``key`` names these rows and this model, and seeds what is drawn, so that equal content gives equal bits.
    ``weights`` have shape (n,), none below 0; None counts every row once. ``clusters`` are codes of shape (n,) of
    the groups that rows come in; None when each row stands for itself.
    """

    key: str
    weights: Numbers | None = None
    clusters: Codes | None = None

    def __len__(self) -> int:
        raise NotImplementedError

    @property
    def plain(self) -> bool:
        """Whether every row counts once and stands for itself."""
        return self.weights is None and self.clusters is None

    @cached_property
    def counted(self) -> Numbers:
        """The weight of every row; shape (n,)."""
        return np.ones(len(self)) if self.weights is None else self.weights

    @cached_property
    def n_clusters(self) -> int | None:
        return None if self.clusters is None else len(np.unique(self.clusters))

    @property
    def few(self) -> bool:
        """Whether the rows are too few to judge, whatever their outcomes."""
        return few_units(len(self), self.n_clusters)

    def _sample_of(self, chosen: Chosen, name: str) -> Sampling:
        return {
            "key": f"{self.key}/{name}",
            "weights": None if self.weights is None else self.weights[chosen],
            "clusters": None if self.clusters is None else self.clusters[chosen],
        }

    def take(self, chosen: Chosen, name: str) -> Self:
        """Those rows alone, under their own name."""
        raise NotImplementedError

    def known(self) -> NDArray[np.bool_]:
        """True where the model said something; shape (n,)."""
        raise NotImplementedError

    def usable(self) -> tuple[Self, str | None]:
        """The rows that count and have a score, and what was left out, in words."""
        known = self.known()
        silent = len(known) - int(known.sum())
        kept = known if self.weights is None else known & (self.weights > 0)
        if kept.all():
            return self, None
        remark = f"{silent} row{'' if silent == 1 else 's'} without a score left out" if silent else None
        return self.take(kept, "usable"), remark


@dataclass(frozen=True, kw_only=True)
class Scored(Sampled):
    """n rows of a binary outcome; a row is positive when its score is at least the threshold.

    ``given`` are decisions that came with the scores; they are used instead of the threshold. NaN is no score.
    """

    outcomes: Outcomes
    scores: Scores
    threshold: float
    given: Outcomes | None = None

    def __len__(self) -> int:
        return len(self.outcomes)

    @cached_property
    def decisions(self) -> Outcomes:
        return self.scores >= self.threshold if self.given is None else self.given

    @property
    def events(self) -> int:
        return int(self.outcomes.sum())

    @property
    def has_both(self) -> bool:
        return 0 < self.events < len(self)

    @cached_property
    def probable(self) -> bool:
        """Whether the scores can be probabilities: none leaves 0 to 1."""
        return bool(((self.scores >= 0) & (self.scores <= 1)).all())

    @property
    def few_events(self) -> bool:
        return too_few(len(self), self.events, self.n_clusters)

    def at(self, threshold: float) -> "Scored":
        """The same rows decided at another threshold."""
        return replace(self, threshold=threshold, given=None)

    def known(self) -> NDArray[np.bool_]:
        return ~np.isnan(self.scores)

    def take(self, chosen: Chosen, name: str) -> "Scored":
        return Scored(
            outcomes=self.outcomes[chosen],
            scores=self.scores[chosen],
            threshold=self.threshold,
            given=None if self.given is None else self.given[chosen],
            **self._sample_of(chosen, name),
        )


@dataclass(frozen=True, kw_only=True)
class ScoredClasses(Sampled):
    """n rows of an outcome with K classes: ``outcomes`` and ``decisions`` are positions in ``classes``.

    ``scores`` has shape (n, K), a row's probabilities of the classes; None when only decisions are known.
    A decision of -1 is none.
    """

    outcomes: Codes
    decisions: Codes
    classes: tuple[str, ...]
    scores: Scores | None = None

    def __len__(self) -> int:
        return len(self.outcomes)

    @cached_property
    def probable(self) -> bool:
        """Whether the scores of each row are probabilities that add up to 1."""
        if self.scores is None:
            return False
        return bool(((self.scores >= 0) & (self.scores <= 1)).all() and np.allclose(self.scores.sum(axis=1), 1))

    def known(self) -> NDArray[np.bool_]:
        return self.decisions >= 0

    def take(self, chosen: Chosen, name: str) -> "ScoredClasses":
        return ScoredClasses(
            outcomes=self.outcomes[chosen],
            decisions=self.decisions[chosen],
            classes=self.classes,
            scores=None if self.scores is None else self.scores[chosen],
            **self._sample_of(chosen, name),
        )

    def against_rest(self, position: int) -> Scored:
        """The rows as a binary outcome: this class or another. Without scores the decisions stand for them."""
        decided = self.decisions == position
        return Scored(
            outcomes=self.outcomes == position,
            scores=decided.astype(np.float64) if self.scores is None else self.scores[:, position],
            threshold=0.5,
            given=decided,
            key=f"{self.key}/class:{self.classes[position]}",
            weights=self.weights,
            clusters=self.clusters,
        )


@dataclass(frozen=True, kw_only=True)
class ScoredNumbers(Sampled):
    """n rows of a number outcome and the model's predictions, both of shape (n,) in the target's unit."""

    outcomes: Numbers
    predictions: Numbers

    def __len__(self) -> int:
        return len(self.outcomes)

    def known(self) -> NDArray[np.bool_]:
        return ~np.isnan(self.predictions)

    def take(self, chosen: Chosen, name: str) -> "ScoredNumbers":
        return ScoredNumbers(
            outcomes=self.outcomes[chosen],
            predictions=self.predictions[chosen],
            **self._sample_of(chosen, name),
        )


AnyScored = Scored | ScoredClasses | ScoredNumbers
