"""New rows in the columns that a model learned from, whatever their file calls them and in whatever order."""

import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from difflib import get_close_matches

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation import wording
from brookfall.core.foundation.errors import UserError
from brookfall.core.submission.subject import Subject
from brookfall.core.table.infer import as_category
from brookfall.core.table.read import TableFile, read_file
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Column, Kind, Table

Reader = Callable[[bytes, str, HowRead], TableFile]
"""How a file is read: here and now, or by a process that reads nothing else."""

_MOST_NAMED = 5


@dataclass(frozen=True)
class NewRows:
    """New rows beside those that a model learns from.

    ``subject`` is the one whose model is asked, its levels followed by those that only new rows hold; ``table`` has its
    features in its order and coding. ``rest`` are all columns of the file as they came, under its own names; ``told``
    says in sentences what was done, or left, to match them.
    """

    file: str
    subject: Subject
    table: Table
    rest: Table
    names: dict[str, str]
    told: tuple[str, ...]

    @property
    def n_rows(self) -> int:
        return self.rest.n_rows


def read_new_rows(subject: Subject, data: bytes, file: str, how: HowRead, read_by: Reader = read_file) -> NewRows:
    """The rows in a file, matched with a subject's columns.

    ``how`` says how the subject's own file is read: its words for gaps count here too. A file is read once more where
    a column would else be of another kind than the subject's.

    Raises
    ------
    UserError
        The file can't be read, lacks a feature, or has a cell that can't be of its column's kind; says where.
    """
    found = read_by(data, file, HowRead(missing=how.missing))
    names, _ = _names_in(found.table.names, _asked_for(subject))
    kinds = {
        names[column.name]: column.kind
        for column in subject.table.select((*subject.features, subject.roles.target)).columns
        if column.name in names and found.table.column(names[column.name]).kind != column.kind
    }
    if kinds:
        found = read_by(data, file, HowRead(missing=how.missing, types=_kinds_asked(kinds)))
    return match_rows(subject, found.table, file)


def match_rows(subject: Subject, came: Table, file: str) -> NewRows:
    """Rows matched with a subject's columns; UserError names the first feature that they lack.

    >>> from brookfall.core.check.example import small_bench
    >>> subject = small_bench().subject
    >>> match_rows(subject, subject.table.take(np.arange(3)), "new.csv").n_rows
    3
    """
    names, renamed = _names_in(came.names, _asked_for(subject))
    _refuse_absent(subject, came, names, file)
    told = [f"The column '{theirs}' is taken as {ours}." for ours, theirs in renamed.items()]
    known, table = [], []
    for column in subject.table.columns:
        if column.name not in subject.features:
            known.append(column)
            continue
        longer, new = _side_by_side(column, replace(came.column(names[column.name]), name=column.name), file)
        known.append(longer)
        table.append(new)
        told += _of_levels(column, new)
    used = set(names.values())
    extra = [name for name in came.names if name not in used]
    if extra:
        told.append(f"No model reads {_some(extra)}.")
    order = {column.name: column for column in table}
    return NewRows(
        file,
        replace(subject, table=Table(tuple(known))),
        Table(tuple(order[name] for name in subject.features)),
        came,
        names,
        tuple(told),
    )


def _asked_for(subject: Subject) -> tuple[str, ...]:
    """The subject's columns that new rows may have: features first, then the outcome and what rows are known by."""
    roles = subject.roles
    single = (roles.target, roles.occasion, roles.alternative, roles.available, roles.group, roles.time)
    others = (*roles.identifier, *(name for name in single if name), *roles.protected)
    return tuple(dict.fromkeys((*subject.features, *others)))


def _names_in(came: Sequence[str], asked: Iterable[str]) -> tuple[dict[str, str], dict[str, str]]:
    """What each of the subject's columns is called in the file, where it is there; and those called otherwise.

    >>> _names_in(["Age Band", "y"], ["age_band", "y", "z"])
    ({'age_band': 'Age Band', 'y': 'y'}, {'age_band': 'Age Band'})
    """
    alike: dict[str, list[str]] = {}
    for name in came:
        alike.setdefault(_bare(name), []).append(name)
    names, renamed = {}, {}
    taken = {name for name in asked if name in came}
    for name in asked:
        if name in came:
            names[name] = name
            continue
        others = [other for other in alike.get(_bare(name), []) if other not in taken]
        if len(others) == 1:
            names[name] = renamed[name] = others[0]
    return names, renamed


def _bare(name: str) -> str:
    """A column's name without case, blanks and signs."""
    return re.sub(r"[\W_]+", "", name.casefold())


def _kinds_asked(kinds: dict[str, Kind]) -> dict[str, Kind]:
    return {name: "category" if kind == "yes_no" else kind for name, kind in kinds.items()}


def _refuse_absent(subject: Subject, came: Table, names: dict[str, str], file: str) -> None:
    absent = [name for name in subject.features if name not in names]
    if not absent:
        return
    near = get_close_matches(absent[0], came.names, 1)
    todo = f"Is it '{near[0]}'? Call it by its name." if near else f"The file has {_some(came.names)}."
    more = len(absent) - 1
    others = f" So {'is' if more == 1 else 'are'} {wording.counted(more, 'other feature')}." if more else ""
    raise UserError(
        f"A feature that the model needs is not in the file.{others}",
        todo=f"{todo} Without it no row can be scored.",
        file=file,
        column=absent[0],
    )


def _side_by_side(known: Column, new: Column, file: str) -> tuple[Column, Column]:
    """A column of the subject and of the new rows in one coding: levels that only these hold come last."""
    if known.kind == "number":
        if new.kind != "number" and not new.missing.all():
            raise UserError(
                f"The column is read as {new.kind.replace('_', '/')}, and the model learned from numbers.",
                todo="Write numbers in every cell, or leave it empty.",
                file=file,
                column=new.name,
            )
        values = new.values if new.kind == "number" else np.full(len(new.values), np.nan)
        return known, Column(known.name, "number", np.asarray(values, dtype=np.float64))
    new = as_category(new)
    places = {level: place for place, level in enumerate(known.levels)}
    levels = list(known.levels)
    codes = np.empty(len(new.levels) + 1, dtype=np.int32)
    codes[-1] = -1
    held = np.zeros(len(new.levels) + 1, dtype=np.bool_)
    held[np.unique(new.values).astype(np.int64)] = True
    for code, level in enumerate(new.levels):
        if level not in places and held[code]:
            places[level] = len(levels)
            levels.append(level)
        codes[code] = places.get(level, -1)
    moved: NDArray[np.int32] = codes[new.values.astype(np.int64)]
    return (
        Column(known.name, known.kind, known.values, tuple(levels)),
        Column(known.name, known.kind, moved, tuple(levels)),
    )


def _of_levels(known: Column, new: Column) -> list[str]:
    """What is said of levels that the subject's rows never had."""
    if known.kind in ("number", "text", "date"):
        return []
    unseen = np.unique(new.values[new.values >= len(known.levels)]).astype(np.int64)
    if not len(unseen):
        return []
    rows = int((new.values >= len(known.levels)).sum())
    named = _some([f"'{new.levels[code]}'" for code in unseen])
    return [f"{known.name} holds {named} in {wording.rows(rows)}, which no row that the model learned from has."]


def _some(names: Sequence[str]) -> str:
    kept = list(names[:_MOST_NAMED])
    return wording.listed([*kept, f"{len(names) - len(kept)} more"] if len(names) > len(kept) else kept)
