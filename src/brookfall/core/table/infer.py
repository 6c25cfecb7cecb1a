"""What a column of text is: number, yes/no, date, category or text. Looks at every row."""

import re

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from brookfall.core.table.table import Column, Kind

MISSING = frozenset({"", "NA", "N/A", "NaN", "nan", "null", "NULL", "None"})
_YES_NO = (frozenset({"yes", "no"}), frozenset({"true", "false"}), frozenset({"y", "n"}), frozenset({"t", "f"}))
_ISO_DATE = re.compile(r"\d{4}-\d{2}-\d{2}([T ]\d{2}:\d{2}(:\d{2}(\.\d+)?)?(Z|[+-]\d{2}:?\d{2})?)?")
_FREE_TEXT_SHARE = 0.5
_FREE_TEXT_LEVELS = 200


def column_from_text(name: str, cells: "pd.Series[str]") -> Column:
    """A typed column from n cells of text; cells in MISSING are missing.

    >>> column_from_text("size", pd.Series(["1", "2.5", ""])).kind
    'number'
    """
    values = cells.str.strip()
    present = ~values.isin(MISSING)
    numbers = pd.to_numeric(values.where(present), errors="coerce").to_numpy(dtype=np.float64)
    if present.any() and np.isfinite(numbers[present.to_numpy()]).all():
        return Column(name, "number", numbers)
    codes, levels = pd.factorize(values.where(present), sort=True)
    texts = tuple(str(level) for level in levels)
    return Column(name, _kind_of(texts, int(present.sum())), codes.astype(np.int32), texts)


def _kind_of(levels: tuple[str, ...], present: int) -> Kind:
    lowered = frozenset(level.lower() for level in levels)
    if len(lowered) == 2 and lowered in _YES_NO:
        return "yes_no"
    if levels and all(_ISO_DATE.fullmatch(level) for level in levels):
        return "date"
    if len(levels) > max(_FREE_TEXT_LEVELS, _FREE_TEXT_SHARE * present):
        return "text"
    return "category"


def as_category(column: Column) -> Column:
    """A number column read as codes: its levels are the numbers as text, in the order of the numbers.

    >>> as_category(column_from_text("code", pd.Series(["2", "10", "2"]))).levels
    ('2', '10')
    """
    if column.kind != "number":
        return column
    present: NDArray[np.bool_] = ~column.missing
    uniques, inverse = np.unique(column.values[present], return_inverse=True)
    codes = np.full(len(column.values), -1, dtype=np.int32)
    codes[present] = inverse
    return Column(column.name, "category", codes, tuple(f"{value:.15g}" for value in uniques))
