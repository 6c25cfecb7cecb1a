"""Drafts: a submission put together over days, its files sent in pieces that go on after a cut, then taken in."""

import json
from datetime import date
from typing import Any

from pydantic import JsonValue
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.foundation.digest import sha256
from brookfall.core.foundation.errors import MissingError, StaleError, UserError
from brookfall.core.foundation.progress import Progress
from brookfall.core.submission.files import MAX_FILES, safe_path
from brookfall.core.submission.package import DECLARATION
from brookfall.core.table.read_options import HowRead
from brookfall.desk import new_rows
from brookfall.desk.added_tables import add, open_case
from brookfall.desk.preview import preview
from brookfall.desk.submit import refuse_others, submit
from brookfall.desk.views import DraftFileView, DraftView, Fault, Preview
from brookfall.records import upload_pieces
from brookfall.records.clock import now
from brookfall.records.config import config
from brookfall.records.drafts import Draft, DraftFile
from brookfall.records.people import Person

MOST_AT_ONCE = 8 << 20
"""Bytes of a piece as it is sent."""

_MOST_DRAFTS = 20
_BEGINNING = 1 << 20
"""Bytes of a text file that tell how it is read."""

_MOST_PREVIEWED = 64 << 20
_LONGEST_BRIEF = 200_000


def drafts_view(session: Session, person: Person) -> list[DraftView]:
    """The person's drafts of submissions that are no case yet, the newest first."""
    unfinished = (Draft.person_id == person.id, Draft.state != "done", Draft.added_to.is_(None))
    query = select(Draft).where(*unfinished).order_by(Draft.id.desc())
    return [_view(session, draft) for draft in session.scalars(query)]


def begin(
    session: Session,
    person: Person,
    brief: dict[str, JsonValue],
    due: date | None,
    added_to: int | None,
    *,
    scored: bool = False,
) -> DraftView:
    """A new draft: of a submission, or of a table that its reviewer adds to the case ``added_to``, or of new rows that
    are ``scored`` there.

    ForbiddenError for whoever may not do so; UserError when the person has too many drafts, or the plan is locked.
    """
    if added_to is None:
        refuse_others(person)
    elif scored:
        new_rows.scored_case(session, person, added_to)
    else:
        open_case(session, person, added_to)
    _refuse_long(brief)
    if len(drafts_view(session, person)) >= _MOST_DRAFTS:
        raise UserError(f"You have {_MOST_DRAFTS} drafts.", todo="Submit or throw away one of them first.")
    draft = Draft(
        person_id=person.id,
        brief=brief,
        due=due,
        revision=1,
        state="open",
        doing="",
        share=0,
        attempts=0,
        added_to=added_to,
        scored=scored and added_to is not None,
        created=now(),
        changed=now(),
    )
    session.add(draft)
    session.flush()
    return _view(session, draft)


def draft_view(session: Session, person: Person, draft_id: int) -> DraftView:
    return _view(session, _own(session, person, draft_id))


def save_brief(
    session: Session, person: Person, draft_id: int, brief: dict[str, JsonValue], due: date | None, revision: int
) -> DraftView:
    """Keeps the brief as far as it is; StaleError when it was saved elsewhere since ``revision``."""
    draft = _open(session, person, draft_id)
    if draft.revision != revision:
        raise StaleError(
            "The draft was changed elsewhere since you opened this page.",
            todo="Nothing was overwritten; load the page again.",
        )
    _refuse_long(brief)
    draft.brief, draft.due, draft.revision, draft.changed = brief, due, revision + 1, now()
    session.flush()
    return _view(session, draft)


def add_piece(
    session: Session, person: Person, draft_id: int, piece: DraftFileView, data: bytes, digest: str | None
) -> DraftFileView:
    """Puts bytes behind the ``received`` ones of a file; at 0 the file begins anew.

    StaleError says from where to go on when the file here has come to another byte or is another one; UserError when
    the bytes are not what their SHA-256 says, or would be too many.
    """
    if len(data) > MOST_AT_ONCE:
        raise UserError("The piece is too large.", todo=f"Send at most {MOST_AT_ONCE} bytes at once.", file=piece.path)
    if digest is not None and sha256(data) != digest:
        raise UserError("The bytes changed on their way.", todo="Send the piece again.", file=piece.path)
    draft = _open(session, person, draft_id)
    file = _file_for(session, draft, piece)
    if piece.received + len(data) > piece.size:
        raise UserError("The file is larger than was said.", todo="Send it anew.", file=piece.path)
    upload_pieces.add(session, file, data)
    draft.changed = now()
    session.flush()
    return _file_view(file)


def drop_file(session: Session, person: Person, draft_id: int, path: str) -> DraftView:
    """Takes a file out of a draft."""
    draft = _open(session, person, draft_id)
    for file in _files(session, draft):
        if file.path == path:
            session.delete(file)
    session.flush()
    return _view(session, draft)


def drop(session: Session, person: Person, draft_id: int) -> None:
    """Throws a draft away with all that was sent."""
    session.delete(_open(session, person, draft_id))


def preview_file(session: Session, person: Person, draft_id: int, path: str, how: HowRead) -> Preview:
    """How a file of the draft would be read. UserError says why it can't be, or that too little of it has come."""
    draft = _own(session, person, draft_id)
    file = next((one for one in _files(session, draft) if one.path == path), None)
    if file is None:
        raise MissingError("The draft has no such file.", todo="Choose it again.")
    text = path.lower().endswith((".csv", ".tsv", ".txt"))
    if file.received < (min(file.size, _BEGINNING) if text else file.size):
        raise UserError("Too little of the file has come.", todo="Send the rest of it.", file=path)
    if not text and file.size > _MOST_PREVIEWED:
        raise UserError(
            f"A file of {file.size / 1e6:.0f} MB is not looked into before it is submitted.",
            todo="Submit it; how it was read is then shown with the data.",
            file=path,
        )
    data = upload_pieces.read(session, file, _BEGINNING if text else None)
    return preview(data, path, how, whole=len(data) == file.size)


def send(session: Session, person: Person, draft_id: int) -> DraftView:
    """Hands the draft to a worker to be taken in. UserError when a file is missing or not whole."""
    draft = _open(session, person, draft_id)
    files = _files(session, draft)
    for file in files:
        if file.received < file.size:
            raise UserError(
                f"Only {file.received} of its {file.size} bytes have come.",
                todo="Choose the file again; sending goes on where it stopped.",
                file=file.path,
            )
    whole = len(files) == 1 if draft.added_to else _is_archive(files) or DECLARATION in {file.path for file in files}
    if not whole:
        raise UserError("There is nothing to be taken in.", todo="Send a package, or a brief with its data.")
    draft.state, draft.doing, draft.share, draft.attempts, draft.fault = "waiting", "waiting for a worker", 0, 0, None
    draft.changed = now()
    session.flush()
    return _view(session, draft)


def withdraw(session: Session, person: Person, draft_id: int) -> DraftView:
    """Stops the taking in, wherever it is; the draft stays as it was. Nothing happens to one that is a case already."""
    draft = _own(session, person, draft_id, lock=True)
    if draft.state in ("waiting", "leased"):
        draft.state, draft.doing, draft.share, draft.worker, draft.lease_until = "open", "", 0, None, None
        session.flush()
    return _view(session, draft)


def become(session: Session, person: Person, draft: Draft, progress: Progress) -> int:
    """Makes of a draft what it was sent for, and forgets what it held; gives the id of the case."""
    found = _files(session, draft)
    files = {file.path: upload_pieces.read(session, file) for file in found}
    if draft.added_to is not None and draft.scored:
        new_rows.ask(session, person, draft.added_to, draft.brief, files)
        case_id = draft.added_to
    elif draft.added_to is not None:
        add(session, person, draft.added_to, draft.brief, files, progress)
        case_id = draft.added_to
    else:
        sent = next(iter(files.values())) if _is_archive(found) else files
        case_id = submit(session, person, sent, draft.due, progress).id
    for file in _files(session, draft):
        session.delete(file)
    session.flush()
    return case_id


def _refuse_long(brief: dict[str, JsonValue]) -> None:
    if len(json.dumps(brief)) > _LONGEST_BRIEF:
        raise UserError("The brief is too long to be kept.", todo="Shorten it; documents go with the package.")


def _is_archive(files: list[DraftFile]) -> bool:
    return len(files) == 1 and files[0].path.lower().endswith(".zip")


def _file_for(session: Session, draft: Draft, piece: DraftFileView) -> DraftFile:
    """The file that a piece belongs to, made or begun anew where it is the first."""
    path = safe_path(piece.path)
    files = _files(session, draft)
    others = [file for file in files if file.path != path]
    file = next((file for file in files if file.path == path), None)
    if len(others) >= MAX_FILES:
        raise UserError(f"The draft has {MAX_FILES} files.", todo="Take one away.", file=path)
    limit = config().max_bytes
    if sum(file.size for file in others) + piece.size > limit:
        raise UserError(
            f"The files of a submission may have {limit / 1e6:.0f} MB together.",
            todo="Send less, or ask the administrator to raise BROOKFALL_MAX_BYTES.",
            file=path,
        )
    if file is None and piece.received == 0:
        file = DraftFile(draft_id=draft.id, path=path, stamp=piece.stamp, size=piece.size, received=0)
        session.add(file)
        session.flush()
    elif file is not None and piece.received == 0:
        upload_pieces.forget(session, file)
        file.stamp, file.size = piece.stamp, piece.size
    elif file is None or (file.stamp, file.size, file.received) != (piece.stamp, piece.size, piece.received):
        held = 0 if file is None or (file.stamp, file.size) != (piece.stamp, piece.size) else file.received
        raise StaleError(f"The next byte wanted is number {held}.", todo="Go on from there.", file=path)
    return file


def _files(session: Session, draft: Draft) -> list[DraftFile]:
    return list(session.scalars(select(DraftFile).where(DraftFile.draft_id == draft.id).order_by(DraftFile.id)))


def _own(session: Session, person: Person, draft_id: int, *, lock: bool = False) -> Draft:
    draft = session.get(Draft, draft_id, with_for_update=lock)
    if draft is None or draft.person_id != person.id:
        raise MissingError("There is no such draft, or it is not yours.", todo="Go back to your drafts.")
    return draft


def _open(session: Session, person: Person, draft_id: int) -> Draft:
    draft = _own(session, person, draft_id, lock=True)
    if draft.state == "done":
        raise UserError("The draft was submitted.", todo="Nothing was changed; it is on the docket.")
    if draft.state != "open":
        raise UserError("The draft is being taken in.", todo="Nothing was changed; withdraw it first.")
    return draft


def _view(session: Session, draft: Draft) -> DraftView:
    fault: dict[str, Any] | None = draft.fault
    return DraftView.model_validate(
        {
            "id": draft.id,
            "brief": draft.brief,
            "due": draft.due,
            "revision": draft.revision,
            "state": draft.state,
            "doing": draft.doing,
            "share": draft.share,
            "fault": None if fault is None else Fault.model_validate(fault),
            "case_id": draft.case_id,
            "added_to": draft.added_to,
            "scored": draft.scored,
            "files": [_file_view(file) for file in _files(session, draft)],
            "changed": draft.changed,
        }
    )


def _file_view(file: DraftFile) -> DraftFileView:
    return DraftFileView(path=file.path, size=file.size, received=file.received, stamp=file.stamp)
