"""Of a choice: which new rows stand side by side, of which alternative each is, and which could be had."""

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.new_rows.match import NewRows
from brookfall.core.recipe.family.choice import Occasions
from brookfall.core.table.infer import as_category
from brookfall.core.table.roles import yes_no_of
from brookfall.core.table.table import Column


def occasions_of(rows: NewRows) -> Occasions | None:
    """Which rows are of one occasion, and their alternatives as the model knows them; None of every other outcome.

    Raises
    ------
    UserError
        Such a column is absent, a cell is empty, an alternative is not known, or stands twice in one occasion.
    """
    choices, roles = rows.subject.choices, rows.subject.roles
    if choices is None:
        return None
    occasion = _column(rows, "occasion", str(roles.occasion))
    column = _column(rows, "alternative", str(roles.alternative))
    places = {level: place for place, level in enumerate(choices.alternatives)}
    known = np.array([places.get(level, -1) for level in column.levels], dtype=np.int64)
    alternative = known[column.values.astype(np.int64)]
    if (alternative < 0).any():
        first = int(np.argmax(alternative < 0))
        raise UserError(
            f"The model knows no alternative '{column.levels[int(column.values[first])]}'.",
            todo=f"It knows {wording.listed(list(choices.alternatives))}.",
            file=rows.file,
            column=column.name,
            row=first + 2,
        )
    codes = occasion.values.astype(np.int64)
    _, again = np.unique(codes * len(places) + alternative, return_index=True)
    if len(again) < len(codes):
        twice = int(np.setdiff1d(np.arange(len(codes)), again)[0])
        raise UserError(
            "An alternative stands twice in one occasion.",
            todo="Keep one row for each alternative of an occasion.",
            file=rows.file,
            column=column.name,
            row=twice + 2,
        )
    return Occasions(codes, alternative, len(choices.alternatives))


def available_in(rows: NewRows) -> NDArray[np.bool_]:
    """Which rows could be chosen: all of them where the file does not say; shape (m,)."""
    role = rows.subject.roles.available
    if role is None or role not in rows.names:
        return np.ones(rows.n_rows, dtype=np.bool_)
    return yes_no_of(rows.rest, rows.names[role], rows.file, "Whether an alternative could be had")


def _column(rows: NewRows, role: str, name: str) -> Column:
    if name not in rows.names:
        raise UserError(
            f"A choice needs the column that names the {role} of each row.",
            todo="Add it: a row is an alternative of an occasion.",
            file=rows.file,
            column=name,
        )
    column = as_category(rows.rest.column(rows.names[name]))
    if column.missing.any():
        first = int(np.flatnonzero(column.missing)[0])
        raise UserError("It is missing.", todo="Fill it in.", file=rows.file, column=column.name, row=first + 2)
    return column
