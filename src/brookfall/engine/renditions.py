"""What a worker does with a report: draws the charts that are not drawn yet, then makes its pages, and enters them."""

import logging
from contextlib import suppress

from brookfall.core.evidence.exhibit import Exhibit
from brookfall.desk.renditions import frozen_decision
from brookfall.desk.report_contents import contents_now, frozen_contents
from brookfall.engine import leases
from brookfall.engine.heartbeat import heartbeat
from brookfall.engine.leases import FAULT, LostError
from brookfall.records import audit_log, blobs
from brookfall.records.base import now
from brookfall.records.cases import Case
from brookfall.records.database import transaction
from brookfall.records.exhibits import get_exhibits, heads_of
from brookfall.records.renditions import (
    Rendition,
    drawings_there,
    drop_earlier_drafts,
    get_drawings,
    put_drawing,
)
from brookfall.report.build import build_html, build_pdf
from brookfall.report.contents import ReportContents
from brookfall.report.drawings import drawing_key

_DAMAGED = "What was signed is damaged, so nothing was rendered: {}. Tell the administrator; a backup has it whole."

_log = logging.getLogger(__name__)


def render(rendition_id: int) -> None:
    """Makes the pages of a report. May be asked for twice at once, or again after a worker died."""
    worker = leases.this_worker()
    if not leases.claim(Rendition, rendition_id, worker):
        return
    try:
        with heartbeat(lambda: leases.renew(Rendition, rendition_id, worker)):
            _render(rendition_id, worker)
    except LostError:
        return
    except blobs.DamagedError as problem:
        _fail(rendition_id, worker, _DAMAGED.format(problem))
    except Exception:  # noqa: BLE001 - a fault of ours must not hold it for ever
        _log.exception("rendition %s", rendition_id)
        _fail(rendition_id, worker, FAULT)


def draw_exhibit(run_id: int, number: int) -> None:
    """Draws the charts of an exhibit and keeps them, so that no report waits for them; nothing where they are there."""
    with transaction() as session:
        found = get_exhibits(session, run_id, number)
        wanted = {drawing_key(one): one for one in found}
        missing = set(wanted) - drawings_there(session, wanted)
    for key in missing:
        charts = _drawn(wanted[key])
        with transaction() as session:
            put_drawing(session, key, charts, now())


def numbers_of(run_id: int) -> list[int]:
    """The exhibits of a run."""
    with transaction() as session:
        return [head.number for head in heads_of(session, run_id)]


def _render(rendition_id: int, worker: str) -> None:
    with transaction() as session:
        asked = session.get_one(Rendition, rendition_id)
        case = session.get_one(Case, asked.case_id)
        decision = asked.decision or frozen_decision(session, case)
        contents = frozen_contents(session, decision) if decision else contents_now(session, case)
        signed = contents.statement if asked.decision_id else None
    charts = _charts(rendition_id, worker, contents)
    made = now()
    html = build_html(contents, charts, made)
    with transaction() as session:
        kept = blobs.put(session, html.encode())
    leases.renew(Rendition, rendition_id, worker, html_sha256=kept)
    pdf = build_pdf(contents, charts, made)
    with transaction() as session:
        done = leases.end(
            session, Rendition, rendition_id, worker,
            state="done", evidence_sha256=signed.evidence if signed else None, pdf_sha256=blobs.put(session, pdf),
        )  # fmt: skip
        drop_earlier_drafts(session, done)
        if done.decision is None:
            return
        after = {"statement": done.content, "html": done.html_sha256, "pdf": done.pdf_sha256}
        audit_log.append(session, None, "rendered the report", "html, pdf", case_id=done.case_id, after=after)


def _charts(rendition_id: int, worker: str, contents: ReportContents) -> dict[int, list[str]]:
    """The charts of every exhibit by its number, drawn now where they are not there."""
    keys: dict[int, tuple[str, Exhibit]] = {one.number: (drawing_key(one), one) for one in contents.evidence.exhibits}
    with transaction() as session:
        kept = get_drawings(session, [key for key, _ in keys.values()])
    missing = {key: exhibit for key, exhibit in keys.values() if key not in kept}
    for place, (key, exhibit) in enumerate(missing.items()):
        leases.renew(Rendition, rendition_id, worker, done=place, needed=len(missing) + 1)
        kept[key] = _drawn(exhibit)
        with transaction() as session:
            put_drawing(session, key, kept[key], now())
    leases.renew(Rendition, rendition_id, worker, done=len(missing), needed=len(missing) + 1)
    return {number: kept[key] for number, (key, _) in keys.items()}


def _drawn(exhibit: Exhibit) -> list[str]:
    # Imported here: the library that draws takes a second to load, and no worker's start waits for it.
    from brookfall.report.charts import draw

    return draw(exhibit)


def _fail(rendition_id: int, worker: str, said: str) -> None:
    with suppress(LostError), transaction() as session:
        leases.end(session, Rendition, rendition_id, worker, state="failed", said=said)
