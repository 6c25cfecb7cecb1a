"""Changes that make a new version of a table; the table they are made to stays as it was submitted."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field, field_validator

from brookfall.core.foundation.errors import UserError
from brookfall.core.table.duplicate_rows import first_of_each
from brookfall.core.table.infer import as_category, column_from_text, column_of_levels, decimal_of_words
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Column, Kind, Table

Rows = NDArray[np.int64]


class _Change(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class WordsAreMissing(_Change):
    """Cells of a column that say one of these words count as gaps; its kind is found out anew."""

    kind: Literal["words_are_missing"] = "words_are_missing"
    column: str
    words: tuple[str, ...] = Field(min_length=1)

    @property
    def said(self) -> str:
        return f"{', '.join(repr(word) for word in self.words)} in {self.column} count as missing"


class ReadAs(_Change):
    """A column is of another kind than it was taken for."""

    kind: Literal["read_as"] = "read_as"
    column: str
    to: Kind

    @property
    def said(self) -> str:
        return f"{self.column} is read as {KIND_WORDS[self.to]}"


class DropRepeats(_Change):
    """Of rows that say the same in all these columns, the first stays."""

    kind: Literal["drop_repeats"] = "drop_repeats"
    columns: tuple[str, ...] = Field(min_length=1)

    @property
    def said(self) -> str:
        count = len(self.columns)
        return f"rows that repeat an earlier one in {count} column{'' if count == 1 else 's'} are left out"


class DropGaps(_Change):
    """Rows that have a gap in any of these columns are left out."""

    kind: Literal["drop_gaps"] = "drop_gaps"
    columns: tuple[str, ...] = Field(min_length=1)

    @property
    def said(self) -> str:
        return f"rows with a gap in {' or '.join(self.columns)} are left out"


FILL_WORDS = {"median": "median", "mean": "mean", "mode": "most frequent value"}


class FillGaps(_Change):
    """Gaps of a column are filled in by one value of all its rows; of what is no number, by its most frequent level.

    All rows have a say in that value, unseen ones too; a recipe's own filling learns it from training rows alone.
    """

    kind: Literal["fill_gaps"] = "fill_gaps"
    column: str
    by: Literal["median", "mean", "mode"]

    @property
    def said(self) -> str:
        return f"gaps in {self.column} are filled in by its {FILL_WORDS[self.by]} over all rows, unseen ones too"


class Bands(_Change):
    """A new column of bands of a number: under the first cut, between cuts, from the last cut on."""

    kind: Literal["bands"] = "bands"
    column: str
    cuts: tuple[float, ...] = Field(min_length=1, max_length=20)
    name: str = Field(min_length=1, max_length=200)

    @field_validator("cuts")
    @classmethod
    def _rising(cls, cuts: tuple[float, ...]) -> tuple[float, ...]:
        if any(low >= high for low, high in pairwise(cuts)):
            raise ValueError("cuts must rise")
        return cuts

    @property
    def labels(self) -> tuple[str, ...]:
        """Names of the bands, low to high: ``under 18``, ``18 to under 40``, ``65 and over``."""
        shown = [f"{cut:g}" for cut in self.cuts]
        between = [f"{low} to under {high}" for low, high in pairwise(shown)]
        return (f"under {shown[0]}", *between, f"{shown[-1]} and over")

    @property
    def said(self) -> str:
        return f"{self.name} is made of {self.column} in {len(self.labels)} bands"


class JoinSample(_Change):
    """Columns of a sample are put beside the rows that have its key; the other rows have gaps there."""

    kind: Literal["join_sample"] = "join_sample"
    sample: str
    key: str
    columns: tuple[str, ...] = Field(min_length=1)

    @property
    def said(self) -> str:
        return f"{', '.join(self.columns)} joined from {self.sample} by {self.key}"


Change = Annotated[
    WordsAreMissing | ReadAs | DropRepeats | DropGaps | FillGaps | Bands | JoinSample, Field(discriminator="kind")
]

KIND_WORDS: dict[str, str] = {
    "number": "a number",
    "category": "a category",
    "yes_no": "yes/no",
    "date": "a date",
    "text": "text",
}


@dataclass(frozen=True)
class Changed:
    """A new version of a table, and the rows of the one before that it holds, sorted."""

    table: Table
    rows: Rows


def apply(table: Table, changes: Sequence[Change], samples: Mapping[str, Table] | None = None) -> Changed:
    """All changes, one after the other. UserError where one can't be made; the table given is never altered.

    >>> from brookfall.core.table.infer import column_from_text
    >>> table = Table((column_from_text("age", ["17", "70", "999"]),))
    >>> changes = [WordsAreMissing(column="age", words=("999",)), Bands(column="age", cuts=(18,), name="age_band")]
    >>> apply(table, changes).table.column("age_band").texts()
    ['under 18', '18 and over', None]
    """
    rows = np.arange(table.n_rows, dtype=np.int64)
    for change in changes:
        if isinstance(change, DropRepeats):
            kept = first_of_each(table.select(change.columns))
            table, rows = table.take(kept), rows[kept]
        elif isinstance(change, DropGaps):
            kept = np.flatnonzero(~np.any([table.column(name).missing for name in change.columns], axis=0))
            table, rows = table.take(kept), rows[kept]
        elif isinstance(change, FillGaps):
            table = _replaced(table, _filled(table.column(change.column), change.by))
        elif isinstance(change, WordsAreMissing):
            table = _replaced(table, _without_words(table.column(change.column), change.words))
        elif isinstance(change, ReadAs):
            table = _replaced(table, read_as(table.column(change.column), change.to))
        elif isinstance(change, Bands):
            table = _added(table, _banded(table.column(change.column), change))
        else:
            table = _joined(table, change, samples or {})
    return Changed(table, rows)


def read_as(column: Column, to: Kind) -> Column:
    """The column as another kind; UserError with the row of the first cell that does not fit it.

    >>> read_as(column_from_text("zone", ["2", "10"]), "category").levels
    ('2', '10')
    """
    if column.kind == to:
        return column
    if column.kind == "number":
        coded = as_category(column)
        if to == "category":
            return coded
        column = coded
    how = HowRead(types={column.name: to}, missing=(), decimal=decimal_of_words(column.levels))
    return column_from_text(column.name, column.texts(), how)


def _without_words(column: Column, words: tuple[str, ...]) -> Column:
    if column.kind == "number":
        gone = [float(word) for word in words if _is_number(word)]
        unknown = [word for word in words if not _is_number(word) or not (column.values == float(word)).any()]
        _refuse_unknown(column, unknown)
        values = column.values.astype(np.float64).copy()
        values[np.isin(values, gone)] = np.nan
        return Column(column.name, "number", values)
    _refuse_unknown(column, [word for word in words if word not in column.levels])
    how = HowRead(missing=words, decimal=decimal_of_words(column.levels))
    return column_from_text(column.name, column.texts(), how)


def _filled(column: Column, by: str) -> Column:
    missing = column.missing
    if not missing.any():
        raise UserError("No cell is missing.", todo="There is nothing to fill in.", column=column.name)
    if missing.all():
        raise UserError("Every cell is missing.", todo="Ignore the column.", column=column.name)
    values = column.values.copy()
    present = values[~missing]
    if column.kind == "number" and by != "mode":
        values[missing] = np.median(present) if by == "median" else present.mean()
    elif by == "mode":
        found, counts = np.unique(present, return_counts=True)
        values[missing] = found[counts.argmax()]
    else:
        raise UserError(f"Only a number has a {by}.", todo="Fill it in by its most frequent value.", column=column.name)
    return Column(column.name, column.kind, values, column.levels)


def _refuse_unknown(column: Column, words: list[str]) -> None:
    if words:
        raise UserError(f"No cell says '{words[0]}'.", todo="Name words that stand in the column.", column=column.name)


def _is_number(word: str) -> bool:
    try:
        return bool(np.isfinite(float(word)))
    except ValueError:
        return False


def _replaced(table: Table, column: Column) -> Table:
    return Table(tuple(column if one.name == column.name else one for one in table.columns))


def _added(table: Table, column: Column) -> Table:
    if column.name in table:
        raise UserError("There is a column of that name.", todo="Choose another name.", column=column.name)
    return Table((*table.columns, column))


def _banded(column: Column, change: Bands) -> Column:
    if column.kind != "number":
        raise UserError("Only a number has bands.", todo="Read it as a number first.", column=column.name)
    codes = np.digitize(column.values, change.cuts).astype(np.int32)
    codes[column.missing] = -1
    return column_of_levels(change.name, codes, change.labels, "category")


def _joined(table: Table, change: JoinSample, samples: Mapping[str, Table]) -> Table:
    if change.sample not in samples:
        raise UserError(f"There is no sample '{change.sample}'.", todo=f"Samples are: {', '.join(samples) or 'none'}.")
    sample = samples[change.sample]
    place = {key: row for row, key in enumerate(sample.column(change.key).texts()) if key is not None}
    if len(place) < int((~sample.column(change.key).missing).sum()):
        raise UserError(
            "A key stands in the sample twice.",
            todo="Join by a column whose values are all different there.",
            file=change.sample,
            column=change.key,
        )
    found = np.array([place.get(key, -1) if key is not None else -1 for key in table.column(change.key).texts()])
    if (found < 0).all():
        raise UserError("No row has a key of the sample.", todo="Check the key.", file=change.sample, column=change.key)
    for name in change.columns:
        table = _added(table, _spread(sample.column(name, change.sample), found))
    return table


def _spread(column: Column, rows: Rows) -> Column:
    absent = rows < 0
    values = column.values[np.where(absent, 0, rows)].copy()
    values[absent] = np.nan if column.kind == "number" else -1
    return Column(column.name, column.kind, values, column.levels)
