"""Columns from a sheet of a workbook: the values that were saved in it. No formula is evaluated."""

import io
import zipfile
import zlib
from collections.abc import Iterator
from datetime import date, datetime, time, timedelta

import python_calamine as calamine

from brookfall.core.foundation.errors import UserError
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Column

_MAX_CELLS = 20_000_000
_BLOCK = 1 << 20

Value = int | float | str | bool | time | date | datetime | timedelta


def read_sheet(
    data: bytes, file: str, how: HowRead, max_unpacked: int
) -> tuple[tuple[str, ...], Iterator[Column], HowRead, tuple[str, ...]]:
    """The names, the columns one by one, how they were read, and the sheets there are.

    The first row that is not empty names the columns. UserError for what is no workbook, one with a password, one
    that unpacks to too much, and a sheet that is not there or empty.
    """
    _refuse_bomb(data, file, max_unpacked)
    try:
        book = calamine.CalamineWorkbook.from_filelike(io.BytesIO(data))
        sheets = tuple(book.sheet_names)
        name, rows = _chosen(book, sheets, how.sheet, file)
    except calamine.PasswordError as problem:
        raise UserError("The workbook has a password.", todo="Save it without one.", file=file) from problem
    except (calamine.CalamineError, OSError) as problem:
        raise UserError(
            f"The workbook can't be read ({problem}).", todo="Save it again as .xlsx or .ods, or as CSV.", file=file
        ) from problem
    header = how.header is not False
    width = max(len(row) for row in rows)
    names = tuple(_text(cell).strip() for cell in rows[0]) if header else tuple(f"column_{i + 1}" for i in range(width))
    found = how.model_copy(
        update={"sheet": name, "header": header, "separator": None, "decimal": None, "encoding": None}
    )
    body = rows[1:] if header else rows
    columns = (
        column_from_text(name, [_text(row[place]) for row in body], found, file, 2 if header else 1)
        for place, name in enumerate(names)
    )
    return names, columns, found, sheets


def _chosen(
    book: calamine.CalamineWorkbook, sheets: tuple[str, ...], wanted: str | None, file: str
) -> tuple[str, list[list[Value]]]:
    if wanted is not None and wanted not in sheets:
        raise UserError(f"There is no sheet '{wanted}'.", todo=f"Sheets are: {', '.join(sheets)}.", file=file)
    for name in sheets if wanted is None else (wanted,):
        sheet = book.get_sheet_by_name(name)
        if sheet.height * sheet.width > _MAX_CELLS:
            raise UserError(
                f"The sheet '{name}' has {sheet.height} rows of {sheet.width} cells.",
                todo="Send so large a table as CSV or Parquet.",
                file=file,
            )
        rows = [row for row in sheet.to_python(skip_empty_area=True) if any(cell != "" for cell in row)]
        if rows:
            return name, rows
    where = f"The sheet '{wanted}' is empty." if wanted else "No sheet has a cell with a value."
    raise UserError(where, todo="Choose the sheet that holds the table.", file=file)


def _text(cell: Value) -> str:
    """A cell as it would stand in a CSV file."""
    if isinstance(cell, bool):
        return "true" if cell else "false"
    if isinstance(cell, float):
        return str(int(cell)) if cell.is_integer() and abs(cell) < 1e15 else repr(cell)
    if isinstance(cell, datetime):
        return cell.date().isoformat() if cell.time() == time() else cell.isoformat(timespec="seconds")
    if isinstance(cell, (date, time)):
        return cell.isoformat()
    if isinstance(cell, timedelta):
        return repr(cell.total_seconds())
    return str(cell)


def _refuse_bomb(data: bytes, file: str, max_unpacked: int) -> None:
    """Unpacks everything once, counting and keeping nothing: what a zip says of its sizes need not be true."""
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        size = 0
        for entry in archive.infolist():
            with archive.open(entry) as stream:
                while block := stream.read(_BLOCK):
                    size += len(block)
                    if size > max_unpacked:
                        raise UserError(
                            f"The workbook unpacks to more than {max_unpacked / 1e9:g} GB.",
                            todo="Send so large a table as CSV or Parquet.",
                            file=file,
                        )
    except (
        zipfile.BadZipFile,
        zlib.error,
        RuntimeError,
        NotImplementedError,
        EOFError,
        OSError,
        ValueError,
    ) as problem:
        raise UserError(
            "This is not a workbook, or it is damaged.", todo="Save it again as .xlsx or .ods, or as CSV.", file=file
        ) from problem
