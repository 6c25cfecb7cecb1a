"""People and what they may do."""

from typing import Any

from sqlalchemy import String
from sqlalchemy.orm import Mapped, mapped_column

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment, Short


class Person(Base):
    __tablename__ = "person"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    login: Mapped[str] = mapped_column(String(80), unique=True)
    name: Mapped[Short]
    password_hash: Mapped[Short]
    roles: Mapped[list[Any]]
    created: Mapped[Moment]
