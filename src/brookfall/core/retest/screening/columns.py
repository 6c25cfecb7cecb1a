"""How each column hangs together with the target and with what is protected."""

from pydantic import BaseModel, ConfigDict

from brookfall.core.check.shared.target_column import target_column
from brookfall.core.measure.association import KIND_WORDS, Association, associate
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import as_category
from brookfall.core.table.table import Column


class _Shown(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True)


class Tie(_Shown):
    """An association in plain values: with what, which measure, its value and 95 % interval, on how many rows.

    ``note`` says why a value or an interval is not there.
    """

    to: str
    measure: str
    value: float | None
    low: float | None
    high: float | None
    n: int
    p: float | None
    note: str | None


class ColumnLook(_Shown):
    """A column with its tie to the target, and to the protected attribute that it lies closest to."""

    name: str
    target: Tie | None
    nearest: Tie | None


def tie(to: str, found: Association, level: float = 0.95) -> Tie:
    """The association as it is shown."""
    interval = found.figure.interval(level)
    low, high = interval if interval is not None else (None, None)
    return Tie(
        to=to,
        measure=KIND_WORDS[found.kind],
        value=found.figure.value,
        low=low,
        high=high,
        n=found.figure.n,
        p=found.p,
        note=found.figure.note,
    )


def column_looks(subject: Subject) -> tuple[ColumnLook, ...]:
    """Every column but the target, over the rows in use."""
    table, rows, roles = subject.table, subject.rows, subject.roles
    guarded = [as_category(table.column(name)).take(rows) for name in roles.protected]
    found = []
    for column in table.columns:
        if column.name == roles.target:
            found.append(ColumnLook(name=column.name, target=None, nearest=None))
            continue
        used = column.take(rows)
        # What names a person or an occasion tells all that is said of them, and stands in for nothing.
        nearest = None if column.name in roles.naming else _nearest(used, guarded)
        with_target = tie(roles.target, associate(used, target_column(subject, used).take(rows)))
        found.append(ColumnLook(name=column.name, target=with_target, nearest=nearest))
    return tuple(found)


def _nearest(column: Column, guarded: list[Column]) -> Tie | None:
    ties = [(other.name, associate(column, other)) for other in guarded if other.name != column.name]
    judged = [(name, found) for name, found in ties if found.figure.value is not None]
    if not judged:
        return None
    name, closest = max(judged, key=lambda pair: pair[1].strength)
    return tie(name, closest)
