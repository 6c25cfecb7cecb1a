"""Findings: something wrong, with the exhibits that show it."""

from collections.abc import Sequence
from datetime import date
from typing import Annotated

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import func, select
from sqlalchemy.orm import Session, joinedload, selectinload

from brookfall.core.evidence.chart import RowsOf
from brookfall.core.foundation.errors import UserError
from brookfall.core.judge.finding_life import LIFE, FindingState
from brookfall.desk import people
from brookfall.desk.case_people import answerable
from brookfall.desk.docket import latest_run
from brookfall.desk.finding_life import answer_by, changeable, is_shown, shown_finding, subject_of
from brookfall.desk.retests import retest_view, retests_of
from brookfall.desk.rows_behind import read_threshold
from brookfall.desk.said import parts_of, told
from brookfall.desk.views import (
    AddresseeView,
    ChosenThreshold,
    Citation,
    FindingEntryView,
    FindingView,
    NewRowsCitation,
)
from brookfall.desk.written import Words
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import today
from brookfall.records.exhibits import heads_of
from brookfall.records.findings_and_decisions import Finding, FindingEntry, FindingFile, Mention, StoredExhibit
from brookfall.records.people import Person
from brookfall.records.retests import Retest
from brookfall.records.scorings import Scoring

_ORDER: tuple[FindingState, ...] = ("draft", "open", "answered", "retested", "accepted", "closed", "withdrawn")
_TEXT = {"severity", "title", "what", "why", "action", "action_owner", "due", "cites", "new_rows"}
_WHOLE = (
    joinedload(Finding.author),
    selectinload(Finding.entries).joinedload(FindingEntry.person),
    selectinload(Finding.entries).selectinload(FindingEntry.to).joinedload(Mention.person),
    selectinload(Finding.entries).selectinload(FindingEntry.files).joinedload(FindingFile.blob),
)
"""With each finding all that its view tells, in a statement a table."""


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
    new_rows: list[int] = Field(default_factory=list, max_length=50, description="numbers of files of new rows, scored")
    thresholds: list[ChosenThreshold] = Field(default_factory=list, max_length=20, description="one an exhibit")


def findings_view(session: Session, person: Person, case_id: int) -> list[FindingView]:
    """The case's findings, those that stand first, the most severe of them first; drafts only to their reviewer."""
    case = people.case_for(session, person, case_id)
    query = select(Finding).where(Finding.case_id == case_id).options(*_WHOLE)
    found = [one for one in session.scalars(query) if is_shown(one, person, case)]
    order = {state: place for place, state in enumerate(_ORDER)}
    ordered = sorted(found, key=lambda finding: (order[finding.state], -finding.severity, finding.number))
    heads = _heads_to_compare(session, case_id)
    retests = retests_of(session, [finding.id for finding in ordered])
    return [_view(person, case, finding, heads, retests.get(finding.id, [])) for finding in ordered]


def finding_view(session: Session, person: Person, finding: Finding) -> FindingView:
    """One finding, as the person sees it."""
    case = people.case_for(session, person, finding.case_id)
    retests = retests_of(session, [finding.id]).get(finding.id, [])
    return _view(person, case, finding, _heads_to_compare(session, case.id), retests)


def one_finding(session: Session, person: Person, case_id: int, finding_id: int) -> FindingView:
    """One finding of a case, as the person sees it; MissingError where they see none of that number."""
    case = people.case_for(session, person, case_id)
    return finding_view(session, person, shown_finding(session, person, case, finding_id))


def write(session: Session, person: Person, case_id: int, text: FindingText, *, as_draft: bool = False) -> FindingView:
    """A new finding, sent to the owner or kept as a draft; the exhibits it cites are quoted as they stand now."""
    case = people.reviewed_case(session, person, case_id)
    _refuse_past(text, None)
    _refuse_stranger(session, text, case, "")
    number = (session.scalar(select(func.max(Finding.number)).where(Finding.case_id == case_id)) or 0) + 1
    finding = Finding(
        case_id=case.id,
        number=number,
        author_id=person.id,
        state="draft" if as_draft else "open",
        answer_by=None if as_draft else answer_by(case),
        revision=1,
        created=now(),
        **_columns(session, case, text, []),
    )
    session.add(finding)
    session.flush()
    audit_log.append(
        session,
        person,
        "drafted a finding" if as_draft else "wrote a finding",
        # The record is read by the owner too, and a draft is not: what it says is entered when it is sent.
        str(number) if as_draft else f"{number}: {text.title}",
        case_id=case.id,
        after=None if as_draft else text.model_dump(mode="json"),
    )
    return finding_view(session, person, finding)


def edit(
    session: Session, person: Person, case_id: int, finding_id: int, text: FindingText, revision: int
) -> FindingView:
    """Changes a finding; StaleError when it was changed since ``revision``."""
    case = people.reviewed_case(session, person, case_id)
    finding = changeable(session, person, case, finding_id, "change", revision)
    _refuse_past(text, finding.due)
    _refuse_stranger(session, text, case, finding.action_owner)
    before = finding_view(session, person, finding).model_dump(mode="json", include=_TEXT)
    for name, value in _columns(session, case, text, finding.cites).items():
        setattr(finding, name, value)
    finding.revision += 1
    audit_log.append(
        session,
        person,
        "changed a finding",
        subject_of(finding),
        case_id=case.id,
        before=None if finding.state == "draft" else before,
        after=None if finding.state == "draft" else text.model_dump(mode="json"),
    )
    return finding_view(session, person, finding)


def _refuse_past(text: FindingText, before: date | None) -> None:
    """A date to be done by lies ahead when it is written; one that has passed since may stay."""
    if text.due is not None and text.due != before and text.due < today():
        raise UserError(f"{text.due:%-d %b %Y} is past.", todo="Give a date to come by which it must be done.")


def _refuse_stranger(session: Session, text: FindingText, case: Case, before: str) -> None:
    """What must be done is asked of the model's people or team; what was written before these were known may stay."""
    if text.action_owner not in ("", before, *answerable(session, case)):
        raise UserError(
            f"{text.action_owner} does not belong to the model, so can't be asked to mend it.",
            todo="Choose one of its people, a team, or nobody by name.",
        )


def _columns(session: Session, case: Case, text: FindingText, cited: list[dict[str, object]]) -> dict[str, object]:
    """What is kept of a text. Of an exhibit that says what it said, or is no longer run, it is what was ``cited``."""
    heads = _heads(session, case.id)
    before = {cite["exhibit"]: cite for cite in cited if "exhibit" in cite}
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
    cites += [_cite_rows(session, case, number, cited) for number in dict.fromkeys(text.new_rows)]
    return {**text.model_dump(exclude={"cites", "thresholds", "new_rows"}), "cites": cites}


def _cite_rows(session: Session, case: Case, number: int, cited: list[dict[str, object]]) -> dict[str, object]:
    """A scored file of new rows, with what came of it; one that was cited before stays as it was quoted."""
    before = next((cite for cite in cited if cite.get("new_rows") == number), None)
    if before is not None:
        return before
    query = select(Scoring).where(Scoring.case_id == case.id, Scoring.number == number, Scoring.state == "done")
    scoring = session.scalar(query)
    if scoring is None:
        raise UserError(
            f"New rows {number} are not there to be cited.", todo="Cite a file of this case that was scored."
        )
    return {"new_rows": number, "title": scoring.file, "quote": scoring.said, "sha256": scoring.file_sha256}


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


def _heads_to_compare(session: Session, case_id: int) -> dict[int, StoredExhibit] | None:
    """What exhibits say now. While a run goes on, what is not there may still come: nothing is said of it."""
    return None if _is_running(session, case_id) else _heads(session, case_id)


def _view(
    person: Person,
    case: Case,
    finding: Finding,
    heads: dict[int, StoredExhibit] | None,
    retests: Sequence[Retest],
) -> FindingView:
    done = {one.entry_id: one for one in retests if one.entry_id is not None}
    can = LIFE.acts_of(finding.state, parts_of(person, case), case.state)
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
        cites=[_citation(cite, heads) for cite in finding.cites if "exhibit" in cite],
        new_rows=[
            NewRowsCitation(number=cite["new_rows"], file=cite["title"], quote=cite["quote"])
            for cite in finding.cites
            if "new_rows" in cite
        ],
        state=finding.state,
        until=finding.until,
        answer_by=finding.answer_by,
        overdue=finding.answer_by is not None and finding.answer_by < today(),
        entries=[
            FindingEntryView(
                **told(entry, finding.entries, person, says="comment" in can),
                answer=entry.answer,
                version=entry.version,
                until=entry.until,
                to=[AddresseeView(name=one.person.name, read=one.read) for one in entry.to],
                unread=any(one.person_id == person.id and one.read is None for one in entry.to),
                retest=retest_view(done[entry.id]) if entry.id in done else None,
            )
            for entry in finding.entries
        ],
        retest=retest_view(retests[-1]) if retests and retests[-1].entry_id is None else None,
        may=list(can),
        author=finding.author.name,
        revision=finding.revision,
    )
