"""The declarative base and the types every table uses."""

from datetime import datetime
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
