"""What a column of text is: number, yes/no, date, category or text. Looks at every row."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from typing import cast

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from brookfall.core.foundation.errors import UserError
from brookfall.core.table.dates import dates_of
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Column, Kind

_YES_NO = (frozenset({"yes", "no"}), frozenset({"true", "false"}), frozenset({"y", "n"}), frozenset({"t", "f"}))
_FREE_TEXT_SHARE = 0.5
_FREE_TEXT_LEVELS = 200
_NOTES = 100
_WORDS_OF_A_NOTE = 3
EXACT = 2.0**53
"""From here on float64 skips whole numbers, so two identifiers might become one."""

Texts = Iterable[str | None]


def column_from_text(
    name: str,
    cells: "Texts | pa.ChunkedArray",
    how: HowRead = HowRead(),  # noqa: B008 - frozen
    file: str | None = None,
    first_row: int = 2,
) -> Column:
    """A typed column from n cells of text, read as ``how`` says.

    UserError, with file and row (the first cell's is ``first_row``), where a cell does not fit the kind that ``how``
    names, and for infinite numbers.

    >>> column_from_text("size", ["1", "2.5", ""]).kind
    'number'
    """
    place = Place(name, file, first_row)
    cells = cells if isinstance(cells, pa.ChunkedArray) else pa.chunked_array([pa.array(list(cells), pa.string())])
    if not pa.types.is_dictionary(cells.type):
        cells = cells.dictionary_encode()
    encoded = cells.unify_dictionaries().combine_chunks()
    if isinstance(encoded, pa.ChunkedArray):
        encoded = encoded.chunk(0) if encoded.num_chunks else pa.array([], pa.string()).dictionary_encode()
    # Everything is found out from the distinct cells, of which there are never more than cells.
    levels = pc.utf8_trim_whitespace(encoded.dictionary.cast(pa.string()))
    codes = pc.fill_null(encoded.indices, -1).to_numpy(zero_copy_only=False).astype(np.int32)
    return _column(_Distinct(levels, codes).without(how.words_for_missing), how, place)


def finite_numbers(name: str, values: NDArray[np.float64], file: str | None = None, first_row: int = 2) -> Column:
    """A number column of n values, NaN for gaps; UserError with the row of the first that is infinite.

    >>> finite_numbers("x", np.array([1.0, np.nan])).missing.tolist()
    [False, True]
    """
    unbounded = np.isinf(values)
    if unbounded.any():
        count = int(unbounded.sum())
        raise Place(name, file, first_row).error(
            f"{count} {'cells are' if count > 1 else 'cell is'} infinite.",
            "Mend what is infinite, or let its word count as missing.",
            int(np.argmax(unbounded)),
        )
    return Column(name, "number", values)


def column_of_levels(name: str, codes: NDArray[np.int32], levels: Sequence[str], kind: Kind | None = None) -> Column:
    """A column from positions in any distinct levels, -1 for a gap; the levels are sorted here.

    >>> column_of_levels("c", np.array([0, 1, -1], dtype=np.int32), ["b", "a"]).values.tolist()
    [1, 0, -1]
    """
    listed = pa.array(levels, pa.string())
    order = pc.sort_indices(listed).to_numpy()
    rank = np.empty(len(levels) + 1, dtype=np.int32)
    rank[order] = np.arange(len(levels), dtype=np.int32)
    rank[-1] = -1
    found = tuple(listed.take(pa.array(order)).to_pylist())
    return Column(name, kind or _kind_of(found, int((codes >= 0).sum())), rank[codes], found)


def as_category(column: Column) -> Column:
    """A number column read as codes: its levels are the numbers as text, in the order of the numbers.

    >>> as_category(column_from_text("code", ["2", "10", "2"])).levels
    ('2', '10')
    """
    if column.kind != "number":
        return column
    present: NDArray[np.bool_] = ~column.missing
    uniques, inverse = np.unique(column.values[present], return_inverse=True)
    codes = np.full(len(column.values), -1, dtype=np.int32)
    codes[present] = inverse
    return Column(column.name, "category", codes, tuple(f"{value:.15g}" for value in uniques))


@dataclass(frozen=True)
class Place:
    """Where a column stands, for messages."""

    column: str
    file: str | None
    first_row: int

    def error(self, what: str, todo: str, row: int) -> UserError:
        """About the cell of that row, counted from 0 in the data."""
        return UserError(what, todo=todo, file=self.file, column=self.column, row=row + self.first_row)


@dataclass(frozen=True)
class _Distinct:
    """The distinct cells of a column, trimmed, and each row's position among them, -1 for a gap."""

    levels: pa.StringArray
    codes: NDArray[np.int32]

    def without(self, words: tuple[str, ...]) -> "_Distinct":
        """With those words counted as gaps, and levels that were the same but for blanks made one."""
        levels = pc.if_else(pc.is_in(self.levels, value_set=pa.array(words, pa.string())), None, self.levels)
        again = levels.dictionary_encode()
        moved = np.append(pc.fill_null(again.indices, -1).to_numpy(zero_copy_only=False), -1).astype(np.int32)
        return _Distinct(again.dictionary, moved[self.codes])

    def first_row(self, level: int) -> int:
        return int(np.argmax(self.codes == level))

    def match(self, pattern: str) -> NDArray[np.bool_]:
        found: NDArray[np.bool_] = pc.match_substring_regex(self.levels, pattern).to_numpy(zero_copy_only=False)
        return found


_PLAIN_NUMBER = r"^[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?$"
_COMMA_NUMBER = r"^[+-]?(\d+,?\d*|,\d+)([eE][+-]?\d+)?$"


def _column(cells: _Distinct, how: HowRead, place: Place) -> Column:
    wanted = how.types.get(place.column)
    if wanted == "number" or (wanted is None and len(cells.levels)):
        numbers = _numbers(cells, how.decimal or ".", place, forced=wanted == "number")
        if numbers is not None:
            return Column(place.column, "number", numbers)
    if wanted in (None, "date") and len(cells.levels):
        dates = _dates(cells, place, forced=wanted == "date")
        if dates is not None:
            return dates
    if wanted == "yes_no" and len({level.lower() for level in cells.levels.to_pylist()}) > 2:
        raise place.error(
            f"The column has {len(cells.levels)} values, so it is not yes/no.", "Don't name it yes/no.", 0
        )
    return column_of_levels(place.column, cells.codes, cells.levels, wanted)


def _numbers(cells: _Distinct, decimal: str, place: Place, *, forced: bool) -> NDArray[np.float64] | None:
    """The cells as numbers, NaN for gaps; None where they are not all numbers, or are codes."""
    levels = cells.levels
    if decimal == "," and cells.match(_COMMA_NUMBER).all():
        levels = pc.replace_substring(levels, ",", ".", max_replacements=1)
    elif decimal == ",":
        levels = None
    values = _cast(levels)
    if values is None:
        if forced:
            raise _unfit(cells, cells.match(_COMMA_NUMBER if decimal == "," else _PLAIN_NUMBER), place)
        return None
    if not forced and _are_codes(cells, values):
        return None
    return cast("NDArray[np.float64]", finite_numbers(
        place.column, np.append(values, np.nan)[cells.codes], place.file, place.first_row
    ).values)  # fmt: skip


def _cast(levels: pa.StringArray | None) -> NDArray[np.float64] | None:
    if levels is None:
        return None
    try:
        values: NDArray[np.float64] = pc.cast(levels, pa.float64()).to_numpy(zero_copy_only=False)
    except pa.ArrowInvalid:
        return None
    return values


def _are_codes(cells: _Distinct, values: NDArray[np.float64]) -> bool:
    """Whole numbers that float64 can't tell apart, or that begin with a 0 as numbers don't."""
    finite = values[np.isfinite(values)]
    if len(finite) and np.abs(finite).max() >= EXACT and cells.match(r"^[+-]?\d+$").all():
        return True
    return bool(cells.match(r"^0\d").any())


def _unfit(cells: _Distinct, fits: NDArray[np.bool_], place: Place) -> UserError:
    worst = ~np.append(fits, True)[cells.codes]
    row, count = int(np.argmax(worst)), int(worst.sum())
    return place.error(
        f"'{cells.levels[int(cells.codes[row])].as_py()}' is not a number"
        + (f", and {count - 1} more cells are not." if count > 1 else "."),
        "Mend what is no number, let its word count as missing, or don't name the column a number.",
        row,
    )


def _dates(cells: _Distinct, place: Place, *, forced: bool) -> Column | None:
    levels: list[str] = cells.levels.to_pylist()
    dates = dates_of(levels, day_first=forced)
    if dates is None:
        if forced:
            unfit = next(i for i, level in enumerate(levels) if dates_of([level], day_first=True) is None)
            raise place.error(
                f"'{levels[unfit]}' is not a date.",
                "Mend it, let that word count as missing, or don't name the column a date.",
                cells.first_row(unfit),
            )
        return None
    # Several ways of writing one date become one level.
    distinct = list(dict.fromkeys(dates))
    position = {date: place for place, date in enumerate(distinct)}
    moved = np.array([*(position[date] for date in dates), -1], dtype=np.int32)
    return column_of_levels(place.column, moved[cells.codes], distinct, "date")


def _kind_of(levels: tuple[str, ...], present: int) -> Kind:
    if len(levels) <= 4 and frozenset(level.lower() for level in levels) in _YES_NO:
        return "yes_no"
    if len(levels) > max(_FREE_TEXT_LEVELS, _FREE_TEXT_SHARE * present):
        return "text"
    # Notes that are often the same still are no categories: many entries of several words each.
    if len(levels) >= _NOTES and sum(len(level.split()) for level in levels) >= _WORDS_OF_A_NOTE * len(levels):
        return "text"
    return "category"


def decimal_of_words(words: Sequence[str]) -> str:
    """The decimal mark under which more of the words are numbers; a point where both do as well.

    >>> decimal_of_words(["1,5", "2", "-"]), decimal_of_words(["1.5", "2"])
    (',', '.')
    """
    comma, point = (sum(looks_like_number(word, mark) for word in words) for mark in (",", "."))
    return "," if comma > point else "."


def looks_like_number(text: str, decimal: str = ".") -> bool:
    """Whether one cell reads as a finite number.

    >>> looks_like_number("-1.5e3"), looks_like_number("1,5"), looks_like_number("1,5", ",")
    (True, False, True)
    """
    return re.match(_COMMA_NUMBER if decimal == "," else _PLAIN_NUMBER, text) is not None
