"""Files of new rows that somebody had scored by models of a case."""

from typing import Any

from sqlalchemy import JSON, Double, ForeignKey, Index, String, Text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment, Sha
from brookfall.records.cases import Case
from brookfall.records.people import Person

_BLOB = String(64, collation="ascii_bin")


class Scoring(Base):
    """New rows to be scored. state: waiting, leased, done, failed, cancelled.

    ``number`` counts those of a case; ``layout`` is the content of roles and rows that the models learned from;
    ``models`` are asked, in this order. ``done`` of ``needed`` is how far it is, ``doing`` what goes on; ``said`` what
    came of it in a sentence, ``result`` the rest that is told, ``table_sha256`` the scored rows as Parquet.
    """

    __tablename__ = "scoring"
    __table_args__ = (
        Index("ix_scoring_state", "state", "lease_until"),
        Index("uq_scoring_number", "case_id", "number", unique=True),
        TABLE_OPTIONS,
    )

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    number: Mapped[int]
    by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    file: Mapped[str] = mapped_column(String(500))
    file_sha256: Mapped[str] = mapped_column(_BLOB, ForeignKey("blob.sha256"), index=True)
    layout: Mapped[Sha]
    models: Mapped[list[Any]] = mapped_column(JSON)
    coverage: Mapped[float] = mapped_column(Double)
    seed: Mapped[int]
    asked: Mapped[Moment]
    finished: Mapped[Moment | None]
    state: Mapped[str] = mapped_column(String(20))
    lease_until: Mapped[Moment | None]
    worker: Mapped[str | None] = mapped_column(String(80))
    attempts: Mapped[int]
    done: Mapped[int]
    needed: Mapped[int]
    doing: Mapped[str] = mapped_column(String(500))
    said: Mapped[str] = mapped_column(Text)
    result: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    table_sha256: Mapped[str | None] = mapped_column(_BLOB, ForeignKey("blob.sha256"), index=True)

    case: Mapped[Case] = relationship()
    by: Mapped[Person] = relationship()
