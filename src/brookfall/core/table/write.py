"""Tables out: as CSV that no spreadsheet takes for formulas, and as Parquet."""

import csv
import io
from collections.abc import Iterator, Sequence

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq

from brookfall.core.table.infer import looks_like_number
from brookfall.core.table.table import Column, Table

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


def _array(column: Column) -> pa.Array:
    if column.kind == "number":
        return pa.array(np.asarray(column.values, dtype=np.float64), mask=column.missing)
    codes = pa.array(np.asarray(column.values, dtype=np.int32), mask=column.missing)
    return pa.DictionaryArray.from_arrays(codes, pa.array(list(column.levels), type=pa.string()))
