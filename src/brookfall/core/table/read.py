"""Tables from the bytes of a file, or a message saying which row is at fault."""

from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import PurePosixPath

from brookfall.core.foundation.errors import UserError
from brookfall.core.table.read_csv import read_csv
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.read_parquet import read_parquet
from brookfall.core.table.read_sheet import read_sheet
from brookfall.core.table.table import Column, Table

READABLE = (".csv", ".tsv", ".txt", ".xlsx", ".ods", ".parquet")
MAX_COLUMNS = 2_000
MAX_CELLS = 250_000_000
MAX_UNPACKED = 2_000_000_000
"""Bytes that a workbook or a Parquet file may unpack to."""


@dataclass(frozen=True)
class Opened:
    """A file whose columns can be had one by one: their names, how it is read, the sheets there are."""

    names: tuple[str, ...]
    how: HowRead
    columns: Iterator[Column]
    sheets: tuple[str, ...] = field(default=())


@dataclass(frozen=True)
class TableFile:
    """A file read: its table, how it was read, and, of a workbook, the sheets there are."""

    table: Table
    how: HowRead
    sheets: tuple[str, ...] = ()


def read_file(data: bytes, file: str, how: HowRead = HowRead()) -> TableFile:  # noqa: B008 - frozen
    """The table in a file's bytes, read as ``how`` says, and otherwise as the file itself suggests.

    CSV may be separated by commas, semicolons, tabs or bars, in UTF-8, UTF-16 or Windows-1252, with or without a row
    of names; of a workbook one sheet is read, as the values that were saved in it; Parquet is taken as it is.
    Raises UserError with file, row and column for what can't be read without guessing.

    >>> read_file("a;b 1,5;x".replace(" ", chr(10)).encode(), "rows.csv").how.words
    'separated by semicolons, decimal comma, UTF-8, names in the first row'
    """
    suffix = PurePosixPath(file).suffix.lower()
    if suffix not in READABLE:
        raise UserError(
            f"'{suffix}' files can't be read as data.",
            todo=f"Send {', '.join(READABLE[:-1])} or {READABLE[-1]}.",
            file=file,
        )
    if not data[:4096].strip() and not data.strip():
        raise UserError("The file is empty.", todo="Send a file with a header row and data rows.", file=file)
    if suffix == ".parquet":
        names, columns = read_parquet(data, file, how, MAX_UNPACKED)
        opened = Opened(names, HowRead(missing=how.missing, types=how.types), columns)
    elif suffix in (".xlsx", ".ods"):
        names, columns, found, sheets = read_sheet(data, file, how, MAX_UNPACKED)
        opened = Opened(names, found, columns, sheets)
    else:
        names, columns, found = read_csv(data, file, how)
        opened = Opened(names, found, columns)
    _refuse_names(opened.names, file)
    _refuse_unknown_types(opened, file)
    table = Table(tuple(opened.columns))
    if not table.n_rows:
        raise UserError("There is a header but no data row.", todo="Send a file with data rows.", file=file)
    return TableFile(table, opened.how, opened.sheets)


def read_table(data: bytes, file: str, how: HowRead = HowRead()) -> Table:  # noqa: B008 - frozen
    """The table of ``read_file`` alone.

    >>> read_table("a,b 1,x 2,y".replace(" ", chr(10)).encode(), "rows.csv").names
    ('a', 'b')
    """
    return read_file(data, file, how).table


def _refuse_names(names: tuple[str, ...], file: str) -> None:
    if len(names) > MAX_COLUMNS:
        raise UserError(f"The file has {len(names)} columns.", todo=f"Send at most {MAX_COLUMNS}.", file=file, row=1)
    seen: set[str] = set()
    for place, name in enumerate(names):
        if not name:
            raise UserError(f"Column {place + 1} has no name.", todo="Name it in the header.", file=file, row=1)
        if name in seen:
            raise UserError("Two columns have this name.", todo="Give each its own.", file=file, column=name, row=1)
        seen.add(name)


def _refuse_unknown_types(opened: Opened, file: str) -> None:
    for name in opened.how.types:
        if name not in opened.names:
            raise UserError(
                "A kind is named for a column that the file does not have.",
                todo=f"Columns are: {', '.join(opened.names[:40])}.",
                file=file,
                column=name,
            )
