"""From table columns to the matrix a family learns from; everything learned comes from the training rows."""

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
from brookfall.core.table.table import Table

Matrix = NDArray[np.float64]

_SCALERS = {"standard": StandardScaler, "minmax": MinMaxScaler, "robust": RobustScaler}
_IMPUTE_NUMBER = {"median": "median", "mean": "mean", "mode": "most_frequent", "constant": "constant"}
_MISSING_LEVEL = -1.0


def raw_matrix(features: Table) -> Matrix:
    """Shape (n, p): numbers as they are with NaN for gaps, other columns as level positions, -1 for gaps."""
    return np.column_stack([column.values.astype(np.float64) for column in features.columns])


def rows_with_gaps(features: Table) -> NDArray[np.bool_]:
    """True where any feature is missing; shape (n,). ``missing: drop`` takes these rows out before any split."""
    gaps = np.zeros(features.n_rows, dtype=bool)
    for column in features.columns:
        gaps |= column.missing
    return gaps


def build_preprocess(features: Table, how: Preprocess, seed: int) -> ColumnTransformer:
    """An unfitted transformer of the raw matrix: gaps, scale, categories. Fit it on training rows.

    A gap in a category is a level of its own, except that ``mode`` fills in the most frequent one. A level
    not seen in training becomes all zeros (onehot), -2 (ordinal) or the overall mean (target).
    """
    numbers = [i for i, column in enumerate(features.columns) if column.kind == "number"]
    others = [i for i in range(len(features.columns)) if i not in numbers]
    steps = []
    if numbers:
        steps.append(("numbers", _number_steps(how), numbers))
    if others:
        steps.append(("categories", _category_steps(how, seed), others))
    return ColumnTransformer(steps, sparse_threshold=0.0)


def _number_steps(how: Preprocess) -> Pipeline:
    strategy = _IMPUTE_NUMBER.get(how.missing, "median")
    imputer = SimpleImputer(
        strategy=strategy, fill_value=0.0, add_indicator=how.missing == "indicator", keep_empty_features=True
    )
    scaler = _SCALERS.get(how.scale)
    return make_pipeline(imputer, scaler()) if scaler else make_pipeline(imputer)


def _category_steps(how: Preprocess, seed: int) -> Pipeline:
    steps = []
    if how.missing == "mode":
        steps.append(SimpleImputer(missing_values=_MISSING_LEVEL, strategy="most_frequent", keep_empty_features=True))
    rare = how.rare if how.rare > 0 else None
    if how.encode == "onehot":
        steps.append(
            OneHotEncoder(
                handle_unknown="infrequent_if_exist" if rare else "ignore",
                min_frequency=rare,
                drop="if_binary",
                sparse_output=False,
            )
        )
    elif how.encode == "ordinal":
        steps.append(OrdinalEncoder(handle_unknown="use_encoded_value", unknown_value=-2, min_frequency=rare))
    else:
        steps.append(TargetEncoder(smooth="auto", cv=5, shuffle=True, random_state=seed))
    return make_pipeline(*steps)
