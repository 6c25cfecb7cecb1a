"""Challengers: other families with their settings, those that every plan has and those that a reviewer adds."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from brookfall.core.candidate.refitted import Refitted
from brookfall.core.fit.request import Tuning
from brookfall.core.fit.split import Split
from brookfall.core.recipe.families import families, resolved_settings
from brookfall.core.recipe.recipe import Preprocess, Recipe

_MOST_ROWS: dict[str, int] = {"support_vectors": 3_000}
"""Training rows beyond which a family takes too long to be fitted in every fold."""


@dataclass(frozen=True)
class Challenger:
    """A family with the settings that differ from its defaults, how columns are prepared for it, and the settings
    that are tried where challengers are tuned, the simplest first."""

    family: str
    preprocess: Preprocess
    settings: tuple[tuple[str, object], ...] = ()
    tried: tuple[dict[str, object], ...] = ()


_PLAIN, _SCALED = Preprocess(), Preprocess(scale="standard")
STANDARD = (
    Challenger(
        "logistic",
        _SCALED,
        (("penalty", "l2"),),
        ({"strength": 100.0}, {"strength": 10.0}, {"strength": 1.0}, {"strength": 0.01}),
    ),
    Challenger(
        "ridge", _SCALED, (), ({"strength": 1000.0}, {"strength": 100.0}, {"strength": 10.0}, {"strength": 1.0})
    ),
    Challenger(
        "tree",
        _PLAIN,
        (),
        ({"rows_per_leaf": 100}, {"rows_per_leaf": 30}, {"rows_per_leaf": 10}, {"rows_per_leaf": 1}),
    ),
    Challenger("forest", _PLAIN, (), ({"rows_per_leaf": 20}, {"rows_per_leaf": 5}, {"rows_per_leaf": 1})),
    Challenger(
        "gradient_boosting",
        Preprocess(encode="ordinal"),
        (),
        ({"depth": 1}, {"depth": 3}, {"leaves": 31}, {"leaves": 31, "learning_rate": 0.03}),
    ),
    Challenger("nearest_neighbours", _SCALED, (), ({"k": 101}, {"k": 51}, {"k": 15}, {"k": 5})),
    Challenger("naive_bayes", _PLAIN),
    Challenger("support_vectors", _SCALED, (), ({"strength": 0.1}, {"strength": 1.0}, {"strength": 10.0})),
    Challenger("adaboost", _PLAIN, (), ({"depth": 1}, {"depth": 2}, {"depth": 3})),
    Challenger("neural_network", _SCALED, (), ({"penalty": 1.0}, {"penalty": 0.0001})),
)
"""The challengers of every plan, in the order in which they are listed."""


def standard_challengers(
    split: Split, recipe: Recipe | None, largest: int, measure: str, *, tuned: bool
) -> Iterator[Refitted]:
    """What the submitted recipe is set against, or a model that came without one; not itself, nor what these rows are
    too many for.

    ``largest`` is the most rows that a fit learns from; ``measure`` is what settings are chosen by where ``tuned``.
    """
    text = Preprocess().text if recipe is None else recipe.preprocess.text
    seed = split.seed % 2**32 if recipe is None else recipe.seed
    outcome = split.subject.outcome
    for one in STANDARD:
        family = families()[one.family]
        if outcome not in family.outcomes or largest > _MOST_ROWS.get(one.family, largest):
            continue
        # It decides where the submitted recipe does, and reads the texts that it reads.
        prepared = one.preprocess.model_copy(update={"text": text})
        made = Recipe(family=one.family, settings=dict(one.settings), preprocess=prepared, seed=seed)
        tuning = Tuning(tuple(tuple(tried.items()) for tried in one.tried), measure) if tuned and one.tried else None
        same = (
            recipe is not None and one.family == recipe.family and resolved_settings(made) == resolved_settings(recipe)
        )
        if tuning is None and same:
            continue
        yield Refitted(one.family, family.words, "challenger", split, made, tuning=tuning)


def choice_challengers(split: Split, recipe: Recipe) -> Iterator[Refitted]:
    """What a choice is set against: what the alternatives' constants alone say, and the recipe without each feature."""
    subject = split.subject
    settings = {**recipe.settings, "constants": True}
    alone = recipe.model_copy(update={"settings": settings})
    yield Refitted("constants_only", "the constants alone", "challenger", split, alone, ())
    for name in subject.features if len(subject.features) > 1 else ():
        kept = tuple(one for one in subject.features if one != name)
        yield Refitted(
            f"without:{name}", f"the model without {name.replace('_', ' ')}", "challenger", split, recipe, kept
        )


def own_challengers(split: Split, recipes: Iterable[tuple[str, Recipe]]) -> Iterator[Refitted]:
    """The reviewer's own challengers: a name with a recipe each."""
    for name, recipe in recipes:
        yield Refitted(name, name, "challenger", split, recipe)
