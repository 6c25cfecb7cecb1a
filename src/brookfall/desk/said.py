"""What conditions, findings and questions have in common: acts that are refused or done, and files sent with words."""

from collections.abc import Mapping, Sequence, Set
from dataclasses import dataclass
from typing import Any, Generic, Protocol, TypeVar

from sqlalchemy.orm import Session

from brookfall.core.foundation.errors import ForbiddenError, MissingError, StaleError, UserError
from brookfall.core.judge.life import Act, Life, Part, State
from brookfall.desk import people
from brookfall.desk.attached import name_of
from brookfall.desk.views import AttachedView
from brookfall.records import audit_log, blobs
from brookfall.records.cases import Case
from brookfall.records.entries import EntryFile
from brookfall.records.people import Person

_WHO: dict[Part, str] = {
    "reviewer": "the case's reviewer",
    "owner": "who belongs to the model",
    "countersigner": "a countersigner who neither reviewed it nor belongs to its model",
}
_WHILE = {
    "waiting": "The case has no reviewer yet.",
    "in_review": "The case is in review.",
    "proposed": "A decision is proposed, and all of it stays as it is until that is answered.",
    "decided": "The case is decided; what was signed never changes.",
    "withdrawn": "The case was withdrawn by its owner.",
}


class Entry(Protocol):
    """What somebody did about a thing, or said of it."""

    id: Any
    at: Any
    act: Any
    text: Any
    person_id: Any

    @property
    def person(self) -> Any: ...

    @property
    def files(self) -> Any: ...


One = TypeVar("One", bound=Entry)
File = TypeVar("File", bound=EntryFile)


@dataclass(frozen=True)
class Kind(Generic[Act, State]):
    """A kind of thing that has a life: its ``name``, its ``states`` in words, and what one ``can`` do to it."""

    name: str
    life: Life[Act, State]
    states: Mapping[str, str]
    can: Mapping[Act, str]

    def refuse(self, act: Act, state: State, parts: Set[Part], case: Case, *, seen: int, revision: int) -> None:
        """Raises where somebody with these parts in the case may not do this now.

        Raises
        ------
        ForbiddenError
            It is not theirs, or not to be done in this state of thing and case.
        StaleError
            Its ``revision`` is not the one that they have ``seen``.
        """
        step = self.life[act]
        if not step.by & parts:
            who = " or ".join(_WHO[part] for part in sorted(step.by))
            raise ForbiddenError(f"Only {who} may {self.can[act]}.", todo="Nothing was changed.")
        if case.state not in step.cases:
            raise ForbiddenError(_WHILE[case.state], todo="Nothing was changed.")
        if revision != seen:
            raise StaleError(
                f"The {self.name} was changed since you opened it.",
                todo="Nothing was overwritten; load the page again.",
            )
        if state not in step.of:
            raise ForbiddenError(
                f"The {self.name} is {self.states[state]}, so nobody can {self.can[act]}.", todo="Nothing was changed."
            )

    def entry_of(self, entries: Sequence[One], entry_id: int) -> One:
        """The entry of that number of those of a thing; MissingError where it is none of them."""
        for entry in entries:
            if entry.id == entry_id:
                return entry
        raise MissingError(f"Nothing of that number was said of this {self.name}.", todo="Load the page again.")

    def keep(
        self,
        session: Session,
        person: Person,
        case: Case,
        sent: tuple[str, bytes],
        to: tuple[Sequence[One], int],
        *,
        says: bool,
        number: int,
    ) -> tuple[One, str, str]:
        """Keeps a file for the last of a thing's entries, and enters it in the record; its bytes are never read here.

        Parameters
        ----------
        sent
            The name that it was sent under, and its bytes.
        to
            The thing's entries, and the number of the one that the file was sent with.
        says
            Whether the person may say something of the thing now.
        number
            The thing's own in its case.

        Returns
        -------
        tuple
            The entry, and what the file is kept under: its name there, and the SHA-256 of its bytes.

        Raises
        ------
        ForbiddenError
            Another said it, something was said since, or the person may say nothing of the thing now.
        UserError
            As :func:`brookfall.desk.attached.name_of`; or a file of that name is there already, which stays.
        """
        entries, entry_id = to
        entry = self.entry_of(entries, entry_id)
        if entry.person_id != person.id or entry is not entries[-1] or not says:
            raise ForbiddenError("Files belong to what you said last.", todo="Say what they are about first.")
        there = [one.path for one in entry.files]
        path, data = name_of(sent, there), sent[1]
        if path in there:
            raise UserError("A file of that name was sent already.", todo="Give it another name.", file=path)
        sha256 = blobs.put(session, data)
        audit_log.append(
            session, person, f"sent a file about a {self.name}", f"{number}: {path}", case_id=case.id,
            after={"path": path, "sha256": sha256, "size": len(data)},
        )  # fmt: skip
        return entry, path, sha256


def file_of(session: Session, entry: Entry, file_id: int) -> tuple[str, bytes]:
    """A file that was sent with an entry: its name and its bytes, as they were kept."""
    for file in entry.files:
        if file.id == file_id:
            return file.path, blobs.get(session, file.sha256)
    raise MissingError("There is no such file.", todo="Load the page again.")


def told(entry: Entry, entries: Sequence[Entry], person: Person, *, says: bool) -> dict[str, Any]:
    """What an entry of a thing's ``entries`` tells the person who looks; ``says`` that they may say something of it."""
    return {
        "id": entry.id,
        "at": entry.at,
        "by": entry.person.name if entry.person else None,
        "act": entry.act,
        "text": entry.text,
        "files": [
            AttachedView(id=file.id, path=file.path, size=file.blob.size, sha256=file.sha256) for file in entry.files
        ],
        "takes_files": says and entry is entries[-1] and entry.person_id == person.id,
    }


def parts_of(person: Person, case: Case) -> frozenset[Part]:
    """What the person is in this case."""
    holds: dict[Part, bool] = {
        "reviewer": person.id == case.reviewer_id and "reviewer" in person.roles,
        "owner": people.belongs_to_case(person, case),
        "countersigner": people.is_second(person, case),
    }
    return frozenset(part for part, held in holds.items() if held)
