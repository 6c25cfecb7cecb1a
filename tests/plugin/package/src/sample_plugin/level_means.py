"""A family with a dial: the share of positives, drawn towards that of all rows by so many rows of prior belief."""

import numpy as np

from brookfall.core.recipe.family.family import Dial, Family, Made, Positive, Settings


class LevelMeansSettings(Settings):
    """``belief``: how many rows the share of all rows counts; the more, the simpler."""

    belief: Positive = 10.0


class LevelMeans:
    """Predicts by the bins of the first prepared column alone."""

    def __init__(self, belief: float) -> None:
        self._belief = belief

    def fit(self, design: np.ndarray, target: np.ndarray, sample_weight: np.ndarray | None = None) -> "LevelMeans":
        weights = np.ones(len(target)) if sample_weight is None else sample_weight
        self.classes_ = np.unique(target)
        self._edges = np.quantile(design[:, 0], [0.2, 0.4, 0.6, 0.8])
        place = np.searchsorted(self._edges, design[:, 0])
        hits, counted = (np.bincount(place, one, 5) for one in (weights * (target == self.classes_[-1]), weights))
        self._share = (hits + self._belief * hits.sum() / counted.sum()) / (counted + self._belief)
        return self

    def predict_proba(self, design: np.ndarray) -> np.ndarray:
        positive = self._share[np.searchsorted(self._edges, design[:, 0])]
        return np.column_stack([1 - positive, positive])


def build(made: Made) -> LevelMeans:
    return LevelMeans(made.settings.belief)


LEVEL_MEANS = Family(
    "level_means",
    "level means",
    frozenset({"binary"}),
    LevelMeansSettings,
    build,
    dial=Dial("belief", rising=False, values=(1.0, 10.0, 100.0, 1000.0)),
)
