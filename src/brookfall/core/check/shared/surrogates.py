"""Surrogates of scores that came alone: models of the score itself, on the owner's own rows."""

from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import RECIPE, SCORES, Bench
from brookfall.core.check.shared.feature_influence import MOST_ROWS, REPEATS
from brookfall.core.check.shared.tree_chart import MOST_NODES
from brookfall.core.fit.ask import fit_request
from brookfall.core.fit.request import FitRequest, InfluenceReading, Need, Rows, ScoreReading, TreesReading
from brookfall.core.fit.split import some_of
from brookfall.core.foundation import digest, wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.recipe.recipe import Preprocess, Recipe
from brookfall.core.table.target import Target

ADDITIVE, TREE, TREES = "additive_surrogate", "tree_surrogate", "trees_surrogate"
SURROGATES = {
    ADDITIVE: "sum of steps in single features",
    TREE: "small tree",
    TREES: "boosted trees of all columns together",
}
_FEWEST = 60


@dataclass(frozen=True)
class LearnedAndHeld:
    """The rows that surrogates learn from, those that they are held against, and what these are; sorted."""

    train: Rows
    held: Rows
    part: str


def refuse_what_is_asked_itself(bench: Bench) -> None:
    """UserError where a model came that can be asked itself, or no one score a row to follow."""
    if RECIPE in bench.models or bench.has_artifact:
        raise UserError("The model itself is asked here, so nothing stands for it.", todo="Leave this check out.")
    if SCORES not in bench.models or bench.subject.outcome not in ("binary", "number"):
        raise UserError("There is not one supplied score a row for a surrogate to follow.", todo="Leave it out.")


class Surrogates:
    """What is asked for: two models of the supplied score, on the same rows."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        supplied = bench.supplied_scores.supplied.scores
        if supplied is None:
            raise UserError("The supplied predictions have labels and no scores.", todo="Leave this check out.")
        self.scores: NDArray[np.float64] = supplied
        self.target = Target("number", supplied)

    @cached_property
    def features(self) -> tuple[str, ...]:
        """The features, then the protected columns that are none."""
        subject = self.bench.subject
        others = [one for one in subject.roles.protected if one in subject.table.names]
        return tuple(dict.fromkeys((*subject.features, *others)))

    @cached_property
    def rows(self) -> LearnedAndHeld:
        """The owner's training part and the rest where both have scores enough; else halves, dealt by the seed."""
        bench = self.bench
        known = {part: rows[np.isfinite(self.scores[rows])] for part, rows in bench.supplied_parts.items()}
        every = np.unique(np.concatenate(list(known.values()))) if known else np.zeros(0, dtype=np.int64)
        train = known.get("training", np.zeros(0, dtype=np.int64))
        held = np.setdiff1d(every, train)
        if min(len(train), len(held)) >= _FEWEST // 2:
            others = [part for part in known if part != "training"]
            return LearnedAndHeld(train, held, others[0] if len(others) == 1 else "unseen")
        if len(every) < _FEWEST:
            raise UserError(
                f"{wording.rows(len(every))} with a supplied score are too few for a surrogate.",
                todo=f"It takes {_FEWEST}.",
            )
        rng = np.random.default_rng(digest.seed_from("surrogate", bench.plan.seed))
        first = np.sort(rng.permutation(every)[: len(every) // 2])
        return LearnedAndHeld(first, np.setdiff1d(every, first), "unseen")

    def fit(self, name: str, train: Rows | None = None) -> FitRequest:
        """The request to fit one of them to the scores of its rows, or of others."""
        learned = self.rows.train if train is None else train
        made = fit_request(self.bench.subject, self._recipe(name), learned, self.features)
        return replace(made, outcome="number", classes=(), of_scores=digest.sha256(self.scores.tobytes()))

    def _recipe(self, name: str) -> Recipe:
        seed = self.bench.plan.seed % 2**32
        if name == TREE:
            leaf = max(10, len(self.rows.train) // 50)
            return Recipe(family="tree", settings={"depth": 4, "rows_per_leaf": leaf}, seed=seed)
        steps: dict[str, object] = {"trees": 200, "depth": 1, "learning_rate": 0.1}
        if name == TREES:
            steps = {"trees": 200, "depth": 4, "learning_rate": 0.05}
        return Recipe(family="gradient_boosting", settings=steps, preprocess=Preprocess(encode="ordinal"), seed=seed)

    def scores_of(self, name: str) -> Need:
        """What one of them says of the rows that it is held against."""
        return Need(self.fit(name), ScoreReading(self.rows.held))

    @cached_property
    def influence(self) -> Need:
        """What the additive one loses of its R² of the score when a column's values change places."""
        rows = some_of(self.rows.held, MOST_ROWS, self.bench.plan.seed)
        return Need(self.fit(ADDITIVE), InfluenceReading(rows, "r2", REPEATS, self.bench.plan.seed))

    @cached_property
    def tree(self) -> Need:
        """The small tree, node by node."""
        return Need(self.fit(TREE), TreesReading(self.rows.held, MOST_NODES))
