"""What people do about a finding that is written: send, answer, close, accept as a risk, reopen, withdraw it."""

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Literal

from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy import select
from sqlalchemy.orm import Session

from brookfall.core.evidence.words import FINDING_STATES
from brookfall.core.foundation.errors import MissingError, UserError
from brookfall.core.judge.finding_life import LIFE, Answer, FindingAct, FindingState, risk_is_over
from brookfall.core.plan.revisions import read_plan
from brookfall.desk import people
from brookfall.desk.case_people import of_case
from brookfall.desk.said import Kind, file_of, parts_of
from brookfall.records import audit_log
from brookfall.records.cases import Case
from brookfall.records.clock import now
from brookfall.records.config import today
from brookfall.records.database import transaction
from brookfall.records.findings_and_decisions import Finding, FindingEntry, FindingFile, Mention
from brookfall.records.people import Person

_DONE: dict[FindingAct, str] = {
    "send": "sent a finding",
    "answer": "answered a finding",
    "close": "closed a finding",
    "accept": "accepted a risk",
    "reopen": "reopened a finding",
    "withdraw": "withdrew a finding",
    "comment": "commented on a finding",
}
_KIND = Kind[FindingAct, FindingState](
    "finding",
    LIFE,
    FINDING_STATES,
    {
        "change": "change it",
        "send": "send it",
        "answer": "answer it",
        "retest": "have it retested",
        "close": "close it",
        "accept": "accept it as a risk",
        "reopen": "reopen it",
        "withdraw": "withdraw it",
        "comment": "comment on it",
    },
)


DISCARD = "discard"
"""How the withdrawal of a draft is entered: it was never sent, and stays the reviewer's alone."""
_TEXT = ("severity", "title", "what", "why", "action", "action_owner", "cites")
"""What a draft says, which the record has from when it is sent."""


class FindingDone(BaseModel):
    """What is done about a finding. ``answer`` is the owner's; ``version`` the one that mends it; ``until`` the last
    day for which a risk is accepted; ``to`` the people to whom a comment is addressed."""

    model_config = ConfigDict(extra="forbid", frozen=True)

    act: Literal["send", "answer", "close", "accept", "reopen", "withdraw", "comment"]
    revision: int
    text: str = Field(default="", max_length=12_000)
    answer: Answer | None = None
    version: str = Field(default="", max_length=200)
    until: date | None = None
    to: list[str] = Field(default_factory=list, max_length=50, description="logins of people of the case")


def act_on(session: Session, person: Person, case_id: int, finding_id: int, done: FindingDone) -> Finding:
    """Does it, and enters it beside the finding and in the record.

    Raises
    ------
    ForbiddenError
        It is not this person's, or not to be done in this state of finding and case.
    StaleError
        Somebody did something about the finding since ``done.revision``.
    UserError
        Something that the act needs was not said, or something that it does not take was.
    """
    case = people.case_for(session, person, case_id, lock=True)
    finding = changeable(session, person, case, finding_id, done.act, done.revision)
    if done.act == "accept":
        people.refuse_new_member(session, person, case)
    text = _said(done, finding)
    to = _addressed(session, person, case, finding, done.to)
    before, was_unsent = finding.state, is_unsent(finding)
    finding.state = LIFE.after(done.act, finding.state)
    finding.until = done.until if finding.state == "accepted" else None
    if finding.state != before:
        finding.answer_by = answer_by(case) if finding.state == "open" else None
    finding.revision += 1
    entered = DISCARD if (done.act, before) == ("withdraw", "draft") else done.act
    finding.entries.append(
        FindingEntry(
            at=now(), person_id=person.id, act=entered, answer=done.answer, text=text,
            version=done.version.strip(), until=done.until, to=[Mention(person_id=one.id) for one in to],
        )
    )  # fmt: skip
    said = done.model_dump(mode="json", exclude={"act", "revision", "to"}, exclude_defaults=True)
    if to:
        said["to"] = [one.name for one in to]
    if was_unsent and not is_unsent(finding):
        said |= {name: getattr(finding, name) for name in _TEXT} | {"due": finding.due and finding.due.isoformat()}
    audit_log.append(
        session,
        person,
        _DONE[done.act],
        subject_of(finding),
        case_id=case.id,
        before={"state": before},
        after={"state": finding.state, **said},
    )
    session.flush()
    return finding


def answer_by(case: Case) -> date:
    """The day by which the owner answers what is said today, by the policy of the case."""
    return today() + timedelta(days=read_plan(case.plan).policy.days_to_answer)


def subject_of(finding: Finding) -> str:
    """What an entry of the record is about; of what was not sent its number alone, as owners read the record too."""
    return str(finding.number) if is_unsent(finding) else f"{finding.number}: {finding.title}"


def is_unsent(finding: Finding) -> bool:
    """Whether it is a draft, or one that was withdrawn as a draft: the reviewer's alone."""
    ended = [entry.act for entry in finding.entries if entry.act in ("withdraw", DISCARD)]
    return finding.state == "draft" or (finding.state == "withdrawn" and ended[-1:] == [DISCARD])


def changeable(
    session: Session, person: Person, case: Case, finding_id: int, act: FindingAct, revision: int
) -> Finding:
    """The finding, locked, where this person may do this to it now; else as :func:`act_on` raises."""
    finding = session.get(Finding, finding_id, with_for_update=True)
    if finding is None or finding.case_id != case.id or not is_shown(finding, person, case):
        raise MissingError("There is no such finding in this case.", todo="Go back to the findings.")
    parts = parts_of(person, case)
    _KIND.refuse(act, finding.state, parts, case, seen=revision, revision=finding.revision)
    return finding


def _said(done: FindingDone, finding: Finding) -> str:
    """The text, where all is said that the act needs and nothing that it does not take."""
    text = done.text.strip()
    if (done.answer is None) == (done.act == "answer"):
        raise UserError(
            "It is not said what the answer is." if done.act == "answer" else "Only an owner's answer takes one.",
            todo="Say whether you agree, dispute it, or have mended it.",
        )
    if bool(done.version.strip()) != (done.answer == "mended"):
        raise UserError(
            "It is not said in which version it is mended." if done.answer == "mended" else "No version belongs here.",
            todo="Name the version that mends it, with that answer alone.",
        )
    if done.to and done.act != "comment":
        raise UserError("Only a comment is addressed to somebody.", todo="Leave out to whom.")
    if (done.until is None) == (done.act == "accept"):
        raise UserError(
            "A risk is accepted until a date." if done.act == "accept" else "Only an accepted risk takes a date.",
            todo="Give the last day for which it is accepted." if done.act == "accept" else "Leave the date out.",
        )
    if done.until is not None and done.until < today():
        raise UserError(f"{done.until:%-d %b %Y} is past.", todo="Give a date to come.")
    reasoned = LIFE[done.act].reasoned and finding.state != "draft"
    if not text and (reasoned or done.answer == "disputes"):
        raise UserError("Nothing says why.", todo="Write it; it stands beside the finding.")
    return text


def _addressed(session: Session, person: Person, case: Case, finding: Finding, logins: Sequence[str]) -> list[Person]:
    """To whom a comment is addressed; UserError where somebody of them has no part in the case, or is who comments."""
    of_this = {one.login: one for one in of_case(session, case)} if logins else {}
    for login in logins:
        if login == person.login:
            raise UserError("A comment is addressed to others.", todo="Leave yourself out.")
        if login not in of_this or not is_shown(finding, of_this[login], case):
            raise UserError(
                f"'{login}' has no part in this case, or does not see the finding.",
                todo="Address it to somebody of the list.",
            )
    return [of_this[login] for login in dict.fromkeys(logins)]


def read(session: Session, person: Person, case_id: int, finding_id: int, entry_id: int) -> Finding:
    """The person says that they have read what was addressed to them; MissingError where nothing was."""
    case = people.case_for(session, person, case_id, lock=True)
    finding = shown_finding(session, person, case, finding_id)
    mine = [one for one in _KIND.entry_of(finding.entries, entry_id).to if one.person_id == person.id]
    if not mine:
        raise MissingError("That was not addressed to you.", todo="Load the page again.")
    mine[0].read = mine[0].read or now()
    session.flush()
    return finding


def is_shown(finding: Finding, person: Person, case: Case) -> bool:
    """Whether this person sees the finding: what was not sent is the reviewer's alone."""
    return not is_unsent(finding) or "reviewer" in parts_of(person, case)


def attach(
    session: Session, person: Person, case_id: int, finding_id: int, entry_id: int, sent: tuple[str, bytes]
) -> Finding:
    """Keeps a file beside what this person said last of the finding; raises as :meth:`Kind.keep`."""
    case = people.case_for(session, person, case_id, lock=True)
    finding = shown_finding(session, person, case, finding_id)
    says = LIFE.may("comment", finding.state, parts_of(person, case), case.state)
    to = (finding.entries, entry_id)
    entry, path, sha256 = _KIND.keep(session, person, case, sent, to, says=says, number=finding.number)
    entry.files.append(FindingFile(path=path, sha256=sha256, added=now()))
    session.flush()
    return finding


def file_bytes(
    session: Session, person: Person, case_id: int, finding_id: int, entry_id: int, file_id: int
) -> tuple[str, bytes]:
    """A file that was sent with an entry: its name and its bytes, as they were kept."""
    case = people.case_for(session, person, case_id)
    return file_of(session, _KIND.entry_of(shown_finding(session, person, case, finding_id).entries, entry_id), file_id)


def shown_finding(session: Session, person: Person, case: Case, finding_id: int) -> Finding:
    """The finding of a case, where the person sees it; MissingError otherwise."""
    finding = session.get(Finding, finding_id)
    if finding is None or finding.case_id != case.id or not is_shown(finding, person, case):
        raise MissingError("There is no such finding in this case.", todo="Go back to the findings.")
    return finding


def reopen_what_is_due() -> None:
    """Opens findings whose accepted risk has reached its date; a worker's clock asks for it."""
    day = today()
    with transaction() as session:
        due = select(Finding.id, Finding.case_id).where(Finding.state == "accepted", Finding.until < day)
        found = session.execute(due.order_by(Finding.id)).all()
    for finding_id, case_id in found:
        with transaction() as session:
            # The case first, as whoever acts on a finding locks it.
            session.get_one(Case, case_id, with_for_update=True)
            finding = session.get_one(Finding, finding_id, with_for_update=True)
            if risk_is_over(finding.state, finding.until, day):
                _reopen(session, finding)


def _reopen(session: Session, finding: Finding) -> None:
    said = f"The risk was accepted until {finding.until:%-d %b %Y}."
    finding.state, finding.until = "open", None
    finding.answer_by = answer_by(session.get_one(Case, finding.case_id))
    finding.revision += 1
    finding.entries.append(FindingEntry(at=now(), person_id=None, act="reopen", text=said))
    audit_log.append(
        session,
        None,
        _DONE["reopen"],
        f"{finding.number}: {finding.title}",
        case_id=finding.case_id,
        before={"state": "accepted"},
        after={"state": "open", "text": said},
    )
