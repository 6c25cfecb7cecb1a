"""Tables of the same columns, one under the other."""

from collections.abc import Sequence

import numpy as np

from brookfall.core.foundation.errors import UserError
from brookfall.core.table.infer import column_of_levels
from brookfall.core.table.table import Column, Table


def stack(tables: Sequence[tuple[str, Table]]) -> Table:
    """The rows of all tables, each under the name of its file, with the first one's columns in its order.

    UserError naming file and column where a table lacks a column, has one more, or holds another kind in it.

    >>> from brookfall.core.table.infer import column_from_text
    >>> one, two = (Table((column_from_text("c", cells),)) for cells in (["b"], ["a", "b"]))
    >>> stack([("1.csv", one), ("2.csv", two)]).column("c").texts()
    ['b', 'a', 'b']
    """
    first_file, first = tables[0]
    for file, table in tables[1:]:
        absent = [name for name in first.names if name not in table]
        added = [name for name in table.names if name not in first]
        if absent or added:
            raise UserError(
                f"The column is in {first_file} and not here." if absent else f"The column is not in {first_file}.",
                todo="Give all files of the same rows the same columns.",
                file=file,
                column=(absent or added)[0],
            )
    if len(tables) == 1:
        return first
    return Table(tuple(_stacked([(file, table.column(name)) for file, table in tables]) for name in first.names))


def constant(name: str, values: Sequence[tuple[str, int]]) -> Column:
    """A category column that says each text for so many rows.

    >>> constant("part", [("training", 2), ("test", 1)]).texts()
    ['training', 'training', 'test']
    """
    levels = list(dict.fromkeys(text for text, _ in values))
    codes = np.repeat([levels.index(text) for text, _ in values], [count for _, count in values])
    return column_of_levels(name, codes.astype(np.int32), levels, "category")


def _stacked(pieces: list[tuple[str, Column]]) -> Column:
    name = pieces[0][1].name
    held = [(file, column) for file, column in pieces if not column.missing.all()]
    kinds = {"number" if column.kind == "number" else "levels" for _, column in held}
    if len(kinds) > 1:
        odd_file, odd = next((file, column) for file, column in held if column.kind != held[0][1].kind)
        raise UserError(
            f"The column is {odd.kind} here and {held[0][1].kind} in {held[0][0]}.",
            todo="Mend the cells that differ, or name its kind under 'types'.",
            file=odd_file,
            column=name,
        )
    if kinds == {"number"}:
        parts = [c.values if c.kind == "number" else np.full(len(c.values), np.nan) for _, c in pieces]
        return Column(name, "number", np.concatenate(parts).astype(np.float64))
    levels: dict[str, int] = {}
    for _, column in pieces:
        for level in column.levels:
            levels.setdefault(level, len(levels))
    codes = []
    for _, column in pieces:
        moved = np.array([*(levels[level] for level in column.levels), -1], dtype=np.int32)
        codes.append(
            moved[column.values.astype(np.int64)]
            if column.kind != "number"
            else np.full(len(column.values), -1, dtype=np.int32)
        )
    same = {column.kind for _, column in held}
    return column_of_levels(name, np.concatenate(codes), list(levels), same.pop() if len(same) == 1 else None)
