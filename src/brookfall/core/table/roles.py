"""What each column is for, and what the rows, so read, say: outcomes, weights, groups, times."""

from collections import Counter
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from brookfall.core.foundation.errors import UserError
from brookfall.core.table.infer import as_category
from brookfall.core.table.outcome import Outcome
from brookfall.core.table.table import Column, Table
from brookfall.core.table.target import Target

SINGLE = ("target", "part", "weight", "group", "time", "occasion", "alternative", "available", "observed")
"""The roles that one column alone can have."""


class Roles(BaseModel):
    """The role of every column that has one; columns named nowhere are features unless ``features`` lists them."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    target: str = Field(default="", description="empty: whoever reviews the model chooses it")
    positive: str | None = None
    identifier: tuple[str, ...] = ()
    protected: tuple[str, ...] = ()
    grounds: dict[str, str] = Field(
        default_factory=dict, description="the ground that a column is of where its name does not say; empty: of none"
    )
    spoken: dict[str, dict[str, str]] = Field(
        default_factory=dict,
        description="how the people of a protected column's level are spoken of: women, of 65 and over, in group Birch",
    )
    also_features: tuple[str, ...] = ()
    part: str | None = None
    weight: str | None = None
    group: str | None = None
    time: str | None = None
    occasion: str | None = None
    alternative: str | None = None
    available: str | None = None
    observed: str | None = Field(
        default=None, description="whether a row's outcome was looked at: 1 or 0, yes or no; of others it may be empty"
    )
    ignore: tuple[str, ...] = ()
    features: tuple[str, ...] | None = Field(default=None, description="null: every column not named above")

    def named(self) -> list[tuple[str, str]]:
        """(role, column) for every column named in a role of its own, protected and also_features left out."""
        single = [(role, getattr(self, role)) for role in SINGLE]
        many = [("identifier", name) for name in self.identifier] + [("ignore", name) for name in self.ignore]
        return [(role, name) for role, name in single if name] + many

    @property
    def naming(self) -> tuple[str, ...]:
        """The columns whose equal values are of one thing, which must not stand in two parts."""
        alone = (self.group, self.occasion)
        return (*self.identifier, *(name for name in alone if name is not None))

    def feature_names(self, table: Table) -> tuple[str, ...]:
        """The columns a recipe may learn from, in the table's order."""
        return self.features_among(table.names)

    def features_among(self, names: Sequence[str]) -> tuple[str, ...]:
        """Which of these columns a recipe may learn from, in their order.

        >>> Roles(target="y", identifier=("id",), protected=("sex",)).features_among(["id", "sex", "x", "y"])
        ('x',)
        """
        if self.features is not None:
            return tuple(name for name in names if name in self.features)
        taken = {name for _, name in self.named()} | (set(self.protected) - set(self.also_features))
        return tuple(name for name in names if name not in taken)


def check_roles(roles: Roles, table: Table, file: str, *, refits: bool = True) -> None:
    """Raises UserError when a role names a column that is not there, one column has two roles, or none is a feature.

    A model that came as scores alone, which nothing ``refits``, needs no feature.

    >>> from brookfall.core.table.infer import column_from_text
    >>> cells = {"x": ["1", "2", "4"], "c": ["a", "b", "a"], "y": ["yes", "no", "no"]}
    >>> table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    >>> check_roles(Roles(target="y"), table, "rows.csv")
    """
    mentioned = [
        *(name for _, name in roles.named()),
        *(*roles.protected, *roles.also_features, *(roles.features or ()), *roles.grounds, *roles.spoken),
    ]
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
    if roles.target in roles.protected:
        raise UserError(
            "The target is marked as protected, and is what people are predicted to be.",
            todo="Take one of the two marks away.",
            file=file,
            column=roles.target,
        )
    for name in roles.features or ():
        if any(name == column for _, column in roles.named()):
            raise UserError(
                "The column is listed under features and has another role.",
                todo="Give it one role.",
                file=file,
                column=name,
            )
    if refits and not roles.feature_names(table):
        raise UserError("No column is left to be a feature.", todo="Give at least one column that role.", file=file)


_MOST_CLASSES = 50


def target_of(table: Table, roles: Roles, outcome: Outcome, file: str) -> Target:
    """The outcome of every row.

    Raises UserError, with the row where there is one, unless the target has no gaps and is: two values with the
    positive one among them (binary), 2 to 50 values (multiclass), or finite numbers that differ (number). Of a choice
    the two values say which alternative of an occasion was chosen; ``occasions_of`` checks the occasions. What stands
    in rows whose outcome was not looked at is not read: they are negative, of the first class, or NaN.

    >>> from brookfall.core.table.infer import column_from_text
    >>> cells = {"x": ["1", "2", "4"], "c": ["a", "b", "a"], "y": ["yes", "no", "no"]}
    >>> table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    >>> target_of(table, Roles(target="y"), "binary", "rows.csv").classes
    ('no', 'yes')
    """
    if not roles.target:
        raise UserError("No target is chosen yet.", todo="Give a column that role on the Data screen.", file=file)
    column = table.column(roles.target)
    seen = observed_of(table, roles, file)
    if seen is not None and not seen.all():
        alone = Table((column.take(np.flatnonzero(seen)),))
        known = target_of(alone, roles.model_copy(update={"observed": None}), outcome, file)
        return replace(known, values=_spread(known, seen))
    if column.missing.any():
        first = int(np.flatnonzero(column.missing)[0])
        raise UserError(
            f"The target is missing in {int(column.missing.sum())} rows.",
            todo="Send only rows whose outcome is known, or a column that says of which it was looked at (observed).",
            file=file,
            column=roles.target,
            row=first + 2,
        )
    if outcome == "number":
        return _number_target(column, roles, file)
    coded = as_category(column)
    held = np.unique(coded.values).astype(np.int64)
    values = [coded.levels[code] for code in held]
    if outcome == "multiclass":
        return _class_target(coded.values, held, values, roles, file)
    target = _binary_target(coded, values, roles, file)
    return replace(target, outcome="choice") if outcome == "choice" else target


def _spread(known: Target, seen: NDArray[np.bool_]) -> NDArray[Any]:
    """The outcomes that were looked at in their rows, and nothing in the others; shape (n,)."""
    nothing = np.nan if known.outcome == "number" else 0
    found: NDArray[Any] = np.full(len(seen), nothing, dtype=known.values.dtype)
    found[seen] = known.values
    return found


def _number_target(column: Column, roles: Roles, file: str) -> Target:
    if column.kind != "number":
        raise UserError(
            f"A number outcome needs a column of numbers and this one is read as {column.kind.replace('_', '/')}.",
            todo="Choose another target, or declare another outcome.",
            file=file,
            column=roles.target,
        )
    if len(column.values) and np.ptp(column.values) == 0:
        raise UserError(
            f"Every row has the same outcome, {column.values[0]:g}.",
            todo="Choose another target.",
            file=file,
            column=roles.target,
        )
    return Target("number", np.asarray(column.values, dtype=np.float64))


def _class_target(
    codes: NDArray[np.float64] | NDArray[np.int32], held: NDArray[np.int64], values: list[str], roles: Roles, file: str
) -> Target:
    if not 2 <= len(values) <= _MOST_CLASSES:
        raise UserError(
            f"An outcome of several classes needs 2 to {_MOST_CLASSES} values and this column has {len(values)}.",
            todo="Choose another target, or declare another outcome.",
            file=file,
            column=roles.target,
        )
    return Target("multiclass", np.searchsorted(held, codes).astype(np.int64), tuple(values))


def _binary_target(column: Column, values: list[str], roles: Roles, file: str) -> Target:
    if len(values) != 2:
        shown = ", ".join(values[:6]) + (" …" if len(values) > 6 else "")
        raise UserError(
            f"A binary target needs two values and this column has {len(values)}: {shown or 'none'}.",
            todo="Choose another target, or declare another outcome.",
            file=file,
            column=roles.target,
        )
    positive = roles.positive if roles.positive is not None else _default_positive(values)
    if positive not in values:
        raise UserError(
            f"'{positive}' is named as the positive value and no row has it; the values are {' and '.join(values)}.",
            todo="Set positive to one of them.",
            file=file,
            column=roles.target,
        )
    negative = next(value for value in values if value != positive)
    return Target("binary", np.asarray(column.values == column.levels.index(positive)), (negative, positive))


def _default_positive(values: list[str]) -> str:
    affirmative = [value for value in values if value.lower() in {"yes", "true", "y", "t", "1"}]
    return affirmative[0] if affirmative else values[-1]


def observed_of(table: Table, roles: Roles, file: str) -> NDArray[np.bool_] | None:
    """Whether each row's outcome was looked at, shape (n,); None where no column says so, as all were.

    UserError where a row has neither yes nor no, or none was looked at.

    >>> from brookfall.core.table.infer import column_from_text
    >>> table = Table((column_from_text("seen", ["yes", "no", "yes"]),))
    >>> observed_of(table, Roles(target="y", observed="seen"), "rows.csv").tolist()
    [True, False, True]
    """
    if roles.observed is None:
        return None
    seen = yes_no_of(table, roles.observed, file, "Whether its outcome was looked at")
    if not seen.any():
        raise UserError(
            "No row's outcome was looked at.", todo="Choose another column.", file=file, column=roles.observed
        )
    return seen


_YES = {"1", "yes", "true", "y", "t"}
_NO = {"0", "no", "false", "n", "f"}


def yes_no_of(table: Table, name: str, file: str, what: str) -> NDArray[np.bool_]:
    """A column of 1 and 0, yes and no, shape (n,); UserError with the row where one has neither: ``what`` it says.

    >>> from brookfall.core.table.infer import column_from_text
    >>> yes_no_of(Table((column_from_text("there", ["1", "0"]),)), "there", "rows.csv", "Whether").tolist()
    [True, False]
    """
    column = as_category(table.column(name, file))
    said = [level.lower() for level in column.levels]
    neither = [place for place, level in enumerate(said) if level not in _YES | _NO]
    wrong = column.missing | np.isin(column.values, neither)
    if wrong.any():
        raise UserError(
            f"{what} is missing, or neither yes nor no.",
            todo="Write 1 or 0, or yes or no, in every row.",
            file=file,
            column=name,
            row=int(np.flatnonzero(wrong)[0]) + 2,
        )
    return np.asarray(np.isin(column.values, [place for place, level in enumerate(said) if level in _YES]))


def weights_of(table: Table, roles: Roles, file: str) -> NDArray[np.float64] | None:
    """The weight of every row, or None where all count once; UserError unless all are numbers of 0 or more.

    >>> from brookfall.core.table.infer import column_from_text
    >>> cells = {"x": ["1", "2", "4"], "c": ["a", "b", "a"], "y": ["yes", "no", "no"]}
    >>> table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    >>> weights_of(table, Roles(target="y", weight="x"), "rows.csv").tolist()
    [1.0, 2.0, 4.0]
    """
    if roles.weight is None:
        return None
    column = table.column(roles.weight)
    if column.kind != "number":
        raise UserError("The weights are not numbers.", todo="Choose another column.", file=file, column=roles.weight)
    wrong = np.flatnonzero(~(column.values >= 0))
    if len(wrong):
        raise UserError(
            f"A weight is missing or below 0 in {len(wrong)} rows.",
            todo="Weights must be 0 or more; a row of weight 0 takes no part.",
            file=file,
            column=roles.weight,
            row=int(wrong[0]) + 2,
        )
    if not (column.values > 0).any():
        raise UserError("Every weight is 0.", todo="Choose another column.", file=file, column=roles.weight)
    return np.asarray(column.values, dtype=np.float64)


def groups_of_rows(table: Table, roles: Roles) -> Column | None:
    """The column whose equal values keep rows together, as a category; None where rows stand for themselves.

    The alternatives of an occasion always stay together.

    >>> from brookfall.core.table.infer import column_from_text
    >>> cells = {"x": ["1", "2", "4"], "c": ["a", "b", "a"], "y": ["yes", "no", "no"]}
    >>> table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    >>> groups_of_rows(table, Roles(target="y", group="c")).levels
    ('a', 'b')
    """
    name = roles.group or roles.occasion
    return None if name is None else as_category(table.column(name))


def times_of(table: Table, roles: Roles, file: str) -> NDArray[np.float64] | None:
    """A number for each row that puts the rows in order of time; None where no column has that role.

    UserError where a row has no time, or the column holds neither numbers nor dates as year-month-day.

    >>> from brookfall.core.table.infer import column_from_text
    >>> cells = {"x": ["1", "2", "4"], "c": ["a", "b", "a"], "y": ["yes", "no", "no"]}
    >>> table = Table(tuple(column_from_text(name, values) for name, values in cells.items()))
    >>> times_of(table, Roles(target="y", time="x"), "rows.csv").tolist()
    [1.0, 2.0, 4.0]
    """
    if roles.time is None:
        return None
    column = table.column(roles.time)
    if column.kind not in ("number", "date"):
        raise UserError(
            f"The times are read as {column.kind.replace('_', '/')}, which has no order in time.",
            todo="Write them as numbers, or as dates like 2024-03-01.",
            file=file,
            column=roles.time,
        )
    if column.missing.any():
        raise UserError(
            f"The time is missing in {int(column.missing.sum())} rows.",
            todo="Fill it in, or take the role time from the column.",
            file=file,
            column=roles.time,
            row=int(np.flatnonzero(column.missing)[0]) + 2,
        )
    return column.values.astype(np.float64)
