"""Renditions: the report as pages, made by a worker; and the charts that were drawn for it, kept by their content."""

import json
import zlib
from collections.abc import Iterable, Sequence
from contextlib import suppress
from typing import Any

from sqlalchemy import JSON, ForeignKey, Index, String, Text, delete, or_, select
from sqlalchemy.dialects.mysql import insert
from sqlalchemy.exc import IntegrityError
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from brookfall.records.base import TABLE_OPTIONS, Base, Bytes, Key, Moment, Sha
from brookfall.records.cases import Blob, BlobChunk
from brookfall.records.findings_and_decisions import Decision


class Rendition(Base):
    """A report that was asked for. state: waiting, leased, done, failed.

    ``decision_id`` is None of a draft. ``content`` names what it is of: a draft of another content than the case has
    now is out of date. ``ordered`` is what was asked for, ``form`` how it is made therefore,
    and ``evidence_sha256`` the evidence file that it was made from.
    """

    __tablename__ = "rendition"
    __table_args__ = (
        Index("ix_rendition_state", "state", "lease_until"),
        Index("ix_rendition_case", "case_id", "id"),
        TABLE_OPTIONS,
    )

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    decision_id: Mapped[int | None] = mapped_column(ForeignKey("decision.id"))
    content: Mapped[Sha]
    ordered: Mapped[dict[str, Any]] = mapped_column(JSON)
    form: Mapped[dict[str, Any]] = mapped_column(JSON)
    asked: Mapped[Moment]
    finished: Mapped[Moment | None]
    state: Mapped[str] = mapped_column(String(20))
    lease_until: Mapped[Moment | None]
    worker: Mapped[str | None] = mapped_column(String(80))
    attempts: Mapped[int]
    done: Mapped[int]
    needed: Mapped[int]
    said: Mapped[str] = mapped_column(Text)
    evidence_sha256: Mapped[str | None] = mapped_column(
        String(64, collation="ascii_bin"), ForeignKey("blob.sha256"), index=True
    )
    html_sha256: Mapped[str | None] = mapped_column(
        String(64, collation="ascii_bin"), ForeignKey("blob.sha256"), index=True
    )
    pdf_sha256: Mapped[str | None] = mapped_column(
        String(64, collation="ascii_bin"), ForeignKey("blob.sha256"), index=True
    )

    decision: Mapped[Decision | None] = relationship()


class Drawing(Base):
    """The charts of an exhibit as the report shows them, by the hash of the exhibit's content and of what draws it."""

    __tablename__ = "drawing"
    __table_args__ = TABLE_OPTIONS

    key: Mapped[Sha] = mapped_column(primary_key=True)
    data: Mapped[Bytes]
    made: Mapped[Moment]


def renditions_of(session: Session, case_id: int) -> Sequence[Rendition]:
    """Every rendition of a case, the newest first."""
    return session.scalars(select(Rendition).where(Rendition.case_id == case_id).order_by(Rendition.id.desc())).all()


def get_drawings(session: Session, keys: Iterable[str]) -> dict[str, list[str]]:
    """The drawn charts of those keys that are there."""
    rows = session.execute(select(Drawing.key, Drawing.data).where(Drawing.key.in_(list(keys))))
    return {key: json.loads(zlib.decompress(data)) for key, data in rows}


def drawings_there(session: Session, keys: Iterable[str]) -> set[str]:
    """Which of these keys have been drawn."""
    return set(session.scalars(select(Drawing.key).where(Drawing.key.in_(list(keys)))))


def put_drawing(session: Session, key: str, charts: list[str], moment: object) -> None:
    """Keeps the charts of a key; those that are there stay, as they are the same."""
    data = zlib.compress(json.dumps(charts).encode())
    session.execute(insert(Drawing).values(key=key, data=data, made=moment).prefix_with("IGNORE"))


def drop_earlier_drafts(session: Session, newest: Rendition) -> None:
    """Takes away drafts of what the case was before, and failed ones, with their pages: a draft can be made anew."""
    earlier = select(Rendition).where(
        Rendition.case_id == newest.case_id,
        Rendition.id < newest.id,
        Rendition.decision_id.is_(None),
        or_(Rendition.content != newest.content, Rendition.state == "failed"),
        Rendition.state.in_(("done", "failed")),
    )
    for old in session.scalars(earlier.with_for_update(skip_locked=True)).all():
        pages = {old.html_sha256, old.pdf_sha256} - {None, newest.html_sha256, newest.pdf_sha256}
        session.delete(old)
        session.flush()
        for name in pages:
            # Somebody may have sent the very pages as a file of their own; then they stay.
            with suppress(IntegrityError), session.begin_nested():
                session.execute(delete(BlobChunk).where(BlobChunk.sha256 == name))
                session.execute(delete(Blob).where(Blob.sha256 == name))
