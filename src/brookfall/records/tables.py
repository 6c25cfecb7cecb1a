"""A case's table in the database: a blob a column, so that a task reads only what it needs."""

import json
from collections.abc import Collection
from dataclasses import asdict
from functools import lru_cache
from typing import Any, cast

import numpy as np
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.table.profile import profile_column
from brookfall.core.table.table import Column, Kind, Table
from brookfall.records import blobs
from brookfall.records.cases import StoredColumn


def put_table(session: Session, case_id: int, table: Table) -> None:
    """Keeps every column of the table with its profile."""
    for position, column in enumerate(table.columns):
        session.add(
            StoredColumn(
                case_id=case_id,
                position=position,
                name=column.name,
                kind=column.kind,
                values_sha256=blobs.put(session, np.ascontiguousarray(column.values, _dtype(column.kind)).tobytes()),
                levels_sha256=blobs.put(session, json.dumps(column.levels, ensure_ascii=False).encode()),
                profile={**asdict(profile_column(column)), "words": profile_column(column).words},
            )
        )


def get_table(session: Session, case_id: int, only: Collection[str] | None = None) -> Table:
    """The case's table, or the columns named in ``only``, in the table's order."""
    found = session.scalars(select(StoredColumn).where(StoredColumn.case_id == case_id).order_by(StoredColumn.position))
    return Table(tuple(_column(session, stored) for stored in found if only is None or stored.name in only))


def _column(session: Session, stored: StoredColumn) -> Column:
    values = blobs.get(session, stored.values_sha256)
    levels = blobs.get(session, stored.levels_sha256)
    return _decoded(stored.name, stored.kind, values, levels)


@lru_cache(maxsize=512)
def _decoded(name: str, kind: str, values: bytes, levels: bytes) -> Column:
    array: np.ndarray[Any, Any] = np.frombuffer(values, _dtype(kind))
    return Column(name, cast("Kind", kind), array, tuple(json.loads(levels)))


def _dtype(kind: str) -> str:
    return "<f8" if kind == "number" else "<i4"
