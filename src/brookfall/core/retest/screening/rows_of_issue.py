"""Which rows are meant: the rows behind an issue, or those that somebody wants to see."""

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from brookfall.core.foundation.errors import UserError
from brookfall.core.recipe.rows_with_gaps import rows_with_gaps
from brookfall.core.table.duplicate_rows import group_of_each
from brookfall.core.table.infer import as_category
from brookfall.core.table.table import Column, Table

Rows = NDArray[np.int64]


class _Where(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Gaps(_Where):
    """Rows with a gap in any of these columns."""

    kind: Literal["gaps"] = "gaps"
    columns: tuple[str, ...] = Field(min_length=1)


class Says(_Where):
    """Rows whose cell in a column says one of these words."""

    kind: Literal["says"] = "says"
    column: str
    words: tuple[str, ...] = Field(min_length=1)


class Between(_Where):
    """Rows whose number lies in a closed range."""

    kind: Literal["between"] = "between"
    column: str
    low: float | None = None
    high: float | None = None


class Alike(_Where):
    """Rows that say in these columns what another row says, those that do side by side.

    With ``but`` only those that then differ in that column: rows that contradict each other.
    """

    kind: Literal["alike"] = "alike"
    columns: tuple[str, ...] = Field(min_length=1)
    but: str | None = None


class InTwoParts(_Where):
    """Rows of any part whose value in a column stands in more than one part."""

    kind: Literal["in_two_parts"] = "in_two_parts"
    column: str
    part: str


Where = Annotated[Gaps | Says | Between | Alike | InTwoParts, Field(discriminator="kind")]


def rows_where(table: Table, where: Where) -> Rows:
    """Positions of the rows meant, in order; those alike stand side by side. UserError for an unknown column.

    >>> from brookfall.core.table.infer import column_from_text
    >>> table = Table((column_from_text("c", ["b", "a", "b", ""]),))
    >>> rows_where(table, Alike(columns=("c",))).tolist(), rows_where(table, Gaps(columns=("c",))).tolist()
    ([0, 2], [3])
    """
    if isinstance(where, Gaps):
        return np.flatnonzero(rows_with_gaps(table.select(where.columns)))
    if isinstance(where, Says):
        return _saying(table.column(where.column), where.words)
    if isinstance(where, Between):
        return _between(table.column(where.column), where)
    if isinstance(where, InTwoParts):
        return _in_two_parts(table, where)
    groups = group_of_each(table.select(where.columns))
    counts = np.bincount(groups)
    if where.but is not None:
        values = group_of_each(table.select([where.but]))
        pairs = np.unique(np.stack([groups, values]), axis=1)
        counts = np.bincount(pairs[0])
    found = np.flatnonzero(counts[groups] > 1)
    first = np.full(len(counts), table.n_rows)
    np.minimum.at(first, groups[found], found)
    return found[np.lexsort((found, first[groups[found]]))]


def _saying(column: Column, words: tuple[str, ...]) -> Rows:
    if column.kind != "number":
        wanted = [place for place, level in enumerate(column.levels) if level in words]
        return np.flatnonzero(np.isin(column.values, wanted))
    try:
        return np.flatnonzero(np.isin(column.values, [float(word) for word in words]))
    except ValueError:
        raise UserError("The column holds numbers.", todo="Ask for a number.", column=column.name) from None


def _between(column: Column, where: Between) -> Rows:
    if column.kind != "number":
        raise UserError("Only a number has a range.", todo="Ask for what it says.", column=column.name)
    low = -np.inf if where.low is None else where.low
    high = np.inf if where.high is None else where.high
    return np.flatnonzero((column.values >= low) & (column.values <= high))


def _in_two_parts(table: Table, where: InTwoParts) -> Rows:
    values = group_of_each(Table((table.column(where.column),)))
    parts = as_category(table.column(where.part))
    held = np.flatnonzero(~table.column(where.column).missing & (parts.values >= 0))
    pairs = np.unique(np.stack([values[held], parts.values[held].astype(np.int64)]), axis=1)
    counts = np.bincount(pairs[0], minlength=int(values.max()) + 1)
    found = held[counts[values[held]] > 1]
    return found[np.lexsort((found, values[found]))]
