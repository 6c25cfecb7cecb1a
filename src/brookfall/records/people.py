"""People and what they may do."""

from typing import Any

from sqlalchemy import ForeignKey, String
from sqlalchemy.orm import Mapped, mapped_column

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment, Sha, Short


class Person(Base):
    __tablename__ = "person"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    login: Mapped[str] = mapped_column(String(80), unique=True)
    name: Mapped[Short]
    password_hash: Mapped[Short]
    roles: Mapped[list[Any]]
    created: Mapped[Moment]


class Token(Base):
    """By its secret a script acts for a person; only the secret's SHA-256 is kept."""

    __tablename__ = "token"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    name: Mapped[Short]
    sha256: Mapped[Sha] = mapped_column(unique=True)
    created: Mapped[Moment]
    used: Mapped[Moment | None]
    revoked: Mapped[Moment | None]
