"""The tables of an exhibit as they are written on a page, with the widths of their columns.

Who lays out a page would otherwise set each cell several times to find how wide it wants to be.
"""

import re
from collections.abc import Sequence
from dataclasses import dataclass

from brookfall.core.evidence.chart import Cell, TableView
from brookfall.core.evidence.estimate import Estimate
from brookfall.core.evidence.exhibit import Exhibit
from brookfall.report.writing import PLAIN, Writing

_LINE = 116.0
"""So many letters of the tables' size stand side by side on a page."""
_GAP = 1.4
"""The space beside a column, in letters."""
_TINY = 0.0005
"""A p value below this has no digit to show."""
_NUMBER = re.compile(r"[−-]?\d{1,3}(\u202f?\d{3})*\.\d+(\u00a0%)?")


@dataclass(frozen=True)
class WrittenCell:
    """A cell's text, and the standing that is written beside it; empty where there is none."""

    text: str
    standing: str = ""


@dataclass(frozen=True)
class WrittenTable:
    """``widths`` are shares of the page, in percent, one a column."""

    title: str
    columns: tuple[str, ...]
    widths: tuple[float, ...]
    rows: tuple[tuple[WrittenCell, ...], ...]


def written_tables(exhibit: Exhibit, writing: Writing = PLAIN) -> list[WrittenTable]:
    """The tables of an exhibit, their estimates in words, their numbers as they are written there."""
    return [_written(table, exhibit.estimates, writing) for table in exhibit.tables]


def _written(table: TableView, estimates: Sequence[Estimate], writing: Writing) -> WrittenTable:
    rows = tuple(
        tuple(_cell(cell, estimates, writing, names_row=not place) for place, cell in enumerate(row))
        for row in table.rows
    )
    texts = [[f"{cell.text} {cell.standing}".strip() for cell in row] for row in rows]
    columns = list(zip(table.columns, *texts, strict=True))
    return WrittenTable(table.title, table.columns, column_widths(columns), rows)


def column_widths(columns: Sequence[Sequence[str]]) -> tuple[float, ...]:
    """Shares of the page for columns of these texts, in percent: each as wide as its longest text where all fit
    beside each other; else as its longest word, and the rest by what it would have more.

    >>> column_widths([["a", "b"], ["some words", "more"]])
    (17.4, 82.6)
    """
    most = [max(map(len, texts)) + _GAP for texts in columns]
    least = [max(len(word) for text in texts for word in (text.split() or [""])) + _GAP for texts in columns]
    wanted = most
    if sum(most) > _LINE:
        more = [wide - narrow for wide, narrow in zip(most, least, strict=True)]
        room = max(_LINE - sum(least), 0) / (sum(more) or 1)
        wanted = [narrow + room * extra for narrow, extra in zip(least, more, strict=True)]
    return tuple(round(100 * one / sum(wanted), 1) for one in wanted)


def _cell(cell: Cell, estimates: Sequence[Estimate], writing: Writing, *, names_row: bool) -> WrittenCell:
    if cell.estimate is None:
        text = cell.text or ""
        # What names a row may be a level of a column, which is called what it is called.
        return WrittenCell(text if names_row or not _NUMBER.fullmatch(text) else writing.plain(text))
    estimate = estimates[cell.estimate]
    return WrittenCell(_in_words(estimate, writing), estimate.standing or "")


def _in_words(estimate: Estimate, writing: Writing) -> str:
    if estimate.value is None:
        return f"– ({estimate.note})"
    tiny = estimate.comparison in ("p_value", "p_value_holm") and estimate.value < _TINY
    value = f"< {writing.number(2 * _TINY)}" if tiny else writing.number(estimate.value)
    if (estimate.note or "").startswith("counted") and estimate.value == int(estimate.value):
        value = writing.count(int(estimate.value))
    ends = estimate.judged_ends
    if ends == (None, None):
        return f"{value} (no interval: {estimate.note or 'a single value'})"
    low = writing.number(ends[0]) if ends[0] is not None else "−∞"
    high = writing.number(ends[1]) if ends[1] is not None else "∞"
    few = f", {estimate.note}" if estimate.note == "too few to judge" else ""
    return f"{value} [{low}{writing.between} {high}], n {writing.count(estimate.n)}{few}"
