"""Every family by name: those of the house, and those that an installed package adds.

A package adds a family with an entry point of the group ``brookfall.families`` that names a ``Family``.
"""

from functools import cache

from pydantic import ValidationError

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.plugins import with_plugins
from brookfall.core.foundation.sources import digest_of
from brookfall.core.foundation.validation import first_problem
from brookfall.core.recipe.family.choice import CHOICE
from brookfall.core.recipe.family.family import Family, Settings
from brookfall.core.recipe.family.linear import LINEAR
from brookfall.core.recipe.family.naive_bayes import BAYES
from brookfall.core.recipe.family.nearest_neighbours import NEIGHBOURS
from brookfall.core.recipe.family.support_vectors import MACHINES
from brookfall.core.recipe.family.trees import TREES
from brookfall.core.recipe.recipe import Recipe
from brookfall.core.table.outcome import Outcome

GROUP = "brookfall.families"
OWN: tuple[Family, ...] = (*LINEAR, *TREES, NEIGHBOURS, BAYES, *MACHINES, CHOICE)


@cache
def families() -> dict[str, Family]:
    """Every family an owner may declare, by name. A package can't take the name of one that is there.

    Returns
    -------
    dict[str, Family]
        Families by name.

    Raises
    ------
    ValueError
        A package brings a family of a name that is taken.

    Examples
    --------
    >>> families()["ridge"].outcomes
    frozenset({'number'})
    """
    return with_plugins(OWN, GROUP, Family)


@cache
def program_of(name: str) -> str:
    """The digest of the sources that a family rests on.

    Parameters
    ----------
    name : str
        A family's name.

    Returns
    -------
    str
        A digest.

    Examples
    --------
    >>> program_of("tree") == program_of("naive_bayes")
    False
    """
    return digest_of(families()[name].build.__module__)


def family_of(recipe: Recipe) -> Family:
    """The family of a recipe that has passed ``check_recipe``.

    Parameters
    ----------
    recipe : Recipe
        A recipe that has passed ``check_recipe``.

    Returns
    -------
    Family
        The family.

    Examples
    --------
    >>> family_of(Recipe(family="tree")).dial.setting
    'pruning'
    """
    return families()[recipe.family]


def resolved_settings(recipe: Recipe) -> Settings:
    """The family's settings with every default filled in; the recipe has passed ``check_recipe``.

    Parameters
    ----------
    recipe : Recipe
        A recipe that has passed ``check_recipe``.

    Returns
    -------
    Settings
        Its settings, every one with a value.

    Examples
    --------
    >>> resolved_settings(Recipe(family="ridge", settings={"strength": "2"}))
    RidgeSettings(strength=2.0)
    """
    return family_of(recipe).settings.model_validate(recipe.settings)


def check_recipe(recipe: Recipe, outcome: Outcome, file: str) -> None:
    """Hold a recipe against the families and settings that are allowed.

    Parameters
    ----------
    recipe : Recipe
        Any recipe.
    outcome : Outcome
        The kind of outcome.
    file : str
        The file that an error names.

    Raises
    ------
    UserError
        The family does not exist or does not serve the outcome, or has no such setting; with those that are allowed.

    Examples
    --------
    >>> check_recipe(Recipe(family="oracle"), "number", "submission.yaml")  # doctest: +IGNORE_EXCEPTION_DETAIL
    Traceback (most recent call last):
    brookfall.core.foundation.errors.UserError: …
    """
    fitting = [name for name, family in families().items() if outcome in family.outcomes]
    if recipe.family not in fitting:
        unknown = recipe.family not in families()
        what = "is not a family that can be refitted here" if unknown else f"can't be fitted to a {outcome} outcome"
        raise UserError(
            f"recipe.family: '{recipe.family}' {what}.",
            todo=f"Families for a {outcome} outcome are {', '.join(fitting) or 'none yet'}.",
            file=file,
        )
    refuse_threshold(recipe.threshold, outcome, "recipe.threshold", file)
    family = families()[recipe.family]
    try:
        family.settings.model_validate(recipe.settings)
    except ValidationError as problem:
        name, message = first_problem(problem)
        allowed = ", ".join(family.settings.model_fields) or "none"
        raise UserError(
            f"recipe.settings{'.' if name else ''}{name}: {message}.",
            todo=f"Settings of {recipe.family} are {allowed}.",
            file=file,
        ) from problem


def refuse_threshold(threshold: float | None, outcome: Outcome, place: str, file: str | None = None) -> None:
    """Refuse a threshold outside 0 to 1, between which a recipe's scores of a yes/no lie.

    Parameters
    ----------
    threshold : float or None
        From which score a row is positive; None where none is declared.
    outcome : Outcome
        The kind of outcome; only a binary one is decided by a threshold.
    place : str
        Where the threshold stands, for the message.
    file : str, optional
        The file that an error names.

    Raises
    ------
    UserError
        It lies outside 0 to 1.

    Examples
    --------
    >>> refuse_threshold(0.5, "binary", "recipe.threshold")
    """
    if outcome == "binary" and threshold is not None and not 0 <= threshold <= 1:
        raise UserError(
            f"{place}: {threshold:g} lies outside 0 to 1, and the scores of a recipe are probabilities.",
            todo="Give the probability from which a row is positive.",
            file=file,
        )


def _written(value: object) -> str:
    if isinstance(value, bool):
        return "yes" if value else "no"
    return "none" if value is None else str(value)


def _decides(threshold: float | None) -> str:
    return "no threshold declared" if threshold is None else f"positive when score ≥ {threshold:g}"


def recipe_in_words(recipe: Recipe, outcome: Outcome = "binary") -> str:
    """The recipe as one sentence, defaults included.

    Parameters
    ----------
    recipe : Recipe
        A recipe that has passed ``check_recipe``.
    outcome : Outcome
        The kind of outcome.

    Returns
    -------
    str
        One sentence.

    Examples
    --------
    >>> recipe_in_words(Recipe(family="linear"), "number")
    'Linear regression, seed 0; missing values: median; scaling: none; categories: onehot.'
    """
    settings = resolved_settings(recipe).model_dump()
    listed = ", ".join(f"{name.replace('_', ' ')} {_written(value)}" for name, value in settings.items())
    steps = recipe.preprocess
    words = family_of(recipe).words
    return (
        f"{words[:1].upper()}{words[1:]}{f' ({listed})' if listed else ''}, seed {recipe.seed}; "
        f"missing values: {steps.missing}; scaling: {steps.scale}; categories: {steps.encode}"
        + ("; free text: its words (TF-IDF)" if steps.text == "words" else "")
        + (f"; {_decides(recipe.threshold)}." if outcome == "binary" else ".")
    )
