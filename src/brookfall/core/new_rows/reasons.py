"""Why a row has its score: how much each feature moved it, against rows that the model learned from."""

from dataclasses import dataclass
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from brookfall.core.fit.execute import on_one_thread
from brookfall.core.fit.fitted import Fitted, Model
from brookfall.core.foundation import digest
from brookfall.core.measure.scored import Numbers
from brookfall.core.measure.shapley import TreeWithValues, by_permutations, of_sums, of_trees, sums_of_trees

BACKGROUND = 100
"""Rows learned from that features are taken from."""
MOST_EXACT, MOST_DRAWN = 1_000, 100
"""So many rows are explained at most: where it takes no sampling, and where it does."""
_PAIRS = 32
_MOST_ON_A_PATH = 62
_MOST_LEAVES = 20_000
"""Leaves of all trees beyond which drawn orders are faster, by far."""

Scale = Literal["score", "log odds", "log"]
_SCALES: dict[str, Scale] = {"identity": "score", "exp": "log", "logistic": "log odds", "softmax": "log odds"}


@dataclass(frozen=True)
class Reasons:
    """Of the first rows of a file how much each feature moved the score from what it is over the background.

    ``values`` (rows, features) and the mean ``base`` (rows,) add up to the score, or its log odds or logarithm, as
    ``scale`` says; ``exact`` where nothing was drawn but the background.
    """

    values: Numbers
    base: Numbers
    scale: Scale
    exact: bool

    def words(self, names: tuple[str, ...], most: int = 3) -> list[str]:
        """For each row the features that moved it most, signed: ``income -0.42|smokers +0.31``."""
        return [_words(row, names, most) for row in self.values]


def _words(values: Numbers, names: tuple[str, ...], most: int) -> str:
    order = np.argsort(-np.abs(values), kind="stable")[:most]
    return "|".join(f"{names[place]} {values[place]:+.3g}" for place in order if values[place] != 0)


def reasons_of(model: Model, raw: Numbers, classes: NDArray[np.int64] | None, seed: int) -> Reasons:
    """The reasons of the first rows of a file.

    Parameters
    ----------
    model
        The model.
    raw
        Rows as they are, (m, p).
    classes
        Of several classes, whose score is explained in each row: its place among the estimator's; None otherwise.
    seed
        Of the background rows, and of orders where they are drawn.
    """
    rng = np.random.default_rng(digest.seed_from("reasons", seed))
    train = model.request.train
    chosen = np.sort(rng.choice(train, min(BACKGROUND, len(train)), replace=False))
    background = model.raw(chosen)
    with on_one_thread():
        exact = _exact(model, raw[:MOST_EXACT], background) if isinstance(model, Fitted) else None
        if exact is not None:
            values, base, scale = exact
        else:
            values, base = by_permutations(model.scores, raw[:MOST_DRAWN], background, _PAIRS, rng)
            scale = "score"
    place = np.zeros(len(values), dtype=np.int64) if classes is None else classes[: len(values)]
    rows = np.arange(len(values))
    return Reasons(values[rows, :, place], base[place], scale, exact is not None)


def _exact(fitted: Fitted, raw: Numbers, background: Numbers) -> tuple[Numbers, Numbers, Scale] | None:
    """Values where the family adds up columns or trees, the background's mean sums, and the scale; None elsewhere."""
    family, players = fitted.family, fitted.prepared.sources()
    if not len(players):
        return None
    design, others = fitted.prepared.transform(raw), fitted.prepared.transform(background)
    if family.straight is not None:
        straight = family.straight(fitted.made, fitted.estimator)
        coefficients, base = straight.coefficients, straight.sums(others).mean(axis=0)
        if fitted.target.outcome == "binary" and len(base) == 2:
            # Of two sums the one's log odds are their difference.
            coefficients, base = coefficients[:, 1:] - coefficients[:, :1], base[1:] - base[:1]
        values = of_sums(coefficients, design, others, players)
        return _padded(values, raw.shape[1]), base, _SCALES[straight.link]
    told = None if family.tree_sum is None else family.tree_sum(fitted.made, fitted.estimator)
    if told is None or len(set(players.tolist())) > _MOST_ON_A_PATH:
        return None
    if sum(int((grown.column < 0).sum()) for grown, _ in told.trees) > _MOST_LEAVES:
        return None
    if told.single:
        design, others = (rows.astype(np.float32).astype(np.float64) for rows in (design, others))
    trees = [
        TreeWithValues(grown.left, grown.right, grown.column, grown.threshold, grown.gaps_left, values)
        for grown, values in told.trees
    ]
    base = told.base + sums_of_trees(trees, others).mean(axis=0)
    return _padded(of_trees(trees, design, others, players), raw.shape[1]), base, told.scale


def _padded(values: Numbers, features: int) -> Numbers:
    """With a place for features that no prepared column is made of, as free text that is left out."""
    found = np.zeros((len(values), features, values.shape[2]))
    found[:, : values.shape[1]] = values
    return found
