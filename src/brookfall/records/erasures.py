"""Rows that were taken away after their term: who asked and who agreed, which bytes, and how their place is kept.

Of a file or a column the SHA-256 and the size stay, in ``blob``; its bytes go, from the database here and from every
machine's cache. Bytes that another case has too stay until its own rows are taken away.
"""

from collections.abc import Iterator, Sequence
from typing import Any

from sqlalchemy import BigInteger, ForeignKey, String, Text, delete, exists, func, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from brookfall.core.foundation.errors import MissingError
from brookfall.records.approvals import ConditionFile
from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment
from brookfall.records.cases import Blob, BlobChunk, Case, DroppedColumn, KeptLook, StoredColumn, SubmittedFile
from brookfall.records.clock import now
from brookfall.records.disk_cache import cached_file
from brookfall.records.findings_and_decisions import Decision, FindingFile, StatementFile
from brookfall.records.people import Person
from brookfall.records.policies import PolicyVersion
from brookfall.records.questions import OwnerQuestionFile
from brookfall.records.renditions import Rendition
from brookfall.records.retests import Retest
from brookfall.records.runs import Reading, Run, RunFit
from brookfall.records.scorings import Scoring

PROPOSED, AGREED = "proposed to take rows away", "agreed to take rows away"
"""The acts of two people; the entry of the second names what is missing from then on."""

_AT_ONCE = 200
_FEW = 10
"""Rows of a level under which it is not said any more which level it was."""


class Erasure(Base):
    """The rows of a decided case, to be taken away. state: proposed, declined, agreed, done.

    ``files`` are the paths with their SHA-256, ``columns`` the SHA-256 of stored columns and of their levels. ``done``
    counts those of both that were seen to, ``shared`` those that another case has, whose bytes stay.
    """

    __tablename__ = "erasure"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    state: Mapped[str] = mapped_column(String(20))
    reason: Mapped[str] = mapped_column(Text)
    proposed_by: Mapped[int] = mapped_column(ForeignKey("person.id"))
    proposed: Mapped[Moment]
    answered_by: Mapped[int | None] = mapped_column(ForeignKey("person.id"))
    answered: Mapped[Moment | None]
    comment: Mapped[str] = mapped_column(Text)
    finished: Mapped[Moment | None]
    files: Mapped[dict[str, Any]]
    columns: Mapped[list[Any]]
    done: Mapped[int]
    shared: Mapped[int]
    freed: Mapped[int] = mapped_column(BigInteger, doc="bytes that are gone")

    case: Mapped[Case] = relationship()
    proposer: Mapped[Person] = relationship(foreign_keys=[proposed_by])
    answerer: Mapped[Person | None] = relationship(foreign_keys=[answered_by])

    @property
    def names(self) -> list[str]:
        """What is to go, each once, in one order."""
        return sorted({*self.files.values(), *self.columns})


def refuse_without_rows(case: Case) -> None:
    """MissingError where the case's rows were taken away."""
    if case.rows_taken is not None:
        raise MissingError(
            f"The rows of {case.model} {case.version} were taken away on {case.rows_taken:%-d %b %Y}.",
            todo="Figures, findings and what was signed are here still; the record says who agreed, and why.",
        )


def columns_of(session: Session, case_id: int) -> list[str]:
    """The SHA-256 of every column of a case and of its levels, of every version and table that it has or had once;
    each once."""
    found = select(StoredColumn.values_sha256, StoredColumn.levels_sha256).where(StoredColumn.case_id == case_id)
    dropped = session.scalars(select(DroppedColumn.sha256).where(DroppedColumn.case_id == case_id))
    return sorted({*dropped, *(name for both in session.execute(found) for name in both)})


def erase(session: Session, name: str) -> int | None:
    """Takes the bytes of that hash away; gives how many, or None where something else rests on them.

    The blob's row is locked until the commit: who is about to keep the same bytes for another case has locked it
    before, or waits and finds them gone.
    """
    blob = session.get(Blob, name, with_for_update=True)
    if blob is None or blob.erased is not None:
        return 0
    if _is_used(session, name):
        return None
    session.execute(delete(BlobChunk).where(BlobChunk.sha256 == name))
    blob.erased = now()
    return blob.size


def _is_used(session: Session, name: str) -> bool:
    """Whether a case that has its rows, or anything that was written or signed, rests on these bytes."""
    has_rows = Case.rows_taken.is_(None)
    uses = (
        exists().where(SubmittedFile.sha256 == name, SubmittedFile.case_id == Case.id, has_rows),
        exists().where(StoredColumn.values_sha256 == name, StoredColumn.case_id == Case.id, has_rows),
        exists().where(StoredColumn.levels_sha256 == name, StoredColumn.case_id == Case.id, has_rows),
        exists().where(func.json_search(Case.added, "one", name).is_not(None), has_rows),
        exists().where(
            (Scoring.file_sha256 == name) | (Scoring.table_sha256 == name), Scoring.case_id == Case.id, has_rows
        ),
        exists().where(StatementFile.sha256 == name),
        exists().where(FindingFile.sha256 == name),
        exists().where(ConditionFile.sha256 == name),
        exists().where(OwnerQuestionFile.sha256 == name),
        exists().where(Retest.evidence_sha256 == name),
        exists().where(Decision.statement_sha256 == name),
        exists().where(PolicyVersion.text_sha256 == name),
        exists().where(
            (Rendition.evidence_sha256 == name) | (Rendition.html_sha256 == name) | (Rendition.pdf_sha256 == name)
        ),
    )
    return any(session.scalar(select(use)) for use in uses)


def readings_to_erase(session: Session, case_id: int) -> Iterator[list[str]]:
    """The fits of a case whose readings no case with rows has a part in, some at a time: scores of rows are rows."""
    of_case = select(RunFit.fit_key).join(Run, Run.id == RunFit.run_id).where(Run.case_id == case_id)
    of_others = (
        select(RunFit.fit_key)
        .join(Run, Run.id == RunFit.run_id)
        .join(Case, Case.id == Run.case_id)
        .where(Case.rows_taken.is_(None))
    )
    keys = sorted(set(session.scalars(of_case)) - set(session.scalars(of_others.where(RunFit.fit_key.in_(of_case)))))
    yield from (keys[start : start + _AT_ONCE] for start in range(0, len(keys), _AT_ONCE))


def erase_readings(session: Session, fit_keys: Sequence[str]) -> None:
    """Takes away what was read from these fits; whoever needs it fits again."""
    session.execute(delete(Reading).where(Reading.fit_key.in_(fit_keys)))


def erase_looks(session: Session, case_id: int) -> None:
    """Takes away what was seen when looking at a case's table, and the levels of columns that few rows have: a level
    may be a name; so too what new rows were."""
    session.execute(delete(KeptLook).where(KeptLook.case_id == case_id))
    for column in session.scalars(select(StoredColumn).where(StoredColumn.case_id == case_id)):
        if column.kind != "number":
            bars = [bar for bar in column.profile["bars"] if bar["count"] >= _FEW]
            column.profile = {**column.profile, "bars": bars}
    # How a file of new rows was matched quotes cells of it.
    for scoring in session.scalars(select(Scoring).where(Scoring.case_id == case_id)):
        if scoring.result:
            scoring.result = {**scoring.result, "method": [], "series": {}, "charts": []}


def erasures_of(session: Session, case_ids: Sequence[int]) -> dict[int, Erasure]:
    """The newest erasure of each of these cases that has one."""
    found = session.scalars(select(Erasure).where(Erasure.case_id.in_(case_ids)).order_by(Erasure.id))
    return {one.case_id: one for one in found}


def seen_to(session: Session) -> int:
    """How many blobs erasures have seen to: while it stays the same, a machine's cache has nothing more to drop."""
    return int(session.scalar(select(func.sum(Erasure.done))) or 0)


def drop_from_cache(session: Session) -> None:
    """Takes this machine's own copies of what was erased away."""
    for name in session.scalars(select(Blob.sha256).where(Blob.erased.is_not(None))):
        cached_file(name).unlink(missing_ok=True)
