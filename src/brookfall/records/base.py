"""The declarative base and the types every table uses."""

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import UTC, datetime
from typing import Annotated, Any

from sqlalchemy import JSON, BigInteger, DateTime, MetaData, String
from sqlalchemy.dialects.mysql import MEDIUMBLOB
from sqlalchemy.orm import DeclarativeBase, mapped_column

Key = Annotated[int, mapped_column(BigInteger, primary_key=True, autoincrement=True)]
Sha = Annotated[str, mapped_column(String(64, collation="ascii_bin"))]
Short = Annotated[str, mapped_column(String(200))]
Bytes = Annotated[bytes, mapped_column(MEDIUMBLOB)]
Moment = Annotated[datetime, mapped_column(DateTime)]


class Base(DeclarativeBase):
    metadata = MetaData(
        naming_convention={
            "ix": "ix_%(column_0_label)s",
            "uq": "uq_%(table_name)s_%(column_0_name)s",
            "fk": "fk_%(table_name)s_%(column_0_name)s",
            "pk": "pk_%(table_name)s",
        }
    )
    type_annotation_map = {dict[str, Any]: JSON, list[Any]: JSON}  # noqa: RUF012 - read by SQLAlchemy


TABLE_OPTIONS = {"mysql_engine": "InnoDB", "mysql_charset": "utf8mb4", "mysql_collate": "utf8mb4_nopad_bin"}


_clock: ContextVar[datetime | None] = ContextVar("clock", default=None)


def now() -> datetime:
    """The present moment in UTC, without zone, to the second: what the database keeps."""
    return (_clock.get() or datetime.now(UTC)).replace(tzinfo=None, microsecond=0)


@contextmanager
def clock_at(moment: datetime) -> Iterator[None]:
    """For whoever makes a past, and for tests: within it is ``moment``, in UTC, in this thread."""
    token = _clock.set(moment)
    try:
        yield
    finally:
        _clock.reset(token)
