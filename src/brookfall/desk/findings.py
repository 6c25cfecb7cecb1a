"""Findings: something wrong, with the exhibits that show it."""

from datetime import date
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from brookfall.core.evidence.chart import RowsOf
from brookfall.core.foundation.errors import MissingError, StaleError, UserError
from brookfall.desk import people
from brookfall.desk.docket import latest_run
from brookfall.desk.rows_behind import read_threshold
from brookfall.desk.views import ChosenThreshold, Citation, FindingView
from brookfall.desk.written import Words
from brookfall.records import audit_log
from brookfall.records.base import now
from brookfall.records.cases import Case
from brookfall.records.exhibits import heads_of
from brookfall.records.findings_and_decisions import Finding, StoredExhibit
from brookfall.records.people import Person


class FindingText(BaseModel):
    """What a reviewer writes. severity: 1 minor, 2 moderate, 3 serious, 4 critical."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    severity: int = Field(ge=1, le=4)
    title: Annotated[Words, Field(max_length=200)]
    what: Words
    why: str = ""
    action: str = ""
    action_owner: str = Field(default="", max_length=200)
    due: date | None = None
    cites: list[int] = Field(default_factory=list, description="numbers of exhibits")
    thresholds: list[ChosenThreshold] = Field(default_factory=list, max_length=20, description="one an exhibit")
    withdrawn: bool = False


def findings_view(session: Session, person: Person, case_id: int) -> list[FindingView]:
    """The case's findings, most severe first; withdrawn ones last."""
    people.case_for(session, person, case_id)
    found = session.scalars(select(Finding).where(Finding.case_id == case_id))
    ordered = sorted(found, key=lambda finding: (finding.withdrawn, -finding.severity, finding.number))
    return [_view(session, finding) for finding in ordered]


def write(session: Session, person: Person, case_id: int, text: FindingText) -> FindingView:
    """A new finding; the exhibits it cites are quoted as they stand now."""
    case = people.reviewed_case(session, person, case_id)
    _refuse_past(text, None)
    number = (session.scalar(select(func.max(Finding.number)).where(Finding.case_id == case_id)) or 0) + 1
    finding = Finding(
        case_id=case.id,
        number=number,
        author_id=person.id,
        revision=1,
        created=now(),
        **_columns(session, case, text, []),
    )
    session.add(finding)
    session.flush()
    audit_log.append(
        session,
        person,
        "wrote a finding",
        f"{number}: {text.title}",
        case_id=case.id,
        after=text.model_dump(mode="json"),
    )
    return _view(session, finding)


def edit(
    session: Session, person: Person, case_id: int, finding_id: int, text: FindingText, revision: int
) -> FindingView:
    """Changes a finding; StaleError when it was changed since ``revision``."""
    case = people.reviewed_case(session, person, case_id)
    finding = session.get(Finding, finding_id, with_for_update=True)
    if finding is None or finding.case_id != case.id:
        raise MissingError("There is no such finding in this case.", todo="Go back to the findings.")
    if finding.revision != revision:
        raise StaleError(
            "The finding was changed since you opened it.", todo="Nothing was overwritten; load the page again."
        )
    _refuse_past(text, finding.due)
    before = _view(session, finding).model_dump(mode="json")
    for name, value in _columns(session, case, text, finding.cites).items():
        setattr(finding, name, value)
    finding.revision += 1
    audit_log.append(
        session,
        person,
        "withdrew a finding" if text.withdrawn and not before["withdrawn"] else "changed a finding",
        f"{finding.number}: {text.title}",
        case_id=case.id,
        before=before,
        after=text.model_dump(mode="json"),
    )
    return _view(session, finding)


def _refuse_past(text: FindingText, before: date | None) -> None:
    """A date to be done by lies ahead when it is written; one that has passed since may stay."""
    if text.due is not None and text.due != before and text.due < now().date():
        raise UserError(f"{text.due:%-d %b %Y} is past.", todo="Give a date to come by which it must be done.")


def _columns(session: Session, case: Case, text: FindingText, cited: list[dict[str, object]]) -> dict[str, object]:
    """What is kept of a text. Of an exhibit that says what it said, or is no longer run, it is what was ``cited``."""
    heads = _heads(session, case.id)
    before = {cite["exhibit"]: cite for cite in cited}
    for number in text.cites:
        if number not in heads and number not in before:
            raise UserError(f"Exhibit {number} is not there to be cited.", todo="Cite exhibits of the latest run.")
    chosen = {one.exhibit: one for one in text.thresholds}
    cites = [
        _cite(session, case, heads[number], chosen.get(number), before.get(number))
        if number in heads
        else before[number]
        for number in dict.fromkeys(text.cites)
    ]
    return {**text.model_dump(exclude={"cites", "thresholds"}), "cites": cites}


def _cite(
    session: Session,
    case: Case,
    head: StoredExhibit,
    chosen: ChosenThreshold | None,
    before: dict[str, object] | None,
) -> dict[str, object]:
    cite: dict[str, object] = {"exhibit": head.number, "title": head.title, "quote": head.headline}
    if chosen is None:
        return cite
    threshold = chosen.model_dump(mode="json")
    # Read once: after a deviation the scores that it was read from may be of another plan.
    if before is not None and (before["quote"], before.get("threshold")) == (head.headline, threshold):
        return before
    charts = [one for one in head.charts[chosen.chart : chosen.chart + 1] if one["kind"] == "threshold" and one["rows"]]
    if not charts:
        raise UserError(f"Exhibit {head.number} has no threshold to choose.", todo="Leave the threshold out.")
    read = read_threshold(session, case, RowsOf.model_validate(charts[0]["rows"]), chosen)
    return {**cite, "threshold": threshold, "read": read}


def _heads(session: Session, case_id: int) -> dict[int, StoredExhibit]:
    run = latest_run(session, case_id)
    return {head.number: head for head in (heads_of(session, run.id) if run else [])}


def _is_running(session: Session, case_id: int) -> bool:
    run = latest_run(session, case_id)
    return run is not None and run.state == "running"


def _citation(cite: dict[str, object], heads: dict[int, StoredExhibit] | None) -> Citation:
    quoted = Citation.model_validate(cite)
    if heads is None:
        return quoted
    head = heads.get(quoted.exhibit)
    since = "It is no longer in the plan." if head is None else head.headline
    return quoted if since == quoted.quote else quoted.model_copy(update={"now": since})


def _view(session: Session, finding: Finding) -> FindingView:
    # While a run goes on, what is not there may still come: nothing is said of what was quoted.
    heads = None if _is_running(session, finding.case_id) else _heads(session, finding.case_id)
    return FindingView(
        id=finding.id,
        number=finding.number,
        severity=finding.severity,
        title=finding.title,
        what=finding.what,
        why=finding.why,
        action=finding.action,
        action_owner=finding.action_owner,
        due=finding.due,
        cites=[_citation(cite, heads) for cite in finding.cites],
        withdrawn=finding.withdrawn,
        author=people.person_of(session, finding.author_id).name,
        revision=finding.revision,
    )
