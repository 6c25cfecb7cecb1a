"""Tables out: as CSV that no spreadsheet takes for formulas, and as Parquet."""

import csv
import io
from collections.abc import Iterator, Sequence

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from brookfall.core.foundation.errors import UserError
from brookfall.core.table.infer import looks_like_number
from brookfall.core.table.table import Column, Table

MOST_ROWS_OF_A_SHEET = 1_048_576
_LONGEST_SHEET = 31
_AT_ONCE = 5_000
_FORMULA = ("=", "+", "-", "@", "\t", "\r")
"""What a spreadsheet takes a cell for a formula by, at its start."""


def csv_of(table: Table, places: "np.ndarray[tuple[int], np.dtype[np.int64]] | None" = None) -> Iterator[bytes]:
    """The table as CSV in UTF-8, some thousand rows at a time; a gap is an empty cell.

    ``places`` become a first column ``row``. Text that would be a formula in a spreadsheet gets an apostrophe before
    it (OWASP, CSV injection); numbers stay numbers.

    >>> column = Column("a", "text", np.array([0, -1], dtype=np.int32), ("=1+1",))
    >>> b"".join(csv_of(Table((column,))))
    b'a\\r\\n\\'=1+1\\r\\n""\\r\\n'
    """
    names = [*(["row"] if places is not None else []), *(harmless(name) for name in table.names)]
    yield csv_lines([names])
    for start in range(0, table.n_rows, _AT_ONCE):
        chosen = np.arange(start, min(start + _AT_ONCE, table.n_rows))
        cells = [_cells(column) for column in table.take(chosen).columns]
        first = [[str(place) for place in places[chosen]]] if places is not None else []
        yield csv_lines(list(zip(*first, *cells, strict=True)))


def harmless(text: str) -> str:
    """Text that no spreadsheet computes.

    >>> harmless("@cmd"), harmless("-12.5"), harmless("- none")
    ("'@cmd", '-12.5', "'- none")
    """
    return f"'{text}" if text.startswith(_FORMULA) and not looks_like_number(text) else text


def _cells(column: Column) -> list[str]:
    if column.kind == "number":
        return ["" if np.isnan(value) else _exact(float(value)) for value in column.values]
    return ["" if text is None else harmless(text) for text in column.texts()]


def _exact(value: float) -> str:
    """As short as can be, and the same number to the last bit when it is read again."""
    short = f"{value:.15g}"
    return short if float(short) == value else repr(value)


def csv_lines(rows: Sequence[Sequence[str]]) -> bytes:
    """Rows of cells as lines of CSV in UTF-8; whoever calls it makes the cells harmless.

    >>> csv_lines([("a", "b, c")])
    b'a,"b, c"\\r\\n'
    """
    held = io.StringIO()
    csv.writer(held).writerows(rows)
    return held.getvalue().encode()


def parquet_of(table: Table, places: "np.ndarray[tuple[int], np.dtype[np.int64]] | None" = None) -> bytes:
    """The table as Parquet: numbers as float64, all else as text by levels; a gap is null.

    >>> column = Column("a", "number", np.array([1.0, np.nan]))
    >>> pq.read_table(io.BytesIO(parquet_of(Table((column,))))).to_pydict()
    {'a': [1.0, None]}
    """
    arrays = {} if places is None else {"row": pa.array(places)}
    arrays |= {column.name: _array(column) for column in table.columns}
    held = io.BytesIO()
    pq.write_table(pa.table(arrays), held)
    return held.getvalue()


def xlsx_of(table: Table, sheet: str) -> bytes:
    """The table as a workbook of one sheet, no cell of which is a formula; UserError where one can't hold so many rows.

    >>> import openpyxl
    >>> column = Column("a", "text", np.array([0], dtype=np.int32), ("=1+1",))
    >>> openpyxl.load_workbook(io.BytesIO(xlsx_of(Table((column,)), "rows"))).active["A2"].value
    "'=1+1"
    """
    from openpyxl import Workbook

    if table.n_rows >= MOST_ROWS_OF_A_SHEET:
        raise UserError(
            f"A sheet holds {MOST_ROWS_OF_A_SHEET - 1:,} rows, and these are {table.n_rows:,}.".replace(",", " "),
            todo="Write them as .csv or .parquet.",
        )
    book = Workbook(write_only=True)
    lines = book.create_sheet(sheet[:_LONGEST_SHEET])
    lines.append([harmless(name) for name in table.names])
    for start in range(0, table.n_rows, _AT_ONCE):
        some = table.take(np.arange(start, min(start + _AT_ONCE, table.n_rows)))
        for row in zip(*(_values(column) for column in some.columns), strict=True):
            lines.append(row)
    held = io.BytesIO()
    book.save(held)
    return held.getvalue()


WRITABLE = (".csv", ".parquet", ".xlsx")


def written_as(table: Table, suffix: str) -> bytes:
    """The table as a file of that kind, one of ``WRITABLE``.

    >>> written_as(Table((Column("a", "number", np.array([1.0])),)), ".csv")
    b'a\\r\\n1\\r\\n'
    """
    if suffix == ".parquet":
        return parquet_of(table)
    return xlsx_of(table, "rows") if suffix == ".xlsx" else b"".join(csv_of(table))


def _values(column: Column) -> "list[float | str | None]":
    if column.kind == "number":
        return [None if np.isnan(value) else float(value) for value in column.values]
    return [None if text is None else _without_controls(harmless(text)) for text in column.texts()]


def _without_controls(text: str) -> str:
    """Text without the signs that a workbook can't hold."""
    return "".join(sign for sign in text if sign >= " " or sign in "\t\n\r")


def _array(column: Column) -> pa.Array:
    if column.kind == "number":
        return pa.array(np.asarray(column.values, dtype=np.float64), mask=column.missing)
    codes = pa.array(np.asarray(column.values, dtype=np.int32), mask=column.missing)
    return pa.DictionaryArray.from_arrays(codes, pa.array(list(column.levels), type=pa.string()))
