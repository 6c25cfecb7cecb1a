"""What would have to differ in a row for the other decision: the smallest change among features that can change."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import combinations, product

import numpy as np

from brookfall.core.fit.request import Rows
from brookfall.core.measure.scored import Codes, Numbers
from brookfall.core.table.table import Column, Table

MOST_ROWS = 50
"""So many of the first rows are looked at."""
_VALUES, _FEWER, _LEVELS = 21, 9, 30
_HALVINGS = 20
_DIGITS = (4, 6, 9, 12, 15, 17)

Decide = Callable[[Numbers], Codes]
"""From raw rows (m, p) to decisions, -1 where none is made."""


@dataclass(frozen=True)
class _Free:
    """A feature that can change: its place, the values tried, in units of their spread, and whether they are whole."""

    place: int
    column: Column
    values: Numbers
    spread: float
    whole: bool

    def distance(self, before: float, after: float) -> float:
        """How large a change is: of a number in standard deviations of the rows learned from, of a level 1."""
        return abs(after - before) / self.spread if self.column.kind == "number" and not np.isnan(before) else 1.0

    def text(self, value: float) -> str:
        if self.column.kind == "number":
            return (
                "gap"
                if np.isnan(value)
                else next(text for digits in _DIGITS if float(text := f"{value:.{digits}g}") == value)
            )
        return self.column.levels[int(value)] if value >= 0 else "gap"


def other_decisions(decide: Decide, raw: Numbers, known: Table, train: Rows, changeable: Sequence[str]) -> list[str]:
    """For each of the first rows the smallest change of one feature, else of two, under which it is decided otherwise.

    Numbers take values that rows learned from have, and the nearest ones between that still change the decision; levels
    those that they have. Smallest is by standard deviations of the rows learned from, a level counting as one. What is
    found is no cause: it says how the model decides, not what would become of a row that changed.

    Parameters
    ----------
    decide
        The model's decision.
    raw
        Rows as they are, (m, p), in the columns of ``known``.
    known
        The features of the rows that the model learned from, among others; ``train`` are these.
    train
        Rows learned from.
    changeable
        The features that can change.

    Returns
    -------
    list[str]
        Such as ``alarms 1→2``; two changes joined by a bar; empty where none of these changes the decision.

    >>> from brookfall.core.table.infer import column_from_text
    >>> known = Table((column_from_text("x", ["0", "1", "2", "3"]),))
    >>> other_decisions(lambda rows: (rows[:, 0] > 1.5).astype(int), np.array([[0.0]]), known, np.arange(4), ["x"])
    ['x 0→2']
    """
    free = [_free(place, column, train) for place, column in enumerate(known.columns) if column.name in changeable]
    free = [one for one in free if len(one.values)]
    return [_of_row(decide, row, free) for row in raw[:MOST_ROWS]]


def _free(place: int, column: Column, train: Rows) -> _Free:
    held = column.values[train][~column.missing[train]].astype(np.float64)
    if not len(held):
        return _Free(place, column, held, 1.0, whole=False)
    if column.kind != "number":
        levels, counts = np.unique(held, return_counts=True)
        return _Free(place, column, levels[np.argsort(-counts, kind="stable")][:_LEVELS], 1.0, whole=False)
    whole = bool((held == np.round(held)).all())
    values = np.unique(np.quantile(held, np.linspace(0, 1, _VALUES), method="nearest"))
    return _Free(place, column, values, float(held.std()) or 1.0, whole)


def _of_row(decide: Decide, row: Numbers, free: list[_Free]) -> str:
    made = int(decide(row[None])[0])
    if made < 0:
        return ""
    for together in (1, 2):
        found = _smallest(decide, row, made, free, together)
        if found:
            return "|".join(f"{one.column.name} {one.text(row[one.place])}→{one.text(value)}" for one, value in found)
    return ""


def _smallest(
    decide: Decide, row: Numbers, made: int, free: list[_Free], together: int
) -> list[tuple[_Free, float]] | None:
    """The smallest change of so many features at once; None where no such change decides otherwise."""
    best: tuple[float, list[tuple[_Free, float]]] | None = None
    for chosen in combinations(free, together):
        tried = [_some(one, row[one.place], _VALUES if together == 1 else _FEWER) for one in chosen]
        values = np.array(list(product(*tried)), dtype=np.float64).reshape(-1, together)
        if not len(values):
            continue
        rows = np.repeat(row[None], len(values), axis=0)
        for at, one in enumerate(chosen):
            rows[:, one.place] = values[:, at]
        decided = decide(rows)
        for place in np.flatnonzero((decided != made) & (decided >= 0)):
            far = sum(one.distance(row[one.place], values[place, at]) for at, one in enumerate(chosen))
            if best is None or far < best[0]:
                best = far, [(one, float(values[place, at])) for at, one in enumerate(chosen)]
    if best is None:
        return None
    return _nearer(decide, row, made, best[1])


def _some(one: _Free, own: float, most: int) -> Numbers:
    values: Numbers = one.values[one.values != own]
    if len(values) <= most or one.column.kind != "number":
        return values[:most]
    return values[np.linspace(0, len(values) - 1, most).astype(np.int64)]


def _nearer(decide: Decide, row: Numbers, made: int, found: list[tuple[_Free, float]]) -> list[tuple[_Free, float]]:
    """The same change, its numbers brought as near to the row's own as the decision allows."""
    after = dict(enumerate(found))
    for at, (one, value) in enumerate(found):
        own = float(row[one.place])
        if one.column.kind != "number" or np.isnan(own):
            continue
        changed = row.copy()
        for other, far in after.values():
            changed[other.place] = far
        low, high = own, value
        for _ in range(_HALVINGS):
            middle = (low + high) / 2
            if one.whole:
                middle = np.floor(middle) if value < own else np.ceil(middle)
            if middle in (low, high):
                break
            changed[one.place] = middle
            if _decides_otherwise(decide, changed, made):
                high = float(middle)
            else:
                low = float(middle)
        # As short as it can be written, so that whoever tries it finds it so.
        for digits in _DIGITS:
            changed[one.place] = float(f"{high:.{digits}g}")
            if _decides_otherwise(decide, changed, made):
                break
        after[at] = (one, float(changed[one.place]))
    return list(after.values())


def _decides_otherwise(decide: Decide, row: Numbers, made: int) -> bool:
    decided = int(decide(row[None])[0])
    return decided not in (made, -1)
