"""A model that tells rows apart: boosted trees that learn whether a row is among some, from the features alone."""

from brookfall.core.check.bench import Bench
from brookfall.core.fit.request import FitRequest, Rows
from brookfall.core.recipe.recipe import Recipe

TELLER = Recipe.model_validate(
    {"family": "gradient_boosting", "settings": {"trees": 50, "depth": 3, "learning_rate": 0.1}}
)


def telling(bench: Bench, train: Rows, among: Rows, features: tuple[str, ...] | None = None) -> FitRequest:
    """The request to learn from the training rows, sorted positions, whether a row is among those others.

    From all features of the recipe, or those named; what rows count plays no part.
    """
    asked = bench.fit(train, TELLER, features=features)
    return FitRequest(
        recipe=TELLER,
        table=asked.table,
        features=asked.features,
        target="",
        outcome="binary",
        classes=("no", "yes"),
        weight=None,
        train=train,
        apart=among,
    )
