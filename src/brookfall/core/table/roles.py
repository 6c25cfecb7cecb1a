"""What each column is for, and whether the rows, so read, make a binary problem that can be tested."""

from collections import Counter

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from brookfall.core.errors import UserError
from brookfall.core.table.infer import as_category
from brookfall.core.table.table import Column, Table


class Roles(BaseModel):
    """The role of every column that has one; columns named nowhere are features unless ``features`` lists them."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    target: str
    positive: str | None = None
    identifier: tuple[str, ...] = ()
    protected: tuple[str, ...] = ()
    also_features: tuple[str, ...] = ()
    part: str | None = None
    weight: str | None = None
    group: str | None = None
    time: str | None = None
    ignore: tuple[str, ...] = ()
    features: tuple[str, ...] | None = Field(default=None, description="null: every column not named above")

    def named(self) -> list[tuple[str, str]]:
        """(role, column) for every column named in a role of its own, protected and also_features left out."""
        single = [(role, getattr(self, role)) for role in ("target", "part", "weight", "group", "time")]
        many = [("identifier", name) for name in self.identifier] + [("ignore", name) for name in self.ignore]
        return [(role, name) for role, name in single if name] + many

    def feature_names(self, table: Table) -> tuple[str, ...]:
        """The columns a recipe may learn from, in the table's order."""
        if self.features is not None:
            return tuple(name for name in table.names if name in self.features)
        taken = {name for _, name in self.named()} | (set(self.protected) - set(self.also_features))
        return tuple(name for name in table.names if name not in taken)


def check_roles(roles: Roles, table: Table, file: str) -> None:
    """Raises UserError when a role names a column that is not there, one column has two roles, or none is a feature."""
    mentioned = [name for _, name in roles.named()] + [*roles.protected, *roles.also_features, *(roles.features or ())]
    for name in mentioned:
        if name not in table:
            raise UserError(
                "A role names a column that the data do not have.",
                todo=f"Columns are: {', '.join(table.names)}.",
                file=file,
                column=name,
            )
    for name, count in Counter(name for _, name in roles.named()).items():
        if count > 1:
            held = " and ".join(role for role, column in roles.named() if column == name)
            raise UserError(f"The column is both {held}.", todo="Give it one role.", file=file, column=name)
    for name in roles.features or ():
        if any(name == column for _, column in roles.named()):
            raise UserError(
                "The column is listed under features and has another role.",
                todo="Give it one role.",
                file=file,
                column=name,
            )
    if not roles.feature_names(table):
        raise UserError("No column is left to be a feature.", todo="Give at least one column that role.", file=file)


def binary_target(table: Table, roles: Roles, file: str) -> NDArray[np.bool_]:
    """True where the row is positive; shape (n,).

    Raises UserError unless the target has exactly two values, no gaps, and the positive value is one of them.
    """
    column = as_category(table.column(roles.target))
    values = [level for i, level in enumerate(column.levels) if np.any(column.values == i)]
    if len(values) != 2:
        shown = ", ".join(values[:6]) + (" …" if len(values) > 6 else "")
        raise UserError(
            f"A binary target needs two values and this column has {len(values)}: {shown or 'none'}.",
            todo="Choose another target, or declare another outcome.",
            file=file,
            column=roles.target,
        )
    if column.missing.any():
        first = int(np.flatnonzero(column.missing)[0])
        raise UserError(
            f"The target is missing in {int(column.missing.sum())} rows.",
            todo="Send only rows whose outcome is known.",
            file=file,
            column=roles.target,
            row=first + 2,
        )
    positive = roles.positive if roles.positive is not None else _default_positive(values)
    if positive not in values:
        raise UserError(
            f"'{positive}' is named as the positive value and no row has it; the values are {' and '.join(values)}.",
            todo="Set positive to one of them.",
            file=file,
            column=roles.target,
        )
    return np.asarray(column.values == column.levels.index(positive))


def positive_value(table: Table, roles: Roles) -> str:
    """The value of the target that counts as positive, as it is written in the data."""
    if roles.positive is not None:
        return roles.positive
    return _default_positive(list(as_category(table.column(roles.target)).levels))


def _default_positive(values: list[str]) -> str:
    affirmative = [value for value in values if value.lower() in {"yes", "true", "y", "t", "1"}]
    return affirmative[0] if affirmative else values[-1]


def protected_columns(table: Table, roles: Roles) -> tuple[Column, ...]:
    """The protected attributes as categories; a number is read as codes."""
    return tuple(as_category(table.column(name)) for name in roles.protected)
