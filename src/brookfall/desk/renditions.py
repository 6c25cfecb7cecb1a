"""The report: asked for by whoever may see the case, made by a worker, kept with its hashes; no request makes pages."""

import json
from collections.abc import Iterable
from typing import Literal, Protocol

from pydantic import ValidationError
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.foundation import digest
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.core.foundation.validation import first_problem
from brookfall.core.judge.report_form import PARTS, OrderedReport, ReportForm, ReportOrder
from brookfall.desk import people
from brookfall.desk.docket import latest_run
from brookfall.desk.policies import house_now
from brookfall.desk.report_contents import evidence_now, statement_of
from brookfall.desk.views import PartView, RenditionView, ReportView
from brookfall.records import blobs
from brookfall.records.audit_log import RecordEntry
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.database import transaction
from brookfall.records.findings_and_decisions import Decision, StoredExhibit
from brookfall.records.people import Person
from brookfall.records.renditions import Rendition, renditions_of

Format = Literal["html", "pdf", "json", "statement"]


AS_THE_HOUSE = ReportOrder()
"""The whole report as the house has it."""
MOST_ORDERED = 24
"""Other forms in which a signed report is kept at most."""


class Renderers(Protocol):
    """Hands a rendition to a worker; a lost message costs seconds."""

    def render(self, rendition_id: int) -> None: ...


def ask_report(person_id: int, case_id: int, queue: Renderers, order: ReportOrder = AS_THE_HOUSE) -> int:
    """Enters a rendition of the case as it is and wakes a worker; one that is there, or under way, is given back."""
    with transaction() as session:
        case = people.case_for(session, people.person_of(session, person_id), case_id, lock=True)
        rendition = enter(session, case, order)
        rendition_id, waits = rendition.id, rendition.state == "waiting"
    if waits:
        queue.render(rendition_id)
    return rendition_id


def enter(session: Session, case: Case, order: ReportOrder = AS_THE_HOUSE) -> Rendition:
    """The rendition of the case as it is, made so; a new one where there is none, or the last one failed."""
    decision = signed_decision(session, case)
    content, form = content_of(session, case, decision), form_of(session, order)
    for one in _made_to(renditions_of(session, case.id), order, form):
        if one.content == content and one.state != "failed":
            return one
    if decision is not None and order != AS_THE_HOUSE:
        # The pages of what was signed are kept for good.
        kept = {json.dumps(one.ordered, sort_keys=True) for one in renditions_of(session, case.id) if one.decision_id}
        if len(kept - {"{}"}) >= MOST_ORDERED:
            raise UserError(
                f"This signed report is kept in {MOST_ORDERED} forms already, and no more are made.",
                todo="Read one of those, or the whole report, which has every part.",
            )
    made = Rendition(
        case_id=case.id,
        decision_id=decision.id if decision else None,
        content=content,
        ordered=order.model_dump(mode="json", exclude_defaults=True),
        form=form.model_dump(mode="json"),
        asked=now(),
        state="waiting",
        attempts=0,
        done=0,
        needed=0,
        said="",
    )
    session.add(made)
    session.flush()
    return made


def signed_decision(session: Session, case: Case) -> Decision | None:
    """The decision that was countersigned; None while there is none."""
    return session.scalar(select(Decision).where(Decision.case_id == case.id, Decision.state == "accepted"))


def frozen_decision(session: Session, case: Case) -> Decision | None:
    """The decision that is proposed or signed, where its statement was frozen."""
    stands = Decision.state.in_(("proposed", "accepted"))
    return session.scalar(
        select(Decision).where(Decision.case_id == case.id, stands, Decision.statement_sha256.is_not(None))
    )


def content_of(session: Session, case: Case, decision: Decision | None) -> str:
    """Names what a report made now would be of: the statement once signed, else the case as its record stands."""
    if decision is not None and decision.statement_sha256 is not None:
        return decision.statement_sha256
    if decision is not None:
        # It was signed before there were statements; the pages that were kept then are the report.
        kept = session.scalar(select(Rendition.content).where(Rendition.decision_id == decision.id).limit(1))
        if kept is not None:
            return kept
    entry = session.scalar(select(func.max(RecordEntry.id)).where(RecordEntry.case_id == case.id))
    run = latest_run(session, case.id)
    exhibits = select(func.count()).select_from(StoredExhibit)
    there = session.scalar(exhibits.where(StoredExhibit.run_id == run.id)) if run else 0
    return digest.of_json([case.id, entry, run.id if run else None, there])


def form_of(session: Session, order: ReportOrder) -> OrderedReport:
    """The form that an order asks for, by the policy in force.

    Raises
    ------
    UserError
        A part is named twice, or the decision is left out.
    """
    house = house_now(session)
    try:
        return order.of(house.report if house else ReportForm())
    except ValidationError as problem:
        words = f"A report can't be made so: {first_problem(problem)[1]}."
        raise UserError(words, todo="Name the parts once each, the decision among them; nothing was made.") from problem


def _made_to(renditions: Iterable[Rendition], order: ReportOrder, form: OrderedReport) -> list[Rendition]:
    """Those that were made to an order. What was signed keeps the pages that it has when the house's form changes."""
    return [
        one
        for one in renditions
        if ReportOrder.model_validate(one.ordered) == order
        and (one.decision_id is not None or OrderedReport.model_validate(one.form) == form)
    ]


def readable(session: Session, case: Case, decision: Decision | None) -> list[Rendition]:
    """Renditions whose pages may be read, the newest first: once signed those of what was signed, and no draft."""
    found = renditions_of(session, case.id)
    return [one for one in found if decision is None or one.decision_id == decision.id]


def report_view(session: Session, person: Person, case_id: int, order: ReportOrder = AS_THE_HOUSE) -> ReportView:
    """How the report of that form stands: the rendition of the case as it is, and those before it."""
    case = people.case_for(session, person, case_id)
    decision = signed_decision(session, case)
    content = content_of(session, case, decision)
    form = form_of(session, order)
    renditions = _made_to(readable(session, case, decision), order, form)
    current = next((one for one in renditions if one.content == content), None)
    shown = current if current and current.state == "done" else next((r for r in renditions if r.state == "done"), None)
    return ReportView(
        signed=decision is not None,
        # What was signed may have been made when the house had another form.
        form=OrderedReport.model_validate(shown.form) if shown else form,
        parts=[PartView(name=part, words=words) for part, words in PARTS.items()],
        statement_sha256=decision.statement_sha256 if decision else None,
        current=_view(current) if current else None,
        shown=_view(shown) if shown else None,
    )


def report_bytes(
    session: Session, person: Person, case_id: int, form: Format, order: ReportOrder = AS_THE_HOUSE
) -> bytes:
    """The pages that were rendered last, the evidence file, or the statement that was signed.

    Raises
    ------
    MissingError
        No page has been rendered yet, or nothing was signed.
    """
    case = people.case_for(session, person, case_id)
    decision = frozen_decision(session, case)
    statement = statement_of(session, decision) if decision else None
    if form == "statement":
        if statement is None:
            raise MissingError("No statement of this case was signed.", todo="It is made when a decision is proposed.")
        return statement.to_json()
    decision = signed_decision(session, case)
    renditions = readable(session, case, decision)
    if form == "json":
        # Of what was signed before there were statements the evidence file stands beside the pages.
        kept = next((one.evidence_sha256 for one in renditions if one.decision_id), None)
        frozen = statement.evidence if statement else kept
        return blobs.get(session, frozen) if frozen else evidence_now(session, case).to_json().encode()
    ordered = _made_to(renditions, order, form_of(session, order))
    name = next((page for one in ordered if (page := one.html_sha256 if form == "html" else one.pdf_sha256)), None)
    if name is None:
        raise MissingError("The report has not been rendered yet.", todo="Ask for it, and wait for its pages.")
    return blobs.get(session, name)


def _view(rendition: Rendition) -> RenditionView:
    return RenditionView.model_validate(
        {
            "state": rendition.state,
            "done": rendition.done,
            "needed": rendition.needed,
            "said": rendition.said,
            "asked": rendition.asked,
            "finished": rendition.finished,
            "html_sha256": rendition.html_sha256,
            "pdf_sha256": rendition.pdf_sha256,
        }
    )
