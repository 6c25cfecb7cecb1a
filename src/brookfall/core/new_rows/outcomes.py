"""The outcomes of new rows, where their file has them: some, all or none."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.new_rows.match import NewRows
from brookfall.core.table.infer import as_category
from brookfall.core.table.target import Target


@dataclass(frozen=True)
class Outcomes:
    """``known`` are the rows whose outcome is there, sorted; ``values`` (known,) are these outcomes, as the subject's
    target has them: places among its classes, or numbers."""

    known: NDArray[np.int64]
    values: NDArray[np.float64]


def outcomes_of(rows: NewRows) -> Outcomes | None:
    """The outcomes of new rows; None where their file has no such column, or it is empty.

    Raises
    ------
    UserError
        A row's outcome is none of those that the model is of; says which row.
    """
    target, name = rows.subject.target, rows.subject.roles.target
    if name not in rows.names:
        return None
    column = rows.rest.column(rows.names[name])
    known = np.flatnonzero(~column.missing)
    if not len(known):
        return None
    if target.outcome == "number":
        if column.kind != "number":
            raise UserError(
                f"The outcome is read as {column.kind.replace('_', '/')}, and the model's is a number.",
                todo="Write numbers, or leave cells empty whose outcome is not known.",
                file=rows.file,
                column=column.name,
            )
        return Outcomes(known, np.asarray(column.values[known], dtype=np.float64))
    coded = as_category(column)
    places = np.array([_place(level, target) for level in coded.levels] or [-1])
    values = places[coded.values[known].astype(np.int64)]
    if (values < 0).any():
        first = int(known[int(np.argmax(values < 0))])
        said = coded.levels[int(coded.values[first])]
        raise UserError(
            f"The outcome '{said}' is none of the model's.",
            todo=f"Write {wording.listed(list(target.classes[:10]))}, or nothing where it is not known.",
            file=rows.file,
            column=column.name,
            row=first + 2,
        )
    return Outcomes(known, values.astype(np.float64))


def _place(level: str, target: Target) -> int:
    """The place of an outcome among the classes, however it is spelled; -1 where it is none."""
    if level in target.classes:
        return target.classes.index(level)
    alike = [place for place, one in enumerate(target.classes) if one.casefold() == level.casefold()]
    return alike[0] if len(alike) == 1 else -1
