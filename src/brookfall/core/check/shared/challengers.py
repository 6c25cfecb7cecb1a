"""Challengers: other families with their settings, and the fits by which they are judged."""

from dataclasses import dataclass

from brookfall.core.check.bench import Bench
from brookfall.core.fit.request import Need, TunedReading, Tuning
from brookfall.core.recipe.families import families, resolved_settings
from brookfall.core.recipe.recipe import Preprocess, Recipe

_MOST_ROWS: dict[str, int] = {"support_vectors": 3_000}
"""Training rows beyond which a family takes too long to be fitted in every fold."""


MAJORITY = 0.5


CHALLENGERS: tuple[tuple[str, dict[str, object], Preprocess], ...] = (
    ("logistic", {"penalty": "l2"}, Preprocess(scale="standard")),
    ("ridge", {}, Preprocess(scale="standard")),
    ("tree", {}, Preprocess()),
    ("forest", {}, Preprocess()),
    ("gradient_boosting", {}, Preprocess(encode="ordinal")),
    ("nearest_neighbours", {}, Preprocess(scale="standard")),
    ("naive_bayes", {}, Preprocess()),
    ("support_vectors", {}, Preprocess(scale="standard")),
    ("adaboost", {}, Preprocess()),
    ("neural_network", {}, Preprocess(scale="standard")),
)
"""Families with the settings that differ from their defaults, and how columns are prepared for each."""


_TRIED: dict[str, tuple[dict[str, object], ...]] = {
    "logistic": ({"strength": 100.0}, {"strength": 10.0}, {"strength": 1.0}, {"strength": 0.01}),
    "ridge": ({"strength": 1000.0}, {"strength": 100.0}, {"strength": 10.0}, {"strength": 1.0}),
    "tree": ({"rows_per_leaf": 100}, {"rows_per_leaf": 30}, {"rows_per_leaf": 10}, {"rows_per_leaf": 1}),
    "forest": ({"rows_per_leaf": 20}, {"rows_per_leaf": 5}, {"rows_per_leaf": 1}),
    "gradient_boosting": ({"depth": 1}, {"depth": 3}, {"leaves": 31}, {"leaves": 31, "learning_rate": 0.03}),
    "nearest_neighbours": ({"k": 101}, {"k": 51}, {"k": 15}, {"k": 5}),
    "support_vectors": ({"strength": 0.1}, {"strength": 1.0}, {"strength": 10.0}),
    "adaboost": ({"depth": 1}, {"depth": 2}, {"depth": 3}),
    "neural_network": ({"penalty": 1.0}, {"penalty": 0.0001}),
}
"""Settings that are tried where challengers are tuned, the simplest first; a family that is not here has none."""


@dataclass(frozen=True)
class Challenger:
    """Another family: its recipe, and what is tuned of it, if anything is."""

    recipe: Recipe
    tuning: Tuning | None

    @property
    def family(self) -> str:
        return self.recipe.family

    def needs(self, bench: Bench) -> tuple[Need, ...]:
        """The fits by which it is judged."""
        return bench.deciding_needs_of(self.recipe, tuning=self.tuning)

    def choices(self, bench: Bench) -> tuple[Need, ...]:
        """What was chosen inside each of these fits; none where nothing is tuned."""
        if self.tuning is None:
            return ()
        return tuple(Need(need.fit, TunedReading(need.fit.train)) for need in self.needs(bench))


def challengers_of(bench: Bench) -> list[Challenger]:
    """What the submitted recipe is set against; not itself, nor what these rows are too many for."""
    ours, outcome = bench.recipe, bench.subject.outcome
    largest = max(len(need.fit.train) for need in bench.deciding_needs)
    found = []
    for family, settings, prepared in CHALLENGERS:
        if outcome not in families()[family].outcomes or largest > _MOST_ROWS.get(family, largest):
            continue
        made = Recipe(family=family, settings=settings, preprocess=prepared, seed=ours.seed, threshold=MAJORITY)
        tuned = bench.plan.challengers == "tuned" and family in _TRIED
        if not tuned and family == ours.family and resolved_settings(made) == resolved_settings(ours):
            continue
        found.append(Challenger(made, _tuning(family, bench.plan.main_measure) if tuned else None))
    return found


def _tuning(family: str, measure: str) -> Tuning:
    return Tuning(tuple(tuple(settings.items()) for settings in _TRIED[family]), measure)
