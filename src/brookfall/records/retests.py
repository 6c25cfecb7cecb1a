"""Retests of findings: the exhibits that a finding cites, run again on the version said to mend it."""

from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, Text
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment
from brookfall.records.cases import Case
from brookfall.records.people import Person


class Retest(Base):
    """A retest that somebody asked for. state: waiting, leased, done, failed, cancelled.

    ``run_id`` is the run whose exhibits are retested, ``checks`` theirs by number; ``on_case_id`` the case of the
    version that is tested. ``said`` is what came of it in words, ``result`` the figures, ``evidence_sha256`` the
    evidence file that it can be computed from again; ``entry_id`` where it stands among what was said of the finding.
    """

    __tablename__ = "retest"
    __table_args__ = (Index("ix_retest_state", "state", "lease_until"), TABLE_OPTIONS)

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    finding_id: Mapped[int] = mapped_column(ForeignKey("finding.id"))
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id"))
    on_case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    checks: Mapped[dict[str, Any]] = mapped_column(JSON)
    by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    asked: Mapped[Moment]
    finished: Mapped[Moment | None]
    state: Mapped[str] = mapped_column(String(20))
    lease_until: Mapped[Moment | None]
    worker: Mapped[str | None] = mapped_column(String(80))
    attempts: Mapped[int]
    done: Mapped[int]
    needed: Mapped[int]
    said: Mapped[str] = mapped_column(Text)
    result: Mapped[dict[str, Any] | None] = mapped_column(JSON)
    evidence_sha256: Mapped[str | None] = mapped_column(
        String(64, collation="ascii_bin"), ForeignKey("blob.sha256"), index=True
    )
    entry_id: Mapped[int | None] = mapped_column(ForeignKey("finding_entry.id"))

    case: Mapped[Case] = relationship(foreign_keys=[case_id])
    on_case: Mapped[Case] = relationship(foreign_keys=[on_case_id])
    by: Mapped[Person] = relationship(foreign_keys=[by_id])
