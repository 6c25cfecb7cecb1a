"""Along which values a recipe's complexity is turned, from the simplest to the most complex."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from pydantic import ValidationError

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.validation import first_problem
from brookfall.core.recipe.families import family_of, resolved_settings
from brookfall.core.recipe.family.family import Settings
from brookfall.core.recipe.recipe import Recipe

_TREES = (1, 2, 3, 5, 10, 20, 35, 50, 75, 100, 150, 200, 300, 500, 750, 1000)
_NEIGHBOURS = (1, 2, 3, 5, 7, 10, 15, 20, 25, 30, 40, 50, 75, 100, 150, 200, 300)
_DEPTHS = (1, 2, 3, 4, 6, 8, 11, 15)
_EPOCHS = (5, 20, 50, 100, 200, 400)
_SHRINKAGES = (0.0, 0.05, 0.1, 0.2, 0.4, 0.6, 0.8, 1.0)
_TIMES = (1e-3, 1e-2, 0.1, 1.0, 10.0, 100.0, 1e3)
_PRUNINGS = 40
_MOST_NEIGHBOURS = 0.5
_WHOLE = ("trees", "k", "depth", "epochs")


@dataclass(frozen=True)
class Turned:
    """A value of the dial: how it is written, the recipe with it, and its number (None: unlimited)."""

    words: str
    recipe: Recipe
    value: float | None


@dataclass(frozen=True)
class Facts:
    """What a dial's range depends on: training rows, and the impurity (or variance) of their outcomes."""

    rows: int
    impurity: float


@dataclass(frozen=True)
class Dialled:
    """The values of the dial, the simplest first, and the place of the submitted one among them."""

    setting: str
    values: tuple[Turned, ...]
    submitted: int


def dialled(recipe: Recipe, facts: Facts, among: tuple[float, ...] | None = None) -> Dialled | None:
    """The recipe along its family's own dial; None where it has none, or finds its value by itself.

    Parameters
    ----------
    recipe : Recipe
        A recipe that has passed ``check_recipe``.
    facts : Facts
        What is known of the rows that it will be fitted on.
    among : tuple[float, ...] | None
        The values to turn it to beside the submitted one; None for the family's own.

    Returns
    -------
    Dialled | None
        The dial's values with a recipe each; None where the family has no dial.

    Raises
    ------
    UserError
        One of the values is none that the setting can have.

    Examples
    --------
    >>> found = dialled(Recipe(family="nearest_neighbours", settings={"k": 4}), Facts(20, 0.5))
    >>> [turn.words for turn in found.values], found.submitted
    (['10', '7', '5', '4', '3', '2', '1'], 3)
    """
    family = family_of(recipe)
    if family.dial is None or (family.dial.values is None and family.dial.setting not in _RANGES):
        return None
    settings = resolved_settings(recipe)
    own, others = (
        _RANGES[family.dial.setting](settings, facts)
        if family.dial.values is None
        else (float(settings.model_dump()[family.dial.setting]), [*family.dial.values])
    )
    if own is _BY_ITSELF:
        return None
    if among is not None:
        others = [*among]
        _refuse_impossible(recipe, family.dial.setting, others)
    values = sorted(
        {*others, own}, key=lambda value: np.inf if value is None else value, reverse=not family.dial.rising
    )
    return Dialled(
        family.dial.setting.replace("_", " "),
        tuple(
            Turned(_words(value), recipe if value == own else _turned(recipe, family.dial.setting, value), value)
            for value in values
        ),
        values.index(own),
    )


def _refuse_impossible(recipe: Recipe, setting: str, values: Sequence[float | None]) -> None:
    family = family_of(recipe)
    for value in values:
        whole = setting in _WHOLE and value is not None and value != int(value)
        try:
            family.settings.model_validate(_turned(recipe, setting, value).settings)
        except ValidationError as problem:
            why = first_problem(problem)[1]
        else:
            why = "it is a whole number" if whole else ""
        if whole or why:
            raise UserError(
                f"{setting.replace('_', ' ')} can't be {_words(value)}: {why}.",
                todo="Change the values in the plan's sentence of the complexity curve, or clear them.",
            )


Value = float | None
_BY_ITSELF = float("nan")


def _turned(recipe: Recipe, setting: str, value: Value) -> Recipe:
    changed: dict[str, object] = {setting: value}
    if setting == "strength" and recipe.family == "logistic" and recipe.settings.get("penalty", "none") == "none":
        # A plain regression is the end of the dial of a ridged one.
        changed = {"penalty": "l2", "strength": value} if value else {"penalty": "none"}
    if isinstance(value, float) and setting in _WHOLE:
        changed = {setting: int(value)}
    return recipe.model_copy(update={"settings": {**recipe.settings, **changed}})


def _words(value: Value) -> str:
    return "no limit" if value is None else f"{value:.3g}" if value < 1000 else f"{value:.0f}"


Range = tuple[Value, list[Value]]


def _trees(settings: Settings, _: Facts) -> Range:
    own = settings.model_dump()["trees"]
    return float(own), [float(value) for value in _TREES if value <= 2 * own]


def _k(settings: Settings, facts: Facts) -> Range:
    own = settings.model_dump()["k"]
    return float(own), [float(value) for value in _NEIGHBOURS if value <= _MOST_NEIGHBOURS * facts.rows]


def _depth(settings: Settings, _: Facts) -> Range:
    own = settings.model_dump()["depth"]
    return (None if own is None else float(own)), [*(float(value) for value in _DEPTHS), None]


def _epochs(settings: Settings, _: Facts) -> Range:
    own = settings.model_dump()["epochs"]
    return float(own), [float(value) for value in _EPOCHS if value <= 2 * own]


def _pruning(settings: Settings, facts: Facts) -> Range:
    own = float(settings.model_dump()["pruning"])
    most = facts.impurity
    return own, [0.0, *(float(value) for value in np.geomspace(most * 1e-5, most, _PRUNINGS))]


def _strength(settings: Settings, facts: Facts) -> Range:
    told = settings.model_dump()
    own = 0.0 if told.get("penalty") == "none" else float(told["strength"])
    # Strengths of sums of losses grow with the rows; those of mean losses don't.
    of_sums = "penalty" in told or type(settings).__name__ in ("RidgeSettings", "VectorSettings")
    start = own or (facts.rows * 0.01 if of_sums else 0.01)
    return own, [float(start * times) for times in _TIMES]


def _shrinkage(settings: Settings, _: Facts) -> Range:
    own = settings.model_dump()["shrinkage"]
    if own == "auto":
        return _BY_ITSELF, []
    return float(own or 0.0), list(_SHRINKAGES)


_RANGES: dict[str, Callable[[Settings, Facts], Range]] = {
    "trees": _trees,
    "k": _k,
    "depth": _depth,
    "epochs": _epochs,
    "pruning": _pruning,
    "strength": _strength,
    "shrinkage": _shrinkage,
}
