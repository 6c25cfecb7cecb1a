"""What a worker does with a draft that was sent: reads, checks and keeps it, whole or not at all."""

import logging

from sqlalchemy import and_, select, update

from brookfall.core.foundation.errors import UserError
from brookfall.core.foundation.progress import within
from brookfall.desk.drafts import become
from brookfall.engine.heartbeat import heartbeat
from brookfall.engine.leases import this_worker
from brookfall.records.database import transaction
from brookfall.records.drafts import Draft
from brookfall.records.ledger import MOST_ATTEMPTS, is_lost, lease_end
from brookfall.records.people import Person

_log = logging.getLogger(__name__)

_KILLED = {
    "detail": f"Reading it ended its worker {MOST_ATTEMPTS} times, most likely for want of memory.",
    "where": "",
    "todo": "Send fewer rows or columns, or Parquet; or ask the administrator for more memory.",
}
_FAULT = {
    "detail": "A fault in Brookfall; it was logged.",
    "where": "",
    "todo": "Nothing was kept but the draft. Ask the administrator.",
}


class _WithdrawnError(Exception):
    """The draft is no longer this worker's to take in."""


def take_in(draft_id: int) -> None:
    """Makes a case of a draft, or a table of one. May be asked for twice at once, or again after a worker died."""
    worker = this_worker()
    if not _claim(draft_id, worker):
        return
    try:
        with heartbeat(lambda: _renew(draft_id, worker)):
            _make(draft_id, worker)
    except _WithdrawnError:
        return
    except UserError as problem:
        _give_back(draft_id, worker, {"detail": problem.what, "where": problem.where, "todo": problem.todo})
    except Exception:  # noqa: BLE001 - a fault of ours must not hold the draft for ever
        _log.exception("draft %s", draft_id)
        _give_back(draft_id, worker, _FAULT)


def _claim(draft_id: int, worker: str) -> bool:
    with transaction() as session:
        draft = session.get(Draft, draft_id, with_for_update=True)
        if draft is None or draft.state not in ("waiting", "leased"):
            return False
        if draft.state == "leased" and not session.scalar(select(is_lost(Draft)).where(Draft.id == draft_id)):
            return False
        if draft.attempts >= MOST_ATTEMPTS:
            draft.state, draft.fault, draft.lease_until = "open", _KILLED, None
            return False
        draft.state, draft.worker, draft.lease_until = "leased", worker, lease_end()
        draft.attempts += 1
        return True


def _make(draft_id: int, worker: str) -> None:
    def tell(doing: str, share: float) -> None:
        if not _renew(draft_id, worker, doing=doing, share=share):
            raise _WithdrawnError

    tell("putting the files together", 0)
    with transaction() as session:
        draft = session.get_one(Draft, draft_id)
        person = session.get_one(Person, draft.person_id)
        case_id = become(session, person, draft, within(tell, 0.05, 0.98))
        mine = session.get_one(Draft, draft_id, with_for_update=True, populate_existing=True)
        if mine.state != "leased" or mine.worker != worker:
            raise _WithdrawnError
        mine.state, mine.case_id, mine.lease_until, mine.share = "done", case_id, None, 1


def _renew(draft_id: int, worker: str, **told: object) -> bool:
    """Whether the draft is still this worker's; then its lease is longer, and what it is doing is known."""
    mine = and_(Draft.id == draft_id, Draft.state == "leased", Draft.worker == worker)
    with transaction() as session:
        if session.scalar(select(Draft.id).where(mine).with_for_update()) is None:
            return False
        session.execute(update(Draft).where(mine).values(lease_until=lease_end(), **told))
        return True


def _give_back(draft_id: int, worker: str, fault: dict[str, str]) -> None:
    """Opens the draft again and says why it is no case."""
    with transaction() as session:
        draft = session.get_one(Draft, draft_id, with_for_update=True)
        if draft.state == "leased" and draft.worker == worker:
            draft.state, draft.fault, draft.lease_until, draft.doing, draft.share = "open", fault, None, "", 0
