"""From table columns to the matrix a family learns from; everything learned comes from the training rows."""

import re
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray
from sklearn.compose import ColumnTransformer
from sklearn.impute import SimpleImputer
from sklearn.pipeline import Pipeline, make_pipeline
from sklearn.preprocessing import (
    MinMaxScaler,
    OneHotEncoder,
    OrdinalEncoder,
    RobustScaler,
    StandardScaler,
    TargetEncoder,
)

from brookfall.core.recipe.recipe import Preprocess
from brookfall.core.recipe.words import WordWeights
from brookfall.core.table.table import Table

Matrix = NDArray[np.float64]

_SCALERS = {"standard": StandardScaler, "minmax": MinMaxScaler, "robust": RobustScaler}
_IMPUTE_NUMBER = {"median": "median", "mean": "mean", "mode": "most_frequent", "constant": "constant"}
_MISSING_LEVEL = -1.0
_AS_THEY_ARE = "passthrough"
_NUMBERS, _WORDS = "numbers", "words"
_NUMERIC = (_NUMBERS, _WORDS)
"""Steps whose columns are numbers: the features' own, and the weights of words in a text."""


def raw_matrix(features: Table, rows: NDArray[np.int64] | None = None) -> Matrix:
    """Shape (n, p): numbers as they are with NaN for gaps, other columns as level positions, -1 for gaps.

    Parameters
    ----------
    features : Table
        n rows of p columns.
    rows : NDArray[np.int64], optional
        Positions of the rows that are wanted; all n where it is left out.

    Returns
    -------
    Matrix
        Shape (rows, p).

    Examples
    --------
    >>> from brookfall.core.table.infer import column_from_text
    >>> cells = {"x": ["1", "2", "4"], "c": ["a", "b", "a"], "y": ["yes", "no", "no"]}
    >>> table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    >>> raw_matrix(table.select(["x", "c"])).tolist()
    [[1.0, 0.0], [2.0, 1.0], [4.0, 0.0]]
    """
    found = np.empty((features.n_rows if rows is None else len(rows), len(features.columns)))
    for place, column in enumerate(features.columns):
        found[:, place] = column.values if rows is None else column.values[rows]
    return found


@dataclass(frozen=True)
class Prepared:
    """How raw rows become what a family learns from; ``steps`` is None where they are taken as they are.

    The first prepared columns are the numbers, levels come after them.
    """

    steps: ColumnTransformer | None
    columns: int
    has_numbers: bool

    def fit_transform(self, rows: Matrix, outcomes: NDArray[Any]) -> Matrix:
        """Learns from training rows (n, p) with their outcomes (n,), and prepares them."""
        return rows if self.steps is None else np.asarray(self.steps.fit_transform(rows, outcomes), dtype=np.float64)

    def transform(self, rows: Matrix) -> Matrix:
        """Prepares any rows by what was learned."""
        return rows if self.steps is None else np.asarray(self.steps.transform(rows), dtype=np.float64)

    def names(self, features: Table) -> tuple[str, ...]:
        """What the prepared columns are called, once it was fitted: ``age``, or ``zone = north`` for a level."""
        if self.steps is None:
            return features.names
        levels = {column.name: column.levels for column in features.columns}
        written = self.steps.get_feature_names_out(list(features.names))
        return tuple(_named(str(name), features.names, levels) for name in written)

    def sources(self) -> NDArray[np.int64]:
        """Which feature each prepared column is made of, as its place among them, once it was fitted."""
        if self.steps is None:
            return np.arange(self.columns)
        written = self.steps.get_feature_names_out([f"<{place}>" for place in range(self.columns)])
        return np.array([int(re.findall(r"<(\d+)>", str(name))[0]) for name in written], dtype=np.int64)

    def numbers(self) -> int:
        """How many prepared columns are numbers, words among them, once it was fitted."""
        if self.steps is None:
            return self.columns
        places = self.steps.output_indices_
        return sum(int(place.stop - place.start) for name, place in places.items() if name.startswith(_NUMERIC))


def _named(written: str, names: tuple[str, ...], levels: dict[str, tuple[str, ...]]) -> str:
    step, _, name = written.partition("__")
    if step.startswith(_WORDS):
        column = names[int(step.removeprefix(_WORDS))]
        return f"{column}: {name.removeprefix(f'{column}_')}"
    return _readable(name, levels)


def _readable(written: str, levels: dict[str, tuple[str, ...]]) -> str:
    """A transformer's name of a column, with the level as the data write it."""
    gap = written.removeprefix("missingindicator_")
    if gap != written and gap in levels:
        return f"{gap} is missing"
    name, _, code = written.rpartition("_")
    if written in levels or name not in levels:
        return written
    place = int(float(code)) if code.replace(".", "").replace("-", "").isdigit() else None
    if place is None:
        return f"{name} = rare levels"
    return f"{name} = {'missing' if place < 0 else levels[name][place]}"


def build_preprocess(
    features: Table,
    how: Preprocess,
    seed: int,
    *,
    levels_as_they_are: bool = False,
    target: str = "binary",
    gaps: bool = False,
) -> Prepared:
    """Gaps, scale, categories. Fit it on training rows, with their outcomes.

    A gap in a category is a level of its own, except that ``mode`` fills in the most frequent one. A level
    not seen in training becomes all zeros (onehot), -2 (ordinal) or the overall mean (target). Free text is left out,
    or its words are weighed; they come after the numbers.
    ``target`` is the kind of outcome that target encoding averages.

    Parameters
    ----------
    features : Table
        The columns; their kinds and levels are read, no row.
    how : Preprocess
        The recipe's preprocessing.
    seed : int
        What target encoding deals its folds by.
    levels_as_they_are : bool
        Leave categories as codes, for families that take them so.
    target : str
        The kind of outcome that target encoding averages.
    gaps : bool
        Fill gaps in numbers even where none of these rows has one, as later rows may.

    Returns
    -------
    Prepared
        Steps to be fitted, with the names of the columns they make.

    Examples
    --------
    >>> from brookfall.core.table.infer import column_from_text
    >>> cells = {"x": ["1", "2", "4"], "c": ["a", "b", "a"], "y": ["yes", "no", "no"]}
    >>> table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    >>> features = table.select(["x", "c"])
    >>> prepared = build_preprocess(features, Preprocess(scale="standard"), seed=0)
    >>> prepared.fit_transform(raw_matrix(features), np.array([True, False, False])).round(3).tolist()
    [[-1.069, 0.0], [-0.267, 1.0], [1.336, 0.0]]
    """
    numbers = [i for i, column in enumerate(features.columns) if column.kind == "number"]
    texts = [i for i, column in enumerate(features.columns) if column.kind == "text"]
    others = [i for i in range(len(features.columns)) if i not in (*numbers, *texts)]
    steps: list[tuple[str, Any, list[int]]] = []
    if numbers:
        gaps = gaps or any(features.columns[i].missing.any() for i in numbers)
        steps.append((_NUMBERS, _number_steps(how, gaps=gaps), numbers))
    if how.text == "words":
        steps += [(f"{_WORDS}{place}", WordWeights(features.columns[place].levels), [place]) for place in texts]
    if features.columns and not steps and not others:
        raise ValueError("every feature is free text, which the recipe leaves out (preprocess.text: words weighs it)")
    if others:
        encode = "ordinal" if levels_as_they_are else how.encode
        steps.append(("categories", _category_steps(how, encode, seed, target), others))
    if not others and not texts and all(step[1] == _AS_THEY_ARE for step in steps):
        return Prepared(None, len(numbers), has_numbers=True)
    return Prepared(ColumnTransformer(steps, sparse_threshold=0.0), len(features.columns), bool(numbers))


def _number_steps(how: Preprocess, *, gaps: bool) -> Pipeline | str:
    """Filling in, where any row has a gap, and scaling."""
    scaler = _SCALERS.get(how.scale)
    if not gaps:
        return make_pipeline(scaler()) if scaler else _AS_THEY_ARE
    strategy = _IMPUTE_NUMBER.get(how.missing, "median")
    imputer = SimpleImputer(
        strategy=strategy, fill_value=0.0, add_indicator=how.missing == "indicator", keep_empty_features=True
    )
    return make_pipeline(imputer, scaler()) if scaler else make_pipeline(imputer)


def _category_steps(how: Preprocess, encode: str, seed: int, target: str) -> Pipeline:
    steps = []
    if how.missing == "mode":
        steps.append(SimpleImputer(missing_values=_MISSING_LEVEL, strategy="most_frequent", keep_empty_features=True))
    rare = how.rare if how.rare > 0 else None
    ordinal = OrdinalEncoder(handle_unknown="use_encoded_value", unknown_value=-2, min_frequency=rare)
    if encode == "onehot":
        steps.append(
            OneHotEncoder(
                handle_unknown="infrequent_if_exist" if rare else "ignore",
                min_frequency=rare,
                drop="if_binary",
                sparse_output=False,
            )
        )
    elif encode == "ordinal":
        steps.append(ordinal)
    else:
        kind = "continuous" if target == "number" else target
        encoder = TargetEncoder(target_type=kind, smooth="auto", cv=5, shuffle=True, random_state=seed)
        steps.extend([ordinal, encoder] if rare else [encoder])
    return make_pipeline(*steps)
