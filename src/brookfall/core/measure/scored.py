"""Rows with their outcomes and what a model said of them: one type a kind of outcome."""

from dataclasses import dataclass, replace
from functools import cached_property
from typing import ClassVar, Literal, Self, TypedDict

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation.errors import UserError
from brookfall.core.measure.figure import NOT_PROBABILITIES, few_units, too_few
from brookfall.core.table.outcome import Outcome

Numbers = NDArray[np.float64]
Scores = NDArray[np.float64]
Outcomes = NDArray[np.bool_]
Codes = NDArray[np.int64]
Chosen = NDArray[np.bool_] | NDArray[np.int64]
Needs = Literal["decision", "score", "probability"]
"""What a measure needs of a model."""

NO_SCORES = "no score for each class was given"
NO_THRESHOLD = "no threshold is declared, so no row is decided"


def decided_at(threshold: float | None) -> float:
    """The threshold; UserError where none is declared, as none is ever invented.

    Parameters
    ----------
    threshold : float | None
        What is known of it.

    Returns
    -------
    float
        At which score a yes/no is positive.

    Raises
    ------
    UserError
        There is none.

    Examples
    --------
    >>> decided_at(0.4)
    0.4
    """
    if threshold is None:
        raise UserError(
            "No threshold is declared, so no row is decided.",
            todo="Set one in the plan, under 'Decide at', or have the owner declare the model's own.",
        )
    return threshold


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

    outcome: ClassVar[Outcome]
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

    def arrays(self) -> dict[str, NDArray[np.generic] | None]:
        """What is held of every row, by the name of the argument; each of length n in its first dimension."""
        return {"weights": self.weights, "clusters": self.clusters}

    def lacks(self, needs: Needs) -> str | None:  # noqa: ARG002 - what is needed differs by outcome
        """Why a measure that needs this of the model can't be taken; None where it can."""
        return None

    @cached_property
    def _checked(self) -> bool:
        """True; ValueError names the argument that can't be measured. Once for each set of rows."""
        n = len(self)
        for name, array in self.arrays().items():
            if array is not None and len(array) != n:
                raise ValueError(f"{name} has {len(array)} rows and outcomes has {n}; they must be of the same rows")
        if self.weights is not None and not (np.isfinite(self.weights).all() and (self.weights >= 0).all()):
            raise ValueError("weights must be finite and none below 0")
        return True

    def usable(self) -> tuple[Self, str | None]:
        """The rows that count and have a score, and what was left out, in words.

        Raises
        ------
        ValueError
            An argument is not of these rows, or holds what can't be measured; the message names it.
        """
        _ = self._checked
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

    ``given`` are decisions that came with the scores; they are used instead of the threshold. Where there is neither,
    nothing is decided: UserError where decisions are asked for. NaN is no score.
    """

    outcome: ClassVar[Outcome] = "binary"
    outcomes: Outcomes
    scores: Scores
    threshold: float | None
    given: Outcomes | None = None

    def __len__(self) -> int:
        return len(self.outcomes)

    @cached_property
    def decisions(self) -> Outcomes:
        if self.given is not None:
            return self.given
        return self.scores >= decided_at(self.threshold)

    @property
    def decides(self) -> bool:
        """Whether it is known which rows are positive."""
        return self.given is not None or self.threshold is not None

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

    def arrays(self) -> dict[str, NDArray[np.generic] | None]:
        return {"scores": self.scores, "given": self.given, **super().arrays()}

    def lacks(self, needs: Needs) -> str | None:
        if needs == "decision" and not self.decides:
            return NO_THRESHOLD
        return NOT_PROBABILITIES if needs == "probability" and not self.probable else None

    @cached_property
    def _checked(self) -> bool:
        if self.outcomes.dtype != np.bool_:
            raise ValueError(f"outcomes must be True or False in every row, not {self.outcomes.dtype} values")
        if np.isinf(self.scores).any():
            raise ValueError("scores must be finite; NaN stands for none")
        return super()._checked

    @property
    def few_events(self) -> bool:
        return too_few(len(self), self.events, self.n_clusters)

    def at(self, threshold: float | None) -> "Scored":
        """The same rows decided at another threshold, or not decided."""
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

    outcome: ClassVar[Outcome] = "multiclass"
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

    def arrays(self) -> dict[str, NDArray[np.generic] | None]:
        return {"decisions": self.decisions, "scores": self.scores, **super().arrays()}

    def lacks(self, needs: Needs) -> str | None:
        if needs != "decision" and self.scores is None:
            return NO_SCORES
        return NOT_PROBABILITIES if needs == "probability" and not self.probable else None

    @cached_property
    def _checked(self) -> bool:
        k = len(self.classes)
        if self.scores is not None and self.scores.shape != (len(self), k):
            raise ValueError(
                f"scores has the shape {self.scores.shape}, and {len(self)} rows of {k} classes are needed"
            )
        if len(self) and not (self.outcomes.min() >= 0 and self.outcomes.max() < k):
            raise ValueError(f"outcomes must be places among the {k} classes, from 0 to {k - 1}")
        return super()._checked

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

    outcome: ClassVar[Outcome] = "number"
    outcomes: Numbers
    predictions: Numbers

    def arrays(self) -> dict[str, NDArray[np.generic] | None]:
        return {"predictions": self.predictions, **super().arrays()}

    @cached_property
    def _checked(self) -> bool:
        if not np.isfinite(self.outcomes).all():
            raise ValueError("outcomes must be finite numbers")
        return super()._checked

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


@dataclass(frozen=True, kw_only=True)
class Picked(Sampled):
    """Occasions with the probability that the model gave to each alternative: the unit is the occasion, not the row.

    ``offered`` of shape (m, k) is the probability of each of k alternatives, 0 where it could not be had, and
    ``there`` whether it could; ``picked`` (m,) is the place of the one that was chosen in ``alternatives``, (k,).
    """

    offered: Numbers
    there: NDArray[np.bool_]
    picked: Codes
    alternatives: tuple[str, ...]

    outcome: ClassVar[Outcome] = "choice"

    def __len__(self) -> int:
        return len(self.picked)

    def known(self) -> NDArray[np.bool_]:
        """Whether the probabilities of what could be had are there and add up to 1."""
        return np.isclose(self.offered.sum(axis=1), 1)

    def take(self, chosen: Chosen, name: str) -> "Picked":
        return Picked(
            offered=self.offered[chosen],
            there=self.there[chosen],
            picked=self.picked[chosen],
            alternatives=self.alternatives,
            **self._sample_of(chosen, name),
        )

    def arrays(self) -> dict[str, NDArray[np.generic] | None]:
        return {"offered": self.offered, "there": self.there, **super().arrays()}

    # An occasion reads as a row of an outcome with a class an alternative, decided as the likeliest.

    @property
    def outcomes(self) -> Codes:
        return self.picked

    @property
    def scores(self) -> Scores:
        return self.offered

    @cached_property
    def decisions(self) -> Codes:
        """The place of the likeliest alternative, the first of several that are equally so; shape (m,)."""
        return np.where(self.there, self.offered, -1.0).argmax(axis=1)

    @property
    def guessed_evenly(self) -> "Picked":
        """The same occasions, each alternative that could be had as likely as any other."""
        return replace(self, offered=self.there / self.there.sum(axis=1, keepdims=True))

    @cached_property
    def as_classes(self) -> ScoredClasses:
        """The occasions as such rows."""
        return ScoredClasses(
            outcomes=self.outcomes,
            decisions=self.decisions,
            classes=self.alternatives,
            scores=self.scores,
            key=self.key,
            weights=self.weights,
            clusters=self.clusters,
        )

    def against_rest(self, position: int) -> Scored:
        """Whether one alternative was chosen, on the occasions on which it could be had."""
        there = np.flatnonzero(self.there[:, position])
        return self.as_classes.against_rest(position).take(there, "could be had")

    @property
    def chosen(self) -> Numbers:
        """The probability of the alternative actually chosen; shape (m,)."""
        return np.asarray(self.offered[np.arange(len(self)), self.picked])

    @property
    def hits(self) -> Numbers:
        """1 where the chosen one was the likeliest, a part of 1 where several were equally so; shape (m,)."""
        highest = (self.offered == self.offered.max(axis=1, keepdims=True)) & self.there
        return np.where(highest[np.arange(len(self)), self.picked], 1 / highest.sum(axis=1), 0.0)

    @property
    def evenly(self) -> Numbers:
        """The probability of the chosen one for who guesses evenly among what could be had; shape (m,)."""
        return np.asarray(1 / self.there.sum(axis=1))


def picked_from(
    sampling: Sampling,
    occasion: Codes,
    alternative: Codes,
    alternatives: tuple[str, ...],
    chosen: NDArray[np.bool_],
    shares: Numbers,
) -> Picked:
    """Occasions from rows in long form, all of shape (n,); each occasion whole, one of its rows chosen.

    They come in the order of their chosen rows.

    Parameters
    ----------
    sampling : Sampling
        What draws are seeded by, what each row counts, and the groups that rows come in, both of shape (n,): an
        occasion counts what its chosen row does.
    occasion : Codes
        The occasion of each row, shape (n,).
    alternative : Codes
        The place of each row's alternative among all, shape (n,).
    alternatives : tuple[str, ...]
        The names of all alternatives.
    chosen : NDArray[np.bool_]
        Whether the row's alternative was chosen, shape (n,); one row of each occasion.
    shares : Numbers
        The probability of each row's alternative, shape (n,).

    Returns
    -------
    Picked
        The occasions, one row each.

    Examples
    --------
    >>> rows = [np.array([0, 0, 1, 1]), np.array([0, 1, 0, 1])]
    >>> said = Sampling(key="", weights=None, clusters=None)
    >>> taken, shares = np.array([True, False, False, True]), np.array([0.8, 0.2, 0.5, 0.5])
    >>> picked_from(said, *rows, ("am", "pm"), taken, shares).hits.tolist()
    [1.0, 0.5]
    """
    _, code = np.unique(occasion, return_inverse=True)
    taken = np.flatnonzero(chosen)
    place = np.zeros(len(taken), dtype=np.int64)
    place[code[taken]] = np.arange(len(taken))
    unit, shape = place[code], (len(taken), len(alternatives))
    offered, there = np.zeros(shape), np.zeros(shape, dtype=np.bool_)
    offered[unit, alternative], there[unit, alternative] = shares, True
    weights = None if sampling["weights"] is None else sampling["weights"][taken]
    clusters = None if sampling["clusters"] is None else sampling["clusters"][taken]
    if clusters is not None and len(np.unique(clusters)) == len(clusters):
        clusters = None
    return Picked(
        key=sampling["key"],
        offered=offered,
        there=there,
        picked=alternative[taken],
        alternatives=alternatives,
        weights=weights,
        clusters=clusters,
    )


AnyScored = Scored | ScoredClasses | ScoredNumbers | Picked
