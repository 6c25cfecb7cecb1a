"""Runs, the fits they wait for, and what was read from them. The database is the truth; messages carry ids only."""

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index, String, Text, UniqueConstraint
from sqlalchemy.dialects.mysql import DATETIME
from sqlalchemy.orm import Mapped, mapped_column

from brookfall.records.base import TABLE_OPTIONS, Base, Bytes, Key, Moment, Sha


class Run(Base):
    """state: running, done, cancelled."""

    __tablename__ = "run"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    state: Mapped[str] = mapped_column(String(20), index=True)
    by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    started: Mapped[Moment]
    laid_out: Mapped[Moment | None] = mapped_column(doc="when a worker entered its fits")
    finished: Mapped[Moment | None]
    label_marks: Mapped[list[Any]] = mapped_column(server_default="[]", doc="of the case, as the run began")
    served: Mapped[datetime | None] = mapped_column(DATETIME(fsp=6), doc="when a worker last began a turn at it")


class RunCheck(Base):
    """A check of a run and the fits it waits for. state: waiting, leased, done, cancelled."""

    __tablename__ = "run_check"
    __table_args__ = (UniqueConstraint("run_id", "number", name="uq_run_check_number"), TABLE_OPTIONS)

    id: Mapped[Key]
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id"))
    number: Mapped[int]
    name: Mapped[str] = mapped_column(String(40))
    content: Mapped[Sha] = mapped_column(server_default="", doc="names what the exhibit is of; equal, equal exhibit")
    fits: Mapped[list[Any]]
    state: Mapped[str] = mapped_column(String(20))
    lease_until: Mapped[Moment | None]
    attempts: Mapped[int]


class Fit(Base):
    """A fit of the ledger by its content. state: waiting, leased, done, failed."""

    __tablename__ = "fit"
    __table_args__ = (Index("ix_fit_state", "state", "lease_until"), TABLE_OPTIONS)

    key: Mapped[Sha] = mapped_column(primary_key=True)
    content: Mapped[dict[str, Any]]
    state: Mapped[str] = mapped_column(String(20))
    lease_until: Mapped[Moment | None]
    worker: Mapped[str | None] = mapped_column(String(80))
    attempts: Mapped[int]
    seconds: Mapped[float]
    failure: Mapped[str | None] = mapped_column(Text)
    warnings: Mapped[list[Any]] = mapped_column(server_default="[]")


class Trial(Base):
    """Two small fits of a kind, and how long each took; by everything that changes that but rows and seed."""

    __tablename__ = "trial"
    __table_args__ = TABLE_OPTIONS

    key: Mapped[Sha] = mapped_column(primary_key=True)
    small_rows: Mapped[int]
    small_seconds: Mapped[float]
    large_rows: Mapped[int]
    large_seconds: Mapped[float]
    failure: Mapped[str | None] = mapped_column(Text)


class RunFit(Base):
    """Which fits a run waits for."""

    __tablename__ = "run_fit"
    __table_args__ = TABLE_OPTIONS

    run_id: Mapped[int] = mapped_column(ForeignKey("run.id"), primary_key=True)
    fit_key: Mapped[Sha] = mapped_column(ForeignKey("fit.key"), primary_key=True)
    place: Mapped[int] = mapped_column(server_default="0", doc="in the order in which the run's fits are made")
    seconds: Mapped[float] = mapped_column(server_default="0", doc="about how long it takes; 0 if made before the run")


class Reading(Base):
    """What was read from a fit: float64 little-endian."""

    __tablename__ = "reading"
    __table_args__ = TABLE_OPTIONS

    fit_key: Mapped[Sha] = mapped_column(ForeignKey("fit.key"), primary_key=True)
    key: Mapped[str] = mapped_column(String(80, collation="ascii_bin"), primary_key=True)
    data: Mapped[Bytes]


class Replay(Base):
    """A replay of an exhibit that somebody asked for. state: waiting, leased, done, failed, cancelled.

    ``outcome`` is same, near or other; ``said`` is what came of it in words; ``differences`` are lines of text.
    """

    __tablename__ = "replay"
    __table_args__ = (Index("ix_replay_state", "state", "lease_until"), TABLE_OPTIONS)

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id"))
    number: Mapped[int]
    by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    asked: Mapped[Moment]
    finished: Mapped[Moment | None]
    state: Mapped[str] = mapped_column(String(20))
    lease_until: Mapped[Moment | None]
    worker: Mapped[str | None] = mapped_column(String(80))
    attempts: Mapped[int]
    done: Mapped[int]
    needed: Mapped[int]
    outcome: Mapped[str | None] = mapped_column(String(20))
    said: Mapped[str] = mapped_column(Text)
    differences: Mapped[list[Any]]
