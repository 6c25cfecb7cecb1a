"""Scores that the owner's own model gave, set beside the rows of the data that they belong to."""

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.foundation.errors import UserError
from brookfall.core.resample.part_names import part_name
from brookfall.core.resample.parts import given_parts
from brookfall.core.submission.schema import Predictions, Submission
from brookfall.core.table.infer import as_category, looks_like_number
from brookfall.core.table.occasions import choices_of
from brookfall.core.table.read import read_table
from brookfall.core.table.roles import Roles
from brookfall.core.table.table import Table
from brookfall.core.table.target import Target

Rows = NDArray[np.int64]
_ROUNDED = 5e-3
"""How far probabilities that were written with a few decimals may be from adding up to 1."""
_SCORE_ALL = "Give every alternative that could be had a probability, or none of them."


@dataclass(frozen=True)
class Supplied:
    """Supplied scores on the N rows of the data.

    ``scores`` has shape (N,), or (N, K) for several classes, NaN where a row has none; None where only labels came.
    ``labels`` are decided classes as positions among the target's, -1 where none; None where no label came.
    ``parts`` are the sorted rows of each part, named as the owner names them.
    """

    scores: NDArray[np.float64] | None
    labels: NDArray[np.int64] | None
    parts: dict[str, Rows]

    def take(self, rows: Rows) -> "Supplied":
        """The scores of some of the rows, which are sorted; positions are then counted among those."""
        kept = {name: np.flatnonzero(np.isin(rows, members)) for name, members in self.parts.items()}
        return Supplied(
            None if self.scores is None else self.scores[rows],
            None if self.labels is None else self.labels[rows],
            {name: members for name, members in kept.items() if len(members)},
        )


def read_supplied(
    declared: Submission, files: Mapping[str, bytes], table: Table, roles: Roles, target: Target
) -> Supplied | None:
    """The supplied scores of a submission, or None when there are none.

    Raises UserError with file, column and row where a file does not fit the data: an unknown or repeated key, another
    number of rows, a score that is text, a class without scores, a row scored twice.
    """
    if not declared.predictions:
        return None
    shape = (table.n_rows, len(target.classes)) if target.outcome == "multiclass" else (table.n_rows,)
    scores, labels = np.full(shape, np.nan), np.full(table.n_rows, -1, dtype=np.int64)
    parts: dict[str, list[Rows]] = {}
    scored = labelled = False
    taken = np.zeros(table.n_rows, dtype=bool)
    for entry in declared.predictions:
        own = entry.path == declared.data[0].path
        given = table if own else read_table(files[entry.path], entry.path)
        rows = _rows_of(entry, given, table, roles, declared.data[0].path)
        if taken[rows].any():
            raise UserError(
                f"{int(taken[rows].sum())} rows have scores in another file too.",
                todo="Give each row one score.",
                file=entry.path,
            )
        taken[rows] = True
        chosen = rows if own else np.arange(given.n_rows)
        found = _scores_of(entry, given, target)
        if found is not None:
            scores[rows], scored = found[chosen], True
        decided = _labels_of(entry, given, target)
        if decided is not None:
            labels[rows], labelled = decided[chosen], True
        for name, members in _parts_of(entry, rows, table, roles).items():
            parts.setdefault(name, []).append(members)
    joined = {name: np.sort(np.concatenate(rows)) for name, rows in parts.items()}
    order: list[str] = [name for name in ("training", "validation", "test") if name in joined]
    order += sorted(set(joined) - set(order))
    parts_in_order = {name: joined[name] for name in order}
    if target.outcome == "choice":
        return _of_occasions(scores, parts_in_order, table, roles, declared)
    return Supplied(scores if scored else None, labels if labelled else None, parts_in_order)


def _of_occasions(
    scores: NDArray[np.float64], parts: dict[str, Rows], table: Table, roles: Roles, declared: Submission
) -> Supplied:
    """Probabilities of the alternatives that could be had, which add up to 1 over each occasion but for rounding.

    Parts hold whole occasions; those without any score are left out. UserError with the row where they are none.
    """
    entry, data_file = declared.predictions[0], declared.data[0].path
    choices = choices_of(table, roles, data_file)
    there, names = choices.available, table.column(str(roles.occasion))

    def refuse(wrong: NDArray[np.bool_], problem: str, todo: str) -> None:
        if not wrong.any():
            return
        row = int(np.argmax(wrong))
        # Rows of a file of its own come in its own order; the occasion finds them there.
        where = row + 2 if entry.path == data_file else None
        told = f"{problem} It is occasion {names.take(np.array([row])).texts()[0]}."
        raise UserError(told, todo=todo, file=entry.path, column=entry.score, row=where)

    known = there & np.isfinite(scores)
    refuse(known & ((scores < 0) | (scores > 1)), "A probability lies outside 0 to 1.", "Send probabilities.")
    n = int(choices.occasion.max()) + 1
    scored, offered = np.bincount(choices.occasion[known], minlength=n), np.bincount(choices.occasion[there])
    halves = (scored > 0) & (scored < offered)
    refuse(there & ~known & halves[choices.occasion], "An occasion has scores of some alternatives only.", _SCORE_ALL)
    total = np.bincount(choices.occasion[known], scores[known], n)
    apart = (scored > 0) & (np.abs(total - 1) > _ROUNDED)
    refuse(known & apart[choices.occasion], "The probabilities of an occasion do not add up to 1.", "Correct them.")
    held = np.where(known, scores / np.where(total > 0, total, 1.0)[choices.occasion], np.nan)
    kept = {name: members[known[members]] for name, members in parts.items()}
    of_part = np.full(table.n_rows, -1, dtype=np.int64)
    for place, members in enumerate(kept.values()):
        of_part[members] = place
    first = np.full(n, -1, dtype=np.int64)
    first[choices.occasion[known]] = of_part[known]
    refuse(known & (of_part != first[choices.occasion]), "Rows of one occasion are of two parts.", "Name one part.")
    return Supplied(held, None, {name: members for name, members in kept.items() if len(members)})


def _rows_of(entry: Predictions, given: Table, table: Table, roles: Roles, data_file: str) -> Rows:
    """The row of the data that each row of the file belongs to."""
    if entry.key is not None:
        return _rows_by_key(entry, given, table, data_file)
    rows = np.arange(table.n_rows, dtype=np.int64)
    if entry.part is not None and roles.part is not None:
        named = given_parts(table, roles.part)
        rows = named.get(part_name(entry.part), np.zeros(0, dtype=np.int64))
    if entry.path == data_file:
        return rows
    if given.n_rows != len(rows):
        which = f"the {part_name(entry.part)} part" if entry.part and roles.part else "the data"
        raise UserError(
            f"The file has {given.n_rows} rows and {which} has {len(rows)}.",
            todo="Name the key that joins them, or give one row for each, in the same order.",
            file=entry.path,
        )
    return rows


def _rows_by_key(entry: Predictions, given: Table, table: Table, data_file: str) -> Rows:
    import pandas as pd

    key = str(entry.key)
    wanted, held = (
        pd.Index(columns.column(key, where).texts()) for columns, where in ((given, entry.path), (table, data_file))
    )
    for where, index in ((data_file, held), (entry.path, wanted)):
        repeated = np.flatnonzero(index.duplicated())
        if len(repeated):
            raise UserError(
                f"The key '{index[repeated[0]]}' stands there twice.",
                todo="Join by a column whose values are all different.",
                file=where,
                column=key,
                row=int(repeated[0]) + 2,
            )
    rows = held.get_indexer(wanted)
    unknown = np.flatnonzero(rows < 0)
    if len(unknown):
        raise UserError(
            f"The key '{wanted[unknown[0]]}' is not in the data; {len(unknown)} rows are like that.",
            todo="Send scores of rows that are in the data.",
            file=entry.path,
            column=key,
            row=int(unknown[0]) + 2,
        )
    return rows.astype(np.int64)


def _scores_of(entry: Predictions, given: Table, target: Target) -> NDArray[np.float64] | None:
    if target.outcome == "multiclass":
        return _class_scores(entry, given, target)
    name = entry.value if target.outcome == "number" else entry.score
    if name is None:
        wanted = "value" if target.outcome == "number" else "score"
        raise UserError(f"The predictions name no {wanted} column.", todo=f"Name it under {wanted}.", file=entry.path)
    return _numbers(given, name, entry.path)


def _class_scores(entry: Predictions, given: Table, target: Target) -> NDArray[np.float64] | None:
    if entry.scores is None:
        if entry.label is None:
            raise UserError(
                "The predictions name neither the scores of the classes nor a label.",
                todo="Name a column for each class under scores, or the decided class under label.",
                file=entry.path,
            )
        return None
    absent = [label for label in target.classes if label not in entry.scores]
    if absent:
        raise UserError(
            f"No score column is named for the class {absent[0]}.",
            todo=f"Name one for each of {', '.join(target.classes)}.",
            file=entry.path,
        )
    columns = [_numbers(given, entry.scores[label], entry.path) for label in target.classes]
    scores = np.column_stack(columns)
    # A row that lacks one class's score has none.
    scores[np.isnan(scores).any(axis=1)] = np.nan
    return scores


def _numbers(given: Table, name: str, file: str) -> NDArray[np.float64]:
    column = given.column(name, file)
    if column.kind == "number":
        return np.asarray(column.values, dtype=np.float64)
    for level, text in enumerate(column.levels):
        if not looks_like_number(text):
            raise UserError(
                f"'{text}' is not a number.",
                todo="Scores must be numbers; leave a cell empty where there is none.",
                file=file,
                column=name,
                row=int(np.argmax(column.values == level)) + 2,
            )
    return np.array([*(float(text) for text in column.levels), np.nan])[column.values.astype(np.int64)]


def _labels_of(entry: Predictions, given: Table, target: Target) -> NDArray[np.int64] | None:
    if entry.label is None or target.outcome == "number":
        return None
    column = as_category(given.column(entry.label, entry.path))
    place = np.array([target.classes.index(level) if level in target.classes else -1 for level in column.levels] + [-1])
    codes = place[column.values.astype(np.int64)]
    strange = np.flatnonzero((codes < 0) & ~column.missing)
    if len(strange):
        raise UserError(
            f"'{column.levels[int(column.values[strange[0]])]}' is not a value of the target.",
            todo=f"Its values are {', '.join(target.classes)}.",
            file=entry.path,
            column=entry.label,
            row=int(strange[0]) + 2,
        )
    return codes


def _parts_of(entry: Predictions, rows: Rows, table: Table, roles: Roles) -> dict[str, Rows]:
    if roles.part is not None:
        named = {name: np.intersect1d(members, rows) for name, members in given_parts(table, roles.part).items()}
        held = {name: members for name, members in named.items() if len(members)}
        if held:
            return held
    return {part_name(entry.part) if entry.part else "all": np.sort(rows)}
