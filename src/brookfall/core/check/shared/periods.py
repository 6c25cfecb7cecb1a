"""Rows in periods of time: calendar months, quarters or years where the times are dates, else equal counts."""

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from brookfall.core.check.bench import Bench
from brookfall.core.fit.request import Rows
from brookfall.core.measure.scored import Numbers
from brookfall.core.table.table import Column

_ENOUGH = 60
"""Rows that a period should hold in the middle, so that a figure of it says something."""
_FEWEST, _MOST = 3, 24
_EQUAL = 8
_EQUAL_WORDS = "stretches of equal counts"


@dataclass(frozen=True)
class Period:
    """Rows of a stretch of time: its words, the mean time of its rows, their places among those divided."""

    words: str
    time: float
    places: Rows


@dataclass(frozen=True)
class Periods:
    """How rows were divided: by which column, into what; ``guessed`` where no column has the role of time."""

    column: str
    unit: str
    found: tuple[Period, ...]
    guessed: bool = False


def time_column(bench: Bench) -> tuple[str, bool] | None:
    """The column that orders rows in time, and whether it is guessed: the only one of dates; None without."""
    roles, table = bench.subject.roles, bench.subject.table
    if roles.time is not None:
        return roles.time, False
    dates = [column.name for column in table.columns if column.kind == "date" and column.name != roles.target]
    return (dates[0], True) if len(dates) == 1 else None


def periods_of(bench: Bench, positions: Rows) -> Periods | None:
    """The rows at those positions, divided by time, the earliest first; None where nothing orders them.

    Rows without a time, which only a guessed column has, are of no period.
    """
    named = time_column(bench)
    if named is None:
        return None
    name, guessed = named
    column = bench.subject.table.column(name).take(positions)
    unit, found = _divided(column, np.flatnonzero(~column.missing))
    return Periods(name, unit, tuple(found), guessed)


def _divided(column: Column, known: Rows) -> tuple[str, list[Period]]:
    texts = np.array([text or "" for text in column.texts()])
    if column.kind != "date":
        return _EQUAL_WORDS, list(_equal(texts, column.values.astype(np.float64), known))
    days = np.zeros(len(texts))
    days[known] = texts[known].astype("datetime64[D]").astype(np.float64)
    for unit, length in (("months", 7), ("quarters", 0), ("years", 4)):
        labels = np.array([_quarter(one) if unit == "quarters" else one[:length] for one in texts[known]])
        names, counts = np.unique(labels, return_counts=True)
        if _FEWEST <= len(names) <= _MOST and np.median(counts) >= _ENOUGH:
            return unit, [_period(name, days, known[labels == name]) for name in names.tolist()]
    return _EQUAL_WORDS, list(_equal(texts, days, known))


def _quarter(date: str) -> str:
    return f"{date[:4]} Q{(int(date[5:7]) + 2) // 3}"


def _equal(texts: NDArray[np.str_], times: Numbers, known: Rows) -> Iterator[Period]:
    order = known[np.argsort(times[known], kind="stable")]
    for places in np.array_split(order, max(_FEWEST, min(_EQUAL, len(order) // _ENOUGH))):
        if len(places):
            yield _period(f"{texts[places[0]]} to {texts[places[-1]]}", times, places)


def _period(words: str, times: Numbers, places: Rows) -> Period:
    return Period(words, float(times[places].mean()), np.sort(places))
