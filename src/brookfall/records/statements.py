"""Statements as they are kept."""

from collections.abc import Sequence

from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.evidence.limit import Standing
from brookfall.core.evidence.statement import AttachedFile, Statement
from brookfall.records.findings_and_decisions import WrittenStatement


def statements_of_case(session: Session, case_id: int) -> Sequence[WrittenStatement]:
    """Every statement of a case by number, withdrawn ones too."""
    query = select(WrittenStatement).where(WrittenStatement.case_id == case_id).order_by(WrittenStatement.number)
    return session.scalars(query).all()


def that_stand(written: Sequence[WrittenStatement]) -> list[WrittenStatement]:
    """Those that nobody withdrew."""
    return [one for one in written if not one.withdrawn]


def as_evidence(written: Sequence[WrittenStatement]) -> tuple[Statement, ...]:
    """The statements that are not withdrawn, as evidence file and report have them."""
    return tuple(
        Statement(
            number=one.number,
            name=one.name,
            question=one.question,
            title=one.title,
            asks=one.asks,
            judgement=one.judgement,
            standing=Standing(one.standing),
            reason=one.reason,
            files=tuple(AttachedFile(path=file.path, size=file.blob.size, sha256=file.sha256) for file in one.files),
            by=one.author.name,
            written=one.changed,
        )
        for one in that_stand(written)
    )
