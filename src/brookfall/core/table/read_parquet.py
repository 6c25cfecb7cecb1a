"""Columns from a Parquet file, typed as they are there."""

import io
from collections.abc import Iterator

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq

from brookfall.core.foundation.errors import UserError
from brookfall.core.table.infer import EXACT, column_from_text, finite_numbers, looks_like_number
from brookfall.core.table.read_options import HowRead
from brookfall.core.table.table import Column


def read_parquet(data: bytes, file: str, how: HowRead, max_unpacked: int) -> tuple[tuple[str, ...], Iterator[Column]]:
    """The names, and the columns one by one; UserError for what is no Parquet, too large, or nested."""
    try:
        opened = pq.ParquetFile(io.BytesIO(data))
    except (pa.ArrowException, OSError) as problem:
        raise UserError("This is not a Parquet file.", todo="Write it again as Parquet or CSV.", file=file) from problem
    meta = opened.metadata
    unpacked = sum(meta.row_group(i).total_byte_size for i in range(meta.num_row_groups))
    if max(unpacked, 8 * meta.num_rows * meta.num_columns) > max_unpacked:
        raise UserError(
            f"The file unpacks to more than {max_unpacked / 1e9:g} GB.", todo="Send fewer rows or columns.", file=file
        )
    schema = opened.schema_arrow
    for name, kind in zip(schema.names, schema.types, strict=True):
        if pa.types.is_nested(kind):
            raise UserError(
                f"The column holds values of kind {kind}, which is no single value a row.",
                todo="Write it as plain columns.",
                file=file,
                column=name,
            )
    names = tuple(str(name).strip() for name in schema.names)
    return names, (_column(opened, place, name, file, how) for place, name in enumerate(names))


def _column(opened: pq.ParquetFile, place: int, name: str, file: str, how: HowRead) -> Column:
    try:
        cells = opened.read(columns=[opened.schema_arrow.names[place]]).column(0)
    except (pa.ArrowException, OSError) as problem:
        raise UserError(
            f"The column is damaged ({str(problem).splitlines()[0]}).", todo="Write the file again.", file=file,
            column=name,
        ) from problem  # fmt: skip
    kind = cells.type
    if pa.types.is_dictionary(kind):
        cells = pc.cast(cells, kind.value_type)
        kind = cells.type
    if _is_number(kind) and name not in how.types and _exact(cells):
        return _numbers(cells, name, file, how)
    return column_from_text(name, _as_text(cells), how, file, 1)


def _is_number(kind: pa.DataType) -> bool:
    return pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind)


def _exact(cells: pa.ChunkedArray) -> bool:
    """Whether float64 tells all values apart; whole numbers of identifiers may be too long for it."""
    if not pa.types.is_integer(cells.type) or len(cells) == cells.null_count:
        return True
    ends = pc.min_max(cells).as_py()
    return max(abs(ends["min"]), abs(ends["max"])) < EXACT


def _numbers(cells: pa.ChunkedArray, name: str, file: str, how: HowRead) -> Column:
    values = pc.cast(cells, pa.float64()).to_numpy().astype(np.float64)
    gaps = [float(word) for word in how.words_for_missing if looks_like_number(word)]
    values[np.isin(values, gaps)] = np.nan
    return finite_numbers(name, values, file, 1)


def _as_text(cells: pa.ChunkedArray) -> pa.ChunkedArray:
    kind = cells.type
    if pa.types.is_timestamp(kind):
        days = pc.strftime(cells, format="%Y-%m-%dT%H:%M:%S")
        return pc.replace_substring_regex(days, r"[.]0+$", "")
    if pa.types.is_binary(kind) or pa.types.is_large_binary(kind):
        return pc.binary_join_element_wise(pc.cast(cells, pa.string()), "", "")
    return pc.cast(cells, pa.string())
