"""Models: what cases are versions of, each with a key of its own, an owner and members."""

from sqlalchemy import ForeignKey, String, Text, UniqueConstraint
from sqlalchemy.orm import Mapped, mapped_column, relationship

from brookfall.records.base import TABLE_OPTIONS, Base, Key, Moment, Short
from brookfall.records.people import Person


class TeamMember(Base):
    __tablename__ = "team_member"
    __table_args__ = TABLE_OPTIONS

    team_id: Mapped[int] = mapped_column(ForeignKey("team.id"), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), primary_key=True)


class Team(Base):
    """People under one name, which models are of and findings are asked of; a ``closed`` one is chosen no more."""

    __tablename__ = "team"
    __table_args__ = TABLE_OPTIONS

    id: Mapped[Key]
    name: Mapped[str] = mapped_column(String(120), unique=True)
    made: Mapped[Moment]
    closed: Mapped[Moment | None]

    members: Mapped[list[Person]] = relationship(secondary="team_member", order_by=Person.name)


class ModelMember(Base):
    __tablename__ = "model_member"
    __table_args__ = TABLE_OPTIONS

    model_id: Mapped[int] = mapped_column(ForeignKey("model.id"), primary_key=True)
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"), primary_key=True)


class RegisteredModel(Base):
    """Names may repeat between owners, keys not. ``in_use`` is the version that its owner says is used;
    one that its owner withdrew is used no more."""

    __tablename__ = "model"
    __table_args__ = (UniqueConstraint("owner_id", "name", name="uq_model_owner_name"), TABLE_OPTIONS)

    id: Mapped[Key]
    key: Mapped[str] = mapped_column(String(80), unique=True)
    name: Mapped[Short]
    owner_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    in_use: Mapped[str | None] = mapped_column(String(40))
    created: Mapped[Moment]
    withdrawn: Mapped[Moment | None]
    withdrawn_why: Mapped[str | None] = mapped_column(Text)
    tier: Mapped[int | None] = mapped_column(doc="by a countersigner's word; None: what each version declares")

    team_id: Mapped[int | None] = mapped_column(ForeignKey("team.id"))

    owner: Mapped[Person] = relationship(foreign_keys=[owner_id])
    team: Mapped[Team | None] = relationship()
    members: Mapped[list[Person]] = relationship(secondary="model_member", order_by=Person.name)

    @property
    def people_ids(self) -> set[int]:
        """Who belongs to the model: its owner and its members."""
        return {self.owner_id, *(member.id for member in self.members)}
