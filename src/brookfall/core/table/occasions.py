"""The occasions of a choice: which rows stand side by side, which could be had, and that one of them was chosen."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation.errors import UserError
from brookfall.core.table.infer import as_category
from brookfall.core.table.roles import Roles, target_of, yes_no_of
from brookfall.core.table.table import Column, Table


@dataclass(frozen=True)
class Choices:
    """Codes of shape (n,) of each row's occasion and alternative, and whether it could be chosen.

    ``alternatives`` are their names, as the data write them; a code is a place among them.
    """

    occasion: NDArray[np.int64]
    alternative: NDArray[np.int64]
    available: NDArray[np.bool_]
    alternatives: tuple[str, ...]

    def take(self, rows: NDArray[np.int64]) -> "Choices":
        return Choices(self.occasion[rows], self.alternative[rows], self.available[rows], self.alternatives)


def choices_of(table: Table, roles: Roles, file: str) -> Choices:
    """The occasions of a table in long form, a row an alternative of an occasion.

    Raises UserError, with the row, unless every row has an occasion and an alternative, no alternative stands twice in
    an occasion, and in each occasion at least two can be had of which exactly one was chosen; and where rows of one
    occasion are of two groups.

    >>> from brookfall.core.table.infer import column_from_text
    >>> cells = {"who": ["a", "a", "b", "b"], "slot": ["am", "pm", "am", "pm"], "took": ["1", "0", "0", "1"]}
    >>> table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    >>> choices_of(table, Roles(target="took", occasion="who", alternative="slot"), "rows.csv").alternatives
    ('am', 'pm')
    """
    for role in ("occasion", "alternative"):
        if getattr(roles, role) is None:
            raise UserError(
                f"A choice needs a column with the role {role}.",
                todo=f"Give that role to the column that names the {role} of each row.",
                file=file,
            )
    occasion, _ = _codes(table, str(roles.occasion), file)
    alternative, names = _codes(table, str(roles.alternative), file)
    chosen = target_of(table, roles, "choice", file).hits
    available = _available(table, roles, file)
    _refuse_twice(occasion, alternative, roles, file)
    _refuse_unchosen(occasion, chosen, available, table, roles, file)
    _refuse_split_groups(occasion, table, roles, file)
    return Choices(occasion, alternative, available, names)


def _codes(table: Table, name: str, file: str) -> tuple[NDArray[np.int64], tuple[str, ...]]:
    """A code for each row, and the values that rows have, in the order of the codes."""
    column = as_category(table.column(name, file))
    if column.missing.any():
        raise UserError(
            f"It is missing in {int(column.missing.sum())} rows.",
            todo="Fill it in.",
            file=file,
            column=name,
            row=_line(int(np.flatnonzero(column.missing)[0])),
        )
    held, codes = np.unique(column.values, return_inverse=True)
    return codes.astype(np.int64), tuple(column.levels[int(place)] for place in held)


def _available(table: Table, roles: Roles, file: str) -> NDArray[np.bool_]:
    if roles.available is None:
        return np.ones(table.n_rows, dtype=np.bool_)
    return yes_no_of(table, roles.available, file, "Whether an alternative could be had")


def _refuse_twice(occasion: NDArray[np.int64], alternative: NDArray[np.int64], roles: Roles, file: str) -> None:
    pairs = occasion * (int(alternative.max(initial=0)) + 1) + alternative
    _, first, counts = np.unique(pairs, return_index=True, return_counts=True)
    if (counts > 1).any():
        again = int(np.flatnonzero(pairs == pairs[first[int(np.argmax(counts > 1))]])[1])
        raise UserError(
            "An alternative stands twice in one occasion.",
            todo="Keep one row for each alternative of an occasion.",
            file=file,
            column=roles.alternative,
            row=_line(again),
        )


def _refuse_unchosen(
    occasion: NDArray[np.int64],
    chosen: NDArray[np.bool_],
    available: NDArray[np.bool_],
    table: Table,
    roles: Roles,
    file: str,
) -> None:
    taken = np.flatnonzero(chosen & ~available)
    if len(taken):
        raise UserError(
            f"An alternative was chosen that could not be had, in {len(taken)} rows.",
            todo="Correct either column.",
            file=file,
            column=roles.available,
            row=_line(int(taken[0])),
        )
    picked = np.bincount(occasion, chosen)
    offered = np.bincount(occasion, available)
    for wrong, what in ((picked != 1, "not exactly one chosen alternative"), (offered < 2, "fewer than two to choose")):
        if wrong.any():
            row = int(np.flatnonzero(wrong[occasion])[0])
            name = table.column(str(roles.occasion)).texts()[row]
            raise UserError(
                f"Occasion {name} has {what}; so have {int(wrong.sum())} of {len(wrong)} occasions in all.",
                todo="Mend or leave out these occasions.",
                file=file,
                column=roles.target,
                row=_line(row),
            )


def _refuse_split_groups(occasion: NDArray[np.int64], table: Table, roles: Roles, file: str) -> None:
    if roles.group is None:
        return
    group: Column = as_category(table.column(roles.group, file))
    first = np.unique(occasion, return_index=True)[1]
    other = np.flatnonzero(group.values != group.values[first][occasion])
    if len(other):
        raise UserError(
            "Rows of one occasion are of two groups.",
            todo="A group must hold whole occasions.",
            file=file,
            column=roles.group,
            row=_line(int(other[0])),
        )


def _line(row: int) -> int:
    """The line of a row in its file, where the header is line 1."""
    return row + 2
