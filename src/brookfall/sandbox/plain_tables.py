"""Tables as plain bytes, and back: what a child gives its parent, checked before it is believed."""

from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict

from brookfall.core.table.table import Column, Kind, Table, kept_dtype
from brookfall.sandbox.frames import Buffer


class PlainColumn(BaseModel):
    model_config = ConfigDict(extra="forbid")

    name: str
    kind: Kind
    levels: list[str]


class BrokenAnswerError(Exception):
    """A child gave back what no table is."""


def plain(table: Table) -> tuple[list[dict[str, Any]], list[Buffer]]:
    """The columns as a header has them, and a buffer for each."""
    heads = [{"name": one.name, "kind": one.kind, "levels": list(one.levels)} for one in table.columns]
    return heads, [one.value_bytes() for one in table.columns]


def table_of(heads: list[dict[str, Any]], buffers: list[bytearray]) -> Table:
    """The table that a header and its buffers are.

    Raises
    ------
    BrokenAnswerError
        Columns of different lengths, positions beyond the levels, names that repeat.
    """
    columns = []
    for head, buffer in zip((PlainColumn.model_validate(one) for one in heads), buffers, strict=True):
        dtype = np.dtype(kept_dtype(head.kind))
        if len(buffer) % dtype.itemsize:
            raise BrokenAnswerError(f"{head.name} has {len(buffer)} bytes")
        values = np.frombuffer(buffer, dtype)
        if head.kind != "number" and values.size and not -1 <= values.min() <= values.max() < len(head.levels):
            raise BrokenAnswerError(f"{head.name} has positions beyond its levels")
        columns.append(Column(head.name, head.kind, values, tuple(head.levels)))
    if len({len(one.values) for one in columns}) > 1 or len({one.name for one in columns}) < len(columns):
        raise BrokenAnswerError("columns that don't belong together")
    return Table(tuple(columns))
