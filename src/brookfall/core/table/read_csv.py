"""Columns from the bytes of a text file of separated values."""

import csv
import io
import re
from collections.abc import Iterator
from typing import cast

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.csv as pacsv

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.parallel_map import together
from brookfall.core.table import text_format
from brookfall.core.table.infer import EXACT, column_from_text, finite_numbers, looks_like_number
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Column

_BLOCK = 1 << 20
_LARGE_BLOCK = 1 << 27
"""A block must hold a whole row; small ones stay in the processor's cache and take half the time."""
csv.field_size_limit(1 << 27)
_TEXTS = pa.dictionary(pa.int32(), pa.string())
_TEXT_AT_ONCE = 600_000_000
"""Bytes of text parsed at a time: a larger file is gone through several times, some columns each time."""


def read_csv(data: bytes, file: str, how: HowRead) -> tuple[tuple[str, ...], Iterator[Column], HowRead]:
    """The names, the columns one by one, and how they were read.

    UserError, with the row, for rows of another length than the first, a quote never closed, unreadable bytes.
    """
    encoding = text_format.encoding_of(data, file, how.encoding)
    sample = text_format.sample_of(data, encoding)
    separator = how.separator or text_format.separator_of(sample)
    rows = text_format.cells_of(sample, separator)
    if not rows:
        _refuse_by_row(data, file, encoding, separator)
        raise UserError("No row could be read.", todo="Save the file again as CSV.", file=file, row=1)
    header = text_format.has_header(rows) if how.header is None else how.header
    found = HowRead.model_validate(
        {
            **how.model_dump(),
            "encoding": encoding,
            "separator": separator,
            "decimal": how.decimal or text_format.decimal_of(rows, separator),
            "header": header,
        }
    )
    names = tuple(cell.strip() for cell in rows[0]) if header else tuple(f"column_{i + 1}" for i in range(len(rows[0])))
    return names, _columns(data, file, found, names, rows), found


def _columns(data: bytes, file: str, how: HowRead, names: tuple[str, ...], rows: text_format.Cells) -> Iterator[Column]:
    """Column by column. What looks like numbers is parsed as such at once, the rest as its distinct cells; a column
    that turns out to be something else is parsed again as text."""
    passes = max(1, -(-len(data) // _TEXT_AT_ONCE))
    step = -(-len(names) // passes)
    row = 2 if how.header else 1
    # Our own numbering, since names in the file may repeat; they are refused by name elsewhere.
    own = [f"f{i}" for i in range(len(names))]
    as_numbers = _surely_numbers(data, how, names, rows)
    for start in range(0, len(names), step):
        wanted = own[start : start + step]
        parsed = _parsed(data, file, how, own, wanted, {own[place] for place in as_numbers})
        if start == 0 and _quotes_reach_over_lines(data, parsed.num_rows, how):
            # A quote that is not closed where it should be would swallow whole rows into one cell.
            _refuse_by_row(data, file, cast("str", how.encoding), cast("str", how.separator))

        def column(named: tuple[int, pa.ChunkedArray]) -> Column:
            place, cells = named
            if cells.type == pa.float64():
                ends = pc.min_max(cells).as_py()
                if max(abs(ends["min"] or 0.0), abs(ends["max"] or 0.0)) < EXACT:
                    return finite_numbers(names[place], cells.to_numpy(), file, row)
                cells = _parsed(data, file, how, own, [own[place]], set()).column(0)
            return column_from_text(names[place], cells, how, file, row)

        yield from together(column, _taken_out(parsed, start))


def _taken_out(parsed: pa.Table, start: int) -> Iterator[tuple[int, pa.ChunkedArray]]:
    """Each column with its place; the table lets go of it, so that its cells go as soon as they are read."""
    for place, name in enumerate(parsed.column_names, start):
        cells = parsed.column(name)
        parsed = parsed.drop_columns([name])
        yield place, cells


def _surely_numbers(data: bytes, how: HowRead, names: tuple[str, ...], rows: text_format.Cells) -> list[int]:
    """Places of columns that are numbers as far as the first rows tell, and that no leading 0 makes codes."""
    if how.encoding != "utf-8" or _has_leading_zeros(data, cast("str", how.separator)):
        return []
    body = rows[1:] if how.header else rows
    words, decimal = set(how.words_for_missing), cast("str", how.decimal)
    found = []
    for place, name in enumerate(names):
        cells = [cells[place].strip() for cells in body if place < len(cells)]
        present = [cell for cell in cells if cell not in words]
        if name not in how.types and present and all(looks_like_number(cell, decimal) for cell in present):
            found.append(place)
    return found


def _has_leading_zeros(data: bytes, separator: str) -> bool:
    """Whether any cell may begin with a 0 and another digit; some cells inside quotes are taken for such too."""
    starts = np.zeros(256, dtype=bool)
    starts[list(f'\n\r" {separator}'.encode())] = True
    text = np.frombuffer(data, dtype=np.uint8)

    def among(begin: int) -> bool:
        block = text[begin : begin + _BLOCK + 2]
        zeros = (block[1:-1] == ord("0")) & ((block[2:] - np.uint8(ord("0"))) < 10)
        return bool(starts[block[np.flatnonzero(zeros)]].any())

    return any(together(among, range(0, len(text), _BLOCK)))


def _quotes_reach_over_lines(data: bytes, rows: int, how: HowRead) -> bool:
    if b'"' not in data:
        return False
    lines = data.count(b"\n") + (not data.rstrip(b"\0").endswith(b"\n"))
    return lines != rows + bool(how.header) or data.count(b'"') % 2 == 1


def _parsed(
    data: bytes, file: str, how: HowRead, own: list[str], wanted: list[str], as_numbers: set[str], block: int = _BLOCK
) -> pa.Table:
    separator, encoding = cast("str", how.separator), cast("str", how.encoding)
    kinds = {name: pa.float64() if name in as_numbers else _TEXTS for name in own}
    try:
        return pacsv.read_csv(
            pa.BufferReader(data),
            read_options=pacsv.ReadOptions(
                block_size=block,
                column_names=own,
                skip_rows_after_names=1 if how.header else 0,
                encoding="utf8" if encoding == "utf-8" else encoding,
            ),
            # Without a quote no cell reaches over a line, and blocks can be cut apart without parsing them.
            parse_options=pacsv.ParseOptions(delimiter=separator, newlines_in_values=b'"' in data),
            convert_options=pacsv.ConvertOptions(
                column_types=kinds,
                strings_can_be_null=False,
                null_values=list(how.words_for_missing),
                decimal_point=how.decimal,
                include_columns=wanted,
            ),
        )
    except (pa.ArrowException, UnicodeDecodeError) as problem:
        if "straddling" in str(problem) and block == _BLOCK:
            return _parsed(data, file, how, own, wanted, as_numbers, _LARGE_BLOCK)
        unfit = re.match(r"In CSV column #(\d+): CSV conversion error to double", str(problem))
        if unfit and as_numbers:
            return _parsed(data, file, how, own, wanted, as_numbers - {own[int(unfit[1])]})
        if unfit or "conversion error" in str(problem):
            return _parsed(data, file, how, own, wanted, set())
        _refuse_by_row(data, file, encoding, separator)
        raise UserError(
            f"The file can't be read as CSV ({str(problem).splitlines()[0]}).", todo="Write it again as CSV.", file=file
        ) from problem


def _refuse_by_row(data: bytes, file: str, encoding: str, separator: str) -> None:
    """Reads row by row, slowly, to say which one is at fault; returns where none is."""
    codec = "utf-8-sig" if encoding == "utf-8" else encoding
    stream = io.TextIOWrapper(io.BytesIO(data), encoding=codec, newline="")
    reader = csv.reader(stream, delimiter=separator, strict=True)
    width: int | None = None
    try:
        for cells in reader:
            if not cells:
                continue
            width = width or len(cells)
            if len(cells) != width:
                raise UserError(
                    f"The row has {len(cells)} cells and the header has {width}.",
                    todo="Give every row a cell for each column, and quote cells that contain the separator.",
                    file=file,
                    row=reader.line_num,
                )
    except csv.Error as problem:
        raise UserError(
            f"The row can't be read as CSV ({problem}).",
            todo="Close every quote that is opened.",
            file=file,
            row=reader.line_num,
        ) from problem
