"""A case's table in the database: a blob a column, so that a task reads only what it needs."""

import json
from collections.abc import Collection, Mapping, Sequence
from dataclasses import asdict
from functools import lru_cache
from pathlib import Path
from typing import Any, cast

import numpy as np
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from brookfall.core.foundation.parallel_map import together
from brookfall.core.foundation.progress import Progress, untold
from brookfall.core.table.profile import ColumnProfile, profile_column
from brookfall.core.table.table import Column, Kind, Table, kept_dtype
from brookfall.records import blobs
from brookfall.records.cases import Case, DroppedColumn, StoredColumn
from brookfall.records.erasures import refuse_without_rows

ROWS = ""
"""The name of the table of the rows under review; others have the names they were submitted under."""


def put_table(
    session: Session,
    case_id: int,
    table: Table,
    name: str = ROWS,
    version: int = 1,
    descriptions: Mapping[str, str] | None = None,
    progress: Progress = untold,
) -> None:
    """Keeps every column of a version of a table with its profile; equal columns are kept once.

    ``descriptions`` are what came with the data about its columns.
    """
    described = together(profile_column, table.columns)
    for position, (column, profile) in enumerate(zip(table.columns, described, strict=True)):
        progress(f"keeping column {position + 1} of {len(table.columns)}", position / len(table.columns))
        session.add(
            StoredColumn(
                case_id=case_id,
                table_name=name,
                version=version,
                position=position,
                name=column.name,
                kind=column.kind,
                values_sha256=blobs.put(session, column.value_bytes()),
                levels_sha256=blobs.put(session, json.dumps(column.levels, ensure_ascii=False).encode()),
                profile=_kept(profile, (descriptions or {}).get(column.name, "")),
            )
        )


def get_table(
    session: Session, case_id: int, only: Collection[str] | None = None, name: str = ROWS, version: int = 1
) -> Table:
    """A version of a case's table, or the columns of it named in ``only``, in the table's order.

    MissingError where the case's rows were taken away after their term.
    """
    refuse_without_rows(session.get_one(Case, case_id))
    found = stored_columns(session, case_id, name, version)
    return Table(tuple(_column(session, stored) for stored in found if only is None or stored.name in only))


def stored_columns(session: Session, case_id: int, name: str = ROWS, version: int = 1) -> Sequence[StoredColumn]:
    """The columns of a version of a table as they are kept, without their values."""
    place = (StoredColumn.case_id == case_id, StoredColumn.table_name == name, StoredColumn.version == version)
    return session.scalars(select(StoredColumn).where(*place).order_by(StoredColumn.position)).all()


def column_names(session: Session, case_id: int, name: str = ROWS, version: int = 1) -> tuple[str, ...]:
    """The names of the columns of a version of a table, in their order."""
    place = (StoredColumn.case_id == case_id, StoredColumn.table_name == name, StoredColumn.version == version)
    return tuple(session.scalars(select(StoredColumn.name).where(*place).order_by(StoredColumn.position)))


def stored_rows(session: Session, case_id: int) -> int:
    """How many rows were submitted."""
    return int(stored_columns(session, case_id)[0].profile["n"])


def table_names(session: Session, case_id: int) -> list[str]:
    """The names of the tables beside the rows under review."""
    names = select(StoredColumn.table_name).where(StoredColumn.case_id == case_id, StoredColumn.table_name != ROWS)
    return sorted(set(session.scalars(names)))


def drop_table(session: Session, case_id: int, name: str = ROWS, version: int = 1) -> None:
    """Forgets a version of a table. Its bytes stay, as another may share them, and are known as the case's: they go
    when its rows go."""
    place = (StoredColumn.case_id == case_id, StoredColumn.table_name == name, StoredColumn.version == version)
    both = session.execute(select(StoredColumn.values_sha256, StoredColumn.levels_sha256).where(*place))
    known = set(session.scalars(select(DroppedColumn.sha256).where(DroppedColumn.case_id == case_id)))
    new = sorted({sha256 for one in both for sha256 in one} - known)
    session.add_all(DroppedColumn(case_id=case_id, sha256=sha256) for sha256 in new)
    session.execute(delete(StoredColumn).where(*place))


def _kept(profile: ColumnProfile, description: str) -> dict[str, Any]:
    return {**asdict(profile), "words": profile.words, "description": description}


def _column(session: Session, stored: StoredColumn) -> Column:
    """The column with its values where they lie: only what is looked at is read from the disk."""
    file, dtype = blobs.local(session, stored.values_sha256), kept_dtype(stored.kind)
    levels = _levels(blobs.local(session, stored.levels_sha256))
    # An empty file can't be mapped.
    values: np.ndarray[Any, Any] = np.memmap(file, dtype, "r") if file.stat().st_size else np.empty(0, dtype)
    return Column(stored.name, cast("Kind", stored.kind), np.asarray(values), levels)


@lru_cache(maxsize=32)
def _levels(file: Path) -> tuple[str, ...]:
    """What a file of the cache says; its name is the hash of its content."""
    return tuple(json.loads(file.read_bytes()))
