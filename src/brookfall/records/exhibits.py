"""Exhibits in and out of the database: head, tidy estimates, compressed series."""

import json
import zlib
from collections.abc import Sequence

from sqlalchemy import delete, insert, literal, select
from sqlalchemy.orm import Session, defer

from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.evidence.revisions import read_exhibit
from brookfall.records.clock import now
from brookfall.records.findings_and_decisions import StoredEstimate, StoredExhibit, StoredSeries

_OWN_COLUMNS = ("measure", "model", "part", "value", "low", "high", "level", "n", "method", "standing", "verdict")

LARGE = (StoredExhibit.charts, StoredExhibit.tables, StoredExhibit.provenance)
"""What an index of exhibits does without."""


def put_exhibit(session: Session, case_id: int, run_id: int, exhibit: Exhibit) -> None:
    """Keeps an exhibit; one of the same run and number is replaced, so a check evaluated twice leaves one."""
    old = session.scalar(
        select(StoredExhibit).where(StoredExhibit.run_id == run_id, StoredExhibit.number == exhibit.number)
    )
    if old is not None:
        session.execute(delete(StoredEstimate).where(StoredEstimate.exhibit_id == old.id))
        session.execute(delete(StoredSeries).where(StoredSeries.exhibit_id == old.id))
        session.delete(old)
        session.flush()
    data = exhibit.model_dump(mode="json", by_alias=True)
    head = StoredExhibit(
        case_id=case_id,
        run_id=run_id,
        number=exhibit.number,
        name=exhibit.check,
        title=exhibit.title,
        question=exhibit.question,
        state=exhibit.state,
        standing=exhibit.standing,
        open=exhibit.open,
        answer="\n".join((exhibit.answer, *exhibit.lines)),
        charts=data["charts"],
        tables=data["tables"],
        provenance=data["provenance"],
        created=now(),
    )
    session.add(head)
    session.flush()
    for position, estimate in enumerate(data["estimates"]):
        labels = {name: value for name, value in estimate.items() if name not in _OWN_COLUMNS}
        own = {name: estimate[name] for name in _OWN_COLUMNS}
        session.add(StoredEstimate(exhibit_id=head.id, position=position, labels=labels, **own))
    for name, columns in exhibit.series.items():
        packed = zlib.compress(json.dumps(columns).encode())
        session.add(StoredSeries(exhibit_id=head.id, name=name, data=packed))


def copy_exhibit(session: Session, head: StoredExhibit, run_id: int, number: int) -> None:
    """The same exhibit in another run, bit for bit, under the number it has there."""
    names = [column.key for column in StoredExhibit.__table__.columns if column.key not in ("id", "run_id", "number")]
    made = StoredExhibit(run_id=run_id, number=number, **{name: getattr(head, name) for name in names})
    session.add(made)
    session.flush()
    for table in (StoredEstimate, StoredSeries):
        columns = [column for column in table.__table__.columns if column.key != "exhibit_id"]
        rows = select(literal(made.id), *columns).where(table.exhibit_id == head.id)
        session.execute(insert(table).from_select(["exhibit_id", *(column.key for column in columns)], rows))


def get_exhibits(session: Session, run_id: int, number: int | None = None, check: str | None = None) -> list[Exhibit]:
    """The run's exhibits so far, whole, by number; or just the one of that number, or of that check."""
    wanted = select(StoredExhibit).where(StoredExhibit.run_id == run_id).order_by(StoredExhibit.number)
    if number is not None:
        wanted = wanted.where(StoredExhibit.number == number)
    if check is not None:
        wanted = wanted.where(StoredExhibit.name == check)
    heads = session.scalars(wanted).all()
    ids = [head.id for head in heads]
    estimates: dict[int, list[dict[str, object]]] = {key: [] for key in ids}
    query = select(StoredEstimate).where(StoredEstimate.exhibit_id.in_(ids))
    for row in session.scalars(query.order_by(StoredEstimate.exhibit_id, StoredEstimate.position)):
        own = {name: getattr(row, name) for name in _OWN_COLUMNS}
        estimates[row.exhibit_id].append({**row.labels, **own})
    series: dict[int, dict[str, dict[str, list[float | None]]]] = {key: {} for key in ids}
    for stored in session.scalars(select(StoredSeries).where(StoredSeries.exhibit_id.in_(ids))):
        series[stored.exhibit_id][stored.name] = json.loads(zlib.decompress(stored.data))
    return [_exhibit(head, estimates[head.id], series[head.id]) for head in heads]


def heads_of(session: Session, run_id: int) -> Sequence[StoredExhibit]:
    """The run's exhibits without their numbers: enough for an index. What is large of each is read when asked for."""
    query = select(StoredExhibit).where(StoredExhibit.run_id == run_id).order_by(StoredExhibit.number)
    return session.scalars(query.options(*map(defer, LARGE))).all()


def _exhibit(
    head: StoredExhibit, estimates: list[dict[str, object]], series: dict[str, dict[str, list[float | None]]]
) -> Exhibit:
    return read_exhibit(
        {
            "number": head.number,
            "check": head.name,
            "title": head.title,
            "question": head.question,
            "state": head.state,
            "standing": head.standing,
            "answer": head.headline,
            "lines": head.lines,
            **({} if head.open is None else {"open": head.open}),
            "estimates": estimates,
            "charts": head.charts,
            "series": series,
            "tables": head.tables,
            "provenance": head.provenance,
        }
    )
