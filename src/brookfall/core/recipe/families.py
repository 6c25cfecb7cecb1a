"""The families of models that can be refitted: settings with their defaults, and how each is built.

Every default is written here; none is left to a library.
"""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, ValidationError
from sklearn.dummy import DummyClassifier
from sklearn.ensemble import HistGradientBoostingClassifier, RandomForestClassifier
from sklearn.linear_model import LogisticRegression
from sklearn.naive_bayes import GaussianNB
from sklearn.neighbors import KNeighborsClassifier
from sklearn.tree import DecisionTreeClassifier

from brookfall.core.errors import UserError
from brookfall.core.recipe.recipe import Recipe

Estimator = Any
"""An unfitted scikit-learn classifier; the library ships no types."""


def _none_as_null(written: object) -> object:
    return None if written in ("none", "null", "") else written


Count = Annotated[int, Field(ge=1, le=100_000)]
Unlimited = Annotated[Annotated[int, Field(ge=1, le=100_000)] | None, BeforeValidator(_none_as_null)]
ClassWeight = Annotated[Literal["balanced"] | None, BeforeValidator(_none_as_null)]


class Settings(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class LogisticSettings(Settings):
    penalty: Literal["none", "l1", "l2", "elastic_net"] = "none"
    strength: float = Field(default=1.0, ge=0)
    l1_share: float = Field(default=0.5, ge=0, le=1)
    class_weight: ClassWeight = None


class TreeSettings(Settings):
    depth: Unlimited = None
    leaves: Annotated[Annotated[int, Field(ge=2)] | None, BeforeValidator(_none_as_null)] = None
    rows_per_leaf: Count = 1
    rows_to_split: Annotated[int, Field(ge=2)] = 2
    pruning: float = Field(default=0.0, ge=0)
    criterion: Literal["gini", "entropy", "log_loss"] = "gini"
    class_weight: ClassWeight = None


class ForestSettings(Settings):
    trees: Count = 100
    depth: Unlimited = None
    rows_per_leaf: Count = 1
    features: Literal["sqrt", "log2", "all"] = "sqrt"
    class_weight: ClassWeight = None


class BoostingSettings(Settings):
    trees: Count = 100
    depth: Unlimited = None
    leaves: Annotated[int, Field(ge=2)] = 31
    learning_rate: float = Field(default=0.1, gt=0)
    rows_per_leaf: Count = 20


class NeighboursSettings(Settings):
    k: Count = 5
    weights: Literal["uniform", "distance"] = "uniform"
    metric: Literal["euclidean", "manhattan"] = "euclidean"


class BayesSettings(Settings):
    pass


class BaselineSettings(Settings):
    pass


@dataclass(frozen=True)
class Family:
    """A family: its name in words, the type of its settings, and its builder from settings and seed."""

    words: str
    settings: type[Settings]
    build: Callable[[Any, int], Estimator]


def _logistic(settings: LogisticSettings, seed: int) -> Estimator:
    penalised = settings.penalty != "none" and settings.strength > 0
    share = {"l1": 1.0, "l2": 0.0, "elastic_net": settings.l1_share}.get(settings.penalty, 0.0)
    return LogisticRegression(
        C=1 / settings.strength if penalised else float("inf"),
        l1_ratio=share if penalised else 0.0,
        solver="saga" if penalised and share > 0 else "lbfgs",
        class_weight=settings.class_weight,
        max_iter=5000,
        tol=1e-8 if not penalised or share == 0 else 1e-6,
        random_state=seed,
    )


def _tree(settings: TreeSettings, seed: int) -> Estimator:
    return DecisionTreeClassifier(
        max_depth=settings.depth,
        max_leaf_nodes=settings.leaves,
        min_samples_leaf=settings.rows_per_leaf,
        min_samples_split=settings.rows_to_split,
        ccp_alpha=settings.pruning,
        criterion=settings.criterion,
        class_weight=settings.class_weight,
        random_state=seed,
    )


def _forest(settings: ForestSettings, seed: int) -> Estimator:
    return RandomForestClassifier(
        n_estimators=settings.trees,
        max_depth=settings.depth,
        min_samples_leaf=settings.rows_per_leaf,
        max_features=None if settings.features == "all" else settings.features,
        class_weight=settings.class_weight,
        bootstrap=True,
        n_jobs=1,
        random_state=seed,
    )


def _boosting(settings: BoostingSettings, seed: int) -> Estimator:
    return HistGradientBoostingClassifier(
        max_iter=settings.trees,
        max_depth=settings.depth,
        max_leaf_nodes=settings.leaves,
        learning_rate=settings.learning_rate,
        min_samples_leaf=settings.rows_per_leaf,
        l2_regularization=0.0,
        max_bins=255,
        early_stopping=False,
        random_state=seed,
    )


def _neighbours(settings: NeighboursSettings, seed: int) -> Estimator:  # noqa: ARG001 - nothing random in it
    return KNeighborsClassifier(
        n_neighbors=settings.k, weights=settings.weights, metric=settings.metric, algorithm="auto", n_jobs=1
    )


def _bayes(settings: BayesSettings, seed: int) -> Estimator:  # noqa: ARG001 - nothing to set, nothing random
    return GaussianNB(var_smoothing=1e-9)


def _baseline(settings: BaselineSettings, seed: int) -> Estimator:  # noqa: ARG001 - nothing to set, nothing random
    return DummyClassifier(strategy="prior")


FAMILIES: dict[str, Family] = {
    "logistic": Family("logistic regression", LogisticSettings, _logistic),
    "tree": Family("decision tree", TreeSettings, _tree),
    "forest": Family("random forest", ForestSettings, _forest),
    "gradient_boosting": Family("gradient boosting", BoostingSettings, _boosting),
    "nearest_neighbours": Family("nearest neighbours", NeighboursSettings, _neighbours),
    "naive_bayes": Family("naive Bayes", BayesSettings, _bayes),
}
"""The families an owner may declare."""

BASELINE = "baseline"
_BASELINE_FAMILY = Family("most frequent answer", BaselineSettings, _baseline)


def family_of(recipe: Recipe) -> Family:
    """The family of a recipe that has passed ``check_recipe``, or the baseline."""
    return _BASELINE_FAMILY if recipe.family == BASELINE else FAMILIES[recipe.family]


def resolved_settings(recipe: Recipe) -> Settings:
    """The family's settings with every default filled in; the recipe has passed ``check_recipe``."""
    return family_of(recipe).settings.model_validate(recipe.settings)


def check_recipe(recipe: Recipe, file: str) -> None:
    """Raises UserError naming the allowed families or settings when the recipe has one that is not."""
    if recipe.family not in FAMILIES:
        raise UserError(
            f"recipe.family: '{recipe.family}' is not a family that can be refitted here.",
            todo=f"Families are {', '.join(FAMILIES)}.",
            file=file,
        )
    family = FAMILIES[recipe.family]
    try:
        family.settings.model_validate(recipe.settings)
    except ValidationError as problem:
        first = problem.errors()[0]
        name = first["loc"][0] if first["loc"] else "settings"
        allowed = ", ".join(family.settings.model_fields) or "none"
        raise UserError(
            f"recipe.settings.{name}: {first['msg']}.",
            todo=f"Settings of {recipe.family} are {allowed}.",
            file=file,
        ) from problem


def recipe_in_words(recipe: Recipe) -> str:
    """The recipe as one sentence, defaults included."""
    settings = resolved_settings(recipe).model_dump()
    listed = ", ".join(f"{name.replace('_', ' ')} {'none' if v is None else v}" for name, v in settings.items())
    steps = recipe.preprocess
    return (
        f"{family_of(recipe).words.capitalize()}{f' ({listed})' if listed else ''}, seed {recipe.seed}; "
        f"missing values: {steps.missing}; scaling: {steps.scale}; categories: {steps.encode}; "
        f"positive when score ≥ {recipe.threshold:g}."
    )
