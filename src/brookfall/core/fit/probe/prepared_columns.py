"""Which prepared columns come from which feature."""

from brookfall.core.fit.fitted import Fitted, Model
from brookfall.core.recipe.preprocess import Prepared


def sources(prepared: Prepared, features: tuple[str, ...]) -> tuple[int, ...]:
    """The place among the features of every prepared column, in order; the steps have been fitted.

    >>> from brookfall.core.recipe.preprocess import Prepared
    >>> sources(Prepared(None, 2, has_numbers=True), ("age", "pressure"))
    (0, 1)
    """
    if prepared.steps is None:
        return tuple(range(len(features)))
    written = prepared.steps.get_feature_names_out(list(features))
    return tuple(_source(str(name).partition("__")[2], features) for name in written)


def _source(written: str, features: tuple[str, ...]) -> int:
    name = written
    if name not in features:
        name = name.removeprefix("missingindicator_")
    # A transformer writes a level behind the feature's name and an underscore, which either may hold too.
    while name not in features and "_" in name:
        name = name.rpartition("_")[0]
    return features.index(name)


def own_columns(prepared: Prepared, features: tuple[str, ...]) -> list[list[int]]:
    """For every feature the prepared columns that come from it.

    >>> own_columns(Prepared(None, 2, has_numbers=True), ("age", "pressure"))
    [[0], [1]]
    """
    found: list[list[int]] = [[] for _ in features]
    for column, source in enumerate(sources(prepared, features)):
        found[source].append(column)
    return found


def columns_of(model: Model) -> list[list[int]]:
    """For every feature its columns as they are permuted: the prepared ones of a model just fitted, else its own."""
    if isinstance(model, Fitted):
        return own_columns(model.prepared, model.features.names)
    return [[place] for place in range(len(model.features.columns))]
