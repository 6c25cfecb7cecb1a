"""Tables that a reviewer puts beside the rows: a sample with a ground that was not collected, a file of later rows."""

from collections.abc import Mapping

from pydantic import ValidationError
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.core.foundation.progress import Progress, within
from brookfall.core.foundation.validation import first_problem
from brookfall.core.submission.added import read_added
from brookfall.core.submission.schema import Data
from brookfall.desk import people
from brookfall.desk.bench import added_to, changes_of, entries_of
from brookfall.records import audit_log, blobs
from brookfall.records.cases import Case
from brookfall.records.people import Person
from brookfall.records.tables import drop_table, get_table, put_table
from brookfall.sandbox import sandbox

ADDED = "added a table"
"""The act; its entry has the SHA-256 of the file."""


def open_case(session: Session, person: Person, case_id: int) -> Case:
    """The case, if this person reviews it and its plan is not locked: then its data may still be added to."""
    case = people.reviewed_case(session, person, case_id)
    if case.is_locked:
        raise UserError("The plan is locked, so no data can be added.", todo="Open a deviation first.")
    return case


def add(
    session: Session,
    person: Person,
    case_id: int,
    said: Mapping[str, object],
    files: dict[str, bytes],
    progress: Progress,
) -> None:
    """Reads the one file and keeps it as a table beside the rows.

    ``said`` is the entry as a package would declare it: name, kind, key, how it is read. UserError when the file can't
    be read, its name is taken, or the key is not in both tables; nothing is kept then.
    """
    case = open_case(session, person, case_id)
    ((path, data),) = files.items()
    try:
        entry = Data.model_validate({**said, "path": path})
    except ValidationError as problem:
        place, message = first_problem(problem)
        wrong = f"{place}: {message}." if place else f"{message}."
        raise UserError(wrong, todo="Say what the file holds.", file=path) from problem
    if entry.name in {other.name for other in entries_of(case)}:
        raise UserError(f"There is a table '{entry.name}' already.", todo="Give this one another name.", file=path)
    progress(f"reading {path}", 0)
    added, table = read_added(entry, data, get_table(session, case.id, version=case.table_version), sandbox.read_file)
    put_table(session, case.id, table, entry.name, progress=within(progress, 0.5, 0.9))
    blobs.put(session, data)
    case.added = [*case.added, added.model_dump(mode="json")]
    audit_log.append(
        session,
        person,
        ADDED,
        f"{added.name} ({'a sample' if added.kind == 'sample' else 'later rows'}, {table.n_rows} rows)",
        case_id=case.id,
        after={"table": added.name, "sha256": sha256(data), "rows": table.n_rows},
    )


def take_away(session: Session, person: Person, case_id: int, name: str) -> None:
    """Takes an added table away again; UserError while a change to the rows rests on it."""
    case = open_case(session, person, case_id)
    held = added_to(case)
    added = next((one for one in held if one.name == name), None)
    if added is None:
        raise MissingError("No such table was added.", todo="Load the page again.")
    if any(change.kind == "join_sample" and change.sample == name for change in changes_of(case)):
        raise UserError("Columns of it are joined to the rows.", todo="Take that change back first.", file=name)
    drop_table(session, case.id, name)
    case.added = [one.model_dump(mode="json") for one in held if one.name != name]
    audit_log.append(session, person, "took a table away", name, case_id=case.id, before={"sha256": added.sha256})
    session.flush()
