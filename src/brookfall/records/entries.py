"""The columns that whatever is said of a thing has, and the files sent with it."""

from sqlalchemy import ForeignKey, String, Text
from sqlalchemy.orm import Mapped, declared_attr, mapped_column, relationship

from brookfall.records.base import Key, Moment, Sha, Short
from brookfall.records.cases import Blob
from brookfall.records.people import Person


class EntryRow:
    """What somebody did about a thing, or said of it; it stands as it was entered."""

    id: Mapped[Key]
    at: Mapped[Moment]
    person_id: Mapped[int] = mapped_column(ForeignKey("person.id"))
    act: Mapped[str] = mapped_column(String(20))
    text: Mapped[str] = mapped_column(Text)

    @declared_attr
    @classmethod
    def person(cls) -> Mapped[Person]:
        return relationship(Person)


class EntryFile:
    """A file sent with what was said of a thing; its bytes are a blob."""

    id: Mapped[Key]
    path: Mapped[Short]
    sha256: Mapped[Sha] = mapped_column(ForeignKey("blob.sha256"))
    added: Mapped[Moment]

    @declared_attr
    @classmethod
    def blob(cls) -> Mapped[Blob]:
        return relationship(Blob)
