"""Tables from the bytes of a CSV or Parquet file, or a message saying which row is at fault."""

import csv
import io
from pathlib import PurePosixPath

import pandas as pd
import pyarrow as pa
import pyarrow.csv as pacsv
import pyarrow.parquet as pq

from brookfall.core.errors import UserError
from brookfall.core.table.infer import column_from_text
from brookfall.core.table.table import Table

READABLE = (".csv", ".parquet")


def read_table(data: bytes, file: str) -> Table:
    """The table in a file's bytes.

    CSV is UTF-8 (a byte-order mark is allowed), comma-separated, with one header row; Parquet as it is.
    Raises UserError with file, row and column for an empty, ragged, wrongly encoded or header-only file.

    >>> read_table("a,b 1,x 2,y".replace(" ", chr(10)).encode(), "rows.csv").names
    ('a', 'b')
    """
    suffix = PurePosixPath(file).suffix.lower()
    if suffix not in READABLE:
        raise UserError(f"'{suffix}' files can't be read as data.", todo=f"Send {' or '.join(READABLE)}.", file=file)
    if not data.strip():
        raise UserError("The file is empty.", todo="Send a file with a header row and data rows.", file=file)
    frame = _from_parquet(data, file) if suffix == ".parquet" else _from_csv(data, file)
    if not len(frame):
        raise UserError("There is a header but no data row.", todo="Send a file with data rows.", file=file)
    return Table(tuple(column_from_text(str(name), frame[name]) for name in frame.columns))


def _from_parquet(data: bytes, file: str) -> pd.DataFrame:
    try:
        frame = pq.read_table(io.BytesIO(data)).to_pandas()
    except (pa.ArrowException, OSError) as problem:
        raise UserError("This is not a Parquet file.", todo="Write it again as Parquet or CSV.", file=file) from problem
    _refuse_repeated_names([str(name) for name in frame.columns], file)
    return frame.astype("string").fillna("").astype(object)


def _from_csv(data: bytes, file: str) -> pd.DataFrame:
    text = _decode(data, file)
    header = _checked_header(text, file)
    try:
        return _parsed(text, header).to_pandas()
    except pa.ArrowException as problem:
        raise UserError(
            f"The file can't be read as CSV ({str(problem).splitlines()[0]}).", todo="Write it again as CSV.", file=file
        ) from problem


def _parsed(text: str, header: list[str]) -> pa.Table:
    return pacsv.read_csv(
        io.BytesIO(text.encode()),
        parse_options=pacsv.ParseOptions(newlines_in_values=True),
        convert_options=pacsv.ConvertOptions(
            column_types=dict.fromkeys(header, pa.string()), strings_can_be_null=False
        ),
    )


def _decode(data: bytes, file: str) -> str:
    try:
        return data.decode("utf-8-sig")
    except UnicodeDecodeError as problem:
        row = data.count(b"\n", 0, problem.start) + 1
        raise UserError(
            f"The text is not UTF-8: byte {data[problem.start]:#04x} can't be read.",
            todo="Save the file again as UTF-8.",
            file=file,
            row=row,
        ) from problem


def _refuse_repeated_names(names: list[str], file: str) -> None:
    for place, name in enumerate(names):
        if not name.strip():
            raise UserError(f"Column {place + 1} has no name.", todo="Name it in the header.", file=file, row=1)
        if name in names[:place]:
            raise UserError("Two columns have this name.", todo="Give each its own.", file=file, column=name, row=1)


def _checked_header(text: str, file: str) -> list[str]:
    """The names in the first row, after every row was found to have a cell for each."""
    reader = csv.reader(io.StringIO(text, newline=""), strict=True)
    try:
        header = next(reader, [])
        _refuse_repeated_names(header, file)
        for cells in reader:
            if cells and len(cells) != len(header):
                raise UserError(
                    f"The row has {len(cells)} cells and the header has {len(header)}.",
                    todo="Give every row a cell for each column, and quote cells that contain commas.",
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
    return header
