"""Standings that reviewers overruled, each of an exhibit as it was then."""

from sqlalchemy import ForeignKey, String, Text, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment, Sha
from brookfall.records.cases import Case
from brookfall.records.people import Person
from brookfall.records.runs import Run, RunCheck


class Overruling(Base):
    """What an exhibit is taken as, whatever it stands as. ``content`` names what the exhibit was of: of one that was
    computed anew it holds no more."""

    __tablename__ = "overruling"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    case_id: Mapped[int] = mapped_column(ForeignKey("case_file.id"))
    run_id: Mapped[int] = mapped_column(ForeignKey("run.id"))
    name: Mapped[str] = mapped_column(String(40))
    content: Mapped[Sha]
    standing: Mapped[str] = mapped_column(String(20))
    taken_as: Mapped[str] = mapped_column(String(20))
    reason: Mapped[str] = mapped_column(Text)
    by_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    at: Mapped[Moment]
    taken_back: Mapped[Moment | None]

    by: Mapped[Person] = relationship()
    case: Mapped[Case] = relationship()


def content_of(session: Session, run_id: int, name: str) -> str:
    """What the exhibit of a check in a run is of; empty where it is not known."""
    query = select(RunCheck.content).where(RunCheck.run_id == run_id, RunCheck.name == name)
    return session.scalar(query) or ""


def that_hold(session: Session, case_id: int, run: Run | None) -> dict[str, Overruling]:
    """By check the overruling that holds of the run's exhibit: the last that was not taken back and is of the same."""
    if run is None:
        return {}
    query = select(Overruling).where(Overruling.case_id == case_id, Overruling.taken_back.is_(None))
    of_run = select(RunCheck.name, RunCheck.content).where(RunCheck.run_id == run.id)
    contents = dict(session.execute(of_run).all())
    return {
        one.name: one
        for one in session.scalars(query.order_by(Overruling.id))
        if one.run_id == run.id or (one.content and one.content == contents.get(one.name))
    }
