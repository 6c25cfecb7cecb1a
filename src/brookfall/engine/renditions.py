"""What a worker does with a report: draws the charts that are not drawn yet, then makes its pages, and enters them."""

import logging

from brookfall.core.evidence.exhibit import Exhibit
from brookfall.core.foundation.errors import UserError
from brookfall.core.judge.report_form import OrderedReport
from brookfall.desk.renditions import frozen_decision
from brookfall.desk.report_contents import contents_now, frozen_contents
from brookfall.engine import leases
from brookfall.records import audit_log, blobs
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.exhibits import get_exhibits, heads_of
from brookfall.records.renditions import (
    Rendition,
    drawings_there,
    drop_earlier_drafts,
    get_drawings,
    put_drawing,
)
from brookfall.report.build import build_html, build_pdf, build_short
from brookfall.report.contents import ReportContents
from brookfall.report.drawings import drawing_key
from brookfall.report.writing import PLAIN, Writing

_DAMAGED = "What was signed is damaged, so nothing was rendered: {}."
_TELL = "Tell the administrator; a backup has it whole."

_log = logging.getLogger(__name__)


def render(rendition_id: int) -> None:
    """Makes the pages of a report, as :func:`brookfall.engine.leases.carry_out` does."""

    def work(worker: str) -> None:
        try:
            _render(rendition_id, worker)
        except blobs.DamagedError as problem:
            raise UserError(_DAMAGED.format(problem), todo=_TELL) from problem

    leases.carry_out(Rendition, rendition_id, work)


def draw_exhibit(run_id: int, number: int) -> None:
    """Draws the charts of an exhibit and keeps them, so that no report waits for them; nothing where they are there."""
    with transaction() as session:
        found = get_exhibits(session, run_id, number)
        wanted = {drawing_key(one): one for one in found}
        missing = set(wanted) - drawings_there(session, wanted)
    for key in missing:
        charts = _drawn(wanted[key], PLAIN)
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
        form = OrderedReport.model_validate(asked.form)
    made = now()
    if form.length == "whole":
        charts = _charts(rendition_id, worker, contents, form)
        html = build_html(contents, charts, made, form)
    else:
        short = build_short(contents, made, form)
        html = short.html
    with transaction() as session:
        kept = blobs.put(session, html.encode())
    leases.renew(Rendition, rendition_id, worker, html_sha256=kept)
    pdf = build_pdf(contents, charts, made, form) if form.length == "whole" else short.pdf
    with transaction() as session:
        done = leases.end(
            session, Rendition, rendition_id, worker,
            state="done", evidence_sha256=signed.evidence if signed else None, pdf_sha256=blobs.put(session, pdf),
        )  # fmt: skip
        drop_earlier_drafts(session, done)
        if done.decision is None:
            return
        ordered = {"ordered": done.ordered} if done.ordered else {}
        after = {**ordered, "statement": done.content, "html": done.html_sha256, "pdf": done.pdf_sha256}
        audit_log.append(session, None, "rendered the report", "html, pdf", case_id=done.case_id, after=after)


def _charts(rendition_id: int, worker: str, contents: ReportContents, form: OrderedReport) -> dict[int, list[str]]:
    """The charts of every exhibit by its number, drawn now where they are not there; none where none is shown."""
    writing = Writing(form.language)
    shown = contents.evidence.exhibits if "exhibits" in form.parts else ()
    keys: dict[int, tuple[str, Exhibit]] = {one.number: (drawing_key(one, writing), one) for one in shown}
    with transaction() as session:
        kept = get_drawings(session, [key for key, _ in keys.values()])
    missing = {key: exhibit for key, exhibit in keys.values() if key not in kept}
    for place, (key, exhibit) in enumerate(missing.items()):
        leases.renew(Rendition, rendition_id, worker, done=place, needed=len(missing) + 1)
        kept[key] = _drawn(exhibit, writing)
        with transaction() as session:
            put_drawing(session, key, kept[key], now())
    leases.renew(Rendition, rendition_id, worker, done=len(missing), needed=len(missing) + 1)
    return {number: kept[key] for number, (key, _) in keys.items()}


def _drawn(exhibit: Exhibit, writing: Writing) -> list[str]:
    # Imported here: the library that draws takes a second to load, and no worker's start waits for it.
    from brookfall.report.charts import draw

    return draw(exhibit, writing)
